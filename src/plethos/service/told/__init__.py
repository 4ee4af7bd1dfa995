"""What pages are told: from versions, remedies and work to the shapes of the API."""
