"""The plan of the day."""
