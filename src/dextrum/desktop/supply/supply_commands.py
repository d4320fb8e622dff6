"""What the commands of the Supply view do: files, live traces, gear, and the wait that the draw asks for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QApplication

from dextrum.errors import DextrumError
from dextrum.tongue import capital, tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.supply.view import SupplyView

GEAR_CHOICES = (
    ("supply negotiating", tr("supply that negotiates")), ("supply default_5v", tr("supply, 5 V only")),
    ("supply dock", tr("the dock's own supply")), ("supply bench", tr("bench supply in place of the cell")),
    ("cable", tr("cable")), ("dock", tr("dock")),
)


class SupplyCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.handlers: dict[str, Callable[[], None]] = {
            "draw.import": self.ask_import, "draw.follow": self.follow, "draw.plot": self.to_plot,
            "gear.add": self.add_gear, "gear.proved": lambda: self.prove(True), "gear.bad": lambda: self.prove(False),
            "gear.away": self.put_away, "copy.csv": self.copy_csv, "job.wait_draw": self.wait_draw,
        }

    @property
    def view(self) -> SupplyView:
        return self.window.views.supply

    def _show(self) -> SupplyView:
        self.window.show_view("supply")
        return self.view

    def offer(self, path: Path) -> str:
        """A file was dropped or named; returns what is wrong, or nothing."""
        view = self._show()
        return "" if view.offer_file(path) else view.trouble.text()

    def ask_import(self) -> None:
        self.window.ask.ask(tr("Read which CSV"), lambda text, _c: self.offer(Path(text).expanduser()),
                            back_to=self.window.focusWidget())

    def follow(self) -> None:
        """Begin to follow a file; while one is followed, stop and record."""
        view = self._show()
        if view.live is not None and view.live.running:
            view.live.end()
            return
        self.window.ask.ask(tr("Follow which CSV"), lambda text, _c: view.follow(Path(text).expanduser()),
                            back_to=self.window.focusWidget())

    def to_plot(self) -> None:
        view = self._show()
        if view.plot is None or not view.plot.isVisibleTo(view):
            self.window.trail.say(tr("Nothing is drawn yet."))
            return
        view.plot.setFocus()
        if view.plot.at_cursor is None:
            view.plot.move_cursor(0.0)

    def add_gear(self) -> None:
        def answer(name: str, choice: str) -> str:
            kind, _, supply_class = choice.partition(" ")
            try:
                record = self.window.session.add_gear(kind, name, supply_class)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self._show().gear.choose(record)
            self.window.trail.say(tr("{kind} {record} in use", kind=capital(tr(kind)), record=record.name))
            return ""

        self.window.ask.ask(tr("Its name, as labelled"), answer, "", GEAR_CHOICES, self.window.focusWidget())

    def prove(self, good: bool) -> None:
        if self._show().gear.record_proof(good):
            self.window.trail.say(tr("Proved good") if good else tr("Proved bad: what hung on it weighs little"))
        else:
            self.window.trail.say(tr("Choose a supply first."))

    def put_away(self) -> None:
        row = self._show().gear
        record = next((r for r in row.chosen() if r.kind == "supply"), None)
        if record is None:
            self.window.trail.say(tr("Choose a supply first."))
            return
        try:
            self.window.session.retire_gear(record.id)
        except DextrumError as problem:
            self.window.say_problem(str(problem))
            return
        row.refresh()
        self.window.trail.say(tr("Supply {record} put away; its record is kept", record=record.name))

    def copy_csv(self) -> None:
        text = self.view.shown_csv()
        if text:
            QApplication.clipboard().setText(text)
        self.window.trail.say(tr("Copied {count} samples as CSV",
                                 count=text.count(chr(10)) - 1) if text else tr("Nothing is drawn yet."))

    def wait_draw(self) -> None:
        wait = self.view.computed_wait()
        if wait is None:
            self.window.trail.say(tr("Nothing to wait for: the draw is in no doubt, or it can be read again now."))
        elif self.window.model.record(wait):
            self.window.trail.say(tr("On the shelf until {until}; it calls then", until=wait.until[11:]))
