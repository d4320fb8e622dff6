"""Keeping a bench's data: backup, and how old the last one is."""
