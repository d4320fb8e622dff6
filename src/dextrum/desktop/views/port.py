"""Port view: the ladder, the receptacle's shape as a key, and typing in place."""

from __future__ import annotations

from PySide6.QtCore import QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QWidget

from dextrum.app.sentences import readings_sentence
from dextrum.app.typed import parse_reading
from dextrum.core.board import Method
from dextrum.core.reference.judge import Verdict
from dextrum.desktop.job_model import JobModel
from dextrum.desktop.ladder import Lane, PortLadder, lanes_of, value_text
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.desktop.views.view import JobView, quiet_label
from dextrum.errors import EntryRefusedError

METHOD = Method.DIODE_RED_GROUND
FEW_POINTS = 6
"""More lit lanes than this point at nothing."""


class ReceptacleKey(QWidget):
    """The true shape of the receptacle, looked into, with what is off filled in."""

    def __init__(self) -> None:
        super().__init__()
        self.lanes: tuple[Lane, ...] = ()
        self.verdicts: dict[str, Verdict] = {}
        self.current = ""
        self.setAccessibleName("Shape of the port")

    def sizeHint(self) -> QSize:
        return QSize(look.px(330), look.px(58))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width, height = look.px(240), look.px(48)
        left, top = (self.width() - width) / 2, (self.height() - height) / 2
        painter.setPen(QPen(look.colour("ink"), 2))
        painter.drawRoundedRect(QRectF(left, top, width, height), height / 2, height / 2)
        step = (width - look.px(48)) / 11
        painter.setFont(look.font(12))
        # Plain rectangles: this is painted anew with every reading.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for lane in self.lanes:
            place = lane.contact.place
            x = left + look.px(24) + ((place - 1) if lane.contact.row == "A" else (12 - place)) * step
            y = top + height * (0.27 if lane.contact.row == "A" else 0.62)
            verdict = self.verdicts.get(lane.point, Verdict.NOT_JUDGED)
            box = QRect(round(x) - look.px(4), round(y) - look.px(4), look.px(8), look.px(12))
            painter.setPen(QPen(look.colour("ink"), 3 if lane.point == self.current else 1))
            painter.setBrush(look.verdict_colour(verdict) if verdict.is_off else (
                look.colour("band") if verdict is Verdict.WITHIN else look.colour("ground")))
            painter.drawRect(box)
        painter.setPen(look.colour("quiet"))
        side = look.px(40)
        for text, x, y in (("A1", left - side - 6, top), ("B12", left - side - 6, top + height / 2)):
            painter.drawText(QRectF(x, y, side, height / 2),
                             Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        for text, y in (("A12", top), ("B1", top + height / 2)):
            painter.drawText(QRectF(left + width + 6, y, side, height / 2),
                             Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


NAMING = "port_naming"


class PortView(JobView):
    name = "port"
    title = "Port"

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self._lanes: tuple[Lane, ...] = ()
        self._lanes_for = (0, 0)
        self.ladder = PortLadder()
        self.ladder.entered.connect(self._entered)
        self.ladder.moved.connect(lambda _point: self._moved())
        self.body.addWidget(self.ladder, 1)
        self.key = ReceptacleKey()
        line = QHBoxLayout()
        self.hints: list[QLabel] = [quiet_label("Enter records and goes on\no: OL · 0.51w: wavers"),
                                    quiet_label("← → to the twin\ntype over to record anew")]
        self.hints[1].setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self.hints[0], 1)
        line.addWidget(self.key)
        line.addWidget(self.hints[1], 1)
        self.body.addLayout(line)

    def refresh(self) -> None:
        board, references = self.model.board, self.model.references
        if board is None or references is None:
            self.ladder.show_port((), {})
            self.sentence.setText("No board pack: readings can't be taken here.")
            return
        if self._lanes_for != (id(board), id(references)):
            self._lanes_for = (id(board), id(references))
            self._lanes = lanes_of(board, references, METHOD)
        lanes = self._lanes
        by_number = self.model.session.store.setting(NAMING) == "numbers"
        if by_number != self.ladder.by_number:
            self.ladder.by_number = by_number
            self.ladder.update()
        judged = {p: r for p, r in self.model.judged.items() if r.method is METHOD}
        self.ladder.show_port(lanes, judged)
        points = [lane.point for lane in lanes]
        self.sentence.setText(readings_sentence(board, judged, points))
        read = sum(point in judged for point in points)
        boards = max((lane.band.boards for lane in lanes), default=0)
        against = f"judged against {boards} good boards · false alarm 5 % a scan" if boards else (
            "no known-good board yet: contacts judge each other")
        warm = self.warm_words()
        self.detail.setText(warm or f"{read} of {len(points)} contacts · {against}")
        for hint in self.hints:
            hint.setVisible(look.scale <= LARGE_TEXT)
        self._show_key()
        self.show_cautions()

    def _moved(self) -> None:
        self._show_key()
        viewport = self.parentWidget()
        above = viewport.parentWidget() if viewport is not None else None
        if isinstance(above, QScrollArea):
            above.ensureWidgetVisible(self.ladder.field)

    def _show_key(self) -> None:
        self.key.lanes = self.ladder.lanes
        self.key.verdicts = {p: r.judgement.verdict for p, r in self.ladder.judged.items()}
        self.key.current = self.ladder.current_point()
        self.key.update()

    def show_points(self, points: tuple[str, ...]) -> None:
        """Light the contacts that the next step asks for."""
        lit = frozenset(points if len(points) <= FEW_POINTS else ())
        if lit != self.ladder.highlight:
            self.ladder.highlight = lit
            self.ladder.update()

    def focus_entry(self) -> None:
        unread = self.ladder.first_unread()
        if unread and self.ladder.current_point() in self.ladder.judged:
            self.ladder.go_to(unread)
        self.ladder.field.setFocus()

    def go_to(self, point: str) -> bool:
        if any(lane.point == point for lane in self.ladder.lanes):
            self.ladder.go_to(point)
            self.ladder.field.setFocus()
            return True
        return False

    def _entered(self, point: str, text: str) -> None:
        held = self.reading_gate()
        if held:
            self.say_trouble(held)
            return
        try:
            reading = parse_reading(text, point, METHOD)
        except EntryRefusedError as problem:
            self.say_trouble(f"{problem.happened} {problem.kept}")
            self.ladder.field.selectAll()
            return
        self.say_trouble("")
        self.ladder.field.clear()
        if self.model.record_reading(reading, METHOD):
            self.ladder.advance()
        else:
            self.ladder.field.setText(text)

    def reading_gate(self) -> str:
        """Why readings are held back, or nothing."""
        if self.model.readings_held():
            return "Is the cell unplugged? Ctrl+U says it is; then Enter again. What you typed is kept."
        return ""

    def as_text(self) -> str:
        lines = [self.sentence.text(), self.detail.text()]
        for lane in self.ladder.lanes:
            judged = self.ladder.judged.get(lane.point)
            if judged is not None:
                lines.append(f"{lane.contact.name}\t{lane.contact.number}\t{lane.contact.signal}\t"
                             f"{value_text(judged)}\t{judged.judgement.verdict.words}")
        return "\n".join(lines)
