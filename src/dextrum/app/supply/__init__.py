"""Draws: what the power meter showed, imported, followed live and put into words."""
