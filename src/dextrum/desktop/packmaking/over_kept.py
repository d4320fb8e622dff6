"""A photo in hand held against those that a pack keeps, and laid over one of them; off the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from PySide6.QtGui import QImage

from dextrum.app.packmaking.photo_layers import LiesOn, joined, lies_on, placed
from dextrum.core.board import Side
from dextrum.desktop.frame.picture_file import as_jpeg
from dextrum.desktop.frame.pixels import grey_of, image_of, pixels_of
from dextrum.desktop.packmaking.photo import Fitted
from dextrum.errors import DextrumError, EntryRefusedError
from dextrum.tongue import tr


def lies_on_kept(kept: Mapping[Side, Callable[[], bytes]], image: QImage) -> LiesOn | None:
    """The side whose photo shows the same; None where none does, or where that can't be told. kept: what reads the JPEG
    of each side, in the order in which they are tried."""
    photos = {side: QImage.fromData(read()) for side, read in kept.items()}
    greys = {side: grey_of(photo) for side, photo in photos.items() if not photo.isNull()}
    try:
        return lies_on(greys, grey_of(image)) if greys else None
    except DextrumError:  # the library that compares is missing: nothing is said of the photo
        return None


def lies_by_places(side: Side, fit: Fitted, size_mm: tuple[float, float], kept: QImage, image: QImage) -> LiesOn:
    """Where a photo lies on the kept one by a fit to millimetres. size_mm: of the board, that the kept one shows."""
    scale = np.diag([kept.width() / size_mm[0], kept.height() / size_mm[1], 1.0])
    return placed(side, scale @ fit.matrix, (kept.height(), kept.width()), (image.height(), image.width()))


def laid_over_kept(data: bytes, image: QImage, where: Callable[[QImage, QImage], LiesOn]) -> bytes:
    """Both as one JPEG. data: the kept one's. Raises EntryRefusedError where that can't be read."""
    kept = QImage.fromData(data)
    if kept.isNull():
        raise EntryRefusedError(tr("The photo that is kept can't be read."), tr("It was left as it is."),
                                tr("Use this one in its place: its four corners, and the board's size."))
    return as_jpeg(image_of(joined(pixels_of(kept), pixels_of(image), where(kept, image))))
