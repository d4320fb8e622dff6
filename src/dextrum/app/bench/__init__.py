"""Instruments at hand, the simulated bench, and jobs played on it."""
