"""Joints at rest: made, moved, turned, renamed, hung elsewhere, deleted; under a skin that stays where it is."""
