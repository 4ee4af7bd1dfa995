"""Edits that are one undo step each, named for the person who may want it back."""
