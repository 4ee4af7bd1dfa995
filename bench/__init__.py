"""What is measured, against what."""
