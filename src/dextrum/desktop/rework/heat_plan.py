"""How warm the board gets under a recipe's heat, over its plan, with a slider for the time.

Lines of equal temperature, the parts that soften or suffer by then with their names, and what a plate below or shields
change. Keys on the slider: arrows a step, Page up and Page down ten, Home and End.
"""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QCheckBox, QFrame, QLabel, QPushButton, QSizePolicy, QSlider, QVBoxLayout, QWidget

from dextrum.app.rework.heat_answer import (
    HeatAnswer,
    Protection,
    frame_at,
    levels_of,
    parts_at_risk,
    risk_words,
    tender_near,
)
from dextrum.core.board import Board, ComponentKind
from dextrum.core.rework.isotherms import isotherms
from dextrum.desktop.board.board_plan import BoardPlan
from dextrum.desktop.board.labels import Label, place_labels
from dextrum.desktop.board.plan_labels import HEAD_PIXELS
from dextrum.desktop.board.plan_photos import PlanPhotos
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import quiet_label
from dextrum.desktop.theme import look
from dextrum.tongue import tr

FIELD_PIXELS = 64
"""A field of four figures at 100 % text."""
PLAN_PIXELS = 250
"""Height of the plan at 100 % text: parts of a millimetre are told apart and the lines below it still show."""


