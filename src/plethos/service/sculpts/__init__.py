"""Sculpts in progress: begun, brought back, let through, kept as correctives."""
