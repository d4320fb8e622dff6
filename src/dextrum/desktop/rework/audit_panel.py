"""After heat: the points that show what it has done to what lies round it, and what is looked at by eye."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dextrum.app.rework.audit_words import MOST_ROWS, AuditRow, audit_rows, audit_sentence, by_eye_words
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.desktop.frame.view import clear_layout, quiet_label
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.rework.audit import AuditWalk

HEADS = (tr("Point"), tr("Good board"), tr("Now"), tr("Would show"))


class AuditPanel(QFrame):
    """Hidden while no part waits for its audit. Signals: read (the points that are due), looked (what was seen)."""

    read = Signal()
    looked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.head = QLabel()
        self.head.setObjectName("section")
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.by_eye = quiet_label()
        self.by_eye.setWordWrap(True)
        for label in (self.head, self.words, self.by_eye):
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.table = QWidget()
        self.grid = QGridLayout(self.table)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setColumnStretch(len(HEADS) - 1, 1)
        self.grid.setHorizontalSpacing(18)
        self.read_them, self.look = QPushButton(tr("Read what is due")), QPushButton(tr("Looked round…"))
        self.read_them.setToolTip(tr("To the first point; Enter goes on to the next"))
        self.look.setToolTip(tr("Parts counted, no bridges, flux off, and what was seen to be amiss"))
        self.read_them.clicked.connect(self.read)
        self.look.clicked.connect(self.looked)
        line = QHBoxLayout()
        for button in (self.read_them, self.look):
            line.addWidget(button)
        line.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        for part in (self.head, self.words, self.table, self.by_eye):
            column.addWidget(part)
        column.addLayout(line)
        self.hide()

    def show_audits(self, board: Board | None, audits: tuple[AuditWalk, ...], facts: JobFacts) -> None:
        """Of the part that was heated last."""
        self.setVisible(board is not None and bool(audits))
        if board is None or not audits:
            return
        audit = audits[-1]
        since = next((epoch for epoch, rework in reversed(facts.reworks) if rework.part == audit.part), facts.epoch)
        self.head.setText(tr("Round {part} after the heat", part=audit.part))
        self.words.setText(audit_sentence(audit))
        self.by_eye.setText(by_eye_words(audit))
        self.by_eye.setVisible(bool(self.by_eye.text()))
        self._fill(audit_rows(board, audit, facts, since))
        self.look.setEnabled(bool(facts.unaudited))

    def _fill(self, rows: tuple[AuditRow, ...]) -> None:
        clear_layout(self.grid)
        self.table.setVisible(bool(rows))
        self.read_them.setEnabled(any(not row.now for row in rows))
        self.read_them.setVisible(bool(rows))
        for column, words in enumerate(HEADS):
            self.grid.addWidget(quiet_label(words), 0, column)
        for k, row in enumerate(rows[:MOST_ROWS], start=1):
            for column, words in enumerate((row.point, row.good, row.now or tr("not read"), row.shows)):
                label = QLabel(words)
                label.setTextFormat(Qt.TextFormat.PlainText)
                label.setAccessibleName(f"{HEADS[column]}: {words}")
                if column == len(HEADS) - 1:
                    label.setWordWrap(True)
                    label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
                self.grid.addWidget(label, k, column, Qt.AlignmentFlag.AlignTop)
        if len(rows) > MOST_ROWS:
            self.grid.addWidget(quiet_label(tr("and {count} more", count=len(rows) - MOST_ROWS)), MOST_ROWS + 1, 0)
