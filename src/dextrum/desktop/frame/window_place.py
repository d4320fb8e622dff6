"""Where the window stood, and how large it was, from one start to the next."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QTimer

from dextrum.errors import DextrumError

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from dextrum.desktop.frame.window import MainWindow

PLACE = "window_place"
"""Setting: Qt's own note of size, place and screen."""
FIRST_SIZE = (1280, 800)
"""Of the window before anybody has chosen one, pixels."""
FRAMED_MILLISECONDS = 300
"""After which the desktop has put its frame round the window."""


def keep_place(window: MainWindow) -> None:
    """Note it; a job file that can't be written is no reason to stay open."""
    with contextlib.suppress(DextrumError):
        window.session.store.set_setting(PLACE, bytes(window.saveGeometry().toBase64().data()).decode("ascii"))


def stand_where_it_stood(window: MainWindow, beside: bool = False) -> None:
    """Size and place of the last time, where they still fit a screen; call it before the window is shown. beside: the
    simulated bench will stand beside it, and the first time it leaves room for it."""
    kept = window.session.store.setting(PLACE)
    if kept:
        window.restoreGeometry(QByteArray.fromBase64(kept.encode("ascii")))
    elif beside:
        window.move(window.screen().availableGeometry().topLeft())
    QTimer.singleShot(FRAMED_MILLISECONDS, window, lambda: stand_on_the_screen(window))


def stand_on_the_screen(window: QWidget) -> None:
    """No part of the window and its frame lies beyond its screen: what is too large for it becomes smaller, as far as
    the window can."""
    if window.isMaximized() or window.isFullScreen():
        return
    there, framed = window.screen().availableGeometry(), window.frameGeometry()
    around = framed.size() - window.size()
    if framed.width() > there.width() or framed.height() > there.height():
        window.resize((there.size() - around).boundedTo(window.size()))
        framed = window.frameGeometry()
    if not there.contains(framed):
        window.move(max(there.left(), min(framed.left(), there.right() + 1 - framed.width())),
                    max(there.top(), min(framed.top(), there.bottom() + 1 - framed.height())))


def stand_on_the_right(window: QWidget, beside: int) -> None:
    """At the right edge of the screen, as narrow as leaves the window on its left so many pixels, but no narrower than
    it can be read; call it before the window is shown."""
    there = window.screen().availableGeometry()
    window.resize(max(window.minimumSizeHint().width(), min(window.width(), there.width() - beside)), window.height())
    window.move(there.right() + 1 - window.width(), there.top())
    QTimer.singleShot(FRAMED_MILLISECONDS, window, lambda: stand_on_the_screen(window))
