"""A board pack as its files: what `pack_files` reads, written from the same dataclasses.

A folder is written whole beside its place and renamed into it, so that a crash leaves the one before or the new one;
the one before is kept beside it.
"""

from __future__ import annotations

import csv
import io
import json
import os
import shutil
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from dextrum.core.board import Board
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.errors import StoreError, why_not
from dextrum.store.files import sync_folder
from dextrum.store.packs.pack_files import FORMAT, KNOWN_GOOD, SCHEMA, board_adapter, known_good_csv
from dextrum.tongue import english, in_words_of_here, tr

HISTORY = ".history"
"""Folder beside the packs in which the steps before are kept."""
UNDONE = "undone"
"""Folder among them: steps that were taken back, until another is made."""
MOST_KEPT = 50
NETS = ("name", "role", "nominal_volts", "words")
POINTS = ("id", "at", "to", "side", "x_mm", "y_mm", "access", "kind", "words")


def _cell(value: object) -> str:
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


def _table(columns: Sequence[str], rows: Sequence[dict[str, Any]]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows([_cell(row.get(column)) for column in columns] for row in rows)
    return out.getvalue().encode()


def _lines(sections: dict[str, Any]) -> bytes:
    """JSON with one item of a list a line, so that two versions can be compared."""
    text = []
    for key, value in sections.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            items = ",\n    ".join(json.dumps(item, ensure_ascii=False) for item in value)
            text.append(f'  {json.dumps(key)}: [\n    {items}\n  ]')
        else:
            text.append(f"  {json.dumps(key)}: {json.dumps(value, ensure_ascii=False)}")
    return ("{\n" + ",\n".join(text) + "\n}\n").encode()


def pack_files_of(board: Board, known_good: Sequence[KnownGoodReading] = ()) -> dict[str, bytes]:
    """Name to content of the files of a pack."""
    sections = in_words_of_here(board_adapter().dump_python(board, mode="json", exclude_defaults=True), english)
    nets, points, components = (sections.pop(name, []) for name in ("nets", "points", "components"))
    files = {"pack.json": _lines({"format": FORMAT, "schema": SCHEMA, **sections}),
             "components.json": _lines({"components": components}), "nets.csv": _table(NETS, nets),
             "points.csv": _table(POINTS, points)}
    if known_good:
        files[KNOWN_GOOD] = known_good_csv(tuple(known_good)).encode()
    return files


def write_pack_folder(folder: Path, name: str, files: dict[str, bytes]) -> Path:
    """The pack as a folder of that name; what was there goes into `history`. Photos that were there stay, unless others
    are among the files. Raises StoreError."""
    place, beside = folder / name, folder / f".{name}.new"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        shutil.rmtree(beside, ignore_errors=True)
        beside.mkdir()
        for photo in PHOTOS:
            if photo not in files and (place / photo).is_file():
                # The same file under both names: a part that is placed need not write megabytes anew.
                try:
                    os.link(place / photo, beside / photo)
                except OSError:  # a disk that knows no second names
                    shutil.copyfile(place / photo, beside / photo)
        for file, data in files.items():
            with (beside / file).open("wb") as stream:
                stream.write(data)
                stream.flush()
                os.fsync(stream.fileno())
        if place.is_dir():
            kept = folder / HISTORY / name
            kept.mkdir(parents=True, exist_ok=True)
            shutil.rmtree(kept / UNDONE, ignore_errors=True)
            steps = _steps(kept)
            number = int(steps[-1].name) + 1 if steps else 1
            place.rename(kept / str(number))
            for old in steps[:max(0, len(steps) + 1 - MOST_KEPT)]:
                shutil.rmtree(old, ignore_errors=True)
        beside.rename(place)
        sent = folder / f"{name}.zip"
        if sent.exists():
            # It came as a zip: that one has grown into the folder.
            (folder / HISTORY / name).mkdir(parents=True, exist_ok=True)
            sent.rename(folder / HISTORY / name / sent.name)
    except OSError as problem:
        raise StoreError(tr("The pack could not be written ({why}).",
                            why=why_not(problem)), tr("The one before is as it was."),
                         tr("Look for room on the disk, then try again.")) from problem
    return place


def _steps(folder: Path) -> list[Path]:
    """The numbered folders, first to last."""
    if not folder.is_dir():
        return []
    return sorted((step for step in folder.iterdir() if step.name.isdigit()), key=lambda step: int(step.name))


def steps_of_pack(folder: Path, name: str) -> tuple[int, int]:
    """How many steps can be taken back, and how many brought again."""
    kept = folder / HISTORY / name
    return len(_steps(kept)), len(_steps(kept / UNDONE))


def step_back(folder: Path, name: str) -> bool:
    """The pack as it was a step before. False where none is kept. Raises StoreError."""
    kept = folder / HISTORY / name
    steps = _steps(kept)
    if steps:
        _put_in_place(steps[-1], folder, name, kept / UNDONE / steps[-1].name)
    return bool(steps)


def step_again(folder: Path, name: str) -> bool:
    """The step that was taken back last, once more. False where there is none. Raises StoreError."""
    kept = folder / HISTORY / name
    steps = _steps(kept / UNDONE)
    if steps:
        _put_in_place(steps[0], folder, name, kept / steps[0].name)
    return bool(steps)


def _put_in_place(step: Path, folder: Path, name: str, aside: Path) -> None:
    """A kept step instead of the pack, which goes aside. Renames alone: a crash between them leaves the pack as it
    was, or the step where `finish_writing` finds it. Raises StoreError."""
    place, beside = folder / name, folder / f".{name}.new"
    try:
        shutil.rmtree(beside, ignore_errors=True)
        aside.parent.mkdir(parents=True, exist_ok=True)
        shutil.rmtree(aside, ignore_errors=True)
        step.rename(beside)
        try:
            place.rename(aside)
        except OSError:
            beside.rename(step)
            raise
        beside.rename(place)
        sync_folder(folder)
    except OSError as problem:
        raise StoreError(tr("The step could not be taken ({why}).",
                            why=why_not(problem)), tr("The pack is as it was."),
                         tr("Look for room on the disk, then try again.")) from problem


CASE = "case"
"""What a photo shows that is of no side of the board."""
PHOTOS = ("photo-top.jpg", "photo-bottom.jpg", f"photo-{CASE}.jpg")


def photos_at(place: Path) -> dict[str, bytes]:
    """The photos of a pack kept as a folder."""
    return {name: (place / name).read_bytes() for name in PHOTOS if (place / name).is_file()}


def pack_zip(files: dict[str, bytes]) -> bytes:
    """The same as one file to send."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), data)
    return out.getvalue()
