"""A job and its trail: recording, undo, cards, earlier jobs of the unit."""
