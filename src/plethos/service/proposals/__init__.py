"""What the program proposes and a person takes: correctives, helpers, the kind that suits."""
