"""Files in and out: the only place in the core that knows file formats."""