class HeatPlan(BoardPlan):
    """The board with its parts, lines of equal temperature and what is at risk, at one time."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Heat over the plan of the board"))
        self.answer: HeatAnswer | None = None
        self.seconds = 0.0

    def sizeHint(self) -> QSize:
        return QSize(500, look.px(PLAN_PIXELS))

    def show_heat(self, board: Board, answer: HeatAnswer) -> None:
        self.answer = answer
        self.show_board(board)
        part = board.component_by_designator.get(answer.part)
        if part is not None:
            self.side = part.side
        self.update()

    def show_time(self, seconds: float) -> None:
        self.seconds = seconds
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.board is None or self.answer is None or self.answer.warming is None:
            super().paintEvent(event)
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.colour("panel"))
        self.paint_ground(painter)
        risks = {risk.part: risk for risk in parts_at_risk(self.board, self.answer, self.seconds)}
        under = bool(self.photos) and self.photo_share > 0.0
        for part in self.parts_here():
            risk = risks.get(part.designator)
            hand = part.designator == self.answer.part
            edge = "above" if risk else "ink" if hand else "edge"
            painter.setPen(QPen(look.colour(edge), 2.5 if risk or hand else 1))
            fill = look.colour("lit" if risk else "band" if part.kind is ComponentKind.IC else "shelf")
            # A photo shows the part itself: only what is at risk is filled over it.
            painter.setBrush(Qt.BrushStyle.NoBrush if under and not risk else fill)
            painter.drawRoundedRect(self.box_of(part), 2, 2)
        taken = self._paint_lines(painter)
        self._paint_names(painter, set(risks), taken)
        self.paint_heads(painter)
        self.paint_focus(painter)

    def _paint_lines(self, painter: QPainter) -> list[QRectF]:
        """Lines of equal temperature, each with its degrees; where the degrees stand."""
        assert self.answer is not None and self.answer.warming is not None
        warming = self.answer.warming
        found = isotherms(warming.grid, warming.celsius[frame_at(warming, self.seconds)], levels_of(self.answer))
        taken: list[QRectF] = []
        named: list[tuple[QRectF, str]] = []
        metrics = QFontMetricsF(look.font(12, QFont.Weight.Bold))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pane in self.panes():
            for level, lines in found.items():
                strong = level == self.answer.floats_at
                longest = max(lines, key=len, default=None)
                for line in lines:
                    shape = QPolygonF([self.place(float(x), float(y), pane.side) for x, y in line])
                    path = QPainterPath()
                    path.addPolygon(shape)
                    painter.setPen(QPen(look.colour("panel"), 4.5 if strong else 3.5))
                    painter.drawPath(path)
                    painter.setPen(QPen(look.colour("above"), 2.6 if strong else 1.4,
                                        Qt.PenStyle.SolidLine if strong else Qt.PenStyle.DashLine))
                    painter.drawPath(path)
                    words = f"{level:.0f} °C"
                    spot = self._free_spot(shape, metrics.horizontalAdvance(words) + 8, metrics.height(), taken,
                                           pane.rect) if line is longest else None
                    if spot is not None:
                        taken.append(spot)
                        named.append((spot, words))
        painter.setFont(look.font(12, QFont.Weight.Bold))
        for spot, words in named:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.colour("panel"))
            painter.drawRoundedRect(spot, 3, 3)
            painter.setPen(look.colour("above"))
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, words)
        return taken

    @staticmethod
    def _free_spot(shape: QPolygonF, width: float, height: float, taken: list[QRectF], within: QRectF) -> QRectF | None:
        """Where the degrees of a line stand: on it, in sight, and on no other's; the topmost such place."""
        spots = []
        for k in range(0, shape.count(), max(1, shape.count() // 24)):
            spot = QRectF(0, 0, width, height)
            spot.moveCenter(shape.at(k))
            if within.contains(spot) and not any(spot.intersects(other) for other in taken):
                spots.append(spot)
        return min(spots, key=lambda spot: spot.top(), default=None)

    def _paint_names(self, painter: QPainter, risks: set[str], taken: list[QRectF]) -> None:
        assert self.answer is not None
        metrics = QFontMetricsF(look.font(12, QFont.Weight.Bold))
        wanted: list[Label] = []
        for part in self.parts_here():
            if part.designator in risks or part.designator == self.answer.part or part.kind is ComponentKind.IC:
                box = self.box_of(part)
                weight = 2.0 if part.designator == self.answer.part else 1.0 if part.designator in risks else 0.0
                wanted.append(Label(part.designator, metrics.horizontalAdvance(part.designator) + 4, metrics.height(),
                                    (box.left(), box.top(), box.width(), box.height()), weight, True))
        top = look.px(HEAD_PIXELS)
        kept = [(spot.left(), spot.top(), spot.width(), spot.height()) for spot in taken]
        found = place_labels(wanted, kept, (0.0, float(top), float(self.width()), float(self.height() - top)))
        for index, place in found.items():
            painter.setFont(look.font(12, QFont.Weight.Bold if wanted[index].weight else QFont.Weight.Normal))
            painter.setPen(look.colour("ink"))
            painter.drawText(QRectF(*place), Qt.AlignmentFlag.AlignCenter, wanted[index].text)


class HeatPanel(QFrame):
    """What the heat does in words, over the plan, and over time. Signals: protected (what is put around it changed),
    measured (seconds, °C: what a thermocouple read), forgotten (the calibration is to be dropped)."""

    protected = Signal()
    measured = Signal(float, float)
    forgotten = Signal()

    def __init__(self, model: JobModel) -> None:
        super().__init__()
        self._board: Board | None = None
        self._answer: HeatAnswer | None = None
        self.words = quiet_label()
        self.plan = HeatPlan()
        self.photos = PlanPhotos(self.plan, model)
        self.plan.setMinimumHeight(look.px(PLAN_PIXELS))
        self.plan.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(tr("Time since the heat began"))
        self.slider.setPageStep(10)
        self.slider.valueChanged.connect(self._show_time)
        self.now = QLabel()
        self.now.setObjectName("section")
        self.now.setWordWrap(True)
        self.below, self.shields = QCheckBox(tr("Warmed from below first")), QCheckBox()
        self.close_it = QPushButton(tr("Close"))
        self.close_it.clicked.connect(self.clear)
        for box in (self.below, self.shields):
            box.toggled.connect(lambda _on: self.protected.emit())
        self.legend = quiet_label()
        self.tools = QWidget()
        tools = FlowLayout(self.tools)
        for tool in (self.below, self.shields, self.close_it):
            tools.addWidget(tool)
        self.run = QWidget()
        run = FlowLayout(self.run)
        self.read, self.after = ValueField(), ValueField()
        self.read.setAccessibleName(tr("Degrees that the thermocouple read"))
        self.after.setAccessibleName(tr("Seconds after the heat began"))
        self.calibrate = QPushButton(tr("Calibrate"))
        self.calibrate.clicked.connect(self._measured)
        self.forget = QPushButton(tr("Forget calibration"))
        self.forget.clicked.connect(self.forgotten)
        self.strength = quiet_label()
        for field in (self.read, self.after):
            field.setMaximumWidth(look.px(FIELD_PIXELS))
            field.returnPressed.connect(self._measured)
        for of_run in (QLabel(tr("A thermocouple at the part, on scrap, by this recipe alone, read")), self.read,
                       QLabel(tr("°C after")), self.after, QLabel("s"), self.calibrate, self.forget):
            run.addWidget(of_run)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for part in (self.words, self.tools, self.now, self.slider, self.plan, self.legend, self.run,
                     self.strength):
            column.addWidget(part)
        self.clear()

    def _measured(self) -> None:
        try:
            read, after = (float(field.text().strip().replace(",", ".")) for field in (self.read, self.after))
        except ValueError:
            self.strength.setText(tr("Degrees and seconds as numbers. Nothing was changed."))
            return
        self.measured.emit(after, read)

    def show_strength(self, share: float) -> None:
        """How strong this bench's hot air is; 0 where nobody has measured it."""
        self.strength.setText(tr("Calibrated: this bench's hot air gives {share:.2f} of a still nozzle's exchange.",
                                 share=share)
                              if share else tr("Not calibrated: an estimate for any bench."))
        self.forget.setVisible(share > 0)

    @property
    def protection(self) -> Protection:
        return Protection(self.below.isChecked(), self.shields.isChecked())

    def clear(self) -> None:
        self._answer = None
        self.words.clear()
        self._show_parts(False)

    def say(self, words: str) -> None:
        """Words instead of a plan: it is being computed, or can't be."""
        self.words.setText(words)
        self.words.show()
        if self._answer is None:
            self._show_parts(False)
            self.words.show()
            self.show()

    def fail(self, words: str) -> None:
        self._answer = None
        self.say(words)

    def _show_parts(self, shown: bool) -> None:
        for part in (self.tools, self.now, self.slider, self.plan, self.legend, self.run, self.strength):
            part.setVisible(shown)
        self.setVisible(shown)

    def show_heat(self, board: Board, answer: HeatAnswer, words: str) -> None:
        """Another answer; the time in hand stays where it is the same part, else it is when its joints float."""
        same = self._answer is not None and self._answer.part == answer.part
        self._board, self._answer = board, answer
        self.words.setText(words)
        self._show_parts(True)
        self.words.show()
        tender = tender_near(board, board.component_by_designator[answer.part])
        self.shields.setEnabled(bool(tender) or self.shields.isChecked())
        self.shields.setText(tr("Shields over {designator}",
                                designator=", ".join(part.designator for part in tender)) if tender
                             else tr("Nothing tender near to shield"))
        self.legend.setText(" · ".join(meaning for _, meaning in sorted(levels_of(answer).items())))
        self.photos.load(board)
        self.photos.as_chosen()
        self.plan.show_heat(board, answer)
        assert answer.warming is not None
        self.slider.setRange(0, len(answer.warming.seconds) - 1)
        at = self.slider.value() if same else frame_at(answer.warming, min(answer.seconds, answer.warming.seconds[-1]))
        self.slider.setValue(at)
        self._show_time(at)

    def _show_time(self, index: int) -> None:
        if self._answer is None or self._answer.warming is None or self._board is None:
            return
        seconds = float(self._answer.warming.seconds[min(index, len(self._answer.warming.seconds) - 1)])
        self.plan.show_time(seconds)
        words = risk_words(self._board, self._answer, seconds)
        self.now.setText(words)
        self.slider.setAccessibleDescription(words)
        self.plan.setAccessibleDescription(words)

