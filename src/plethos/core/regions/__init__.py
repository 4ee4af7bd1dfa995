"""Regions of the skin that someone picked: named, kept, and used for masks, locks, fills and measures."""
