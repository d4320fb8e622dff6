"""The look into the port: what is seen, and at which contacts. Folds to one line once it is recorded."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.looks import LOOK_WORDS, LOOKS
from dextrum.core.safety.signs import SIGN_WORDS, SIGNS
from dextrum.core.trail import Look
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.theme import look
from dextrum.tongue import tr

LOOKS_IN_A_ROW = 5


class LookPart(QWidget):
    """Signals: seen (a Look to record), trouble (words)."""

    seen = Signal(object)
    trouble = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        head = QHBoxLayout()
        self.head = QLabel()
        self.head.setObjectName("section")
        self.again = QPushButton(tr("Look again"))
        self.again.setObjectName("small")
        self.again.clicked.connect(self.unfold)
        head.addWidget(self.head)
        head.addWidget(self.again)
        head.addStretch(1)
        column.addLayout(head)
        self.form = QWidget()
        form = QVBoxLayout(self.form)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(2)
        boxes = QGridLayout()
        boxes.setVerticalSpacing(0)
        boxes.setHorizontalSpacing(18)
        self.findings: dict[str, QCheckBox] = {}
        for i, finding in enumerate(LOOKS):
            box = QCheckBox(LOOK_WORDS[finding])
            box.clicked.connect(lambda checked, f=finding: self._one_or_other(f, checked))
            self.findings[finding] = box
            boxes.addWidget(box, i // LOOKS_IN_A_ROW, i % LOOKS_IN_A_ROW)
        boxes.setColumnStretch(LOOKS_IN_A_ROW, 1)
        form.addLayout(boxes)
        danger = QHBoxLayout()
        danger.addWidget(QLabel(tr("Danger:")))
        self.signs = {sign: QCheckBox(tr(sign)) for sign in SIGNS}
        for sign, box in self.signs.items():
            box.setToolTip(SIGN_WORDS[sign])
            danger.addWidget(box)
        danger.addStretch(1)
        form.addLayout(danger)
        line = QHBoxLayout()
        self.contacts = ValueField()
        self.contacts.setPlaceholderText(tr("contacts, if any: A5 A6"))
        self.contacts.setAccessibleName(tr("Contacts seen damaged"))
        self.contacts.returnPressed.connect(self.record)
        self.button = QPushButton(tr("Record the look"))
        self.button.clicked.connect(self.record)
        line.addWidget(self.contacts, 1)
        line.addWidget(self.button)
        line.addStretch(1)
        form.addLayout(line)
        column.addWidget(self.form)
        self._board: Board | None = None
        self._open = False

    def _one_or_other(self, finding: str, checked: bool) -> None:
        """Clean excludes the rest, the rest exclude clean."""
        if checked:
            for other, box in self.findings.items():
                if (finding == "clean") != (other == "clean"):
                    box.setChecked(False)

    def unfold(self) -> None:
        """Show the form again, for a second look."""
        self._open = True
        self.form.setVisible(True)
        self.again.setVisible(False)
        self.findings["clean"].setFocus()

    def refresh(self, board: Board | None, facts: JobFacts, fresh_job: bool) -> None:
        """fresh_job: another job has come into view, so the form is filled anew."""
        self._board = board
        found = facts.look
        if fresh_job:
            self._open = False
            for finding, box in self.findings.items():
                box.setChecked(found is not None and finding in found.findings)
            self.contacts.setText(" ".join(found.contacts) if found else "")
            for sign, box in self.signs.items():
                box.setChecked(sign in facts.danger)
        needed = found is None or "dirt" in found.findings
        self.form.setVisible(needed or self._open)
        self.again.setVisible(not (needed or self._open))
        if found is None:
            self.head.setText(tr("Look into the port, under magnification"))
        else:
            where = tr(" at {contacts}", contacts=", ".join(found.contacts)) if found.contacts else ""
            self.head.setText(tr("Port looks {get}{where}",
                                 get=", ".join(LOOK_WORDS[f] for f in found.findings), where=where))
        self.again.setFixedHeight(look.px(29))

    def record(self) -> None:
        """Offer what is ticked as an entry; what can't be is told."""
        findings = tuple(f for f, box in self.findings.items() if box.isChecked())
        contacts = tuple(self.contacts.text().upper().replace(",", " ").split())
        known = {c.name for port in self._board.ports for c in port.contacts} if self._board else set(contacts)
        strange = [c for c in contacts if c not in known]
        if strange:
            self.trouble.emit(tr("{strange} is not a contact of this port. Nothing was recorded.", strange=strange[0]))
            return
        try:
            found = Look(findings, contacts, signs=tuple(s for s, box in self.signs.items() if box.isChecked()))
        except ValueError as problem:
            self.trouble.emit(tr("The look is not recorded: {problem}.", problem=problem))
            return
        self.trouble.emit("")
        self._open = False
        self.seen.emit(found)
