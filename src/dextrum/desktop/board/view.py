"""Board: points by part, one current point in large type, typing in place; type a designator to jump."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.advising.path_words import off_by_point, part_words, suspicious_path, way_words, worth_measuring
from dextrum.app.reading.before_after import before_after_words, was_off
from dextrum.app.reading.judged import JudgedReading, judge_reading
from dextrum.app.reading.sentences import abnormal_words, readings_sentence
from dextrum.app.reading.typed import ReadAsMillivoltsError, parse_reading
from dextrum.core.advice.order import probing_order
from dextrum.core.advice.wording import where_words
from dextrum.core.board import Method, Point
from dextrum.core.board.part_checks import PartCheck, part_check
from dextrum.core.board.path import break_stretch
from dextrum.core.board.value_words import value_words
from dextrum.core.reference.judge import Judgement, Verdict
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.desktop.board.board_plan import BoardPlan
from dextrum.desktop.board.plan_photos import PlanPhotos
from dextrum.desktop.frame.chosen_row import is_chosen
from dextrum.desktop.frame.job_model import JUDGING, JobModel
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.marks import draw_mark
from dextrum.desktop.port.ladder import value_text
from dextrum.desktop.port.reading_field import ReadingField
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
POINT_ROLE = int(Qt.ItemDataRole.UserRole)
LIST_WIDTH, LEAST_PLAN = 256, 300
"""Of the list of points, and of the plan beside which it may stand, at 100 % text."""


if TYPE_CHECKING:
    from dextrum.core.advice.recommend import Advice


class PointList(QAbstractListModel):
    """Points of the board that are not port contacts, grouped by part as the pack lists them."""

    def __init__(self) -> None:
        super().__init__()
        self.points: tuple[Point, ...] = ()
        self.judged: dict[str, JudgedReading] = {}
        self.bands: dict[str, Judgement] = {}
        self.methods: dict[str, Method] = {}
        self.asked: tuple[str, ...] = ()

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.points)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if not index.isValid():
            return None
        point = self.points[index.row()]
        if role == POINT_ROLE:
            return point
        if role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.AccessibleTextRole)):
            judged = self.judged.get(point.id)
            reading = tr("not read") if judged is None else f"{value_text(judged)}, {judged.judgement.verdict.words}"
            return f"{point.words or point.id}: {reading}"
        return None


class PointDelegate(QStyledItemDelegate):
    """Paints one point: its name, what a good board reads, the reading, its mark and its word."""

    def __init__(self, points: PointList) -> None:
        super().__init__()
        self.points = points

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(200, look.px(44))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        point = self.points.points[index.row()]
        judged = self.points.judged.get(point.id)
        band = self.points.bands.get(point.id)
        rect = QRectF(option.rect)
        painter.save()
        selected = is_chosen(option, index)
        if selected or point.id in self.points.asked or (judged and judged.judgement.verdict.is_off):
            painter.fillRect(rect, look.colour("lit"))
        above = self.points.points[index.row() - 1].part if index.row() else None
        painter.setPen(QPen(look.colour("rule"), 2 if above is not None and above != point.part else 1))
        painter.drawLine(rect.topLeft(), rect.topRight())
        if selected:
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.drawRect(rect.adjusted(1, 1, -1, -1))
        inner = rect.adjusted(look.px(7), look.px(3), -look.px(7), -look.px(3))
        upper = QRectF(inner.left(), inner.top(), inner.width(), inner.height() * 0.55)
        lower = QRectF(inner.left(), upper.bottom(), inner.width(), inner.height() - upper.height())
        middle = int(Qt.AlignmentFlag.AlignVCenter)
        end = int(Qt.AlignmentFlag.AlignRight) | middle
        painter.setFont(look.font(14, QFont.Weight.DemiBold))
        painter.setPen(look.colour("ink"))
        due = tr(" · next") if point.id in self.points.asked else ""
        painter.drawText(upper, middle, point.id + due)
        word = ""
        if judged is not None:
            verdict = judged.judgement.verdict
            colour = look.verdict_colour(verdict)
            painter.setPen(colour if verdict.is_off else look.colour("ink"))
            painter.setFont(look.font(15, QFont.Weight.DemiBold if verdict.is_off else QFont.Weight.Normal))
            value = value_words(judged.reading.shown, judged.method) + ("~" if judged.reading.wavering else "")
            painter.drawText(upper.adjusted(0, 0, -look.px(20), 0), end, value)
            draw_mark(painter, verdict, inner.right() - look.px(8), upper.center().y(), look.px(13), colour)
            word = verdict.words
            painter.setFont(look.font(12, QFont.Weight.DemiBold))
            painter.drawText(lower, end, word)
        used = painter.fontMetrics().horizontalAdvance(word) + look.px(6) if word else 0
        painter.setFont(look.font(12))
        painter.setPen(look.colour("quiet"))
        good = tr("reference {value_words}", value_words=value_words(band.centre, self.points.methods[point.id])) \
            if band is not None and band.boards else tr("no reference")
        painter.drawText(lower, middle, painter.fontMetrics().elidedText(
            f"{good} · {self._place(point)}", Qt.TextElideMode.ElideRight, max(0, int(lower.width()) - used)))
        painter.restore()

    @staticmethod
    def _place(point: Point) -> str:
        side = tr(point.side.value)
        return f"{point.words} · {side}" if point.words else side


class BoardView(JobView):
    name = "board"
    sentence_lines = 2
    keys = (
        ("0.512 Enter", tr("records, judges and goes on")),
        (tr("o or +"), tr("OL: records and goes on")),
        ("↑ ↓", tr("the point above, below")),
        ("F", tr("on the plan: the other side")),
        ("+  −", tr("on the plan: zoom")),
        ("Home", tr("on the plan: the whole board")),
    )
    commands = ("board.look", "load.off", "load.back", "rail.volts", "rail.inject", "capture.walk",
                "board.temperature", "board.photo")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.points = PointList()
        head = QHBoxLayout()
        self.point_name = QLabel()
        self.point_name.setObjectName("pointname")
        self.expected = QLabel()
        self.expected.setObjectName("expected")
        self.expected.setTextFormat(Qt.TextFormat.PlainText)
        self.expected.setWordWrap(True)
        self.field = ReadingField()
        self.field.setFixedSize(look.px(120), look.px(36))
        self.field.entered.connect(self._entered)
        self.field.moved.connect(self._move)
        head.addWidget(self.point_name)
        head.addWidget(self.field)
        head.addWidget(self.expected, 1)
        self.body.addLayout(head)
        self.jump = ValueField()
        self.jump.setPlaceholderText(tr("find: FL5, VBUS"))
        self.jump.setToolTip(tr("Goes to a part or a net by the letters it begins with"))
        self.jump.setAccessibleName(tr("Jump to a part"))
        self.jump.textEdited.connect(self._jump)
        self.jump.returnPressed.connect(self.field.setFocus)
        self.plan = BoardPlan()
        self.photos = PlanPhotos(self.plan, model)
        self.plan.chosen.connect(self._chosen_on_plan)
        self.plan.describe = self.describe
        self.way = quiet_label()
        self.list = QListView()
        self.list.setAccessibleName(tr("Points of the board"))
        self.list.setUniformItemSizes(True)
        self.list.setModel(self.points)
        self.delegate = PointDelegate(self.points)
        self.list.setItemDelegate(self.delegate)
        self.list.selectionModel().currentChanged.connect(lambda *_: self._show_current())
        self.fold = QPushButton(tr("Points"))
        self.fold.setObjectName("tool")
        self.fold.setCheckable(True)
        self.fold.setChecked(True)
        self.fold.setToolTip(tr("Shows or folds away the list of points"))
        self.fold.clicked.connect(lambda _on: self._lay_out())
        self.side_list = QWidget()
        beside = QVBoxLayout(self.side_list)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(self.jump)
        beside.addWidget(self.list, 1)
        head.addWidget(self.fold, 0, Qt.AlignmentFlag.AlignTop)
        middle = QHBoxLayout()
        middle.addWidget(self.plan, 1)
        middle.addWidget(self.side_list)
        self.body.addLayout(middle, 1)
        self.body.addWidget(self.way)
        self._shown_for = ""
        self._bands_for: tuple[object, ...] = ()
        self._numbered: tuple[str, ...] = ()
        self.hint = quiet_label(tr("Enter records and goes on · o is OL · ↑ ↓ move · type over to record again"))
        self.body.addWidget(self.hint)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def _lay_out(self) -> None:
        """The plan has the room; the list stands beside it, and folds away where that leaves the plan too little."""
        wide = look.px(LIST_WIDTH)
        roomy = self.width() - wide >= look.px(LEAST_PLAN)
        self.fold.setVisible(roomy)
        self.side_list.setFixedWidth(min(wide, max(look.px(160), self.width() // 2)))
        self.side_list.setVisible(self.fold.isChecked() if roomy else False)

    def describe(self, point_id: str) -> str:
        """A point in words: its net, what a known-good board reads there, what was read last."""
        board = self.model.board
        point = board.point_by_id.get(point_id) if board is not None else None
        if board is None or point is None:
            return point_id
        method = self.model.method_at(point)
        band = judge_reading(board, self.model.references, point_id, method, 0.0) if self.model.references else None
        judged = self.model.judged.get(point_id)
        good = tr("reference {value_words}",
                  value_words=value_words(band.centre, method)) if band is not None and band.boards else \
            tr("no reference")
        read = tr("read {value_words}, {verdict}", value_words=value_words(judged.reading.value, judged.method),
                  verdict=judged.judgement.verdict.words) \
            if judged is not None else tr("not read")
        return f"{point_id} · {point.words or board.net_of(point.at)}\n{good}\n{read}"

    def close_work(self) -> None:
        super().close_work()
        self.photos.close()

    def current_point(self) -> Point | None:
        row = self.list.currentIndex().row()
        return self.points.points[row] if 0 <= row < len(self.points.points) else None

    def refresh(self) -> None:
        board, known = self.model.board, self.model.references
        if board is None:
            self.sentence.setText(tr("No board pack: readings can't be taken here."))
            self.points.beginResetModel()
            self.points.points = ()
            self.points.endResetModel()
            self.plan.show_board(None)
            return
        references = known or NO_REFERENCES
        self.photos.load(board)
        self.plan.show_board(board)
        self.plan.setVisible(bool(board.components or board.points))
        ports = board.port_points | {p.id for p in board.node_pairs}
        wanted = tuple(p for p in board.points if p.id not in ports)
        if wanted != self.points.points:
            self.points.beginResetModel()
            self.points.points = wanted
            self.points.endResetModel()
        if self._bands_for != (board, references, self.model.diode_method, self.model.ohms_method):
            self._bands_for = (board, references, self.model.diode_method, self.model.ohms_method)
            self.points.methods = {p.id: self.model.method_at(p) for p in wanted}
            self.points.bands = {p.id: judge_reading(board, references, p.id, self.model.method_at(p), 0.0)
                                 for p in wanted}
        if self._shown_for != self.model.job_id:
            self._shown_for = self.model.job_id
            self._start(wanted)
        self.points.judged = {p: r for p, r in self.model.judged.items() if p not in ports}
        self.list.viewport().update()
        read = [p.id for p in wanted if p.id in self.points.judged]
        self.sentence.setText(JUDGING if self.model.judging
                              else tr("This pack lists no points on the board yet.") if not wanted
                              else tr("Nothing read on the board yet.") if not read
                              else readings_sentence(board, self.points.judged, [p.id for p in wanted]))
        at_port = abnormal_words(board, self.model.judged, [p.id for p in board.points if p.id in ports])
        if at_port:
            self.sentence.setText(tr("{text} Port: {at_port}.", text=self.sentence.text(), at_port=at_port))
        changed = before_after_words(board, references, self.points.judged, [p.id for p in wanted])
        if changed:
            self.sentence.setText(f"{self.sentence.text()} {changed}")
        warm = self.warm_words()
        off = ", ".join(sorted(self.model.facts.isolated))
        self.detail.setText(warm or (tr("With {off} off: what is read now is kept apart", off=off) if off else
                                     tr("{count} of {count2} points read · {cell_words}", count=len(read),
                                        count2=len(wanted), cell_words=self._cell_words())))
        self._show_current()
        self.show_cautions()

    def _cell_words(self) -> str:
        """Whether the board may be touched with probes, by the trail."""
        return tr("cell out") if self.model.facts.cell == "unplugged" else tr("CELL STILL IN: unplug it")

    def _start(self, points: tuple[Point, ...]) -> None:
        """Begin where something is off, else at the top."""
        off = [i for i, p in enumerate(points) if p.id in self.model.judged
               and self.model.judged[p.id].judgement.verdict.is_off]
        if points:
            index = self.points.index(off[0] if off else 0)
            self.list.setCurrentIndex(index)
            self.list.scrollTo(index, QListView.ScrollHint.PositionAtCenter)

    def _show_current(self) -> None:
        point, board = self.current_point(), self.model.board
        self.hint.setVisible(look.scale <= LARGE_TEXT)
        self.field.setEnabled(point is not None)
        self.field.setFixedSize(look.px(120), look.px(36))
        if point is None or board is None:
            self.point_name.setText("")
            self.expected.setText("")
            return
        self.point_name.setText(point.id)
        band = self.points.bands.get(point.id)
        method = self.model.method_at(point)
        good = tr("reference {value_words}",
                  value_words=value_words(band.centre, method)) if band and band.boards else tr("no reference")
        if band is not None and band.origin == "sister":
            good += tr(", a sister revision's")
        way = "" if method is point.default_method else f" · {method.words}"
        self.expected.setText(f"{method.unit} · {good} · {where_words(board, point)}{way}")
        self.field.setAccessibleName(tr("Reading of {id} in {unit}", id=point.id, unit=method.unit))
        self.plan.reveal(point.id)
        self._show_plan()

    def _show_plan(self) -> None:
        """The plan with the way of what is under suspicion: the contact that is off, else the point in hand."""
        board, point = self.model.board, self.current_point()
        if board is None:
            return
        judged = self.model.judged
        way = suspicious_path(board, judged, point.id if point is not None else "")
        opens = {p: r.judgement.verdict is Verdict.OPEN for p, r in judged.items()}
        stretch = break_stretch(way, opens) if way is not None else None
        self.plan.seen = self.model.facts.parts_seen
        references = self.model.references
        self.plan.before = frozenset() if references is None else frozenset(
            p for p, r in judged.items() if r.before is not None and was_off(board, references, r))
        numbered = self._numbered or self.points.asked
        self.plan.show_state(judged, numbered, point.id if point is not None else "", way, stretch)
        said = [part_words(board, judged, point) if point is not None else "",
                way_words(board, judged, way, stretch) if way is not None else ""]
        self.way.setText("\n".join(words for words in said if words))
        self.way.setVisible(any(said))

    def _chosen_on_plan(self, point_id: str) -> None:
        side = self.plan.side
        if self.go_to(point_id):
            self.plan.side = side
            self._show_plan()
            return
        self.say_trouble(tr("{point_id} is read in the Port view: Alt+3.", point_id=point_id))

    def _move(self, _columns: int, rows: int) -> None:
        row = self.list.currentIndex().row() + rows
        if rows and 0 <= row < len(self.points.points):
            self.list.setCurrentIndex(self.points.index(row))

    def _jump(self, text: str) -> None:
        wanted = text.strip().upper()
        if not wanted:
            return
        for row, point in enumerate(self.points.points):
            if point.id.upper().startswith(wanted) or wanted in point.at.upper().removeprefix("@"):
                self.list.setCurrentIndex(self.points.index(row))
                self.say_trouble("")
                return
        self.say_trouble(tr("No point of this board begins with {text}.", text=text.strip()[:20]))

    def light(self, advice: Advice | None) -> None:
        """Mark the points that the next step asks for, and number those that are worth measuring next, in an order that
        is quick with two probes."""
        point, board = self.current_point(), self.model.board
        points = worth_measuring(advice.ranked) if advice is not None else ()
        self._numbered = probing_order(board, points, point.id if point is not None else "") if board else ()
        self.points.asked = advice.next.points if advice is not None else ()
        self.list.viewport().update()
        self._show_plan()

    def go_to(self, point_id: str) -> bool:
        for row, point in enumerate(self.points.points):
            if point.id == point_id:
                self.list.setCurrentIndex(self.points.index(row))
                self.list.scrollTo(self.points.index(row), QListView.ScrollHint.PositionAtCenter)
                self.field.setFocus()
                return True
        return False

    def focus_entry(self) -> None:
        self.field.setFocus()

    def _entered(self, text: str) -> None:
        point = self.current_point()
        if point is None:
            return
        if self.model.readings_held():
            self.say_trouble(tr("Is the cell unplugged? Ctrl+U says it is; then Enter again. What you typed is kept."))
            return
        try:
            method = self.model.method_at(point)
            reading = parse_reading(text, point.id, method)
        except EntryRefusedError as problem:
            self.say_trouble(" ".join(filter(None, (problem.happened, problem.kept, problem.next_step))))
            if isinstance(problem, ReadAsMillivoltsError):
                self.field.setText(problem.instead)
            self.field.selectAll()
            return
        self.say_trouble("")
        self.field.clear()
        if not self.model.record_reading(reading, method):
            self.field.setText(text)
            return
        check = self._check_of(point)
        wanted = (*(check.missing if check is not None else ()), *self.points.asked)
        due = [p for p in wanted if p != point.id and self._unread(p)]
        if not (due and self.go_to(due[0])):
            self._move(0, 1)

    def _check_of(self, point: Point) -> PartCheck | None:
        """What the end-to-end readings of the point's part say together."""
        board = self.model.board
        return None if board is None else part_check(board, point.part, off_by_point(board, self.model.judged))

    def _unread(self, point: str) -> bool:
        facts = self.model.facts
        return not any(facts.reading(point, m.value) for p in self.points.points if p.id == point
                       for m in p.methods)

    def as_text(self) -> str:
        lines = [self.sentence.text()]
        for point in self.points.points:
            judged = self.points.judged.get(point.id)
            if judged is not None:
                lines.append(f"{point.id}\t{value_text(judged)}\t{judged.method.unit}\t"
                             f"{judged.judgement.verdict.words}")
        return "\n".join(lines)
