"""The demo's drawings: figures of outlines, made by code."""
