"""Stress: where a character is worst, kept way by way, and what people say of it."""
