"""Use cases: open a character, edit it with undo, sculpt, measure, deliver. No HTTP, no SQL."""
