"""What the API takes and gives, one file a subject."""
