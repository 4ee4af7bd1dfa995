"""What is measured on drawings, and strokes as areas: fills that open, widths across a bone."""
