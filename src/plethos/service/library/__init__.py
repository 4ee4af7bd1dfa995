"""Characters on the workbench: brought in, opened, committed with undo, delivered; versions, and who may edit."""
