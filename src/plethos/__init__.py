"""Plethos: remedies for skinned characters that switch on from joint rotations."""

__version__ = "0.1.0"
