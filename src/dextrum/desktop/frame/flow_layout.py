"""A layout that goes on in the next line where a line is full, as words do."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget

GAP, LINE_GAP = 6, 4


class FlowLayout(QLayout):
    """Widgets from left to right, each as wide as it wants to be, centred in the height of its line."""

    def __init__(self, parent: QWidget | None = None) -> None:
        # Qt asks for these while the layout is being made.
        self._items: list[QLayoutItem] = []
        self._heights: dict[int, int] = {}
        super().__init__(parent)
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def invalidate(self) -> None:
        self._heights.clear()
        super().invalidate()

    def heightForWidth(self, width: int) -> int:
        # Asked many times for one width while a window is laid out.
        if width not in self._heights:
            self._heights[width] = self._lay_out(QRect(0, 0, width, 0), move=False)
        return self._heights[width]

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay_out(rect, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._shown():
            size = size.expandedTo(item.minimumSize())
        return size

    def _shown(self) -> list[QLayoutItem]:
        return [item for item in self._items if not item.isEmpty()]

    def _lay_out(self, rect: QRect, move: bool) -> int:
        """Height that is needed; move: put the widgets there too."""
        line: list[tuple[QLayoutItem, int]] = []
        top, used = rect.top(), 0
        for item in self._shown():
            wide = min(item.sizeHint().width(), max(rect.width(), 1))
            if line and used + GAP + wide > rect.width():
                top += self._line(line, rect.left(), top, move) + LINE_GAP
                line, used = [], 0
            line.append((item, wide))
            used += wide + (GAP if used else 0)
        if line:
            top += self._line(line, rect.left(), top, move)
        return top - rect.top()

    @staticmethod
    def _line(line: list[tuple[QLayoutItem, int]], left: int, top: int, move: bool) -> int:
        high = max(item.sizeHint().height() for item, _ in line)
        if move:
            for item, wide in line:
                tall = item.sizeHint().height()
                item.setGeometry(QRect(QPoint(left, top + (high - tall) // 2), QSize(wide, tall)))
                left += wide + GAP
        return high
