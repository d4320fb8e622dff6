"""Known-good by points and boards: a row for each point, a narrow column for each board.

A board's cell shows how far its reading lies from the others': a tick around the middle, lower to the left and higher
to the right; what the others contradict has a triangle and is lit, OL where others read a number is written out.
"""

from __future__ import annotations

from datetime import date

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from dextrum.app.library.library_words import spread_words
from dextrum.core.board.value_words import value_words
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.overview import LibraryOverview, PointKnown
from dextrum.core.when import short_day_words
from dextrum.desktop.frame.chosen_row import is_chosen
from dextrum.desktop.marks import draw_mark
from dextrum.desktop.theme import look
from dextrum.tongue import tr

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
HEADS = (tr("reference"), tr("spread"), tr("boards"), tr("newest"))
FULL_WIDTH_SPREADS = 5.0
DISPLAY, ACCESSIBLE, ALIGN = (int(r) for r in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole,
                                               Qt.ItemDataRole.TextAlignmentRole))


def _day(text: str) -> str:
    """An ISO day with its month in letters; what is no day as it is."""
    try:
        return short_day_words(date.fromisoformat(text), date.today())
    except ValueError:
        return text


class KnownGoodTable(QAbstractTableModel):
    """rows: places in the overview's points that are shown."""

    def __init__(self) -> None:
        super().__init__()
        self.known: LibraryOverview | None = None
        self.rows: tuple[int, ...] = ()
        self._sorted = -1, Qt.SortOrder.AscendingOrder

    def show_known(self, known: LibraryOverview | None, wanted: str = "", only_weak: bool = False) -> None:
        """wanted: part of a point's name; only_weak: points with too few boards."""
        self.beginResetModel()
        self.known = known
        text = wanted.strip().upper()
        self.rows = () if known is None else tuple(
            i for i, p in enumerate(known.points) if text in p.point.upper() and (p.is_weak or not only_weak))
        self.endResetModel()
        self.sort(*self._sorted)

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() or self.known is None else len(HEADS) + len(self.known.boards)

    def point(self, row: int) -> PointKnown:
        assert self.known is not None
        return self.known.points[self.rows[row]]

    def board_serial(self, column: int) -> str:
        """The board of a column, empty for the columns before the boards."""
        board = column - len(HEADS)
        return self.known.boards[board].serial if self.known is not None and 0 <= board < len(self.known.boards) else ""

    def data(self, index: Index, role: int = DISPLAY) -> object:
        if not index.isValid() or self.known is None:
            return None
        if role == ALIGN:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role not in (DISPLAY, ACCESSIBLE):
            return None
        point = self.point(index.row())
        if index.column() < len(HEADS):
            good = "" if point.centre != point.centre else value_words(point.centre, point.method)
            cells = good, spread_words(point.spread, point.method), str(point.boards), _day(point.last)
            return cells[index.column()]
        return self._cell_words(index) if role == ACCESSIBLE else None

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """By a column: known-good, spread, boards, newest, or how far a board's reading is from the others. What has no
        value comes last, whichever way. A column of -1: as the pack lists the points."""
        self._sorted = column, order
        known = self.known
        if known is None or column < 0:
            return
        down = order == Qt.SortOrder.DescendingOrder

        def value(row: int) -> float | str:
            point = known.points[row]
            if column < len(HEADS):
                return (point.centre, point.spread, float(point.boards), point.last)[column]
            return abs(float(known.away[row, column - len(HEADS)]))

        valued = [row for row in self.rows if value(row) == value(row)]
        rest = [row for row in self.rows if value(row) != value(row)]
        self.layoutAboutToBeChanged.emit()
        self.rows = (*sorted(valued, key=value, reverse=down), *rest)
        self.layoutChanged.emit()

    def away(self, index: Index) -> tuple[float, bool]:
        """How far a board's reading is from the others, in spreads, and whether it was left out."""
        assert self.known is not None
        row, board = self.rows[index.row()], index.column() - len(HEADS)
        left_out = bool(self.known.outlying[row, board]) or self.known.boards[board].left_out
        return float(self.known.away[row, board]), left_out

    def _cell_words(self, index: Index) -> str:
        away, left_out = self.away(index)
        if away != away:
            return tr("not read")
        said = "OL" if away == float("inf") else tr("{away:+.1f} spreads", away=away)
        return f"{self.board_serial(index.column())}: {said}" + (tr(", left out") if left_out else "")

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = DISPLAY) -> object:
        if role != DISPLAY or self.known is None:
            return None
        if orientation == Qt.Orientation.Vertical:
            point = self.point(section)
            return point.point + (tr(" · black") if point.method.value.endswith("black_ground") else "")
        if section < len(HEADS):
            return HEADS[section]
        return self.board_serial(section)


class KnownGoodDelegate(QStyledItemDelegate):
    """Paints board cells as ticks, and weak points' counts with a mark and a word's weight."""

    def __init__(self, table: KnownGoodTable) -> None:
        super().__init__()
        self.table = table

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        point = self.table.point(index.row())
        if is_chosen(option, index):
            painter.fillRect(rect, look.colour("lit"))
        if index.column() < len(HEADS):
            weak = point.is_weak and index.column() == 2
            painter.setFont(look.font(13, QFont.Weight.Bold if weak else QFont.Weight.Normal))
            painter.setPen(look.colour("above" if weak else "ink" if index.column() in (0, 2) else "quiet"))
            words = str(self.table.data(index))
            painter.drawText(rect.adjusted(4, 0, -8, 0),
                             int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                             words if not weak else tr("sister") if point.origin == "sister"
                             else tr("{words} few", words=words))
        else:
            self._paint_board(painter, rect, index)
        painter.restore()

    def _paint_board(self, painter: QPainter, rect: QRectF, index: Index) -> None:
        away, left_out = self.table.away(index)
        middle = rect.center()
        painter.setPen(QPen(look.colour("rule"), 1))
        painter.drawLine(QPointF(middle.x(), rect.top() + 3), QPointF(middle.x(), rect.bottom() - 3))
        if away != away:
            return
        if left_out:
            painter.fillRect(rect.adjusted(1, 1, -1, -1), look.colour("lit"))
        if abs(away) == float("inf"):
            painter.setFont(look.font(12, QFont.Weight.Bold))
            painter.setPen(look.colour("above"))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, "OL" if away > 0 else tr("no OL"))
            return
        share = max(-1.0, min(1.0, away / FULL_WIDTH_SPREADS))
        x = middle.x() + share * (rect.width() / 2 - 7)
        verdict = Verdict.WITHIN if not left_out else Verdict.LOW if away < 0 else Verdict.HIGH
        draw_mark(painter, verdict, x, middle.y(), min(rect.height() * 0.55, look.px(12)), look.verdict_colour(verdict))
