"""Regions of the skin that someone picked: named, kept, and used for masks, locks, fills and measures."""

from plethos.core.regions.region import PICKED, PickedRegion

__all__ = ["PICKED", "PickedRegion"]
