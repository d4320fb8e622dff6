"""Supply: the look into the port first, then volts and amps in both orientations."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
)

from dextrum.app.sentences import supply_sentence
from dextrum.app.typed import parse_number
from dextrum.core.advice.wording import percent
from dextrum.core.draw.states import classify_draw
from dextrum.core.trail import LOOKS, Look, Supply, standing
from dextrum.desktop.job_model import JobModel
from dextrum.desktop.theme import look
from dextrum.desktop.views.view import JobView, clear_layout, quiet_label
from dextrum.errors import EntryRefusedError

LOOKS_IN_A_ROW = 4


class SupplyView(JobView):
    name = "supply"
    title = "Supply"

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        head = QLabel("1  Look into the port, under magnification")
        head.setObjectName("section")
        self.body.addWidget(head)
        line = QGridLayout()
        line.setVerticalSpacing(0)
        line.setHorizontalSpacing(18)
        self.findings: dict[str, QCheckBox] = {}
        for i, finding in enumerate(LOOKS):
            box = QCheckBox(finding)
            box.clicked.connect(lambda checked, f=finding: self._one_or_other(f, checked))
            self.findings[finding] = box
            line.addWidget(box, i // LOOKS_IN_A_ROW, i % LOOKS_IN_A_ROW)
        line.setColumnStretch(LOOKS_IN_A_ROW, 1)
        self.body.addLayout(line)
        second = QHBoxLayout()
        self.contacts = QLineEdit()
        self.contacts.setPlaceholderText("contacts, if any: A5 A6")
        self.contacts.setAccessibleName("Contacts seen damaged")
        self.contacts.returnPressed.connect(self._record_look)
        self.look_button = QPushButton("Record the look")
        self.look_button.clicked.connect(self._record_look)
        second.addWidget(self.contacts, 1)
        second.addWidget(self.look_button)
        second.addStretch(1)
        self.body.addLayout(second)
        self.gate = QLabel()
        self.gate.setObjectName("hold")
        self.gate.setWordWrap(True)
        self.body.addWidget(self.gate)

        head = QLabel("2  Known-good supply and cable, power meter in line")
        head.setObjectName("section")
        self.body.addWidget(head)
        row = QHBoxLayout()
        self.orientation = QPushButton("A side up")
        self.orientation.setCheckable(True)
        self.orientation.setObjectName("choice")
        self.orientation.setAccessibleName("Orientation: A side up, pressed B side up")
        self.orientation.toggled.connect(
            lambda on: self.orientation.setText("B side up" if on else "A side up"))
        self.volts, self.amps, self.minute = QLineEdit(), QLineEdit(), QLineEdit()
        for field, words, width in ((self.volts, "volts", 90), (self.amps, "amps", 90), (self.minute, "after", 90)):
            field.setPlaceholderText(words)
            field.setAccessibleName("Minutes after plugging in" if words == "after" else words.capitalize())
            field.setMaximumWidth(look.px(width))
        self.volts.returnPressed.connect(self.amps.setFocus)
        self.amps.returnPressed.connect(self._record_supply)
        self.minute.returnPressed.connect(self._record_supply)
        self.blinking = QCheckBox("blinks on and off")
        self.proved = QCheckBox("supply and cable proved good")
        self.proved.setChecked(True)
        self.supply_button = QPushButton("Record")
        self.supply_button.clicked.connect(self._record_supply)
        for widget in (self.orientation, self.volts, QLabel("V"), self.amps, QLabel("A"), self.minute,
                       QLabel("min"), self.supply_button):
            row.addWidget(widget)
        row.addStretch(1)
        self.body.addLayout(row)
        row = QHBoxLayout()
        for box in (self.blinking, self.proved):
            row.addWidget(box)
            row.addSpacing(look.px(12))
        row.addStretch(1)
        self.body.addLayout(row)

        self.table = QGridLayout()
        self.table.setHorizontalSpacing(22)
        frame = QFrame()
        frame.setLayout(self.table)
        self.body.addWidget(frame)
        self.profile = quiet_label()
        self.body.addWidget(self.profile)
        self.body.addStretch(1)
        self._shown_for = ""

    def _one_or_other(self, finding: str, checked: bool) -> None:
        """Clean excludes the rest, the rest exclude clean."""
        if checked:
            for other, box in self.findings.items():
                if (finding == "clean") != (other == "clean"):
                    box.setChecked(False)

    def held(self) -> str:
        """Why nothing may be plugged in, or nothing."""
        gates = [g for g in self.model.gates if g.holds_back == "supply"]
        return f"{gates[0].words} {gates[0].instead} Ctrl+G goes on, with your reason on record." if gates else ""

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        if self._shown_for != self.model.job_id:
            self._shown_for = self.model.job_id
            for field in (self.volts, self.amps, self.minute, self.contacts):
                field.clear()
            self.blinking.setChecked(False)
            self.orientation.setChecked(False)
            seen = facts.look.findings if facts.look else ()
            for finding, box in self.findings.items():
                box.setChecked(finding in seen)
            self.contacts.setText(" ".join(facts.look.contacts) if facts.look else "")
        if board is None:
            self.sentence.setText("No board pack: the draw is recorded, not interpreted.")
        else:
            self.sentence.setText(supply_sentence(board, facts))
        self.detail.setText("The pattern over time is the evidence, not one number: read both ways up.")
        held = self.held()
        self.gate.setText(held)
        self.gate.setVisible(bool(held))
        self._show_table()
        states = board.draw_states if board else ()
        self.profile.setText("This model's draw: " + "; ".join(
            f"{s.words} {s.volts:.1f} V {s.amps:.2f} A" for s in states) + "." if states
            else "This pack has no draw profile yet.")
        self.show_cautions()

    def _show_table(self) -> None:
        clear_layout(self.table)
        taken = [(e, e.payload) for e in standing(self.model.trail) if isinstance(e.payload, Supply)][-6:]
        board = self.model.board
        for row, (entry, supply) in enumerate(taken):
            judged = classify_draw(board, supply.volts, supply.amps, supply.pattern) if board else None
            cells = (f"{entry.at.astimezone():%H:%M}", f"{supply.orientation.upper()} side up",
                     f"{supply.volts:.2f} V", f"{supply.amps:.2f} A",
                     judged.words + (f" ({percent(judged.chances[0][1])})") if judged
                     else "recorded")
            for column, text in enumerate(cells):
                label = QLabel(text)
                if column in (2, 3):
                    label.setObjectName("section")
                label.setWordWrap(column == len(cells) - 1)
                self.table.addWidget(label, row * 2, column)
            if judged:
                self.table.addWidget(quiet_label(judged.meaning), row * 2 + 1, 4)
        self.table.setColumnStretch(4, 1)

    def _record_look(self) -> None:
        findings = tuple(f for f, box in self.findings.items() if box.isChecked())
        contacts = tuple(self.contacts.text().upper().replace(",", " ").split())
        board = self.model.board
        known = {c.name for port in board.ports for c in port.contacts} if board else set(contacts)
        strange = [c for c in contacts if c not in known]
        if strange:
            self.say_trouble(f"{strange[0]} is not a contact of this port. Nothing was recorded.")
            return
        try:
            seen = Look(findings, contacts)
        except ValueError as problem:
            self.say_trouble(f"The look is not recorded: {problem}.")
            return
        self.say_trouble("")
        if self.model.record(seen):
            self.volts.setFocus()

    def _record_supply(self) -> None:
        held = self.held()
        if held:
            self.say_trouble(held)
            return
        try:
            volts = parse_number(self.volts.text(), 0.0, 50.0, "V")
            amps = parse_number(self.amps.text(), 0.0, 10.0, "A")
            minute = parse_number(self.minute.text(), 0.0, 100_000.0, "min") if self.minute.text().strip() else 0.0
        except EntryRefusedError as problem:
            self.say_trouble(f"{problem.happened} {problem.kept}")
            return
        self.say_trouble("")
        orientation = self.orientation.isChecked()
        taken = Supply("b" if orientation else "a", volts, amps, minute,
                       "blinking" if self.blinking.isChecked() else "steady", self.proved.isChecked())
        if self.model.record(taken):
            self.volts.clear()
            self.amps.clear()
            self.orientation.setChecked(not orientation)
            self.volts.setFocus()

    def focus_entry(self) -> None:
        if self.model.facts.look is None:
            self.findings["clean"].setFocus()
        else:
            self.volts.setFocus()

    def go_to(self, orientation: str) -> None:
        self.orientation.setChecked(orientation == "b")
        self.volts.setFocus()
