"""Backing up from the window, and the word that it is long since the last one."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow


class KeepingCommands:
    """What the commands of keeping do."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.handlers: dict[str, Callable[[], None]] = {"keep.backup": self.back_up}

    def back_up(self) -> None:
        """Where to, then written and read back beside the window."""
        from dextrum.app.keeping.backups import keep_backup, usual_place
        from dextrum.store.backup import BackedUp

        store, now = self.window.session.store, self.window.session.clock()

        def answer(text: str, choice: str) -> str:
            if not text.strip():
                return tr("The file's name.")
            place, over = Path(text.strip()).expanduser(), choice == "over"
            if place.exists() and not over:
                return tr("A file of that name is there. Choose 'replace it', or another name.")

            def done(told: object) -> None:
                if isinstance(told, BackedUp):
                    self.window.trail.say(tr("{place} written and read back: {told}", place=place.name,
                                             told=told.words))

            return self.window.long_work.run(
                tr("Backing up"), lambda told: keep_backup(store, place, now, over, told), done, False)

        self.window.ask.ask(tr("Back up everything to"), answer, str(usual_place(store, now)),
                            (("", tr("new file")), ("over", tr("replace it"))), self.window.focusWidget())

    def warn(self) -> None:
        """Once at the start, where there is much to lose."""
        from dextrum.app.keeping.backups import backup_words

        with suppress(DextrumError):
            words = backup_words(self.window.session.store, self.window.session.clock())
            if words:
                self.window.say_problem(words)
