"""Setting a photo of a board right: its four corners, one after the other, and how large it is."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.theme import look
from dextrum.tongue import capital, tr

if TYPE_CHECKING:
    from dextrum.app.packmaking.photo_layers import FoundOnPhoto

CORNERS = (tr("top left"), tr("top right"), tr("bottom right"), tr("bottom left"))
MARKED = tr("board"), tr("case")
"""What may be photographed, so that its word is looked up."""
MOST_POINTS = 24
HIGH_PIXELS, CROSS_PIXELS, SIZE_PIXELS = 340, 9, 110


class PhotoCanvas(QWidget):
    """The whole photo; a click sets the corner that is next, and after them further points; arrows nudge the last one,
    Backspace takes it back. Signals: changed."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.image = QImage()
        self._shown = QPixmap()
        self.corners: list[QPointF] = []
        self.most = MOST_POINTS
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Photo of the board"))
        self.setMinimumHeight(look.px(HIGH_PIXELS))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.CrossCursor)

    def sizeHint(self) -> QSize:
        return QSize(600, look.px(HIGH_PIXELS))

    def show_image(self, image: QImage) -> None:
        self.image, self.corners = image, []
        self._shown = QPixmap()
        self.changed.emit()
        self.update()

    def _frame(self) -> QRectF:
        """Where the photo is drawn."""
        if self.image.isNull():
            return QRectF()
        size = self.image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF((self.width() - size.width()) / 2, (self.height() - size.height()) / 2, size.width(),
                      size.height())

    def _scale(self) -> float:
        """Pixels of the screen a pixel of the photo."""
        return self._frame().width() / max(self.image.width(), 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        frame = self._frame()
        if len(self.corners) < self.most and frame.contains(event.position()):
            self.corners.append((event.position() - frame.topLeft()) / self._scale())
            self.changed.emit()
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1),
                Qt.Key.Key_Down: (0, 1)}.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Backspace and self.corners:
            self.corners.pop()
        elif step is not None and self.corners:
            # One pixel of the screen, or ten with Shift.
            far = (10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0) / max(self._scale(), 1e-6)
            self.corners[-1] = self.corners[-1] + QPointF(step[0] * far, step[1] * far)
        else:
            super().keyPressEvent(event)
            return
        self.changed.emit()
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), look.colour("panel"))
        frame = self._frame()
        if frame.isEmpty():
            return
        size = frame.size().toSize()
        if self._shown.size() != size:
            self._shown = QPixmap.fromImage(self.image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio,
                                                              Qt.TransformationMode.SmoothTransformation))
        painter.drawPixmap(frame.topLeft(), self._shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        reach, scale = look.px(CROSS_PIXELS), self._scale()
        places = [frame.topLeft() + corner * scale for corner in self.corners]
        painter.setFont(look.font(12, QFont.Weight.DemiBold))
        for ink, wide in ((look.colour("card"), 4), (look.colour("card_accent"), 2)):
            painter.setPen(QPen(ink, wide))
            for k, at in enumerate(places):
                painter.drawLine(QPointF(at.x() - reach, at.y()), QPointF(at.x() + reach, at.y()))
                painter.drawLine(QPointF(at.x(), at.y() - reach), QPointF(at.x(), at.y() + reach))
                if 0 < k < len(CORNERS):
                    painter.drawLine(places[k - 1], at)
                elif k:
                    painter.drawText(at + QPointF(reach, -reach / 2), f"{k + 1}")
            if len(places) >= len(CORNERS):
                painter.drawLine(places[len(CORNERS) - 1], places[0])
        if self.hasFocus():
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))


