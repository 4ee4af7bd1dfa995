"""What one person sees: a frame of a pose with what is in hand, curves of the strip, charts."""
