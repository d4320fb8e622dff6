"""The reasoning, always there: what to do next and why, then the suspects with their weights."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QListView,
    QSizePolicy,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.advising.reason_words import (
    LEAST_SHOWN,
    NEW_SAID_FROM,
    as_before_words,
    beside_words,
    beyond_words,
    change_words,
    explanation_rows,
    load_words,
    make_words,
    quiet_words,
    reason_words,
    weighed_words,
)
from dextrum.app.advising.steps import kind_of_step
from dextrum.app.advising.suspect_words import mode_words, rest_words, suspect_words
from dextrum.app.commands import BY_ID
from dextrum.core.advice.actions import Action
from dextrum.core.advice.wording import percent
from dextrum.core.board import UNLISTED_PART, Board
from dextrum.core.faults.trace_parts import is_trace, shown_part
from dextrum.core.safety.cautions import cautions_of_action
from dextrum.desktop.frame.chosen_row import is_chosen
from dextrum.desktop.frame.command_row import CommandRow, hint_of
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.plain_scroll import PlainScroll
from dextrum.desktop.frame.press_line import PressLine
from dextrum.desktop.frame.view import quiet_label
from dextrum.desktop.reasons.other_steps import OtherSteps
from dextrum.desktop.reasons.reason_list import ReasonList
from dextrum.desktop.theme import LARGE_TEXT, fill, look
from dextrum.tongue import in_a_row, tr

if TYPE_CHECKING:
    from dextrum.app.advising.assess import Assessment, Explanation
    from dextrum.core.advice.recommend import Advice
    from dextrum.core.diagnosis.suspected_parts import SuspectedPart

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
MOST_MINUTES_SHOWN = 90.0
ROW_PIXELS = 44
MOVED = 0.005
"""Change of a chance from which the one before is shown beside it."""


LEAST_STILL = 0.1
"""Chance of a mended fault being there all the same, from which it is said."""


class SuspectList(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[SuspectedPart, ...] = ()
        self.board: Board | None = None
        self.something_else = 0.0
        self.nothing = 0.0
        self.repaired = False
        self.as_before = ""
        self.was: dict[str, float] = {}
        """Chance of each part in the answer before, where it was another."""

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.rows) + (2 if self.board is not None else 0)

    def line(self, row: int) -> tuple[str, str, float, bool]:
        """Part, words, the chance that anything is wrong with it still, whether it is mended."""
        if row < len(self.rows):
            suspect = self.rows[row]
            # In large type the part's name has to do.
            short = self.board is None or look.scale > LARGE_TEXT
            words = suspect_words(None if short else self.board, suspect)
            part = "" if is_trace(suspect.part) else suspect.part
            if (suspect.lead.mended and suspect.chance >= LEAST_STILL) or (part and part == self.as_before):
                return part, tr("still there · {words}", words=words), suspect.chance, False
            # The chance that matters once it is repaired is that it is there all the same.
            return (part, tr("repaired · {words}", words=words), suspect.chance, True) if suspect.lead.mended else (
                part, words, suspect.chance, False)
        if row == len(self.rows):
            return "", tr(UNLISTED_PART), self.something_else, False
        return "", tr("no harmful fault left") if self.repaired else tr("no fault on the board"), self.nothing, False

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if index.isValid() and role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.AccessibleTextRole),
                                        int(Qt.ItemDataRole.ToolTipRole)):
            part, words, chance, _ = self.line(index.row())
            return f"{part} {words}, {chance:.0%}".strip()
        return None


class SuspectDelegate(QStyledItemDelegate):
    def __init__(self, suspects: SuspectList) -> None:
        super().__init__()
        self.suspects = suspects

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(200, look.px(ROW_PIXELS))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        part, words, chance, mended = self.suspects.line(index.row())
        rect = QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if is_chosen(option, index):
            fill(painter, rect.adjusted(0, 1, 0, -1), look.colour("lit"))
        left = rect.left() + look.px(4)
        painter.setPen(look.colour("ink"))
        painter.setFont(look.font(14, QFont.Weight.DemiBold))
        half = rect.height() / 2
        wide = max(look.px(46), painter.fontMetrics().horizontalAdvance(part) + look.px(8))
        painter.drawText(QRectF(left, rect.top(), wide, half + 2), Qt.AlignmentFlag.AlignVCenter, part or "—")
        painter.setFont(look.font(13))
        painter.setPen(look.colour("quiet" if mended else "ink"))
        text = QRectF(left + wide, rect.top(), rect.width() - wide - look.px(8), half + 2)
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, painter.fontMetrics().elidedText(
            words, Qt.TextElideMode.ElideRight, int(text.width())))
        bar = QRectF(left + look.px(46), rect.top() + half + look.px(4), rect.width() - look.px(112), look.px(8))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.colour("bar_ground"))
        painter.drawRoundedRect(bar, 2, 2)
        painter.setBrush(look.colour("quiet" if mended else "ink"))
        painter.drawRoundedRect(QRectF(bar.left(), bar.top(), max(3.0, bar.width() * chance), bar.height()), 2, 2)
        was = self.suspects.was.get(part)
        if was is not None and abs(was - chance) >= MOVED:
            # Where it stood before, on the bar, and in figures.
            at = bar.left() + bar.width() * was
            painter.setPen(QPen(look.colour("above"), 2))
            painter.drawLine(QPointF(at, bar.top() - 3), QPointF(at, bar.bottom() + 3))
            painter.setFont(look.font(11))
            painter.setPen(look.colour("quiet"))
            painter.drawText(QRectF(bar.left(), bar.bottom(), bar.width(), look.px(13)),
                             Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, tr("was {percent}",
                                                                                             percent=percent(was)))
        painter.setPen(QPen(look.colour("ink")))
        painter.setFont(look.font(14, QFont.Weight.DemiBold))
        painter.drawText(QRectF(rect.right() - look.px(56), rect.top() + half - look.px(6), look.px(52),
                                half + look.px(6)), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                         percent(chance))
        painter.restore()


class NextCard(QFrame):
    """The one dark card; pressed, it goes to where its step is done. Signals: pressed."""

    pressed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(hint_of(BY_ID["step.go"]))
        self.setObjectName("card")
        self.setAccessibleName(tr("Next step"))
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(5)
        self.labels: dict[str, QLabel] = {}
        head = QHBoxLayout()
        for name in ("head", "minutes"):
            label = self._label(name, "cardquiet")
            label.setWordWrap(False)
            head.addWidget(label, 1 if name == "head" else 0)
        column.addLayout(head)
        for name, kind in (("title", "cardtitle"), ("where", "cardquiet"), ("outcomes", "cardstrong"),
                           ("why", "cardquiet"), ("caution", "cardcaution"), ("go", "cardaccent")):
            column.addWidget(self._label(name, kind))
        self.labels["go"].setAlignment(Qt.AlignmentFlag.AlignRight)

    def _label(self, name: str, kind: str) -> QLabel:
        label = QLabel()
        label.setObjectName(kind)
        label.setWordWrap(True)
        label.setTextFormat(Qt.TextFormat.PlainText)
        self.labels[name] = label
        return label

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.pressed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.pressed.emit()
        else:
            super().keyPressEvent(event)

    def say(self, **texts: str) -> None:
        self.setAccessibleDescription(in_a_row(texts.get(name, "") for name in ("title", "where", "why", "caution")))
        for name, label in self.labels.items():
            text = texts.get(name, "")
            label.setText(text)
            label.setVisible(bool(text) or name in ("head", "minutes"))


def minutes_words(minutes: float) -> str:
    return "" if minutes <= 0 else tr("under 1 min") if minutes < 1 else tr("{minutes:.0f} min", minutes=minutes)


class ReasoningPanel(QWidget):
    """Signals: asked (a command's id), chosen (a step that is ranked below the one advised)."""

    asked = Signal(str)
    chosen = Signal(object)

    def __init__(self, model: JobModel) -> None:
        super().__init__()
        self.setObjectName("reasoning")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.model = model
        self.card = NextCard()
        self.card.pressed.connect(lambda: self.asked.emit("step.go"))
        self.title = QLabel(tr("Suspects"))
        self.title.setObjectName("section")
        self.state = QLabel()
        self.state.setObjectName("quiet")
        self.state.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.state.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addWidget(self.state, 1)
        self.suspects = SuspectList()
        self.list = QListView()
        self.list.setAccessibleName(tr("Suspects"))
        self.list.setModel(self.suspects)
        self.delegate = SuspectDelegate(self.suspects)
        self.list.setItemDelegate(self.delegate)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.selectionModel().currentChanged.connect(lambda *_: self._show_reasons())
        self.rest = quiet_label()
        self.together = QLabel()
        self.together.setWordWrap(True)
        self.together.setTextFormat(Qt.TextFormat.PlainText)
        self.together.hide()
        self.model.explained.connect(self._explain)
        self.modes = quiet_label()
        self.modes.hide()
        self.reasons = ReasonList()
        self.reasons_title = QLabel()
        self.reasons_title.setWordWrap(True)
        self.reasons_title.setObjectName("section")
        self.hold = PressLine(role="above", strong=True)
        self.hold.setToolTip(hint_of(BY_ID["gate.pass"]))
        self.hold.clicked.connect(lambda: self.asked.emit("gate.pass"))
        self.loads = QLabel()
        self.loads.setWordWrap(True)
        self.loads.setTextFormat(Qt.TextFormat.PlainText)
        self.loads.hide()
        self.others = OtherSteps()
        self.others.chosen.connect(self.chosen)
        self.row = CommandRow(("step.why", "step.why_not", "step.cost"), model.why_not)
        self.row.asked.connect(self.asked)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(14, 14, 14, 10)
        column.setSpacing(6)
        column.addWidget(self.card)
        column.addWidget(self.hold)
        column.addLayout(head)
        column.addWidget(self.list)
        column.addWidget(self.rest)
        column.addWidget(self.together)
        column.addWidget(self.loads)
        column.addWidget(self.reasons_title)
        column.addWidget(self.modes)
        column.addWidget(self.reasons)
        column.addWidget(self.others)
        column.addWidget(self.row)
        column.addStretch(1)
        scroll = PlainScroll()
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scroll)
        scroll.hold(inside)
        self._shown: Assessment | None = None
        self._before: tuple[str, int, dict[str, float]] = ("", 0, {})
        self._last: dict[str, float] | None = None

    def refresh(self) -> None:
        """While a new answer is being weighed, the old one stays readable but is said to be old."""
        model = self.model
        holds = [tr("Hold: {g}", g=g.words) for g in model.gates if g.holds_power]
        self.hold.setText("\n".join(holds[:2]))
        self.hold.setVisible(bool(holds))
        if not model.job_id:
            self._empty(tr("Take in a unit"), tr("Ctrl+N opens a job."))
            return
        if model.board is None:
            self._empty(tr("No board pack"), tr("Without it nothing can be compared or weighed; the trail is kept."))
            return
        assessment = model.assessment
        if assessment is None:
            self._empty(tr("Weighing…"), "")
            return
        action = assessment.advice.next
        if not model.fresh and self._shown is assessment:
            # Still the old answer: say so, and leave the rest for the new one.
            self.card.labels["head"].setText(tr("Next · weighing…"))
            self.state.setText(tr("weighing…"))
            return
        self._shown = assessment
        self._show_action(action)
        count = len(assessment.posterior.evidence.items)
        self.state.setText(tr("weighing…") if not model.fresh else tr("1 observation") if count == 1
                           else tr("{count} observations", count=count))
        keep = self.list.currentIndex().row()
        self.suspects.beginResetModel()
        known = bool(assessment.posterior.hypotheses.faults)
        self.suspects.board = model.board if known else None
        self.suspects.rows = assessment.parts
        self.suspects.something_else = assessment.posterior.something_else
        self.suspects.repaired = bool(assessment.facts.reworks)
        self.suspects.as_before = assessment.posterior.since_repair if \
            assessment.posterior.new_since < NEW_SAID_FROM else ""
        self.suspects.nothing = assessment.advice.nothing_left if self.suspects.repaired \
            else assessment.posterior.nothing
        changed = self._changed(assessment) if known else ""
        self.suspects.was = {} if self._last is None else dict(self._last)
        self.suspects.endResetModel()
        weighed = weighed_words(assessment.posterior) if known else ""
        self.list.setToolTip(weighed)
        self.list.setAccessibleDescription(weighed)
        self.list.setFixedHeight(look.px(ROW_PIXELS) * self.suspects.rowCount() + 4)
        if self.suspects.rowCount():
            self.list.setCurrentIndex(self.suspects.index(min(max(keep, 0), self.suspects.rowCount() - 1)))
        shown = frozenset(suspect.part for suspect in self.suspects.rows)
        self.rest.setText(rest_words(assessment.posterior, shown, assessment.draws) if known else "")
        self.rest.setVisible(known)
        together = assessment.together if known else ""
        self.together.setText(together)
        self.together.setVisible(bool(together))
        rate = model.session.library.rates.labour_per_minute
        makes = assessment.posterior.evidence.apart.makes
        loads = "\n".join(words for words in (
            as_before_words(model.board, model.judged, makes), make_words(makes), changed,
            quiet_words(assessment, rate),
            beyond_words(model.board, assessment.advice.beyond),
            load_words(assessment.advice.loads, model.facts.isolated, assessment.advice.leaks_at),
        ) if words) if known else ""
        self.loads.setText(loads)
        self.loads.setVisible(bool(loads))
        self._show_reasons()
        if not known:
            self.reasons.setText(tr("This pack names no parts yet, so nothing can be suspected. The trail is kept "
                                    "all the same."))
        self.others.show_steps(self._instead(assessment.advice, action) if known else ())

    def _changed(self, assessment: Assessment) -> str:
        """What changed since the answer that was shown before, with what was recorded between."""
        now = assessment.chance_by_part
        job, length, before = self._before
        here = self.model.job_id, len(self.model.trail)
        if (job, length) != here:
            self._last = before if job == here[0] and length < here[1] else None
            self._before = (*here, now)
        return change_words(self._last, now) if self._last is not None else ""

    def _instead(self, advice: Advice, action: Action) -> tuple[tuple[str, Action], ...]:
        """The best other repair and the best other reading, with what they cost more in work."""
        if not kind_of_step(action).weighed:
            return ()
        rate = self.model.session.library.rates.labour_per_minute
        lines = []
        for kinds in (("repair",), ("measure", "scan", "supply", "try", "rail", "look_board"), ("isolate", "inject")):
            other = next((a for a in advice.ranked[1:] if a.kind in kinds), None)
            if other is not None:
                more = (other.expected - action.expected) / rate
                if more < MOST_MINUTES_SHOWN:
                    lines.append((f"{other.title}: " + (tr("{more:.0f} min more",
                                                           more=more) if more >= 1 else tr("about the same")),
                                  other))
        return tuple(lines)

    def _show_action(self, action: Action) -> None:
        outcomes = "\n".join(f"{o.outcome} → {o.meaning}" for o in action.outcomes[:3])
        self.card.say(
            head=tr("Next") if self.model.fresh else tr("Next · weighing…"),
            minutes=minutes_words(action.minutes),
            title=action.title,
            where=action.where,
            outcomes=outcomes,
            why=action.why,
            caution=" ".join(cautions_of_action(self.model.facts, action.kind, action.detail)),
            go="" if action.kind == "done" else tr("Go there · Ctrl+Enter"),
        )

    def _empty(self, title: str, why: str) -> None:
        self.card.say(head=tr("Next"), minutes="", title=title, where="", outcomes="", why=why, go="")
        self.suspects.beginResetModel()
        self.suspects.rows, self.suspects.board = (), None
        self.suspects.endResetModel()
        self.list.setFixedHeight(4)
        self.together.hide()
        self.rest.hide()
        self.loads.hide()
        self.modes.hide()
        self.reasons.clear()
        self.reasons_title.clear()
        self.others.show_steps(())
        self.state.clear()

    def _show_reasons(self) -> None:
        row, assessment, board = self.list.currentIndex().row(), self.model.assessment, self.model.board
        if assessment is None or board is None or not 0 <= row < len(self.suspects.rows):
            self.reasons.clear()
            self.reasons_title.clear()
            self.modes.hide()
            return
        suspect = self.suspects.rows[row]
        modes = mode_words(assessment.posterior, suspect.part)
        self.modes.setText("\n".join(modes))
        self.modes.setVisible(bool(modes))
        found = [r for r in assessment.reasons.get(suspect.part, ()) if abs(r.log_odds) >= LEAST_SHOWN][:5]
        self.reasons_title.setText(tr("Why {part}",
                                      part=suspect.part) if not is_trace(suspect.part)
                                   else tr("Why the {part}", part=shown_part(suspect.part)))
        beside = beside_words(board, assessment, suspect.lead.index)
        if not found:
            beside = "\n".join(filter(None, (
                tr("Nothing seen so far speaks for or against it; only how often it happens."), beside)))
        self.reasons.show_reasons([(reason_words(board, r), r.log_odds) for r in found], beside)

    def _explain(self, found: object) -> None:
        """The answer to 'why not this part', in place of the chosen suspect's reasons."""
        board = self.model.board
        if board is None or not self.model.fresh:
            return
        title, rows, more = explanation_rows(board, cast("Explanation", found))
        self.modes.hide()
        self.reasons_title.setText(title)
        self.reasons.show_reasons(rows, more)

    def choose_next(self) -> None:
        count = self.suspects.rowCount()
        if count:
            self.list.setCurrentIndex(self.suspects.index((self.list.currentIndex().row() + 1) % count))