class PhotoPanel(QFrame):
    """Signals: used (the four corners and further points in pixels of the photo, what is typed as the board's size, and
    as the places of the further points); laid_over (it goes over the one that is kept, where both show the same)."""

    used = Signal(tuple, str, str)
    laid_over = Signal()

    def __init__(self, of: str = "board") -> None:
        """of: what is photographed, of MARKED."""
        super().__init__()
        self.of, self.of_words = of, tr(of)
        self.head = QLabel()
        self.head.setObjectName("section")
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self.found = QLabel()
        self.found.setWordWrap(True)
        self.found.setTextFormat(Qt.TextFormat.PlainText)
        self.canvas = PhotoCanvas()
        self.canvas.changed.connect(self._tell)
        # A case has no holes that are known to a tenth.
        self.canvas.most = MOST_POINTS if of == "board" else len(CORNERS)
        self.size_mm = ValueField()
        self.size_mm.setMaximumWidth(look.px(SIZE_PIXELS))
        self.size_mm.setPlaceholderText("62 x 31")
        self.size_mm.setAccessibleName(tr("Width and height of the {of}, mm", of=self.of_words))
        self.canvas.setAccessibleName(tr("Photo of the {of}", of=self.of_words))
        self.size_mm.returnPressed.connect(self._use)
        self.known = ValueField()
        self.known.setPlaceholderText(tr("12.5 8; hole ?"))
        self.known.setAccessibleName(tr("Places of further points, mm"))
        self.known.returnPressed.connect(self._use)
        self.known_words = QLabel(tr("further points"))
        self.lay_over = QPushButton(tr("Lay it over"))
        self.lay_over.setToolTip(tr("Over the photo that is kept, where both show the same"))
        self.lay_over.clicked.connect(self.laid_over)
        self.use, self.again, self.close_it = (
            QPushButton(tr("Use it")),
            QPushButton(tr("Start again")),
            QPushButton(tr("Close")),
        )
        self.use.clicked.connect(self._use)
        self.again.clicked.connect(lambda: self.canvas.show_image(self.canvas.image))
        self.close_it.clicked.connect(self.leave)
        tools = QWidget()
        line = FlowLayout(tools)
        for widget in (QLabel(tr("{of}, width x height",
                                 of=capital(self.of_words))), self.size_mm, QLabel("mm"), self.known_words,
                       self.known, self.lay_over, self.use, self.again, self.close_it):
            line.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.head)
        column.addWidget(self.found)
        column.addWidget(self.words)
        column.addWidget(self.canvas, 1)
        column.addWidget(tools)
        self.hide()

    def open_for(self, shows: str, image: QImage) -> None:
        """shows: what of it, in words, such as the top side."""
        self.head.setText(tr("Photo of {shows}", shows=shows))
        self.found.hide()
        self.lay_over.hide()
        self.known.clear()
        self.canvas.show_image(image)
        self.show()
        self.canvas.setFocus()

    def tell(self, found: FoundOnPhoto) -> None:
        """What the photos that are kept tell of this one."""
        self.found.setText(found.words)
        self.found.setObjectName("hold" if found.odd else "")
        self.found.style().polish(self.found)
        self.found.setVisible(bool(found.words))
        self.lay_over.setVisible(found.over)

    def leave(self) -> None:
        """Nothing of a photo stays in memory."""
        self.hide()
        self.canvas.show_image(QImage())

    def say(self, words: str) -> None:
        self.words.setText(words)

    def _tell(self) -> None:
        there = len(self.canvas.corners)
        self.use.setEnabled(there >= len(CORNERS))
        for widget in (self.known_words, self.known):
            widget.setVisible(there > len(CORNERS))
        if there > len(CORNERS):
            self.say(tr("Point {there}: type its place in mm, or a name with ? for a hole that the other side shows "
                        "as well, one after the other with ; between.", there=there))
            return
        if there < len(CORNERS):
            self.say(tr("Click the {of}'s {corners} corner, as the photo shows it. Arrows move the last one, Backspace "
                        "takes it back.", of=self.of_words, corners=CORNERS[there]))
            return
        self.say(tr("Type how large the {of} is, then use it. Further points that are known, clicked now, make it fit "
                    "better.", of=self.of_words)
                 + (tr(" Or, of a photo from straight above: lengths 40 22, mm between the first two points, across, "
                       "and the other two, down.") if self.of == "board" else ""))
        self.size_mm.setFocus()
        self.size_mm.selectAll()

    def _use(self) -> None:
        if len(self.canvas.corners) >= len(CORNERS):
            self.used.emit(tuple(self.canvas.corners), self.size_mm.text(), self.known.text())
