"""Rework: what heat does to a board, what a mix of alloys does, in which order repairs are done, and by which steps."""
