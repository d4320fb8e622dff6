"""Where the program keeps its own files and where the user's are."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path


def shipped() -> Path:
    """The folder of data that came with the program."""
    return Path(str(files("dextrum"))) / "data"


def user_folder(demo: bool = False) -> Path:
    """The user's data folder by the platform's custom; the demo has one of its own."""
    from platformdirs import user_data_path

    return user_data_path("dextrum", appauthor=False) / ("demo" if demo else "bench")
