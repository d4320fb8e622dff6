"""A picture from a file: read within bounds, its orientation tag obeyed, written anew.

Written anew means that nothing but the picture stays: place, time, camera and whatever else a file may carry are gone.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QImage, QImageReader

from dextrum.errors import ImportRefusedError
from dextrum.progress import Told, go_on, unheard
from dextrum.store.files import read_bounded
from dextrum.tongue import tr

MOST_BYTES = 60_000_000
MOST_PIXELS = 60_000_000
FORMATS = ("png", "jpg", "jpeg", "webp")
SUFFIXES = tuple(f".{name}" for name in FORMATS)
QUALITY = 88
READ_SHARE, DECODED_SHARE = 0.15, 0.9
"""Of the time that a large photo takes, when its bytes are here, and when they are a picture."""
MOST_SIDE_KEPT = 4000
"""Pixels of a picture's longer side as it is kept with a job: enough to see a contact in a photo of the port."""


def read_photo(path: Path, told: Told = unheard) -> QImage:
    """The picture, upright. told: is given how far it is; False stops it. Raises ImportRefusedError for what is none,
    is broken, or is too large; StoppedError."""
    data = read_bounded(path, MOST_BYTES)
    kept, next_step = tr("Nothing was taken in."), tr("A PNG, JPEG or WebP of up to 60 megapixels is read.")
    go_on(told, READ_SHARE)
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    kind = bytes(reader.format().data()).decode(errors="replace")
    if kind not in FORMATS:
        raise ImportRefusedError(tr("{path} is no picture that is read here.", path=path.name[:60]), kept, next_step)
    size = reader.size()
    if not size.isValid() or size.width() * size.height() > MOST_PIXELS:
        raise ImportRefusedError(tr("{path} has {width} × {height} pixels.", path=path.name[:60], width=size.width(),
                                    height=size.height()), kept, next_step)
    image = reader.read()
    if image.isNull():
        raise ImportRefusedError(tr("{path} is broken ({errorstring}).", path=path.name[:60],
                                    errorstring=reader.errorString()), kept, next_step)
    go_on(told, DECODED_SHARE)
    return image.convertToFormat(QImage.Format.Format_RGB32)


def as_jpeg(image: QImage) -> bytes:
    """The picture alone, as it is kept in a pack."""
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "JPEG", QUALITY)  # type: ignore[call-overload]
    return bytes(data.data())


def kept_size(image: QImage) -> QImage:
    """The picture, made smaller where it is larger than a job needs."""
    if max(image.width(), image.height()) <= MOST_SIDE_KEPT:
        return image
    return image.scaled(MOST_SIDE_KEPT, MOST_SIDE_KEPT, Qt.AspectRatioMode.KeepAspectRatio,
                        Qt.TransformationMode.SmoothTransformation)
