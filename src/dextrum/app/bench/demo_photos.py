"""Photos of the demo's board that nobody described: drawn from its true layout as a hand holds a camera over it, and
kept with the program; the demo's folder gets them."""

from __future__ import annotations

import shutil
from pathlib import Path

from dextrum.app.places import shipped
from dextrum.core.board import Side

SEED = 611
QUALITY = 90
FOLDER = "demo-photos"
"""Beside the demo's jobs."""


def photo_name(side: Side) -> str:
    return f"tarnwick-grip-{side.value}.jpg"


def draw_photos(folder: Path) -> tuple[Path, ...]:
    """Both sides, each held a little otherwise. Takes seconds: it is done when the program is made."""
    import cv2
    import numpy as np

    from dextrum.app.bench.simbench import UNDESCRIBED, undescribed_library
    from dextrum.world.photograph import from_above, photographed

    board = undescribed_library().board(UNDESCRIBED)
    drawn = []
    for k, side in enumerate(Side):
        photo, _corners = photographed(from_above(board, side, SEED + k), SEED + k)
        place = folder / photo_name(side)
        cv2.imwrite(str(place), np.ascontiguousarray(photo[:, :, ::-1]), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
        drawn.append(place)
    return tuple(drawn)


def put_photos(folder: Path) -> None:
    """Into the demo's folder, where they are not there yet."""
    place = folder / FOLDER
    place.mkdir(exist_ok=True)
    for side in Side:
        wanted = place / photo_name(side)
        if not wanted.exists():
            shutil.copyfile(shipped() / "demo" / photo_name(side), wanted)


def photo_at_hand(folder: Path, side: Side) -> Path | None:
    """The demo's photo of a side, where this is the demo's folder."""
    place = folder / FOLDER / photo_name(side)
    return place if place.is_file() else None
