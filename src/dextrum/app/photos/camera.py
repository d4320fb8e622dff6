"""What an ordinary camera sees, such as a USB microscope, as it comes. The library is loaded only when one is asked
for."""

from __future__ import annotations

import os
import threading

import numpy as np
from numpy.typing import NDArray

from dextrum.errors import InstrumentError
from dextrum.tongue import tr

Frame = NDArray[np.uint8]
"""(rows, columns, 3), red first."""
MOST_NUMBER = 15
MOST_MISSED = 30
"""Pictures in a row that may fail: a camera that was just opened needs some."""


class LiveCamera:
    """Reads a camera on a thread of its own; the window takes what came last. problem: why it ended, if it did."""

    def __init__(self, number: int) -> None:
        self.problem: InstrumentError | None = None
        self._frame: Frame | None = None
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, args=(number,), name=tr("camera {number}",
                                                                                  number=number), daemon=True)
        self._thread.start()

    def latest(self) -> Frame | None:
        """The last picture, once; None where no other has come since."""
        with self._lock:
            frame, self._frame = self._frame, None
        return frame

    def close(self) -> None:
        """Tell it to let go; nothing waits for that."""
        self._stop.set()

    def _run(self, number: int) -> None:
        try:
            self._watch(number)
        except InstrumentError as problem:
            self.problem = problem

    def _watch(self, number: int) -> None:
        """Raises InstrumentError with what to do."""
        try:
            os.environ.setdefault("OPENCV_LOG_LEVEL", "SILENT")
            import cv2
        except ImportError:
            raise InstrumentError("missing", tr("The library for cameras is not installed."),
                                  tr("Save the picture with the camera's own program, and watch its folder.")) from None
        camera = cv2.VideoCapture(number)
        try:
            if not camera.isOpened():
                raise InstrumentError("gone", tr("There is no camera {number} here.", number=number),
                                      tr("Plug it in, or give another number; 0 is the first."))
            missed, seen = 0, False
            while not self._stop.is_set():
                there, read = camera.read()
                if not there:
                    missed += 1
                    if missed > MOST_MISSED:
                        raise InstrumentError("gone" if seen else "silent", tr("Camera {number} gives no "
                                                                               "picture{if_any}.", number=number,
                                                                               if_any=tr(" any more") if seen else ""),
                                              tr("Is it plugged in, and is no other program using it?"))
                    self._stop.wait(0.03)
                    continue
                missed, seen = 0, True
                frame = np.ascontiguousarray(read[:, :, ::-1]).astype(np.uint8, copy=False)
                with self._lock:
                    self._frame = frame
        finally:
            camera.release()
