"""Dextrum: the bench companion for handhelds and controllers that will not charge or will not dock."""

__version__ = "0.1.0"
