"""States of a shop's own pack that jobs stay on: kept whole beside the packs, by their content."""

from __future__ import annotations

import hashlib
import os
import shutil
from contextlib import suppress
from pathlib import Path

from dextrum.errors import StoreError, why_not
from dextrum.store.files import sync_folder
from dextrum.tongue import tr

VERSIONS = ".versions"
FILES = ("pack.json", "components.json", "nets.csv", "points.csv", "known_good.csv")
"""What a version is made of; photos change nothing that is judged, and go along."""
DIGITS = 16


def version_of(place: Path) -> str:
    """Of a pack kept as a folder. Raises OSError."""
    found = hashlib.sha256()
    for name in FILES:
        if (place / name).is_file():
            data = (place / name).read_bytes()
            found.update(f"{name} {len(data)}\n".encode() + data)
    return found.hexdigest()[:DIGITS]


def version_place(folder: Path, name: str, version: str) -> Path | None:
    """Where a version of a pack is kept; None where it isn't. folder: of the packs."""
    place = folder / VERSIONS / name / version
    return place if version and (place / "pack.json").is_file() else None


def keep_version(folder: Path, name: str) -> str:
    """Keep the pack as it is now, once; its version. Raises StoreError."""
    place = folder / name
    try:
        version = version_of(place)
        kept = folder / VERSIONS / name / version
        if not kept.is_dir():
            beside = kept.with_name(f".{version}.new")
            shutil.rmtree(beside, ignore_errors=True)
            beside.mkdir(parents=True)
            for file in place.iterdir():
                if file.is_file():
                    # The same file under both names; packs are written anew and never in place.
                    try:
                        os.link(file, beside / file.name)
                    except OSError:  # a disk that knows no second names
                        shutil.copyfile(file, beside / file.name)
            beside.rename(kept)
            with suppress(OSError):
                sync_folder(kept.parent)
    except OSError as problem:
        raise StoreError(tr("The pack as it is could not be kept ({why}).",
                            why=why_not(problem)), tr("Nothing was changed."),
                         tr("Look for room on the disk, then try again.")) from problem
    return version
