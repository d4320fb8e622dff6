"""A real window on a real file, driven by keys as a person would."""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEvent, QMessageLogContext, Qt, QtMsgType, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from dextrum.app.job.session import BenchSession
from dextrum.app.library.library import PackLibrary
from dextrum.desktop import theme
from dextrum.desktop.frame.window import MainWindow
from dextrum.desktop.theme import look
from dextrum.store.jobs import JobStore
from tests.support import empty_store, library

Key = Qt.Key
CTRL = Qt.KeyboardModifier.ControlModifier
ALT = Qt.KeyboardModifier.AltModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier


WAIT_SECONDS = 0.001
"""Between two looks at what is waited for: the processor is left to the thread or process that does it."""
EXPECTED_MESSAGES = ("propagateSizeHints", "does not support raise", "does not support grabbing")
"""The offscreen platform says these of windows and menus; they mean nothing."""
stray_messages: list[str] = []


def _on_message(_kind: QtMsgType, _context: QMessageLogContext, text: str) -> None:
    if not any(expected in text for expected in EXPECTED_MESSAGES):
        stray_messages.append(text)


qInstallMessageHandler(_on_message)


def application() -> QApplication:
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    made = QApplication(["dextrum-test"])
    theme.load_fonts()
    return made


class WindowCase(unittest.TestCase):
    """Opens a window on an empty (or filled) job file; keys go where the focus is."""

    def setUp(self) -> None:
        self.application = application()
        stray_messages.clear()
        self.usual_look()
        self.addCleanup(self.usual_look)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "jobs.sqlite"
        self.store = empty_store(self.path)
        self.addCleanup(self.store.close)
        self.fill(self.store)
        self.session = BenchSession(self.store, self.packs(), "Ines", clock=lambda: datetime.now(UTC))
        self.window = MainWindow(self.session)
        self.addCleanup(self.close_window)
        self.window.show()
        self.window.activateWindow()
        QTest.qWaitForWindowActive(self.window)

    def usual_look(self) -> None:
        """Light, and text as it comes: what a test chose is not left to those that follow in the same process."""
        look.theme, look.scale = theme.LIGHT, 100

    def packs(self) -> PackLibrary:
        """The boards that this window knows."""
        return library()

    def close_window(self) -> None:
        if self.window is not None:
            self.window.close()
            self.window.deleteLater()
            self.application.processEvents()
            # Else windows of tests before would stay, and be dressed anew with each change of the look.
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.assertEqual(stray_messages, [], "Qt has complained")

    def fill(self, store: JobStore) -> None:
        """Jobs that are there before the window opens."""

    def wait(self, condition: Callable[[], bool], seconds: float = 60.0, what: str = "") -> None:
        end = time.monotonic() + seconds
        while not condition():
            self.application.processEvents()
            time.sleep(WAIT_SECONDS)
            if time.monotonic() > end:
                self.fail(f"waited {seconds} s in vain {what}")

    def settled(self) -> None:
        """Until suspects and advice belong to the trail as it is."""
        self.wait(lambda: self.window.model.fresh, what="for the weighing")
        self.application.processEvents()

    def focus(self) -> QWidget:
        widget = self.application.focusWidget()
        assert widget is not None, "nothing has the keyboard"
        return widget

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
        QTest.keyClick(self.application.focusWidget() or self.window, key, modifiers)
        self.application.processEvents()

    def type(self, text: str) -> None:
        for letter in text:
            QTest.keyClicks(self.focus(), letter)
        self.application.processEvents()

    def tab_to(self, name: str, most: int = 90) -> None:
        """Tab until a widget with this accessible name or text has the keyboard."""
        for _ in range(most):
            widget = self.focus()
            text = getattr(widget, "text", lambda: "")
            if widget.accessibleName() == name or (callable(text) and text() == name):
                return
            self.key(Key.Key_Tab)
        self.fail(f"no way to {name!r} by Tab")
