"""Where the window stood, and how large it was, from one start to the next."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray

from dextrum.errors import DextrumError

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

PLACE = "window_place"
"""Setting: Qt's own note of size, place and screen."""


def keep_place(window: MainWindow) -> None:
    """Note it; a job file that can't be written is no reason to stay open."""
    with contextlib.suppress(DextrumError):
        window.session.store.set_setting(PLACE, bytes(window.saveGeometry().toBase64().data()).decode("ascii"))


def stand_where_it_stood(window: MainWindow) -> None:
    """Size and place of the last time, where they still fit a screen."""
    kept = window.session.store.setting(PLACE)
    if kept:
        window.restoreGeometry(QByteArray.fromBase64(kept.encode("ascii")))
