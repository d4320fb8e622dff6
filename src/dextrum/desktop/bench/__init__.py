"""The window of the hands on the simulated bench."""
