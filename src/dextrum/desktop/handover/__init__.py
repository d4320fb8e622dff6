"""The hand-over screen, and its paper."""
