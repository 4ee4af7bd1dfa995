"""Tools of a desk: strokes that sculpt, paint weights and masks, and pick."""
