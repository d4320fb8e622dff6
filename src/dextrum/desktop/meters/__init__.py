"""Meters described by listening or by a file."""
