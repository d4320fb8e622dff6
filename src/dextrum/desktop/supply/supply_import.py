"""A dropped CSV, before it becomes a trace: which column is what, shown and correctable, then progress and cancel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.job.session import BenchSession
from dextrum.app.supply.circumstances import DrawCircumstances
from dextrum.app.supply.draw_import import (
    import_words,
    look_at_draw,
    read_draw_file,
    refused_words,
    remember_columns,
    trace_entry,
    understood_words,
)
from dextrum.core.trail import DrawTrace
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.elided_label import ElidedLabel
from dextrum.desktop.frame.written_row import WrittenRow
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.store.draw_csv import DrawFile
from dextrum.store.draw_csv_look import AS_GUESSED, TIME_KINDS, ZONES, AskedShape, ColumnMap, CsvLook
from dextrum.tongue import tr

UNITS = {"volts": ("V", "mV"), "amps": ("A", "mA", "uA"), "watts": ("W", "mW"), "time": TIME_KINDS, "day": ZONES}
ROLE_WORDS = {
    "time": tr("Time"),
    "day": tr("Day, if apart"),
    "volts": tr("Volts"),
    "amps": tr("Amps"),
    "watts": tr("Watts"),
}
KIND_WORDS = {
    "s": "s",
    "ms": "ms",
    "us": "\u00b5s",
    "min": "min",
    "h": "h",
    "days": tr("days since 1900"),
    "uA": "\u00b5A",
    "clock": tr("clock time"),
    "iso": tr("date and time"),
    "iso_month_first": tr("date, month first"),
    "local": tr("local time"),
    "steady": tr("never put on or back"),
}


class ImportStrip(QFrame):
    """Signals: taken (the entry, and what was read in words), trouble (words), left (nothing more to do)."""

    taken = Signal(object, str)
    trouble = Signal(str)
    left = Signal()

    def __init__(self, session: BenchSession) -> None:
        super().__init__()
        self.session = session
        self.file: CsvLook | None = None
        self.circumstances: Callable[[], DrawCircumstances] = DrawCircumstances
        self.setObjectName("palette")
        column = QVBoxLayout(self)
        self.title = ElidedLabel()
        self.title.setObjectName("section")
        self.orientation = QComboBox()
        self.orientation.setAccessibleName(tr("Goes to"))
        for way in "ab":
            self.orientation.addItem(tr("{way} side up", way=way.upper()), way)
        top = QHBoxLayout()
        goes = QLabel(tr("goes to"))
        goes.setBuddy(self.orientation)
        top.addWidget(self.title)
        top.addWidget(goes)
        top.addWidget(self.orientation)
        top.addStretch(1)
        column.addLayout(top)
        grid = QGridLayout()
        grid.setHorizontalSpacing(look.px(10))
        self.columns: dict[str, QComboBox] = {}
        self.units: dict[str, QComboBox] = {}
        for i, role in enumerate(ROLE_WORDS):
            name = QLabel(ROLE_WORDS[role])
            box, unit = QComboBox(), QComboBox()
            box.setAccessibleName(tr("{role_words} column", role_words=ROLE_WORDS[role]))
            for narrow in (box, unit):
                narrow.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                narrow.setMinimumContentsLength(6)
            unit.setAccessibleName(tr("{role_words} unit", role_words=ROLE_WORDS[role]))
            for text in UNITS[role]:
                unit.addItem(KIND_WORDS.get(text, text), text)
            grid.addWidget(name, 0, i)
            grid.addWidget(box, 1, i)
            grid.addWidget(unit, 2, i)
            self.columns[role], self.units[role] = box, unit
        column.addLayout(grid)
        every = QHBoxLayout()
        self.every = QLineEdit("1")
        self.every.setAccessibleName(tr("Seconds between rows"))
        self.every.setMaximumWidth(look.px(70))
        self.every_row = QWidget()
        self.every_row.setLayout(every)
        every.setContentsMargins(0, 0, 0, 0)
        every.addWidget(QLabel(tr("No time column: seconds between rows")))
        every.addWidget(self.every)
        every.addStretch(1)
        column.addWidget(self.every_row)
        self.columns["time"].currentIndexChanged.connect(
            lambda _i: self.every_row.setVisible(self.columns["time"].currentData() == -1))
        self.written = WrittenRow()
        self.written.corrected.connect(self._look_again)
        column.addWidget(self.written)
        for box in (*self.columns.values(), *self.units.values()):
            box.activated.connect(lambda _i: self._show_understood())
        self.every.textEdited.connect(lambda _text: self._show_understood())
        self.rows = QLabel()
        self.rows.setObjectName("quiet")
        self.rows.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(self.rows)
        line = QHBoxLayout()
        self.go = QPushButton(tr("Read it (Enter)"))
        self.go.setDefault(True)
        self.go.setAutoDefault(True)
        self.go.clicked.connect(self.read)
        self.stop = QPushButton(tr("Leave it (Esc)"))
        self.stop.clicked.connect(self.leave)
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setAccessibleName(tr("Reading the file"))
        self.bar.hide()
        line.addWidget(self.go)
        line.addWidget(self.stop)
        line.addWidget(self.bar, 1)
        line.addStretch(1)
        column.addLayout(line)
        self.work = Background(self)
        self.work.progressed.connect(lambda share: self.bar.setValue(round(100 * share)))
        self.work.finished.connect(self._read)
        self.work.failed.connect(self._failed)
        self.hide()

    def _look_again(self, asked: AskedShape) -> None:
        """How the file is written was corrected."""
        if self.file is not None and self.isVisible():
            self.offer(self.file.path, asked)

    def offer(self, path: Path, asked: AskedShape = AS_GUESSED) -> bool:
        """Show a file's columns; False (and trouble told) when it can't be used. asked: how it is written, where that
        was corrected."""
        try:
            self.file = look_at_draw(self.session.store, path, asked)
        except DextrumError as problem:
            self.trouble.emit(str(problem))
            return False
        shape, columns = self.file.shape, self.file.columns
        self.title.setText(tr("{path}: which column is what?", path=path.name))
        if asked is AS_GUESSED:
            self.orientation.setCurrentIndex("ab".index(self.circumstances().orientation))
        self.written.show_shape(shape)
        names = [shape.header[i] if i < len(shape.header) and shape.header[i] else tr("column {i}", i=i + 1)
                 for i in range(shape.columns)]
        places = {"time": columns.time, "day": columns.day, "volts": columns.volts, "amps": columns.amps,
                  "watts": columns.watts}
        units = {"time": columns.time_kind, "day": columns.zone, "volts": columns.volts_unit, "amps": columns.amps_unit,
                 "watts": columns.watts_unit}
        for role, box in self.columns.items():
            box.clear()
            box.addItem(tr("none"), -1)
            for i, name in enumerate(names):
                box.addItem(name, i)
            box.setCurrentIndex(places[role] + 1)
            self.units[role].setCurrentIndex(self.units[role].findData(units[role]))
        self.every.setText(f"{columns.every_seconds:g}")
        self.every_row.setVisible(columns.time < 0)
        self._show_understood()
        self.bar.hide()
        self.go.setEnabled(True)
        self.show()
        self.go.setFocus()
        return True

    def _show_understood(self) -> None:
        """The first rows as they stand in the file, and what is made of them."""
        if self.file is None:
            return
        stands = "\n".join("   ".join(field.strip() for field in row)[:110] for row in self.file.rows[:2])
        self.rows.setText(f"{stands}\n{understood_words(self.file, self.chosen())}")

    def chosen(self) -> ColumnMap:
        place = {role: int(box.currentData()) for role, box in self.columns.items()}
        unit = {role: str(box.currentData()) for role, box in self.units.items()}
        try:
            every = float(self.every.text().replace(",", "."))
        except ValueError:
            every = 0.0
        return ColumnMap(place["time"], place["volts"], place["amps"], place["watts"], unit["time"], unit["volts"],
                         unit["amps"], unit["watts"], every, place["day"], unit["day"])

    def read(self) -> None:
        """Begin reading with the chosen columns."""
        file, columns = self.file, self.chosen()
        if file is None or self.work.busy:
            return
        if columns.problem():
            self.trouble.emit(tr("{problem} Nothing was taken in.", problem=columns.problem()))
            return
        self.trouble.emit("")
        try:
            remember_columns(self.session.store, file, columns)
        except DextrumError as problem:
            self.trouble.emit(str(problem))
        how = replace(self.circumstances(), orientation=str(self.orientation.currentData()))
        self.go.setEnabled(False)
        self.bar.setValue(0)
        self.bar.show()

        def work(told: Callable[[float], bool]) -> tuple[DrawTrace, DrawFile]:
            read = read_draw_file(file, columns, told)
            return trace_entry(read, file.path.name, how), read

        self.work.start(work)

    def _read(self, result: object) -> None:
        assert isinstance(result, tuple) and self.file is not None
        trace, file = result
        self.hide()
        self.taken.emit(trace, import_words(file, self.file.path.name))
        self.trouble.emit(refused_words(file))
        self.left.emit()

    def _failed(self, words: str) -> None:
        self.bar.hide()
        self.go.setEnabled(True)
        self.trouble.emit(words)

    def leave(self) -> None:
        """Stop reading, or put the file away."""
        if self.work.busy:
            self.work.cancel()
            return
        self.hide()
        self.left.emit()
