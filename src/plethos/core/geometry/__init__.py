"""Geometry: rotations, triangles, outlines and what spreads over them. It knows no character."""
