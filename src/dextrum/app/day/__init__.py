"""The plan of the day over all open jobs."""
