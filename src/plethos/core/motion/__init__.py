"""Motion of another skeleton, brought onto a character's joints by a mapping of names."""
