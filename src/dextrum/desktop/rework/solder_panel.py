"""What solders at a part melt at together, what brings them down, and how often braid must pass."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import quiet_label
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.tongue import tr

THERE, ADDED, REFIT = "SAC305", "Sn42 Bi58", "Sn63 Pb37"
"""What is there as the factory left it, and what is most often added and put on."""
ADDED_SHARE = 1.0
"""Of what is added first, by the volume of the joints: what floats a port is about as much again."""
WANTED_CELSIUS = 180.0
FIELD_PIXELS = 72
"""A field of five figures at 100 % text."""
AFTER_TYPING_MILLISECONDS = 250


class SolderPanel(QFrame):
    """Fields change, the sentences below follow. It is told the part's joints when it is opened."""

    def __init__(self) -> None:
        super().__init__()
        self.there, self.added, self.refit = QComboBox(), QComboBox(), QComboBox()
        self.joints, self.amount, self.wanted = ValueField(), ValueField(), ValueField()
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.assumed = quiet_label()
        self.close_it = QPushButton(tr("Close"))
        self.close_it.clicked.connect(self.hide)
        self.work = Background(self)
        self.work.finished.connect(lambda said: self.words.setText("\n".join(said)))
        self.work.failed.connect(self.words.setText)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(AFTER_TYPING_MILLISECONDS)
        self._later.timeout.connect(self._work_out)
        fields = QWidget()
        row = FlowLayout(fields)
        cubic = "mm³"
        for words, named, unit in (
            (tr("Joints"), ((self.there, tr("Solder that is there")), (self.joints, tr("Its amount"))), cubic),
            (tr("Added"), ((self.added, tr("Solder that is mixed in")), (self.amount, tr("Amount mixed in"))), cubic),
            (tr("Liquid at"), ((self.wanted, tr("Wanted temperature")),), "°C"),
            (tr("New joint"), ((self.refit, tr("Solder of the new joint")),), ""),
        ):
            # A label stays with what it names where the line is full.
            group = QWidget()
            together = QHBoxLayout(group)
            together.setContentsMargins(0, 0, 0, 0)
            together.addWidget(QLabel(words))
            for field, name in named:
                field.setAccessibleName(name)
                together.addWidget(field)
            if unit:
                together.addWidget(QLabel(unit))
            row.addWidget(group)
        row.addWidget(self.close_it)
        for number in (self.joints, self.amount, self.wanted):
            number.setMaximumWidth(look.px(FIELD_PIXELS))
            number.textChanged.connect(lambda _text: self._later.start())
        for solder in (self.there, self.added, self.refit):
            solder.currentIndexChanged.connect(lambda _index: self._later.start())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for part in (fields, self.words, self.assumed):
            column.addWidget(part)
        self.assumed.setText(tr("Worked out from published melting points and estimated amounts: try it on scrap "
                                "first."))
        self.hide()

    def open_for(self, cubic_mm: float) -> None:
        """For joints of so much solder."""
        if self.there.count() == 0:
            from dextrum.core.rework.alloy import SOLDERS

            for box, first in ((self.there, THERE), (self.added, ADDED), (self.refit, REFIT)):
                box.addItems(list(SOLDERS))
                box.setCurrentText(first)
            self.wanted.setText(f"{WANTED_CELSIUS:g}")
        self.joints.setText(f"{cubic_mm:g}")
        self.amount.setText(f"{ADDED_SHARE * cubic_mm:g}")
        self.show()
        self.amount.setFocus()
        self._work_out()

    def _work_out(self) -> None:
        self._later.stop()
        try:
            joints, amount, wanted = (float(field.text().strip().replace(",", "."))
                                      for field in (self.joints, self.amount, self.wanted))
        except ValueError:
            self.words.setText(tr("Amounts in mm³ and a temperature in °C, as numbers."))
            return
        there, added, refit = (solder.currentText() for solder in (self.there, self.added, self.refit))

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.app.rework.solder_mix import SolderMix, mix_sentences

            try:
                return mix_sentences(SolderMix(there, joints, added, amount, refit, wanted))
            except ValueError as problem:
                raise DextrumError(str(problem)) from problem

        self.work.start(work)
