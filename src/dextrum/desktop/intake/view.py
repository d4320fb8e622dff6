"""Intake: what the owner says, before a tool is touched."""

from __future__ import annotations

import json
from contextlib import suppress

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QBoxLayout,
    QCheckBox,
    QGridLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.job.when_typed import parse_when
from dextrum.core.safety.signs import SIGN_WORDS, signs_in
from dextrum.core.trail import Intake, local_time
from dextrum.core.when import day_words, moment_words
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.reading_order import in_reading_order, takes_the_keyboard
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import DextrumError, EntryRefusedError
from dextrum.tongue import capital, tr

DRAFT = "draft.intake."
"""Setting: what was typed for a job and not recorded."""


class IntakeView(JobView):
    name = "intake"
    commands = ("safety.danger", "safety.safe", "job.earlier", "access.opened")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.sides = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.sides.setSpacing(16)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setHorizontalSpacing(14)
        self.complaint = QPlainTextEdit()
        self.complaint.setTabChangesFocus(True)
        self.complaint.setFixedHeight(74)
        self.history, self.came_along, self.condition, self.due = (ValueField() for _ in range(4))
        self.due.setPlaceholderText(tr("Fri 17:00, in 2 days, 30 May"))
        rows: tuple[tuple[str, QWidget], ...] = (
            (tr("Complaint, in the owner's words"), self.complaint), (tr("What happened before"), self.history),
            (tr("What came along"), self.came_along), (tr("Condition"), self.condition), (tr("Back by"), self.due))
        for row, (words, field) in enumerate(rows):
            label = QLabel(words)
            label.setBuddy(field)
            label.setWordWrap(True)
            field.setAccessibleName(words)
            grid.addWidget(label, row, 0, Qt.AlignmentFlag.AlignTop if field is self.complaint
                           else Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(field, row, 1)
        self.posted = QCheckBox(tr("goes back by post"))
        grid.addWidget(self.posted, len(rows), 0, 1, 2)
        grid.setVerticalSpacing(14)
        grid.setRowStretch(len(rows) + 1, 1)
        self.symptoms_box = QVBoxLayout()
        self.symptoms_box.setSpacing(0)
        side = QVBoxLayout()
        head = QLabel(tr("What it does and does not do"))
        head.setObjectName("section")
        side.addWidget(head)
        side.addLayout(self.symptoms_box)
        side.addStretch(1)
        self.boxes: dict[str, QCheckBox] = {}
        self.signs = {sign: QCheckBox(words) for sign, words in SIGN_WORDS.items()}
        danger = QLabel(tr("Danger"))
        danger.setObjectName("section")
        ticks = QVBoxLayout()
        ticks.setSpacing(0)
        for box in self.signs.values():
            ticks.addWidget(box)
        side.insertWidget(0, danger)
        side.insertLayout(1, ticks)
        self.before = quiet_label()
        self.body.addWidget(self.before)
        self.sides.addLayout(grid, 3)
        self.sides.addLayout(side, 2)
        self.body.addLayout(self.sides)
        self.save = QPushButton(tr("Record the intake"))
        self.save.clicked.connect(self._record)
        self.body.addWidget(self.save, 0, Qt.AlignmentFlag.AlignLeft)
        self.body.addWidget(quiet_label(tr("Ask for the dock and the supply: many dead units have a bad supply, and "
                                           "those are proved first. Photograph cracks, screws and scratches.")))
        self.body.addStretch(1)
        self._shown_for = ""
        self._doubted: frozenset[str] = frozenset()
        self._drafted: dict[str, str] = {}

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        self.sides.setDirection(QBoxLayout.Direction.TopToBottom if look.scale > LARGE_TEXT
                                else QBoxLayout.Direction.LeftToRight)
        drafted = self._touched() and self._shown_for == self.model.job_id
        if self._shown_for != self.model.job_id:
            self._shown_for = self.model.job_id
            self._doubted = frozenset()
            self._fill_symptoms()
            self._fill(facts.intake or Intake())
            self._fill_draft()
            drafted = self._touched()
        elif facts.intake is not None and not self._touched():
            self._fill(facts.intake)
        if facts.intake is None:
            self.sentence.setText(tr("Write down what the owner says before a tool is touched."))
        else:
            words = [s.words for s in (board.symptoms if board else ()) if s.id in facts.intake.present]
            self.sentence.setText(tr("The owner says: {words}.", words=", ".join(words)) if words
                                  else tr("The complaint is written down."))
        self.before.setText(tr("{earlier_words} Ctrl+K, earlier job: opens it.",
                               earlier_words=self.model.earlier_words))
        self.before.setVisible(bool(self.model.earlier))
        if not drafted:
            self.detail.setText(tr("A code on the screen is evidence: tick it."))
        self.show_cautions()

    def _fill_symptoms(self) -> None:
        clear_layout(self.symptoms_box)
        self.boxes = {}
        for symptom in self.model.board.symptoms if self.model.board else ():
            box = QCheckBox(symptom.words)
            self.boxes[symptom.id] = box
            self.symptoms_box.addWidget(box)
        if not self.boxes:
            self.symptoms_box.addWidget(quiet_label(tr("This pack lists no symptoms.")))

    def _fill(self, intake: Intake) -> None:
        self.complaint.setPlainText(intake.complaint)
        self.history.setText(intake.history)
        self.came_along.setText(intake.came_along)
        self.condition.setText(intake.condition)
        self.due.setText(self._due_shown(intake.due))
        self.posted.setChecked(intake.posted)
        for symptom, box in self.boxes.items():
            box.setChecked(symptom in intake.present)
        shown = signs_in(intake.complaint, intake.history, intake.condition) if intake.signs is None else intake.signs
        for sign, box in self.signs.items():
            box.setChecked(sign in shown)
        self._filled = self._read()

    def _read(self) -> tuple[object, ...]:
        return (self.complaint.toPlainText(), self.history.text(), self.came_along.text(), self.condition.text(),
                self.due.text(), tuple(s for s, box in self.boxes.items() if box.isChecked()), self._ticked(),
                self.posted.isChecked())

    def leave_job(self) -> None:
        """What was typed and not recorded is kept as a draft, also over a restart."""
        super().leave_job()
        job = self._shown_for
        if not job:
            return
        draft = "" if not self._touched() else json.dumps(self._read())
        if draft != self._drafted.get(job, ""):
            self._drafted[job] = draft
            with suppress(DextrumError):
                self.model.session.store.set_setting(f"{DRAFT}{job}", draft)

    def _fill_draft(self) -> None:
        """What was typed for this job before it went out of view."""
        with suppress(DextrumError, ValueError, TypeError, KeyError):
            text = self.model.session.store.setting(f"{DRAFT}{self._shown_for}")
            self._drafted[self._shown_for] = text
            if not text:
                return
            complaint, history, came, condition, due, present, signs, *posted = json.loads(text)
            recorded = self._filled
            self._fill(Intake(str(complaint), tuple(present), (), str(history), str(came), str(condition),
                              signs=tuple(signs), posted=bool(posted and posted[0])))
            self.due.setText(str(due))
            self._filled = recorded
            self.detail.setText(tr("A draft from before is filled in; it is not recorded yet."))

    def tab_chain(self) -> list[QWidget]:
        """As it is filled in: what the owner says, danger, what the unit does, and the button last."""
        typed: list[QWidget] = [self.complaint, self.history, self.came_along, self.condition, self.due,
                                self.posted]
        boxes: list[QWidget] = [*self.signs.values(), *self.boxes.values()]
        middle = [w for w in (*typed, *boxes) if takes_the_keyboard(w)]
        rest = [w for w in in_reading_order(self) if w not in middle and w is not self.save]
        return [*rest, *middle, self.save]

    def _due_shown(self, due: str) -> str:
        """As it is typed: with the day's name, and understood again."""
        at = local_time(due)
        if at is None:
            return due
        return moment_words(at) if "T" in due else day_words(at.date())

    def _due_typed(self) -> str:
        """As it is kept. Raises EntryRefusedError."""
        text = self.due.text().strip()
        return parse_when(text, self.model.session.clock().astimezone()).as_written() if text else ""

    def _touched(self) -> bool:
        return self._read() != getattr(self, "_filled", self._read())

    def _record(self) -> None:
        present = tuple(s for s, box in self.boxes.items() if box.isChecked())
        try:
            intake = Intake(self.complaint.toPlainText().strip(), present, (), self.history.text().strip(),
                            self.came_along.text().strip(), self.condition.text().strip(),
                            self._due_typed(), self._ticked(), self.posted.isChecked())
        except EntryRefusedError as problem:
            self.say_trouble(f"{problem.happened} {problem.next_step} {problem.kept}")
            return
        except ValueError as problem:
            words = str(problem)
            self.say_trouble(tr("{words}. Nothing was recorded.", words=capital(words)))
            return
        said = signs_in(intake.complaint, intake.history, intake.condition) - frozenset(intake.signs or ())
        if said - self._doubted:
            # Ticked for the technician to see; unticked again, it stays so.
            self._doubted = said
            for sign in said:
                self.signs[sign].setChecked(True)
            names = ", ".join(SIGN_WORDS[sign] for sign in sorted(said))
            self.say_trouble(tr("The words say: {names}. It is ticked under Danger now; untick it if it is not so, "
                                "then record.", names=names))
            return
        self.say_trouble("")
        self._filled = self._read()
        if self.model.record(intake):
            self.leave_job()

    def _ticked(self) -> tuple[str, ...]:
        return tuple(sign for sign, box in self.signs.items() if box.isChecked())

    def focus_entry(self) -> None:
        self.complaint.setFocus()
