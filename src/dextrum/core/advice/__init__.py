"""What to do next, by expected cost."""
