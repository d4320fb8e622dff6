"""Where the program keeps its own files and where the user's are."""

from __future__ import annotations

import os
from importlib.resources import files
from pathlib import Path

from dextrum.tongue import ENGLISH, LANGUAGES

LANGUAGE = "language"
"""The file beside the jobs that names the language of the window: it is known before anything else is read."""


def shipped() -> Path:
    """The folder of data that came with the program."""
    return Path(str(files("dextrum"))) / "data"


def user_folder(demo: bool = False) -> Path:
    """The user's data folder by the platform's custom; the demo has one of its own."""
    from platformdirs import user_data_path

    return user_data_path("dextrum", appauthor=False) / ("demo" if demo else "bench")


def cache_folder() -> Path:
    """Where the platform has what can be worked out anew at any time."""
    from platformdirs import user_cache_path

    return user_cache_path("dextrum", appauthor=False)


def language_of(folder: Path) -> str:
    """The language of the window on this data: the one chosen, else the desktop's own where it is here."""
    try:
        chosen = (folder / LANGUAGE).read_text(encoding="utf-8")[:8].strip()
    except (OSError, UnicodeDecodeError):
        chosen = next((os.environ[name] for name in ("LC_ALL", "LC_MESSAGES", "LANG") if os.environ.get(name)), "")
    return chosen[:2] if chosen[:2] in LANGUAGES else ENGLISH


def choose_language(folder: Path, language: str) -> None:
    """From the next start of the window on this data. Raises OSError."""
    (folder / LANGUAGE).write_text(language, encoding="utf-8")
