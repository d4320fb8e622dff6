"""Pictures beside the job file, each under the SHA-256 of its content.

A picture is written beside its place, synced and renamed inside the write of its entry, and swept inside a write too.
So an entry never stands without its picture, and a picture whose entry was never written is gone at the next start.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Container, Iterable, Iterator
from pathlib import Path

from dextrum.core.trail import Entry, Photo
from dextrum.errors import ImportRefusedError, StoreError
from dextrum.store.files import PRIVATE_FILE, PRIVATE_FOLDER, read_bounded, sync_folder
from dextrum.tongue import tr

FOLDER = "photos"
MOST_BYTES = 30_000_000
MOST_SIDE = 20_000
_KEPT_SEGMENTS = (0xE0, 0xE2, 0xEE)
"""Application segments of a JPEG that say how to draw it (JFIF, colour profile, colour transform); all others may tell
more than the picture does."""
_SIZES = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}


def picture_size(data: bytes) -> tuple[int, int]:
    """Width and height of a JPEG that holds a picture and nothing else; ITU-T T.81, annex B.

    Raises ImportRefusedError for what is no JPEG, is cut short, too large, or carries other data (place, camera).
    """
    size: tuple[int, int] | None = None
    if len(data) > MOST_BYTES:
        raise _refused(tr("has {count:.0f} MB", count=len(data) / 1000000.0))
    if data[:2] != b"\xff\xd8" or data[-2:] != b"\xff\xd9":
        raise _refused(tr("is no JPEG, or is cut short"))
    at = 2
    while data[at:at + 2] != b"\xff\xd9":
        if at + 4 > len(data) or data[at] != 0xFF:
            raise _refused(tr("is broken"))
        kind, length = data[at + 1], int.from_bytes(data[at + 2:at + 4])
        if length < 2 or at + 2 + length > len(data):
            raise _refused(tr("is broken"))
        if (0xE0 <= kind <= 0xEF and kind not in _KEPT_SEGMENTS) or kind == 0xFE:
            raise _refused(tr("carries more than the picture"))
        if kind in _SIZES:
            if length < 8:
                raise _refused(tr("is broken"))
            size = int.from_bytes(data[at + 7:at + 9]), int.from_bytes(data[at + 5:at + 7])
        at += 2 + length
        if kind == 0xDA:
            at = _end_of_scan(data, at)
    if at + 2 != len(data):
        raise _refused(tr("carries more than the picture"))
    if size is None or not all(1 <= side <= MOST_SIDE for side in size):
        raise _refused(tr("has no size that can be"))
    return size


def _end_of_scan(data: bytes, at: int) -> int:
    """Where the coded part of a scan ends: at a marker that is neither a stuffed byte nor a restart."""
    while (at := data.find(b"\xff", at)) >= 0 and (data[at + 1] == 0 or 0xD0 <= data[at + 1] <= 0xD7):
        at += 2
    if at < 0:
        raise _refused(tr("is cut short"))
    return at


def _refused(why: str) -> ImportRefusedError:
    return ImportRefusedError(tr("The picture {why}.",
                                 why=why), tr("It was not taken in."), tr("Take in the photo itself: Add a photo."))


def content_of(data: bytes) -> str:
    """The name under which a picture is kept."""
    return hashlib.sha256(data).hexdigest()


def pictures_of(trail: Iterable[Entry]) -> tuple[str, ...]:
    """Contents of the pictures that a trail names, struck ones too, each once."""
    return tuple(dict.fromkeys(e.payload.sha256 for e in trail if isinstance(e.payload, Photo)))


def place_of(folder: Path, sha256: str) -> Path:
    """folder: of the job file."""
    return folder / FOLDER / sha256[:2] / f"{sha256}.jpg"


def write_picture(folder: Path, data: bytes) -> str:
    """Keep a picture; returns its content. Raises OSError."""
    name = content_of(data)
    place = place_of(folder, name)
    if place.is_file() and place.stat().st_size == len(data):
        return name
    place.parent.mkdir(parents=True, exist_ok=True, mode=PRIVATE_FOLDER)
    part = place.with_suffix(f".{os.getpid()}.part")
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, PRIVATE_FILE)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        part.replace(place)
    except OSError:
        part.unlink(missing_ok=True)
        raise
    for above in (place.parent, place.parent.parent, folder):
        sync_folder(above)
    return name


def read_picture(folder: Path, sha256: str) -> bytes:
    """Raises StoreError where it is gone, or is no longer what was kept."""
    place = place_of(folder, sha256)
    try:
        data = read_bounded(place, MOST_BYTES)
    except ImportRefusedError:
        raise StoreError(
            tr("A picture of this job is gone."), tr("Its entry is kept."), tr("Restore it from a backup.")
        ) from None
    if content_of(data) != sha256:
        raise StoreError(
            tr("A picture of this job is damaged."), tr("Its entry is kept."), tr("Restore it from a backup.")
        )
    return data


def pictures_there(folder: Path) -> Iterator[Path]:
    """Every file in the folder of pictures."""
    for below in sorted((folder / FOLDER).glob("??")):
        if below.is_dir():
            yield from sorted(file for file in below.iterdir() if file.is_file())


def sweep(folder: Path, named: Container[str]) -> int:
    """Take away pictures that no entry names, and what a crash left half written. Returns how many. Called inside a
    write, so that none is just being added."""
    gone = 0
    for file in pictures_there(folder):
        if file.suffix != ".jpg" or file.stem not in named:
            with contextlib.suppress(OSError):
                file.unlink()
                gone += 1
    return gone
