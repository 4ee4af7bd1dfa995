"""Edits of rules as a whole: baked, mirrored, split, trimmed, reviewed. Each gives another character."""
