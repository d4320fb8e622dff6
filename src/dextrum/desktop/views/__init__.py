"""The views of a job along the order of work."""
