"""The kinds of entry of a trail: each a class in a file of its own, with all that is particular to it."""
