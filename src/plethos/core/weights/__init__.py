"""Making and changing weights."""
