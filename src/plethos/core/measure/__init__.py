"""Measures: what replaces the eye. Each is given against rest."""
