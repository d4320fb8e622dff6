"""Run as a program, in German: every view of some jobs of the demo is opened, and every text that is shown or spoken is
looked at. Prints how many there were, then each that has an English word in it which is nobody's own."""

from __future__ import annotations

import os
import re
import sys
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

from PySide6.QtCore import QAbstractListModel, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QAbstractItemView, QApplication, QComboBox, QWidget

from dextrum.app.bench.demo import TECHNICIAN, fill_demo
from dextrum.app.job.session import BenchSession
from dextrum.app.library.library import PackLibrary
from dextrum.app.places import cache_folder
from dextrum.app.rework.leading import planned
from dextrum.app.rework.recipes import RecipeBook
from dextrum.core.trail import Cell, ReworkPlan
from dextrum.desktop import theme
from dextrum.desktop.frame.window import MainWindow
from dextrum.desktop.rework.lead_panel import LeadPanel
from dextrum.desktop.shots import NOON
from dextrum.store.jobs import JobStore
from dextrum.tongue import words_of

SERIALS = ("SLS-0417", "SLS-0388", "SLS-0253", "SLS-0502")
SPOKEN = ("text", "title", "placeholderText", "toolTip", "accessibleName", "accessibleDescription", "windowTitle")
WAIT_SECONDS = 0.003
NAMES = frozenset({"trace", "dock", "ctrl", "the", "vbus", "such", "rework"})
"""English in names that stay: a trace of a pack, a key, an id."""


def tokens(text: str) -> set[str]:
    return set(re.findall(r"[a-zäöüß']{3,}", text.casefold()))


def english_words() -> set[str]:
    """Words of the English sentences that no German one has."""
    english: set[str] = set()
    german: set[str] = set()
    for text, said in words_of("de")[0].items():
        english |= tokens(text)
        german |= tokens(said if isinstance(said, str) else " ".join(said))
    return english - german - NAMES


def data_of(store: JobStore) -> list[str]:
    """What people wrote themselves: it is shown as they wrote it."""
    found: set[str] = set()

    def take(value: object) -> None:
        if isinstance(value, str):
            found.add(value)
        elif isinstance(value, dict):
            for inner in value.values():
                take(inner)
        elif isinstance(value, list | tuple):
            for inner in value:
                take(inner)
        elif hasattr(value, "__dataclass_fields__"):
            take([getattr(value, name) for name in value.__dataclass_fields__])

    for row in store.shelf(closed=None):
        for entry in store.trail(row.id):
            take(entry.payload)
    with store.engine.connect() as connection:
        for table in ("ledger", "gear"):
            for one in connection.exec_driver_sql(f"select * from {table}").fetchall():
                found.update(re.findall(r'[^"{}]{3,}', " ".join(str(cell) for cell in one)))
                found.update(str(cell) for cell in one)
    return sorted((text for text in found if len(text) >= 3), key=len, reverse=True)


class Looked:
    """Texts that were met, and where."""

    def __init__(self, own: list[str]) -> None:
        self.own, self.english = own, english_words()
        self.met: dict[str, str] = {}

    def note(self, text: object, where: str) -> None:
        if isinstance(text, str) and text:
            self.met.setdefault(text, where)

    def strange(self) -> Iterator[str]:
        for text, where in self.met.items():
            plain = re.sub(r"<[^>]+>", " ", text)
            for own in self.own:
                plain = plain.replace(own, " ")
                if plain.endswith("…") and own.startswith(plain[:-1].rpartition(" ")[0] or own):
                    plain = ""
            if bad := tokens(plain) & self.english:
                yield f"{where}: {text[:90]!r} {sorted(bad)[:4]}"

    def scan(self, root: QWidget, where: str, without: Iterable[QWidget] = ()) -> None:
        """without: what was looked at by itself, or will be."""
        left_out = {inner for one in without for inner in (one, *one.findChildren(QWidget))}
        for widget in [root, *root.findChildren(QWidget)]:
            if widget in left_out:
                continue
            for name in SPOKEN:
                said = getattr(widget, name, None)
                if said is not None:
                    try:
                        self.note(said(), f"{where} {type(widget).__name__}.{name}")
                    except TypeError:
                        continue
            if isinstance(widget, QComboBox):
                for row in range(widget.count()):
                    self.note(widget.itemText(row), f"{where} choice")
            if isinstance(widget, QAbstractItemView) and widget.model() is not None:
                self._scan_model(widget.model(), where)

    def _scan_model(self, model: Any, where: str) -> None:
        columns = 1 if isinstance(model, QAbstractListModel) else model.columnCount()
        for row in range(min(model.rowCount(), 30)):
            for column in range(columns):
                for role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole,
                             Qt.ItemDataRole.AccessibleTextRole):
                    self.note(model.index(row, column).data(role), f"{where} item")


