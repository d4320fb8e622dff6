"""A picture as an array of its pixels, and back."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

Pixels = NDArray[np.uint8]


def pixels_of(image: QImage) -> Pixels:
    """(rows, columns, 4), blue first."""
    plain = image.convertToFormat(QImage.Format.Format_RGB32)
    rows = np.frombuffer(plain.constBits(), np.uint8).reshape(plain.height(), plain.bytesPerLine())
    return rows[:, :4 * plain.width()].reshape(plain.height(), plain.width(), 4).copy()


def image_of(pixels: Pixels) -> QImage:
    """The picture of such pixels."""
    rows = np.ascontiguousarray(pixels)
    return QImage(rows.data, rows.shape[1], rows.shape[0], rows.strides[0], QImage.Format.Format_RGB32).copy()


def grey_of(image: QImage) -> Pixels:
    """Brightness of every pixel, (rows, columns)."""
    plain = image.convertToFormat(QImage.Format.Format_Grayscale8)
    rows = np.frombuffer(plain.constBits(), np.uint8).reshape(plain.height(), plain.bytesPerLine())
    return rows[:, :plain.width()].copy()
