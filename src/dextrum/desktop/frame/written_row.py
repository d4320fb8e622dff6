"""How a table is written, to be corrected: what stands between columns, the decimal mark, lines before the data."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QSpinBox, QWidget

from dextrum.desktop.theme import look
from dextrum.store.draw_csv_look import AskedShape, CsvShape
from dextrum.tongue import tr

SEPARATORS = ((",", tr("comma")), (";", tr("semicolon")), ("\t", tr("tab")), ("|", tr("bar")))
MOST_BEFORE = 1000


class WrittenRow(QWidget):
    """Signal: corrected (an AskedShape other than the one that is shown)."""

    corrected = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        self.separator, self.decimal = QComboBox(), QComboBox()
        for value, words in SEPARATORS:
            self.separator.addItem(words, value)
        self.decimal.addItem(tr("point"), False)
        self.decimal.addItem(tr("comma"), True)
        self.before = QSpinBox()
        self.before.setRange(0, MOST_BEFORE)
        grid.setHorizontalSpacing(look.px(12))
        said_of = ((tr("Columns apart by"), self.separator), (tr("Decimals after a"), self.decimal),
                   (tr("Lines before the data"), self.before))
        for place, (said, widget) in enumerate(said_of):
            label = QLabel(said)
            label.setObjectName("quiet")
            label.setBuddy(widget)
            widget.setAccessibleName(said)
            grid.addWidget(label, 0, place)
            grid.addWidget(widget, 1, place)
        grid.setColumnStretch(3, 1)
        self._shown = AskedShape()
        self.separator.activated.connect(lambda _place: self._look())
        self.decimal.activated.connect(lambda _place: self._look())
        self.before.editingFinished.connect(self._look)

    def show_shape(self, shape: CsvShape) -> None:
        """As the file was understood."""
        self._shown = AskedShape(shape.delimiter, shape.decimal_comma, shape.data_from)
        self.separator.setCurrentIndex(self.separator.findData(shape.delimiter))
        self.decimal.setCurrentIndex(int(shape.decimal_comma))
        self.before.setValue(shape.data_from)

    def _look(self) -> None:
        asked = AskedShape(str(self.separator.currentData()), bool(self.decimal.currentData()), self.before.value())
        if asked != self._shown and self.isVisible():
            self.corrected.emit(asked)
