"""The board of a pack is kept as it was read: to check a pack against its schema takes a twentieth of the start.

A file is named by a digest of what goes into it: the bytes of the pack's files, the language in which its words are
said, and the program's own files that make a board of them. So it is never out of date; one that can't be read is as
good as none.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import sys
from contextlib import suppress
from functools import cache
from pathlib import Path

import dextrum
from dextrum.app.library.kept_files import CoreReader, keep_beside
from dextrum.core.board import Board
from dextrum.store.packs.pack_files import checked_board
from dextrum.store.packs.pack_source import read_pack_files
from dextrum.tongue import spoken

MOST_BYTES = 8_000_000
"""Of all together: some hundred boards."""
MAKERS = ("core/board", "core/saying.py", "store/packs", "data/words")
"""What makes a board of a pack's files: folders and files of the program."""


class KeptBoards:
    """In a folder, made when the first is kept."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def board(self, path: Path) -> Board:
        """Of the pack at a folder or zip. Raises PackError (every problem named) or ImportRefusedError."""
        files = read_pack_files(path)
        place = self.place_of(files)
        found = self._read(place)
        if found is None:
            found = checked_board(files)
            keep_beside(place, pickle.dumps(found, 5), MOST_BYTES)
        return found

    def place_of(self, files: dict[str, bytes]) -> Path:
        """The file of what is made of these."""
        digest = hashlib.sha256(f"{_program()} {spoken()}".encode())
        for name in sorted(files):
            digest.update(f"{name} {len(files[name])} ".encode() + files[name])
        return self.folder / f"{digest.hexdigest()[:40]}.board"

    @staticmethod
    def _read(place: Path) -> Board | None:
        try:
            with place.open("rb") as file:
                found = CoreReader(file).load()
        except Exception:  # of whatever kind: what can't be read is made anew
            return None
        if not isinstance(found, Board):
            return None
        with suppress(OSError):
            os.utime(place)
        return found


@cache
def _program() -> str:
    root = Path(dextrum.__file__).parent
    files = [file for maker in MAKERS for file in (sorted((root / maker).iterdir()) if (root / maker).is_dir()
                                                   else [root / maker]) if file.is_file()]
    return "\n".join([sys.version, *(f"{file.name} {stat.st_size} {stat.st_mtime_ns}"
                                     for file in files if (stat := file.stat()))])
