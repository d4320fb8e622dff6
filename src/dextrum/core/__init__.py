"""Pure computation: no Qt, no files, no clock, no global state."""
