"""The library screen."""
