"""Keeping the bench's data, from the window."""
