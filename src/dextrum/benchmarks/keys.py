"""Keys in every view of a demo job at 200 % text, each until all that it changed is painted."""

from __future__ import annotations

import gc
import os
import sys
import tempfile
import time
from pathlib import Path

from dextrum.benchmarks.measure import Measure, p95, within

LARGE_TEXT_PERCENT = 200
ROUNDS = 12
KEY_MS = 16.0
WIDTH, HEIGHT = 1920, 1080
IDLE_SECONDS = 0.002


def keys_to_paint() -> dict[str, Measure]:
    """A digit, taken back again, arrows and Tab in each view's own field or list."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from dextrum.app.bench.demo import ensure_demo
    from dextrum.app.job.session import BenchSession
    from dextrum.app.library.library import PackLibrary
    from dextrum.store.jobs import JobStore

    from PySide6.QtCore import Qt  # isort: skip
    from PySide6.QtTest import QTest  # isort: skip
    from PySide6.QtWidgets import QApplication  # isort: skip

    from dextrum.desktop import theme
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.start import SWITCH_SECONDS, spare_what_stands
    from dextrum.desktop.theme import look

    application = QApplication.instance() or QApplication(["bench"])
    theme.load_fonts()
    keys = (Qt.Key.Key_5, Qt.Key.Key_Backspace, Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
    before = look.scale
    look.scale = LARGE_TEXT_PERCENT
    taken: dict[str, list[float]] = {}
    with tempfile.TemporaryDirectory() as place:
        library = PackLibrary()
        store = JobStore(ensure_demo(Path(place), library))
        window = MainWindow(BenchSession(store, library))
        window.resize(WIDTH, HEIGHT)
        window.show()
        while not window.model.fresh:
            application.processEvents()
            time.sleep(IDLE_SECONDS)  # as an event loop would: what weighs goes on meanwhile
        gc.collect()
        spare_what_stands()  # as some seconds after a start, and below as from its beginning on
        before_switching = sys.getswitchinterval()
        sys.setswitchinterval(SWITCH_SECONDS)
        try:
            for name in window.views:
                window.show_view(name)
                for _ in range(3):
                    application.processEvents()
                for _ in range(ROUNDS):
                    for key in keys:
                        target = window.focusWidget() or window
                        begun = time.perf_counter()
                        QTest.keyClick(target, key)
                        application.processEvents()
                        taken.setdefault(name, []).append(time.perf_counter() - begun)
        finally:
            look.scale = before
            gc.unfreeze()
            sys.setswitchinterval(before_switching)
            window.close()
            store.close()
    return {f"key_to_paint_{name}_at_200_percent_p95": within(1000.0 * p95(times), "ms", KEY_MS)
            for name, times in taken.items()}
