"""A table before it is read: which column is what, with the first rows as they would be understood; all correctable."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.desktop.frame.written_row import WrittenRow
from dextrum.desktop.theme import LARGE_TEXT
from dextrum.desktop.theme import look as theme_look
from dextrum.errors import DextrumError
from dextrum.store.draw_csv_look import AS_GUESSED, AskedShape
from dextrum.store.jobs import JobStore
from dextrum.store.table_look import (
    Role,
    TableLook,
    choice_text,
    look_at_table,
    shown_rows,
    with_choice,
)
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

REMEMBERED = "table_columns:"
"""Setting: what was chosen, by the shape of the file."""
COLUMNS_ACROSS = 4
Understand = Callable[[TableLook], Sequence[str]]
"""The first rows in words, as they would be read."""


def table_strip(window: MainWindow) -> TableStrip:
    """The one of a window, over the view; made with the first table that is read."""
    found = window.notices.findChild(TableStrip)
    if isinstance(found, TableStrip):
        return found
    made = TableStrip(window.session.store)
    window.notices.column.addWidget(made)
    made.installEventFilter(window)
    return made


class TableStrip(QFrame):
    """Enter reads, Esc leaves."""

    def __init__(self, store: JobStore) -> None:
        super().__init__()
        self.setObjectName("palette")
        self.store = store
        self.table: TableLook | None = None
        self._roles: tuple[Role, ...] = ()
        self._understand: Understand = lambda _table: ()
        self._done: Callable[[TableLook], None] = lambda _table: None
        self._back: QWidget | None = None
        column = QVBoxLayout(self)
        self.title = QLabel()
        self.title.setObjectName("section")
        column.addWidget(self.title)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(theme_look.px(10))
        column.addLayout(self.grid)
        self.columns: dict[str, QComboBox] = {}
        self.units: dict[str, QComboBox] = {}
        self.written = WrittenRow()
        self.written.corrected.connect(self._look_again)
        column.addWidget(self.written)
        self.rows = QLabel()
        self.rows.setObjectName("quiet")
        self.rows.setTextFormat(Qt.TextFormat.PlainText)
        self.rows.setWordWrap(True)
        column.addWidget(self.rows)
        self.trouble = QLabel()
        self.trouble.setObjectName("problem")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        column.addWidget(self.trouble)
        line = QHBoxLayout()
        self.go, self.stop = QPushButton(tr("Read it (Enter)")), QPushButton(tr("Leave it (Esc)"))
        self.go.clicked.connect(self.read)
        self.stop.clicked.connect(self.leave)
        line.addWidget(self.go)
        line.addWidget(self.stop)
        line.addStretch(1)
        column.addLayout(line)
        self.hide()

    def offer(self, path: Path, roles: Sequence[Role], understand: Understand, done: Callable[[TableLook], None],
              back_to: QWidget | None = None) -> str:
        """Show a file's columns; says what is wrong with a file that can't be used. done: takes the look as it was
        corrected."""
        self._roles, self._understand, self._done, self._back = tuple(roles), understand, done, back_to
        return self._show(path, AS_GUESSED)

    def _show(self, path: Path, asked: AskedShape) -> str:
        try:
            table = look_at_table(path, self._roles, asked)
            kept = self.store.setting(REMEMBERED + table.shape.source)
        except DextrumError as problem:
            return f"{problem.happened} {problem.next_step}"
        self.table = with_choice(table, kept, self._roles) if kept else table
        self.title.setText(tr("{path}: which column is what?", path=path.name))
        self._fill()
        self.show()
        self.go.setFocus()
        return ""

    def _fill(self) -> None:
        assert self.table is not None
        while (item := self.grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.columns, self.units = {}, {}
        names = [self.table.shape.header[i] if i < len(self.table.shape.header) and self.table.shape.header[i]
                 else tr("column {i}", i=i + 1) for i in range(self.table.shape.columns)]
        for k, role in enumerate(self._roles):
            box = QComboBox()
            box.setAccessibleName(tr("{role} column", role=role.words))
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(10)
            box.addItem(tr("none"), -1)
            for place, name in enumerate(names):
                box.addItem(name[:40], place)
            box.setCurrentIndex(self.table.columns[role.name] + 1)
            box.activated.connect(lambda _place: self._chosen())
            down, across = 3 * (k // COLUMNS_ACROSS), k % COLUMNS_ACROSS
            label = QLabel(role.words)
            label.setBuddy(box)
            self.grid.addWidget(label, down, across)
            self.grid.addWidget(box, down + 1, across)
            self.columns[role.name] = box
            if role.units:
                unit = QComboBox()
                unit.setAccessibleName(tr("{role} unit", role=role.words))
                for value, shown in role.units:
                    unit.addItem(shown, value)
                unit.setCurrentIndex(unit.findData(self.table.units[role.name]))
                unit.activated.connect(lambda _place: self._chosen())
                self.grid.addWidget(unit, down + 2, across)
                self.units[role.name] = unit
        self.written.show_shape(self.table.shape)
        self._show_rows()

    def _look_again(self, asked: AskedShape) -> None:
        if self.table is not None:
            # The Enter that ends a correction is not the one that reads: what came of it is looked at first.
            self._corrected = True
            QTimer.singleShot(0, self, self._corrected_no_more)
            self._say(self._show(self.table.path, asked))

    _corrected = False

    def _corrected_no_more(self) -> None:
        self._corrected = False

    def _chosen(self) -> None:
        assert self.table is not None
        self.table = replace(self.table, columns={name: int(box.currentData()) for name, box in self.columns.items()},
                             units={name: str(box.currentData()) for name, box in self.units.items()})
        self._show_rows()

    def _show_rows(self) -> None:
        """As the rows stand in the file, and as they would be read."""
        assert self.table is not None
        said = self.table.problem(self._roles)
        understood = () if said else self._understand(self.table)
        few = 1 if theme_look.scale > LARGE_TEXT else 2
        self.rows.setText("\n".join((*shown_rows(self.table)[:few], *(tuple(understood[:few + 1]) or (said,)))))
        self._say("")

    def _say(self, words: str) -> None:
        self.trouble.setText(words)
        self.trouble.setVisible(bool(words))

    def read(self) -> None:
        """Take the columns as they are chosen, and remember them for the next file of this shape."""
        if self.table is None:
            return
        wrong = self.table.problem(self._roles)
        if wrong:
            self._say(tr("{wrong} Nothing was taken in.", wrong=wrong))
            return
        try:
            self.store.set_setting(REMEMBERED + self.table.shape.source, choice_text(self.table))
        except DextrumError as problem:
            self._say(str(problem))
        table, self.table = self.table, None
        self._go_back()
        self._done(table)

    def leave(self) -> None:
        """Nothing is read."""
        self.table = None
        self._go_back()

    def _go_back(self) -> None:
        self.hide()
        if self._back is not None:
            self._back.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if not self._corrected:
                self.read()
        else:
            super().keyPressEvent(event)
