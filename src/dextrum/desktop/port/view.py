"""Port view: the ladder, the receptacle's shape as a key, and typing in place."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QWidget

from dextrum.app.reading.before_after import before_after_words
from dextrum.app.reading.comparing import Comparison
from dextrum.app.reading.judged import JudgedReading
from dextrum.app.reading.sentences import node_words, readings_sentence, turned_words
from dextrum.app.reading.typed import ReadAsMillivoltsError, parse_reading
from dextrum.core.board import Board, Method
from dextrum.core.board.value_words import value_words
from dextrum.core.capture.shifted import Shift, likeliest_shift
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.table import NO_REFERENCES, ReferenceTable
from dextrum.core.reference.tester import facing_points, turned_findings
from dextrum.core.trail import PointReading, Readings
from dextrum.desktop.frame.job_model import JUDGING, JobModel
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.port.ladder import Lane, PortLadder, lanes_of, value_text
from dextrum.desktop.port.pair_strip import PairStrip
from dextrum.desktop.port.reading_commands import NAMING
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.advice.recommend import Advice


FEWEST_SHIFTED = 6
"""Contacts read before it is asked whether they stand one too far."""
FEW_POINTS = 6
"""More lit lanes than this point at nothing."""


class ReceptacleKey(QWidget):
    """The true shape of the receptacle, looked into, with what is off filled in."""

    def __init__(self) -> None:
        super().__init__()
        self.lanes: tuple[Lane, ...] = ()
        self.verdicts: dict[str, Verdict] = {}
        self.current = ""
        self.setAccessibleName(tr("Shape of the port"))

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
        one_row = bool(self.lanes) and all(lane.contact.row == "A" for lane in self.lanes)
        last = max((lane.contact.place for lane in self.lanes), default=12) if one_row else 12
        # A socket of its own kind is no oval with two rows.
        round_by = look.px(6) if one_row else height / 2
        painter.drawRoundedRect(QRectF(left, top, width, height), round_by, round_by)
        step = (width - look.px(48)) / max(last - 1, 1)
        painter.setFont(look.font(12))
        # Plain rectangles: this is painted anew with every reading.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for lane in self.lanes:
            place = lane.contact.place
            x = left + look.px(24) + ((place - 1) if lane.contact.row == "A" else (12 - place)) * step
            y = top + height * (0.45 if one_row else 0.27 if lane.contact.row == "A" else 0.62)
            verdict = self.verdicts.get(lane.point, Verdict.NOT_JUDGED)
            box = QRect(round(x) - look.px(4), round(y) - look.px(4), look.px(8), look.px(12))
            painter.setPen(QPen(look.colour("ink"), 3 if lane.point == self.current else 1))
            painter.setBrush(look.verdict_colour(verdict) if verdict.is_off else (
                look.colour("band") if verdict is Verdict.WITHIN else look.colour("ground")))
            painter.drawRect(box)
        painter.setPen(look.colour("quiet"))
        side = look.px(40)
        high = height if one_row else height / 2
        for text, x, y in (("A1", left - side - 6, top), ("" if one_row else "B12", left - side - 6, top + high)):
            painter.drawText(QRectF(x, y, side, high),
                             Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        for text, y in ((f"A{last}", top), ("" if one_row else "B1", top + high)):
            painter.drawText(QRectF(left + width + 6, y, side, high),
                             Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


LEAST_WITH_HINTS = 640
"""Pixels at 100 % text from which there is room for hints beside the receptacle."""


class PortView(JobView):
    name = "port"
    sentence_lines = 2
    keys = (
        ("0.512 Enter", tr("records, judges and goes on")),
        (tr("o or +"), tr("OL: records and goes on")),
        (tr("0.51w Enter"), tr("a value that wavers")),
        ("512m", "millivolts"),
        ("↑ ↓", tr("the contact above, below")),
        ("← →", tr("to the twin, in an empty field")),
        ("Esc", tr("empties the field")),
    )
    commands = ("capture.walk", "capture.scan", "port.turned", "port.pairs", "board.temperature", "compare.choose",
                "compare.none", "port.shift", "port.naming", "port.breakout", "port.cleaned")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self._lanes: tuple[Lane, ...] = ()
        self._lanes_for: tuple[object, ...] = ()
        self.ladder = PortLadder()
        self.ladder.entered.connect(self._entered)
        self.ladder.moved.connect(lambda _point: self._moved())
        self.ladder.passed_end.connect(self._at_end)
        self.body.addWidget(self.ladder, 1)
        self.pairs = PairStrip()
        self.pairs.entered.connect(self._entered)
        self.pairs.passed_end.connect(self._pairs_end)
        self.pairs.left.connect(lambda: self.ladder.field.setFocus())
        self.body.addWidget(self.pairs)
        self.key = ReceptacleKey()
        line = QHBoxLayout()
        self.hints: list[QLabel] = [quiet_label(tr("Enter records and goes on\no: OL · 0.51w: wavers")),
                                    quiet_label(tr("← → to the twin\ntype over to record again"))]
        self.hints[1].setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self.hints[0], 1)
        line.addWidget(self.key)
        line.addWidget(self.hints[1], 1)
        self.body.addLayout(line)

    def refresh(self) -> None:
        board, known = self.model.board, self.model.references
        if board is None:
            self.ladder.show_port((), {})
            self.pairs.show_pairs((), {}, "")
            self.sentence.setText(tr("No board pack: readings can't be taken here."))
            return
        # Contacts can be typed at before anything judges them: the first keys after a start must not go elsewhere.
        references = known or NO_REFERENCES
        method = self.model.diode_method
        if self._lanes_for != (board, references, method):
            self._lanes_for = (board, references, method)
            self._lanes = lanes_of(board, references, method)
        lanes = self._lanes
        self._name_contacts(board)
        self.hints[1].setText(tr("← → to the twin\ntype over to record again") if any(
            lane.contact.row == "B" for lane in lanes) else tr("type over to record again"))
        shown = self.model.readings_of_this_way_up()
        judged = {p: r for p, r in shown.items() if r.method is method}
        comparison = self._comparison()
        if comparison is not self.ladder.comparison:
            self.ladder.comparison = comparison
            self.ladder.update()
        self.ladder.show_port(lanes, judged)
        if self._shown_for != self.model.job_id:
            self._begin_job()
        self.pairs.show_pairs(board.node_pairs, self.model.judged, tr(self.model.ohms_method.value))
        points = [lane.point for lane in lanes]
        turned = turned_words(board, turned_findings(board, references, self.model.facts))
        # While the tester is turned over, the sentence is about the contacts as both ways up leave them.
        settled = {p: r for p, r in self.model.judged.items() if r.method is method}
        self._say_shift(board, references, judged)
        words = [readings_sentence(board, settled if turned else judged, points), turned,
                 node_words(board, self.model.judged), before_after_words(board, references, judged, points)]
        self.sentence.setText(JUDGING if self.model.judging else " ".join(word for word in words if word))
        self._say_detail(points, judged, lanes)
        for hint in self.hints:
            hint.setVisible(look.scale <= LARGE_TEXT and self.width() >= look.px(LEAST_WITH_HINTS))
        self._show_key()
        self.show_cautions()

    def _say_shift(self, board: Board, references: ReferenceTable, judged: Mapping[str, JudgedReading]) -> None:
        """Ask about a scan that fits far better one contact further."""
        order = board.port_point_ids()
        epoch = self.model.facts.epoch
        values = {p: r.reading.value for p, r in judged.items() if p in board.port_points and r.reading.epoch == epoch}
        expected = {p: (r.centre, r.spread) for p in order
                    if (r := references.get(p, self.model.diode_method)) is not None}
        self.shift = likeliest_shift(order, values, expected) if len(values) >= FEWEST_SHIFTED else None
        if self.shift is not None:
            where = self.shift.first.partition(".")[2]
            way = tr("back") if self.shift.by < 0 else tr("on")
            self.say_trouble(tr("From {where} on the readings fit far better one contact further {way}: was one "
                                "{which}? Ctrl+Alt+M moves them.", where=where, way=way,
                                which=tr("skipped") if self.shift.by < 0 else tr("entered twice")))
            self._shift_said = True
        elif self._shift_said:
            self._shift_said = False
            self.say_trouble("")

    def move_shifted(self) -> str:
        """Record the readings from the doubtful contact on at the contacts they fit, and strike where they stood; what
        was done, in words."""
        board, shift = self.model.board, self.shift
        if board is None or shift is None:
            return tr("The readings fit as they stand.")
        order = board.port_point_ids()
        start, epoch, method = order.index(shift.first), self.model.facts.epoch, self.model.diode_method
        taken = {k: r for k in range(start, len(order))
                 if (r := self.model.facts.reading(order[k], method.value, epoch)) is not None}
        moved = tuple(PointReading(order[k + shift.by], r.shown, r.wavering) for k, r in taken.items()
                      if 0 <= k + shift.by < len(order))
        meter = next(iter(taken.values())).meter if taken else ""
        if not moved or not self.model.record(Readings(method, moved, meter)):
            return tr("Not moved.")
        left = {order[k] for k in taken} - {r.point for r in moved}
        single = {e.id for e in self.model.trail if isinstance(e.payload, Readings) and len(e.payload.readings) == 1}
        for reading in (r for k, r in taken.items() if order[k] in left and r.entry_id in single):
            self.model.strike(reading.entry_id)
        return tr("{count} readings moved by one contact.", count=len(moved))

    def _name_contacts(self, board: Board) -> None:
        """Contacts as the breakout in hand counts them."""
        if self._naming is None:
            self._naming = self.model.session.store.setting(NAMING)
        naming = self._naming
        numbers: Mapping[str, int] = {}
        self._counted = ""
        if naming == "numbers" and board.ports:
            numbers = {c.name: c.number for c in board.ports[0].contacts}
            self._counted = tr("counted 1 to 24 as the pack maps them")
        elif naming:
            found = next((b for b in self.model.session.breakouts() if b.name == naming), None)
            numbers = found.numbers if found is not None else {}
            self._counted = tr("counted as {naming}: {found}", naming=naming,
                               found=found.words) if found is not None else ""
        if numbers != self.ladder.numbers:
            self.ladder.numbers = numbers
            self.ladder.update()

    def _comparison(self) -> Comparison | None:
        """What is laid under the readings: what was chosen, else, with the tester turned over, the way up before."""
        if self.model.comparison is not None or not self.model.turned:
            self._upright = None
            return self.model.comparison
        upright = {(p, Method(m)): r.value for (e, p, m, turned), r in (self.model.facts.either_way_up or {}).items()
                   if not turned and e == self.model.facts.epoch}
        if self._upright is None or self._upright.values != upright:
            self._upright = Comparison(tr("tester upright"), upright)
        return self._upright

    def name_anew(self) -> None:
        """The naming has changed: read it again, which a reading does not."""
        self._naming = None

    _shown_for = ""
    _due: tuple[str, ...] = ()
    _wait_for_advice = True
    _shift_said = False
    shift: Shift | None = None
    _naming: str | None = None
    _upright: Comparison | None = None
    _counted = ""

    def _say_detail(self, points: list[str], judged: Mapping[str, JudgedReading], lanes: tuple[Lane, ...]) -> None:
        read = sum(point in judged for point in points)
        boards = max((lane.band.boards for lane in lanes), default=0)
        sister = boards and all(lane.band.origin == "sister" for lane in lanes if lane.band.boards)
        references = self.model.references
        share = 100 * (references.false_alarm if references is not None else 0.0)
        against = "" if references is None else tr("judged by a sister revision's boards: wider") if sister else (
            tr("judged against {boards} known-good board{s} · false alarm {share:g} % a scan", boards=boards,
               s="s" if boards != 1 else "", share=share)) if boards else (
            tr("no known-good board yet: contacts judge each other"))
        counted = tr("{read} of {count} contacts", read=read, count=len(points))
        words = [self.warm_words() or f"{counted} · {against}".rstrip(" ·"), self._counted]
        if self.model.diode_method is not Method.DIODE_RED_GROUND:
            words.append(self.model.diode_method.words)
        if self.model.turned:
            words.append(tr("tester turned over{pad_words}", pad_words=self._pad_words()))
        if self.model.facts.isolated:
            words.append(tr("with {sorted} removed, kept apart", sorted=", ".join(sorted(self.model.facts.isolated))))
        if self.ladder.comparison is not None:
            words.append(self._compared_words(self.ladder.comparison))
        self.detail.setText(" · ".join(word for word in words if word))

    def _pad_words(self) -> str:
        """Which pad of the turned breakout reaches the contact in hand."""
        board, here = self.model.board, self.ladder.current_point()
        pad = facing_points(board).get(here, "") if board is not None else ""
        contact = pad.partition(".")[2]
        number = self.ladder.numbers.get(contact)
        counted = f" ({number})" if number else ""
        return tr(": for {partition} touch its pad {contact}{counted}", partition=here.partition(".")[2],
                  contact=contact, counted=counted) if pad else ""

    def _compared_words(self, comparison: Comparison) -> str:
        """The contact in hand beside what it is compared with."""
        point = self.ladder.current_point()
        other = comparison.at(point, self.model.diode_method)
        here = self.ladder.judged.get(point)
        said = f"□ {comparison.name}"
        if other is None:
            return tr("{said}: not read there", said=said)
        said += f": {value_words(other, self.model.diode_method)}"
        if here is not None and math.isfinite(other) and math.isfinite(here.reading.value):
            said += tr(", here {reading:+.0f} mV", reading=1000 * (here.reading.value - other))
        return said

    def _moved(self) -> None:
        self._show_key()
        if self.model.turned or self.ladder.comparison is not None:
            self._say_detail([lane.point for lane in self._lanes], self.ladder.judged, self._lanes)
        viewport = self.parentWidget()
        above = viewport.parentWidget() if viewport is not None else None
        if isinstance(above, QScrollArea):
            above.ensureWidgetVisible(self.ladder.field)

    def _at_end(self) -> None:
        """The last contact is read: nothing more is taken, and never volts as ohms."""
        self.ladder.field.clear()
        unread = self.ladder.first_unread()
        more = tr(" {partition} is still unread.", partition=unread.partition(".")[2]) if unread else ""
        pairs = tr(" Contact to contact, in ohms: Ctrl+Alt+O.") if self.pairs.pairs else ""
        self.say_trouble(tr("That was the last contact.{more} Choose a contact to read it again.{pairs}", more=more,
                            pairs=pairs))

    def _pairs_end(self) -> None:
        self.pairs.field.clear()
        self.say_trouble(tr("That was the last pair. Choose one to read it again."))

    def to_pairs(self) -> bool:
        """To the first pair that is unread, or the first; whether there are any."""
        pairs = [pair.id for pair in self.pairs.pairs]
        unread = next((p for p in pairs if p not in self.model.judged), pairs[0] if pairs else "")
        return bool(unread) and self.pairs.go_to(unread)

    def _begin_job(self) -> None:
        """Another job has come into view: its own place, and nothing typed for the last one."""
        self._shown_for = self.model.job_id
        assessment = self.model.assessment
        self._due = assessment.advice.next.points if assessment is not None else ()
        self._wait_for_advice = True
        for place in (self.ladder, self.pairs):
            place.field.clear()
            place.current = 0
            place.at_end = False
        self.say_trouble("")
        unread = self.ladder.first_unread()
        if unread:
            self.ladder.go_to(unread)

    def _show_key(self) -> None:
        self.key.lanes = self.ladder.lanes
        self.key.verdicts = {p: r.judgement.verdict for p, r in self.ladder.judged.items()}
        self.key.current = self.ladder.current_point()
        self.key.update()

    def light(self, advice: Advice | None) -> None:
        """Light the contacts that the next step asks for."""
        points = advice.next.points if advice is not None else ()
        self._due = points or self._due
        if points and self._wait_for_advice:
            self._wait_for_advice = False
            if not self.ladder.field.text() and points[0] in {lane.point for lane in self.ladder.lanes}:
                self.ladder.go_to(points[0])
        due = tuple(points) if len(points) <= FEW_POINTS else ()
        if due != self.ladder.due:
            self.ladder.due = due
            self.ladder.update()

    def focus_entry(self) -> None:
        unread = self.ladder.first_unread()
        if unread and self.ladder.current_point() in self.ladder.judged:
            self.ladder.go_to(unread)
        self.ladder.field.setFocus()

    def go_to(self, point: str) -> bool:
        if self.ladder.has(point):
            self.ladder.go_to(point)
            self.ladder.field.setFocus()
            return True
        return self.pairs.go_to(point)

    def _entered(self, point: str, text: str) -> None:
        board = self.model.board
        held = self.reading_gate()
        if held or board is None:
            self.say_trouble(held)
            return
        place: PortLadder | PairStrip = self.pairs if point == self.pairs.current_point() else self.ladder
        method = self.model.method_at(board.point_by_id[point])
        try:
            reading = parse_reading(text, point, method)
        except EntryRefusedError as problem:
            self.say_trouble(" ".join(filter(None, (problem.happened, problem.kept, problem.next_step))))
            if isinstance(problem, ReadAsMillivoltsError):
                place.field.setText(problem.instead)
            place.field.selectAll()
            return
        self.say_trouble("")
        place.field.clear()
        self._wait_for_advice = False
        if self.model.record_reading(reading, method):
            self._on(point, place)
        else:
            place.field.setText(text)

    def _on(self, point: str, place: PortLadder | PairStrip) -> None:
        """To the next point that is due where this one was; else to the next contact."""
        if point not in self._due:
            place.advance()
            return
        self._due = tuple(p for p in self._due if p != point)
        in_ladder = isinstance(place, PortLadder)
        ahead = next((p for p in self._due if self.ladder.has(p) == in_ladder), "")
        if ahead and in_ladder:
            self.ladder.go_to(ahead)
        elif ahead and self.pairs.go_to(ahead):
            return
        elif in_ladder and any(not self.ladder.has(p) for p in self._due):
            self.ladder.at_end = True
            self.say_trouble(tr("All contacts that are due are read. Contact to contact is next, in ohms: Ctrl+Alt+O."))
        else:
            place.advance()

    def reading_gate(self) -> str:
        """Why readings are held back, or nothing."""
        if self.model.readings_held():
            return tr("Is the cell unplugged? Ctrl+U says it is; then Enter again. What you typed is kept.")
        return ""

    def as_text(self) -> str:
        lines = [self.sentence.text(), self.detail.text()]
        for lane in self.ladder.lanes:
            judged = self.ladder.judged.get(lane.point)
            if judged is not None:
                lines.append(f"{lane.contact.name}\t{lane.contact.number}\t{lane.contact.signal}\t"
                             f"{value_text(judged)}\t{judged.judgement.verdict.words}")
        for pair in self.pairs.pairs:
            judged = self.model.judged.get(pair.id)
            if judged is not None:
                lines.append(f"{pair.id}\t{value_words(judged.reading.shown, judged.method)}\t"
                             f"{judged.judgement.verdict.words}")
        return "\n".join(lines)
