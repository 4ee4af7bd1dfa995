"""What the program proposes: found by measuring, shown before it is kept."""
