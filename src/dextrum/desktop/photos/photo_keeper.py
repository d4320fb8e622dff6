"""Photos read and encoded beside the window, one after the other, each for the job that was open when it was taken."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from dextrum.core.entries.photo import Shows
from dextrum.desktop.frame.picture_file import as_jpeg, kept_size
from dextrum.errors import DextrumError


@dataclass(frozen=True)
class TakenPhoto:
    """A picture ready to be kept. about: id of the entry it belongs to."""

    job_id: str
    data: bytes
    width: int
    height: int
    shows: Shows
    about: str
    words: str


class PhotoKeeper(QObject):
    """Signals, on the window's thread: ready (a TakenPhoto), failed (words)."""

    ready = Signal(object)
    failed = Signal(str)
    _done = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="photos")
        self.waiting = 0
        self._done.connect(self._take)

    def take(self, make: Callable[[], QImage], job_id: str, shows: Shows, about: str, words: str) -> None:
        """make: gives the picture; called beside the window."""
        def work() -> TakenPhoto:
            image = kept_size(make())
            return TakenPhoto(job_id, as_jpeg(image), image.width(), image.height(), shows, about, words)

        def done(future: Future[TakenPhoto]) -> None:
            if not future.cancelled():
                self._done.emit(future.exception() or future.result())

        self.waiting += 1
        self._pool.submit(work).add_done_callback(done)

    def _take(self, result: object) -> None:
        self.waiting -= 1
        if isinstance(result, DextrumError):
            self.failed.emit(str(result))
        elif isinstance(result, BaseException):
            raise result
        else:
            self.ready.emit(result)

    def close(self) -> None:
        self._pool.shutdown(wait=False, cancel_futures=True)
