"""Use cases without a window: the desktop and the command line stand on the same ones."""
