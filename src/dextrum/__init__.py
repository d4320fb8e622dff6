"""Dextrum: the bench companion for handhelds and controllers that will not charge or will not dock."""

import os

# Its search for plugins reads the names of all installed packages at every start; the program uses none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
