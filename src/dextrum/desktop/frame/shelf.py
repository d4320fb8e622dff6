"""The shelf: open jobs as tags, each with what it waits for."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QPainter, QPen
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.command import Command
from dextrum.app.commands import BY_ID
from dextrum.app.handover.results import RESULTS
from dextrum.app.reading.sentences import due_words
from dextrum.core.job import STAGE_WORDS, STAGES
from dextrum.core.trail import local_time
from dextrum.core.when import moment_words
from dextrum.desktop.frame.chosen_row import is_chosen
from dextrum.desktop.frame.command_row import button_for, drop_down, menu_of
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.theme import look
from dextrum.store.jobs import JobRow
from dextrum.tongue import tr

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
FOOT = {
    tr("Instruments"): ("instrument.find", "meter.allow", "meter.listen", "meter.take", "meter.share",
                    "instrument.connect", "instrument.call", "instrument.use",
                    "instrument.leave", "capture.pedal", "capture.hold",
                    "sound.level", "sound.cues", "sound.speech"),
    tr("Program"): ("job.search", "job.next", "job.previous", "job.due", "job.import", "keep.backup",
                "photo.watch", "bench.who", "look.theme", "look.language",
                "look.larger", "look.smaller", "tour.begin", "tour.pack", "demo.open", "guide.open", "guide.packs",
                "keys", "palette", "quit"),
}
"""The menus under the shelf: what belongs to the bench and not to a unit."""


def is_due(row: JobRow, now: datetime) -> bool:
    """Whether its wait has come to its end. now: with the bench's zone; a wait is in the bench's own clock."""
    until = local_time(row.waits_until)
    return until is not None and not row.outcome and until <= now.replace(tzinfo=None)


def waiting_words(row: JobRow, now: datetime) -> tuple[str, str]:
    """First line (stage or what it waits for) and second (clock or due date) of a tag."""
    if row.outcome:
        return RESULTS[row.outcome], ""
    today = now.date().isoformat()
    why, at = tr(row.waits_for), local_time(row.waits_until)
    if why:
        if at is None:
            return why, due_words(row.due, today)
        if is_due(row, now):
            return why, tr("check again now")
        return why, tr("again {moment_words}", moment_words=moment_words(at, now.date()))
    return STAGE_WORDS.get(row.stage, row.stage), due_words(row.due, today)


class ShelfList(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[JobRow, ...] = ()
        self.now = datetime.now().astimezone()
        self.short_names: dict[str, str] = {}

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if index.isValid() and role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.AccessibleTextRole)):
            row = self.rows[index.row()]
            return f"{row.serial}, {row.model}: {', '.join(w for w in waiting_words(row, self.now) if w)}"
        return None


class TagDelegate(QStyledItemDelegate):
    def __init__(self, shelf: ShelfList) -> None:
        super().__init__()
        self.shelf = shelf

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(150, look.px(75))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row = self.shelf.rows[index.row()]
        first, second = waiting_words(row, self.shelf.now)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(2, 3, -2, -3)
        chosen = is_chosen(option, index)
        painter.setPen(QPen(look.colour("ink" if chosen else "rule"), 2 if chosen else 1))
        painter.setBrush(look.colour("panel" if chosen else "ground"))
        painter.drawRoundedRect(box, 5, 5)
        inner = box.adjusted(look.px(9), look.px(6), -look.px(9), -look.px(6))
        painter.setPen(look.colour("ink"))
        painter.setFont(look.font(14, QFont.Weight.DemiBold))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, row.serial)
        room = int(inner.width()) - painter.fontMetrics().horizontalAdvance(row.serial) - look.px(6)
        painter.setFont(look.font(12))
        painter.setPen(look.colour("quiet"))
        short = self.shelf.short_names.get(row.pack_id, row.model)
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight,
                         painter.fontMetrics().elidedText(short, Qt.TextElideMode.ElideRight, room))
        painter.setPen(look.colour("ink"))
        line = look.px(19)
        painter.setFont(look.font(13))
        metrics = painter.fontMetrics()
        painter.drawText(inner.adjusted(0, line, 0, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
                         metrics.elidedText(first, Qt.TextElideMode.ElideRight, int(inner.width())))
        urgent = second.startswith((tr("due today"), "overdue", tr("check again now")))
        painter.setFont(look.font(13, QFont.Weight.DemiBold if urgent else QFont.Weight.Normal))
        painter.setPen(look.colour("above" if urgent else "quiet"))
        painter.drawText(inner.adjusted(0, 2 * line - 2, 0, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
                         painter.fontMetrics().elidedText(second, Qt.TextElideMode.ElideRight, int(inner.width())))
        reached = STAGES.index(row.stage) + 1
        width, gap = look.px(8), look.px(3)
        for i in range(len(STAGES)):
            x = inner.right() - (len(STAGES) - i) * (width + gap)
            step = QRectF(x, inner.bottom() - look.px(4), width, look.px(5))
            painter.setPen(QPen(look.colour("quiet"), 1))
            painter.setBrush(look.colour("ink") if i < reached else Qt.GlobalColor.transparent)
            painter.drawRect(step)
        painter.restore()


class Shelf(QWidget):
    """Signals: chosen (job id), searched (text), asked (a command's id)."""

    asked = Signal(str)
    chosen = Signal(str)
    searched = Signal(str)

    def __init__(self, why_not: Callable[[Command], str] = lambda _command: "") -> None:
        super().__init__()
        self._why_not = why_not
        self.setObjectName("shelf")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.list_model = ShelfList()
        self.count = QLabel()
        self.count.setObjectName("quiet")
        self.title = QLabel(tr("Shelf"))
        self.title.setObjectName("section")
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("search all jobs"))
        self.search.setAccessibleName(tr("Search all jobs"))
        self.search.textChanged.connect(self.searched)
        self.search.returnPressed.connect(self._open_found)
        self.list = QListView()
        self.list.setAccessibleName(tr("Open jobs"))
        self.list.setModel(self.list_model)
        self.delegate = TagDelegate(self.list_model)
        self.list.setItemDelegate(self.delegate)
        self.list.selectionModel().currentChanged.connect(self._current)
        self.nothing = QLabel(tr("No open jobs.\nNew job takes one in."))
        self.nothing.setObjectName("quiet")
        head = FlowLayout()
        for part in (self.title, self.count):
            head.addWidget(part)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 12, 8, 8)
        self.new = button_for(BY_ID["job.new"], self.asked.emit)
        self.new.setObjectName("small")
        head.addWidget(self.new)
        column.addLayout(head)
        column.addWidget(self.search)
        self.shop_tabs = FlowLayout()
        column.addLayout(self.shop_tabs)
        column.addWidget(self.nothing)
        column.addWidget(self.list, 1)
        self.calls = QVBoxLayout()
        column.addLayout(self.calls)
        foot = FlowLayout()
        for words, ids in FOOT.items():
            button = QPushButton(words)
            button.setObjectName("tool")
            button.setToolTip(", ".join(BY_ID[one].title for one in ids[:4]) + " …")
            button.clicked.connect(lambda _checked=False, b=button, names=ids: drop_down(
                b, menu_of(names, self.asked.emit, self._why_not, self)))
            foot.addWidget(button)
        for name in ("palette", "keys"):
            foot.addWidget(button_for(BY_ID[name], self.asked.emit))
        column.addLayout(foot)
        self._quiet = False

    def show_rows(self, rows: tuple[JobRow, ...], chosen: str, now: datetime, short_names: dict[str, str]) -> None:
        self._quiet = True
        self.list_model.beginResetModel()
        self.list_model.rows = rows
        self.list_model.now = now
        self.list_model.short_names = short_names
        self.list_model.endResetModel()
        for i, row in enumerate(rows):
            if row.id == chosen:
                self.list.setCurrentIndex(self.list_model.index(i))
        self._quiet = False
        searching = bool(self.search.text().strip())
        self.title.setText(tr("Found") if searching else tr("Shelf"))
        self.count.setText(tr("{count} open", count=len(rows)) if not searching else f"{len(rows)}")
        self.nothing.setText(
            tr("No job has all these words.") if searching else tr("No open jobs.\nNew job takes one in.")
        )
        self.nothing.setVisible(not rows)

    def take_call(self, call: QWidget) -> None:
        """A line that calls for jobs, or a guided job, has its place below the tags."""
        self.calls.addWidget(call)

    def _open_found(self) -> None:
        """Enter in the search opens the hit: the first one, where the one in view is not among them."""
        rows = self.list_model.rows
        if not self.search.text().strip() or not rows:
            return
        here = self.list.currentIndex().row()
        self.chosen.emit(rows[here if 0 <= here < len(rows) and self.list.currentIndex().isValid() and
                              self._is_chosen(here) else 0].id)

    def _is_chosen(self, row: int) -> bool:
        return self.list.selectionModel().isRowSelected(row, QModelIndex())

    def step(self, by: int) -> None:
        row = self.list.currentIndex().row() + by
        if 0 <= row < len(self.list_model.rows):
            self.list.setCurrentIndex(self.list_model.index(row))

    def _current(self, index: QModelIndex, _previous: QModelIndex) -> None:
        if index.isValid() and not self._quiet:
            self.chosen.emit(self.list_model.rows[index.row()].id)
