"""Small pictures of a job's photos, made beside the window when they are first seen, and forgotten again."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QObject, QSize, Qt, Signal
from PySide6.QtGui import QImage, QImageReader, QPixmap

from dextrum.errors import DextrumError

MOST_KEPT = 80
"""Small pictures in memory: a screenful and what lies next to it, however many a job has."""
SIDE = 200


def small(data: bytes, side: int) -> QImage:
    """A picture decoded at a small size at once, which costs a fraction of its time and memory."""
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    size = reader.size()
    if size.isValid() and max(size.width(), size.height()) > side:
        reader.setScaledSize(size.scaled(QSize(side, side), Qt.AspectRatioMode.KeepAspectRatio))
    return reader.read()


class Thumbnails(QObject):
    """Signals: ready (the content of a picture that can be drawn now)."""

    ready = Signal(str)
    _made = Signal(str, object)

    def __init__(self, read: Callable[[str], bytes], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._read = read
        self._kept: OrderedDict[str, QPixmap | None] = OrderedDict()
        self._asked: set[str] = set()
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="thumbnails")
        self._made.connect(self._take)

    def picture(self, sha256: str) -> QPixmap | None:
        """The small picture; None while it is made, and an empty one where there is none."""
        if sha256 in self._kept:
            self._kept.move_to_end(sha256)
            return self._kept[sha256]
        if sha256 not in self._asked:
            self._asked.add(sha256)
            self._pool.submit(self._make, sha256).add_done_callback(
                lambda future: self._made.emit(sha256, self._result(future)))
        return None

    @staticmethod
    def _result(future: Future[QImage]) -> QImage:
        return QImage() if future.cancelled() or future.exception() is not None else future.result()

    def _make(self, sha256: str) -> QImage:
        try:
            return small(self._read(sha256), SIDE)
        except DextrumError:
            return QImage()

    def _take(self, sha256: str, image: QImage) -> None:
        self._asked.discard(sha256)
        self._kept[sha256] = QPixmap.fromImage(image)
        while len(self._kept) > MOST_KEPT:
            self._kept.popitem(last=False)
        self.ready.emit(sha256)

    def close(self) -> None:
        self._pool.shutdown(wait=False, cancel_futures=True)
