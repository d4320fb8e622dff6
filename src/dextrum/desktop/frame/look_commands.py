"""How the window looks, and in which language it speaks."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.app.places import choose_language
from dextrum.desktop import theme
from dextrum.desktop.theme import look
from dextrum.errors import why_not
from dextrum.tongue import LANGUAGES, spoken, tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow


class LookCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.handlers: dict[str, Callable[[], None]] = {
            "look.theme": self.theme, "look.language": self.language, "look.larger": partial(self.resize_text, 1),
            "look.smaller": partial(self.resize_text, -1),
        }

    def theme(self) -> None:
        look.theme = theme.THEMES[(theme.THEMES.index(look.theme) + 1) % len(theme.THEMES)]
        self.window.session.store.set_setting("theme", look.theme.name)
        self.window.restyle()

    def resize_text(self, by: int) -> None:
        sizes = theme.SCALES
        here = min(range(len(sizes)), key=lambda i: abs(sizes[i] - look.scale))
        look.scale = sizes[max(0, min(len(sizes) - 1, here + by))]
        self.window.session.store.set_setting("scale", str(look.scale))
        self.window.restyle()
        self.window.trail.say(tr("Text at {scale} %", scale=look.scale))

    def language(self) -> None:
        """The window opens anew in it: a process speaks one language."""

        def answer(_text: str, language: str) -> str:
            if language == spoken():
                return ""
            try:
                choose_language(self.window.session.store.folder, language)
            except OSError as problem:
                return tr("That can't be kept ({why}).", why=why_not(problem))
            QTimer.singleShot(0, self.window, self._open_anew)
            return ""

        others_first = sorted(LANGUAGES.items(), key=lambda one: one[0] == spoken())
        self.window.ask.choose(tr("Language of the window; it opens again"), answer, tuple(others_first),
                               self.window.focusWidget())

    def _open_anew(self) -> None:
        """Close, to be opened at once as it is now: the job, the view and every timer are kept as over a restart."""
        self.window.opens_anew = True
        self.window.opens_anew = self.window.close()
