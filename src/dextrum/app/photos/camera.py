"""One picture from an ordinary camera, such as a USB microscope. The library is loaded only when one is asked for."""

from __future__ import annotations

import os

import numpy as np
from numpy.typing import NDArray

from dextrum.errors import InstrumentError

SETTLE_FRAMES = 8
"""Pictures let pass before one is kept: a camera finds its light and focus in the first ones."""
MOST_NUMBER = 15


def take_picture(number: int) -> NDArray[np.uint8]:
    """(rows, columns, 3), red first. May take some seconds. Raises InstrumentError with what to do."""
    try:
        os.environ.setdefault("OPENCV_LOG_LEVEL", "SILENT")
        import cv2
    except ImportError:
        raise InstrumentError("missing", "The library for cameras is not installed.",
                              "Save the picture with the camera's own program, and watch its folder.") from None
    camera = cv2.VideoCapture(number)
    try:
        if not camera.isOpened():
            raise InstrumentError("gone", f"There is no camera {number} here.",
                                  "Plug it in, or give another number; 0 is the first.")
        frame = None
        for _ in range(SETTLE_FRAMES):
            there, read = camera.read()
            frame = read if there else frame
        if frame is None:
            raise InstrumentError("silent", f"Camera {number} gives no picture.", "Is another program using it?")
        return np.ascontiguousarray(frame[:, :, ::-1]).astype(np.uint8, copy=False)
    finally:
        camera.release()