def main() -> None:
    os.environ["TZ"] = "UTC"
    time.tzset()
    application = QApplication(["german"])
    theme.load_fonts()
    store, library = JobStore(Path(tempfile.mkdtemp()) / "jobs.sqlite"), PackLibrary(
        [Path(tempfile.mkdtemp())], kept=cache_folder())
    fill_demo(store, library, NOON)
    looked = Looked(data_of(store))
    paint = QPainter.drawText

    def draw_text(self: QPainter, *arguments: Any) -> Any:
        for argument in arguments:
            looked.note(argument, "painted")
        return paint(self, *arguments)

    QPainter.drawText = draw_text  # type: ignore[method-assign,assignment]
    window = MainWindow(BenchSession(store, library, TECHNICIAN, clock=lambda: NOON))
    window.resize(1280, 1000)
    window.show()
    by_serial = {row.serial: row.id for row in store.shelf(closed=None)}

    def settle() -> None:
        deadline = time.monotonic() + 60.0
        application.processEvents()
        while not window.model.fresh and time.monotonic() < deadline:
            application.processEvents()
            time.sleep(WAIT_SECONDS)  # else the weighing, on a thread beside this one, waits for it
        for _ in range(5):
            application.processEvents()
            time.sleep(0.01)

    for serial in SERIALS:
        window.open_job(by_serial[serial])
        settle()
        for view in window.views:
            window.show_view(view)
            settle()
            window.grab()
            # Pages that are not shown are looked at when they are; all round them changes with the view.
            looked.scan(window, f"{serial} {view}", [page for name, page in window.pages.items() if name != view])
        looked.scan(window, serial)
    window.open_job(by_serial[SERIALS[0]])
    settle()
    lead(window, settle, looked)
    for command, typed in (("gate.pass", ()), ("meter.share", ()), ("instrument.connect", ("x",)),
                           ("stock.in", ("x", "port"))):
        window.commands.run(command)
        for text in ("", *typed):
            if text:
                window.ask.field.setText(text)
                window.ask.field.returnPressed.emit()
            settle()
            looked.scan(window.ask, f"{command} {text}")
    for command in ("palette", "keys"):
        window.commands.run(command)
        settle()
        window.grab()
        looked.scan(window, command)
    print(len(looked.met))
    for line in looked.strange():
        print(line)
    sys.stdout.flush()
    os._exit(0)


def lead(window: MainWindow, settle: Callable[[], None], looked: Looked) -> None:
    """A port and a trace, each led step by step to where the repair is recorded."""
    book, board, panel = RecipeBook(), window.model.board, window.findChild(LeadPanel)
    assert board is not None and panel is not None
    trace = f"trace {board.traces[0].id}"
    window.show_view("rework")
    window.model.record(Cell("unplugged"))
    for part, recipe in (("J1", book.recipes["port-plate"]), (trace, book.for_part(board, trace, "wire")[0])):
        window.model.record(ReworkPlan(planned(((part, recipe.id, recipe.version),))))
        for step in range(len(recipe.step) + 1):
            settle()
            looked.scan(panel, f"{recipe.id} led, step {step + 1}")
            panel.done.emit()
        assert panel.buttons["record"].isVisible(), panel.head.text()


if __name__ == "__main__":
    main()
