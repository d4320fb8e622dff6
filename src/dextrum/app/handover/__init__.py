"""The sheet that goes with the unit."""
