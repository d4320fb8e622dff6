"""Meters and supplies; so far the simulated board that they are put on."""
