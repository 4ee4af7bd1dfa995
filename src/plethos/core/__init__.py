"""Pure computation: arrays in, arrays out. Start reading at `evaluate.py`."""
