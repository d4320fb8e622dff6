"""Rework: what is done to a part, with its cautions before and its audit after."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from dextrum.app.advising.reason_words import not_suspected_words
from dextrum.core.advice.wording import part_words
from dextrum.core.board import Component
from dextrum.core.trail import Access, Rework
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueBox, ValueField
from dextrum.desktop.frame.view import JobView, quiet_label

ACTIONS = (("replace", "replaced"), ("reflow", "resoldered"), ("wire", "wired"), ("clean", "cleaned"))
AUDIT = (("counted", "small parts near the heat counted against the list"), ("bridges", "no bridges"),
         ("flux", "flux off"))
NEIGHBOURS_MM = 8.0


class ReworkView(JobView):
    name = "rework"
    commands = ("rework.audit", "cause.supply", "cause.dock", "cause.force", "cause.liquid", "cause.unknown")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(10)
        self.part = ValueBox()
        self.part.setEditable(True)
        self.part.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        for named in (self.part, *self.part.findChildren(QLineEdit)):
            named.setAccessibleName("Part")
        self.part.currentTextChanged.connect(lambda _text: self._show_part())
        self.group = QButtonGroup(self)
        line = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for action, words in ACTIONS:
            button = QPushButton(words)
            button.setCheckable(True)
            button.setObjectName("choice")
            self.buttons[action] = button
            self.group.addButton(button)
            line.addWidget(button)
        line.addStretch(1)
        self.buttons["replace"].setChecked(True)
        self.source = ValueField()
        self.source.setPlaceholderText("stock, lot, or donor and serial")
        self.source.setAccessibleName("Where the part came from")
        self.note = ValueField()
        self.note.setAccessibleName("Note")
        self.neighbours = quiet_label()
        self.audit: dict[str, QCheckBox] = {key: QCheckBox(words) for key, words in AUDIT}
        grid.addWidget(QLabel("Done"), 1, 0)
        grid.addLayout(line, 1, 1)
        rows: tuple[tuple[int, str, QWidget], ...] = (
            (0, "Part", self.part), (2, "Part came from", self.source), (3, "Note", self.note))
        for row, words, field in rows:
            label = QLabel(words)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        self.body.addLayout(grid)
        self.body.addWidget(self.neighbours)
        head = QLabel("Audit, before any power")
        head.setObjectName("section")
        self.body.addWidget(head)
        for box in self.audit.values():
            self.body.addWidget(box)
        self.save = QPushButton("Record the rework")
        self.save.clicked.connect(self._record)
        self.body.addWidget(self.save, 0, Qt.AlignmentFlag.AlignLeft)
        self.done = quiet_label()
        self.body.addWidget(self.done)
        self.body.addStretch(1)
        self._shown_for = ""

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        if self._shown_for != self.model.job_id:
            self._shown_for = self.model.job_id
            self._reset()
            self.part.clear()
            if board is not None:
                traces = [f"trace {t.id}" for t in board.traces]
                self.part.addItems([c.designator for c in board.components] + traces)
            self.part.setCurrentText("")
        done = [f"{dict(ACTIONS)[r.action]} {r.part}" + (f" ({r.source})" if r.source else "")
                for _, r in facts.reworks]
        if done:
            self.sentence.setText(f"Done so far: {', '.join(done)}.")
        else:
            self.sentence.setText("Nothing reworked yet.")
        self.detail.setText("After every rework the same points are read again before power goes on.")
        self.done.setText("")
        self._show_part()
        self.show_cautions()

    def _reset(self) -> None:
        self.source.clear()
        self.note.clear()
        for box in self.audit.values():
            box.setChecked(False)

    def _component(self) -> Component | None:
        board = self.model.board
        return board.component_by_designator.get(self.part.currentText().strip()) if board else None

    def _show_part(self) -> None:
        part, board = self._component(), self.model.board
        if part is None or board is None:
            self.neighbours.setText("")
            return
        near = sorted((c for c in board.components if c.side is part.side and c is not part and max(
            abs(c.x_mm - part.x_mm), abs(c.y_mm - part.y_mm)) < NEIGHBOURS_MM),
            key=lambda c: (c.x_mm - part.x_mm) ** 2 + (c.y_mm - part.y_mm) ** 2)
        small = [c.designator for c in near if not c.heat_sensitive]
        shield = [c.designator for c in near if c.heat_sensitive]
        words = [f"{part_words(board, part.designator).capitalize()}, {part.purpose}, {part.side.value} side."]
        if small:
            words.append(f"Within reach of the air stream: {', '.join(small[:14])}; photograph and count them.")
        if shield:
            words.append(f"Shield from heat: {', '.join(shield)}.")
        self.neighbours.setText(" ".join(words))

    def _record(self) -> None:
        name = self.part.currentText().strip()
        board, facts = self.model.board, self.model.facts
        known = board is None or name in board.component_by_designator or name in {
            f"trace {t.id}" for t in board.traces}
        if not name or not known:
            self.say_trouble(f"{name[:20]!r} is not a part of this board. Nothing was recorded." if name
                             else "Name the part first. Nothing was recorded.")
            self.part.setFocus()
            return
        if self.model.readings_held():
            self.say_trouble("No heat with the cell in. Ctrl+U says it is unplugged; then record again.")
            return
        self.say_trouble("")
        action = next(a for a, b in self.buttons.items() if b.isChecked())
        rework = Rework(action, name, self.source.text().strip(),  # type: ignore[arg-type]
                        tuple(k for k, b in self.audit.items() if b.isChecked()), self.note.text().strip())
        payloads: list[Access | Rework] = [rework]
        rule = next((r for r in board.repair_rules if board.component_by_designator.get(name) is not None
                     and r.kind is board.component_by_designator[name].kind and r.action == action), None) \
            if board else None
        if rule is not None and board is not None and board.access_order.get(rule.access, 0) \
                > board.access_order.get(facts.access, 0):
            payloads.insert(0, Access(rule.access))
        before = self.model.assessment if self.model.fresh and action != "clean" else None
        if self.model.record(*payloads):
            missing = [words for key, words in AUDIT if not self.audit[key].isChecked()]
            self._reset()
            said = [] if before is None else [not_suspected_words(before, name)]
            if missing and action != "clean":
                said.append(f"Not audited: {'; '.join(missing)}.")
            if any(said):
                self.say_trouble(" ".join(["Recorded.", *filter(None, said)]))

    def go_to(self, part: str, action: str) -> None:
        self.part.setCurrentText(part)
        if action in self.buttons:
            self.buttons[action].setChecked(True)
        self.source.setFocus()

    def focus_entry(self) -> None:
        assessment = self.model.assessment
        if not self.part.currentText() and assessment and assessment.advice.next.kind == "repair":
            self.go_to(assessment.advice.next.target, assessment.advice.next.detail)
        self.part.setFocus()
