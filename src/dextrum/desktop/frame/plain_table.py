"""A table of plain words: heads, rows, which columns are numbers; a row's key says what it stands for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QFont, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from dextrum.desktop.theme import look

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
MOST_SHOWN_ROWS = 12
LAST_COLUMN = 84
"""Pixels that the last column keeps at least."""


@dataclass(frozen=True)
class Row:
    """key: what it stands for; cells: one a column; strong: said louder, with the colour of what is abnormal."""

    key: str
    cells: tuple[str, ...]
    strong: bool = False


class PlainRows(QAbstractTableModel):
    def __init__(self, heads: Sequence[str], numbers: Sequence[int] = ()) -> None:
        super().__init__()
        self.heads, self.numbers = tuple(heads), frozenset(numbers)
        self.rows: tuple[Row, ...] = ()

    def show(self, rows: Sequence[Row]) -> None:
        self.beginResetModel()
        self.rows = tuple(rows)
        self.endResetModel()

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.heads)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.ToolTipRole)):
            return row.cells[index.column()]
        if role == int(Qt.ItemDataRole.AccessibleTextRole):
            return f"{self.heads[index.column()]}: {row.cells[index.column()]}"
        if role == int(Qt.ItemDataRole.TextAlignmentRole):
            side = Qt.AlignmentFlag.AlignRight if index.column() in self.numbers else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role == int(Qt.ItemDataRole.ForegroundRole):
            return look.colour("above" if row.strong else "ink")
        if role == int(Qt.ItemDataRole.FontRole):
            return look.font(13, QFont.Weight.DemiBold if row.strong or index.column() == 0 else QFont.Weight.Normal)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation,
                   role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if orientation == Qt.Orientation.Horizontal:
            if role == int(Qt.ItemDataRole.DisplayRole):
                return self.heads[section]
            if role == int(Qt.ItemDataRole.TextAlignmentRole):
                side = Qt.AlignmentFlag.AlignRight if section in self.numbers else Qt.AlignmentFlag.AlignLeft
                return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None


def narrowed(wanted: Sequence[int], room: int, least: int) -> list[int]:
    """Widths that fill `room` in the proportion of those `wanted`, none below `least` (all in pixels).

    A column that would fall below has `least`, and the others share what that leaves. Where even `least` each is more
    than the room, all have that.
    """
    held: set[int] = set()
    while len(held) < len(wanted):
        shared = (room - least * len(held)) / sum(wide for column, wide in enumerate(wanted) if column not in held)
        below = {column for column, wide in enumerate(wanted) if column not in held and wide * shared < least}
        if not below:
            return [least if column in held else int(wide * shared) for column, wide in enumerate(wanted)]
        held |= below
    return [least] * len(wanted)


class PlainTable(QTableView):
    """One row is chosen at a time; the last column takes what room is left."""

    def __init__(self, name: str, heads: Sequence[str], numbers: Sequence[int] = (),
                 widths: Sequence[int] = ()) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setObjectName("plain")
        self.rows_model = PlainRows(heads, numbers)
        self._widths = tuple(widths)
        self.setModel(self.rows_model)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalHeader().hide()
        self.horizontalHeader().setStretchLastSection(True)
        self.horizontalHeader().setHighlightSections(False)
        self.horizontalHeader().setResizeContentsPrecision(0)  # widths by the rows in sight, however many there are
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)

    def show_rows(self, rows: Sequence[Row]) -> None:
        """The row that was chosen stays chosen by what it stands for."""
        chosen = self.chosen
        self.rows_model.show(rows)
        place = next((k for k, row in enumerate(rows) if row.key == chosen), 0 if rows else -1)
        if place >= 0:
            self.setCurrentIndex(self.rows_model.index(place, 0))
        self.size_columns()

    @property
    def chosen(self) -> str:
        """Key of the chosen row; empty where none is."""
        place = self.currentIndex().row()
        return self.rows_model.rows[place].key if 0 <= place < len(self.rows_model.rows) else ""

    def size_columns(self) -> None:
        """As wide as they were asked for, at least as wide as their heads; narrower together where the table is.

        A column whose words would be cut gets more, from the left: first of what the last column's words leave, then of
        what the columns with room to spare have.
        """
        self.verticalHeader().setDefaultSectionSize(look.px(25))
        wanted = [max(look.px(wide), self.horizontalHeader().sectionSizeHint(column))
                  for column, wide in enumerate(self._widths)]
        count, least = len(self.rows_model.heads), self.horizontalHeader().minimumSectionSize()
        last = max(look.px(LAST_COLUMN), self.horizontalHeader().sectionSizeHint(count - 1))
        last = max(least, min(last, self.viewport().width() - least * len(wanted)))
        room = self.viewport().width() - last
        self.setColumnWidth(count - 1, last)  # it takes what is left, and never less than this
        if 0 < room < sum(wanted):
            wanted = narrowed(wanted, room, least)
        elif self.rows_model.rows:
            self._fit_words(wanted, room - max(0, self.sizeHintForColumn(count - 1) - last))
        for column, wide in enumerate(wanted):
            self.setColumnWidth(column, wide)

    def _fit_words(self, wide: list[int], room: int) -> None:
        """Change widths (pixels, the last column's left out) so that words fit, within `room` pixels together."""
        natural = [max(self.sizeHintForColumn(column), self.horizontalHeader().sectionSizeHint(column))
                   for column in range(len(wide))]
        for column, least in enumerate(natural):
            for giver in (None, *range(len(wide))):
                has = room - sum(wide) if giver is None else wide[giver] - natural[giver]
                more = max(0, min(least - wide[column], has))
                wide[column] += more
                if giver is not None:
                    wide[giver] -= more

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.size_columns()

    def fit_height(self, most: int = MOST_SHOWN_ROWS) -> None:
        """As high as its rows, up to `most` of them."""
        count = max(1, min(most, self.rows_model.rowCount()))
        head = max(self.horizontalHeader().sizeHint().height(), look.px(24))
        self.setFixedHeight(head + count * look.px(25) + 4)
