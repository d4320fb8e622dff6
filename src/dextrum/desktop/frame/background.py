"""One piece of long work off the window's thread, with progress and cancel."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PySide6.QtCore import QObject, Signal

from dextrum.desktop.frame.keys_first import wait_for_quiet
from dextrum.errors import DextrumError

Work = Callable[[Callable[[float], bool]], object]


class _Run:
    """One piece of work, and whether it is to stop."""

    cancelled = False


class Background(QObject):
    """Signals, all on the window's thread: progressed (share), finished (what the work returned), failed (words)."""

    progressed = Signal(float)
    finished = Signal(object)
    failed = Signal(str)
    _ended = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="import")
        self._run = _Run()
        self.busy = self._closed = False
        self._ended.connect(self._take)

    def start(self, work: Work, keys_first: bool = False) -> None:
        """Begin; what was running before is cancelled and its result dropped. work: is given a function that tells the
        share done and answers whether to go on. keys_first: nobody waits for it, and it stands still while somebody
        types. Nothing begins once it was closed: a table that is taken down may still speak of its rows."""
        if self._closed:
            return
        self._run.cancelled = True
        run = self._run = _Run()
        self.busy = True

        def told(share: float) -> bool:
            if run is self._run:
                self.progressed.emit(share)
            if keys_first:
                wait_for_quiet(lambda: run.cancelled)
            return not run.cancelled

        def begun() -> object:
            if keys_first:
                wait_for_quiet(lambda: run.cancelled)
            return work(told)

        def done(future: Future[object]) -> None:
            if not future.cancelled() and run is self._run:
                self._ended.emit(future.exception() or future.result())

        self._pool.submit(begun).add_done_callback(done)

    def cancel(self) -> None:
        """Ask the work to stop at its next step; it then fails with its own words."""
        self._run.cancelled = True

    def _take(self, result: object) -> None:
        self.busy = False
        if isinstance(result, DextrumError):
            self.failed.emit(str(result))
        elif isinstance(result, BaseException):
            raise result
        else:
            self.finished.emit(result)

    def close(self) -> None:
        self._closed = True
        self.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)
