"""Long work, in a process of its own."""
