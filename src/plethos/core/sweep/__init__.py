"""The sweep: a character walked through the poses of its plan and measured, bare and with what mends it."""
