"""The day: what to do when, with one pair of hands and many waits."""
