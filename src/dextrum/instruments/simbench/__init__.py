"""A bench that isn't there: a board with hidden faults, and instruments that answer for it on loopback."""
