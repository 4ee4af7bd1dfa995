"""Skin: points and surfaces, what they follow, and linear and dual quaternion skinning, in float64 and compiled."""
