"""Files in and out: reading is bounded and of regular files only; writing is beside, synced, then renamed.

A named pipe or a device would hang the program or fill its memory, so what isn't a regular file is refused before a
byte is read. A file that is written stands whole under its name, or the one that stood there before does.
"""

from __future__ import annotations

import contextlib
import io
import os
import re
import stat
from collections.abc import Callable
from pathlib import Path

from dextrum.errors import DextrumError, FileStandsError, ImportRefusedError, why_not
from dextrum.tongue import tr

PRIVATE_FILE, PRIVATE_FOLDER = 0o600, 0o700
LONGEST_NAME = 120
_UNSAFE = re.compile(r"[^\w.\-+ ()]+", re.UNICODE)


def read_bounded(path: Path, most_bytes: int) -> bytes:
    """All of a regular file, or of a link to one. Raises ImportRefusedError when it can't be read, is something else,
    or has more than `most_bytes`."""
    data = read_beginning(path, most_bytes + 1, most_bytes)
    if len(data) > most_bytes:
        raise ImportRefusedError(tr("{path} grew beyond {most_bytes:.0f} MB.", path=path.name[:80],
                                    most_bytes=most_bytes / 1000000.0),
                                 tr("Nothing was taken in."), "")
    return data


def read_beginning(path: Path, count: int, most_bytes: int) -> bytes:
    """The first `count` bytes of a regular file of at most `most_bytes`. Raises ImportRefusedError."""
    refused = tr("Nothing was taken in.")
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as problem:
        why = why_not(problem)
        raise ImportRefusedError(tr("{path} can't be read ({why}).", path=path.name[:80],
                                    why=why), refused, tr("Check the name.")) from None
    about = os.fstat(handle)
    if not stat.S_ISREG(about.st_mode):
        os.close(handle)
        raise ImportRefusedError(tr("{path} is not an ordinary file.",
                                    path=path.name[:80]), refused, tr("Name a file."))
    with os.fdopen(handle, "rb") as file:
        if about.st_size > most_bytes:
            raise ImportRefusedError(tr("{path} is larger than {most_bytes:.0f} MB.", path=path.name[:80],
                                        most_bytes=most_bytes / 1000000.0), refused,
                                     tr("Check where the file comes from."))
        try:
            return file.read(count)
        except OSError as problem:
            raise ImportRefusedError(tr("{path} can't be read ({why}).", path=path.name[:80],
                                        why=why_not(problem)), refused,
                                     tr("Try again.")) from problem


def write_beside(path: Path, data: bytes, over: bool = False) -> None:
    """Write a whole file, see `write_through`."""
    def write(file: io.BufferedWriter) -> None:
        file.write(data)

    write_through(path, write, over)


def write_through(path: Path, write: Callable[[io.BufferedWriter], None], over: bool = False) -> None:
    """Write a whole file: beside it, synced, then renamed. write: is given the open file. over: whether one that stands
    there may be replaced.

    Raises FileStandsError when one stands there and may not, ImportRefusedError when it can't be written; then what
    stood there before still does, and nothing is left beside it.
    """
    kept = tr("What stood there before is kept.") if path.exists() else tr("Nothing was written.")
    if path.exists() and not over:
        raise FileStandsError(tr("{path} stands there already.",
                                 path=path.name[:80]), kept, tr("Enter again replaces it."))
    part = path.with_name(f".{path.name[:80]}.{os.getpid()}.part")
    try:
        handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, PRIVATE_FILE)
        with os.fdopen(handle, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
        sync_folder(path.parent)
    except DextrumError:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise
    except (OSError, ValueError) as problem:
        with contextlib.suppress(OSError, ValueError):
            part.unlink(missing_ok=True)
        why = why_not(problem)
        raise ImportRefusedError(tr("{path} was not written ({why}).", path=path.name[:80],
                                    why=why), kept, tr("Choose another place.")) from None


def sync_folder(folder: Path) -> None:
    """Make a rename last."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def safe_name(text: str, suffix: str = "") -> str:
    """A file's name from free text such as a serial: no folders, no leading dots, not too long."""
    plain = _UNSAFE.sub("_", text.encode("utf-8", "replace").decode("utf-8")).strip(" ._")
    return f"{plain[:LONGEST_NAME - len(suffix)] or 'unnamed'}{suffix}"


def keep_private(folder: Path, own: bool) -> None:
    """Rights of a data folder and of what is in it: nobody else's. own: whether the folder holds nothing but ours."""
    with contextlib.suppress(OSError):
        if own:
            folder.chmod(PRIVATE_FOLDER)
        for file in folder.iterdir():
            if file.is_file() and not file.is_symlink() and (own or file.name.startswith("jobs.sqlite")):
                file.chmod(PRIVATE_FILE)


FORMULA = ("=", "+", "-", "@", "\t", "\r")


def plain_cell(text: str) -> str:
    """A cell of a CSV that no spreadsheet takes for a formula; read back, the mark is taken off again."""
    return f"'{text}" if text.startswith(FORMULA) else text
