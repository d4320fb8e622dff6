"""The hands of the simulated bench: a small window that puts probes, plugs, cells and parts where they belong."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QStringListModel, Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QCompleter,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from dextrum.core.board import Side
from dextrum.desktop.bench.board_under_hands import BoardUnderHands
from dextrum.desktop.bench.hands_words import hands_words
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.errors import InstrumentError
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.instruments.simbench.server import CAME_IN, BenchServer
from dextrum.tongue import capital, tr
from dextrum.world.photograph import Picture

REFRESH_MILLISECONDS = 500
SPEEDS = ("1", "10", "60", "600")
CELLS = (("plugged", tr("its own cell in")), ("unplugged", tr("no cell")), ("known_good", tr("a known-good cell in")))
POSITIONS = (("resting", tr("resting")), ("pushed_in", tr("pushed in")), ("hanging", tr("hanging")))
LEAST_LETTERS = 10
"""Of a choice that is seen while it is closed."""


class SimbenchWindow(QWidget):
    """grade: words for what the bench reveals; picture: one side of its board straight from above."""

    def __init__(self, server: BenchServer, grade: Callable[[dict[str, Any]], str],
                 picture: Callable[[SimulatedBench, Side], Picture]) -> None:
        super().__init__()
        self.server = server
        self._picture = picture
        self._grade = grade
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle(tr("Simulated bench: your hands"))
        self.resize(640, 760)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        self.head = QLabel()
        self.head.setObjectName("section")
        self.state = QLabel()
        self.state.setObjectName("quiet")
        self.said = QLabel()
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        for label in (self.head, self.state, self.said):
            label.setWordWrap(True)
        self.said.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        column.addWidget(self.head)
        column.addWidget(self.state)
        self.under = BoardUnderHands(lambda side: self._picture(server.bench, side))
        self.under.touched.connect(self.set_down)
        column.addWidget(self.under, 1)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        self.point = QLineEdit()
        self.point.setPlaceholderText(tr("a point, such as J1.A4, or two: F1.1 F1.2"))
        self.point.setAccessibleName(tr("Point for the probe"))
        self.point.returnPressed.connect(self.touch)
        self.part = QLineEdit()
        self.part.setPlaceholderText(tr("a part, such as F1"))
        self.part.setAccessibleName(tr("Part for the hands"))
        self.cell, self.way, self.position, self.speed = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        for box, choices in ((self.cell, CELLS), (self.way, (("a", tr("A side up")), ("b", tr("B side up")))),
                             (self.position, POSITIONS)):
            for value, words in choices:
                box.addItem(words, value)
        for times in SPEEDS:
            self.speed.addItem(tr("time runs ×{times}", times=times), times)
        self.fetching = Background(self)
        self.fetching.finished.connect(self._lay_fetched)
        self.fetching.failed.connect(self.said.setText)
        self.check, self.unit = QComboBox(), QComboBox()
        self.unit.setAccessibleName(tr("Unit on the bench"))
        for box in (self.cell, self.way, self.position, self.speed, self.check, self.unit):
            # Long choices are read when it is open; beside a window there is little room.
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(LEAST_LETTERS)
        self.unit.addItem(tr("the unit that came in"), CAME_IN)
        for beside in server.beside:
            self.unit.addItem(beside.words, beside.name)
        self.unit.setCurrentIndex(max(self.unit.findData(server.lying), 0))
        self.follow = QCheckBox(tr("Tips go where the nets are to be probed"))
        self.follow.toggled.connect(lambda on: self.do("follow", on=on))
        rows: tuple[tuple[str, QWidget, tuple[tuple[str, Callable[[], object]], ...]], ...] = (
            (tr("Unit"), self.unit, ((tr("Lay it here"), self.lay),)),
            (tr("Probe"), self.point, ((tr("Touch"), self.touch), (tr("Lift off"), self.lift))),
            ("", self.follow, ((tr("Turn the board over"), self.turn_over),)),
            (
                tr("Plug"),
                self._beside(self.way, self.position),
                ((tr("Plug in"), self.plug), (tr("Unplug"), lambda: self.do("unplug"))),
            ),
            (tr("Cell"), self.cell, ((tr("Do it"), lambda: self.do("cell", cell=self.cell.currentData())),)),
            (
                tr("Part"),
                self.part,
                ((tr("Lift"), lambda: self.with_part("off")), (tr("Put back"), lambda: self.with_part("on"))),
            ),
            (
                "",
                QLabel(),
                (
                    (tr("Replace"), lambda: self.with_part("repair", action="replace")),
                    (tr("Reflow"), lambda: self.with_part("repair", action="reflow")),
                ),
            ),
            (tr("Try"), self.check, ((tr("Try it"), self.try_check),)),
            (tr("Time"), self.speed, ((tr("Set"), lambda: self.do("speed", times=float(self.speed.currentData()))),)),
        )
        for row, (name, widget, buttons) in enumerate(rows):
            label = QLabel(name)
            label.setObjectName("quiet")
            grid.addWidget(label, row, 0)
            grid.addWidget(widget, row, 1)
            for place, (words, act) in enumerate(buttons):
                button = QPushButton(words)
                button.setObjectName("small")
                button.clicked.connect(lambda _checked=False, act=act: act())
                grid.addWidget(button, row, 2 + place)
        column.addLayout(grid)
        last = FlowLayout()
        for words, act in ((tr("Look into the port"), lambda: self.do("look")),
                           (tr("Look at the top"), lambda: self.do("look_board", side="top")),
                           (tr("Look at the bottom"), lambda: self.do("look_board", side="bottom")),
                           (tr("Ask the owner"), lambda: self.do("owner")),
                           (tr("Fan"), lambda: self.do("fan")), (tr("Turn the tester"), lambda: self.do("turn")),
                           (tr("Reveal and grade"), self.reveal)):
            button = QPushButton(words)
            button.setObjectName("small")
            button.clicked.connect(lambda _checked=False, act=act: act())
            last.addWidget(button)
        column.addLayout(last)
        column.addWidget(self.said)
        self._timer = QTimer(self)
        self._timer.setInterval(REFRESH_MILLISECONDS)
        self._timer.timeout.connect(self.refresh)
        self._timer.start()
        self._show_unit()
        self.refresh()
        self.point.setFocus()

    def _show_unit(self) -> None:
        """Names, checks and picture of the unit that lies on the bench now."""
        board = self.server.bench.board
        words = tr("{model}, rev {revision}, just came in. Take it in there with Ctrl+N; be its technician's hands "
                   "here.", model=board.model, revision=board.revision) if self.server.lying == CAME_IN else \
            tr("{model}, rev {revision}: no pack describes it. Make one there: Ctrl+N, another model. Photos of both "
               "sides lie in the demo's folder.", model=board.model, revision=board.revision)
        self.head.setText(words)
        self._complete(self.point, [p.id for p in board.points])
        self._complete(self.part, [c.designator for c in board.components])
        self.check.clear()
        for check in board.checks:
            self.check.addItem(check.words, check.id)
        self.under.show_board(board)

    def lay(self) -> None:
        """Another unit comes to lie on the bench; the one before keeps what was done to it. It is made beside the
        window when it is wanted first."""
        name = self.unit.currentData()

        def fetch(_told: Callable[[float], bool]) -> object:
            self.server.fetch(name)
            return name

        self.said.setText(tr("One moment, it is fetched."))
        self.fetching.start(fetch)

    def _lay_fetched(self, name: object) -> None:
        if self.do("lay", unit=name) is not None:
            self._show_unit()
            self.said.setText(tr("{words} lies on the bench.", words=capital(self.unit.currentText())))
            self.refresh()
        else:
            self.unit.setCurrentIndex(max(self.unit.findData(self.server.lying), 0))

    def turn_over(self) -> None:
        side = self.under.side.other
        self.under.show_board(self.server.bench.board, side)
        self.said.setText(tr("The board shows its {side} side.", side=tr(side.value)))

    def lift(self) -> None:
        self.under.lift()
        self.do("lift")

    def set_down(self, red: tuple[Side, float, float], black: tuple[Side, float, float] | None) -> None:
        """Tips on places of the picture; black on ground where it was set down nowhere."""
        at = [red[0].value, red[1], red[2]]
        told = self.do("probe", at=at, **({"to": [black[0].value, black[1], black[2]]} if black else {}))
        if told is None:
            self.under.lift()
        elif black:
            self.said.setText(tr("Red is on {one}, black on {other}.", one=told["on"] or tr("bare board"),
                                 other=told["to"] or tr("bare board")))
        else:
            self.said.setText(tr("The probe is on {name}.", name=told["on"] or tr("bare board"))
                              + tr(" Shift and click puts the other tip elsewhere than on ground."))

    def _complete(self, field: QLineEdit, names: list[str]) -> None:
        completer = QCompleter(QStringListModel(names, field), field)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        field.setCompleter(completer)

    @staticmethod
    def _beside(*widgets: QWidget) -> QWidget:
        both = QWidget()
        row = QHBoxLayout(both)
        row.setContentsMargins(0, 0, 0, 0)
        for widget in widgets:
            row.addWidget(widget, 1)
        return both

    def do(self, order: str, **what: object) -> dict[str, Any] | None:
        """Give the hands an order, and say what came of it."""
        try:
            told = self.server.hand({"do": order, **what})
        except (HandRefusedError, InstrumentError) as problem:
            self.said.setText(str(problem))
            return None
        self.said.setText(hands_words(order, self.server.bench.board, told))
        self.refresh()
        return told

    def touch(self) -> None:
        """The point that is typed, or the two ends that both tips go to: F1.1 F1.2."""
        ends = self.point.text().split()
        if len(ends) == 2:
            self.under.lift()
            told = self.do("probe", point=ends[0], to=ends[1])
            if told is not None:
                self.said.setText(tr("Red is on {one}, black on {other}.", one=told["on"], other=told["to"]))
                self.point.selectAll()
            return
        self.under.lift()
        name = next((p.id for p in self.server.bench.board.points
                     if p.id.casefold() == self.point.text().strip().casefold()), self.point.text().strip())
        if self.do("probe", point=name) is not None:
            self.said.setText(tr("The probe is on {name}.", name=name))
            self.point.selectAll()

    def plug(self) -> None:
        self.do("plug", way=self.way.currentData(), position=self.position.currentData())

    def with_part(self, order: str, **what: object) -> None:
        self.do(order, part=self.part.text().strip().upper(), **what)

    def try_check(self) -> None:
        told = self.do("try", check=self.check.currentData())
        if told is not None:
            self.said.setText(f"{self.check.currentText()}: {tr('yes') if told['passed'] else tr('no')}.")

    def reveal(self) -> None:
        told = self.do("reveal")
        if told is not None:
            self.said.setText(self._grade(told))

    def refresh(self) -> None:
        if self.under.board is not self.server.bench.board:  # laid there by an order that came over the wire
            self.unit.setCurrentIndex(max(self.unit.findData(self.server.lying), 0))
            self._show_unit()
        now = self.server.bench.hand({"do": "state"})
        plug = tr("plugged in, {now} side up, {now2}", now=now["way"].upper(),
                  now2=dict(POSITIONS).get(now["position"], now["position"])) if now["way"] \
            else tr("nothing plugged in")
        cell = dict(CELLS)[now["cell"]]
        off = tr(", {now} off", now=", ".join(now["off"])) if now["off"] else ""
        self.state.setText(
            tr("Probe {now}; {plug}; {cell}{off}; tester {which}; fan {which2}; board {now2:.0f} °C; time ×{now3:g}.",
               now=tr("on ") + now["probe"] if now["probe"] else tr("in the air"), plug=plug, cell=cell, off=off,
               which=tr("turned over") if now["turned"] else tr("upright"),
               which2=tr("in") if now["fan"] else tr("out"), now2=now["celsius"], now3=now["speed"])
        )

    def closeEvent(self, event: QCloseEvent) -> None:
        self._timer.stop()
        self.fetching.close()
        super().closeEvent(event)
