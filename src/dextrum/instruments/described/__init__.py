"""Meters described by a file: how each is reached, asked and understood. No Python is needed for another one."""
