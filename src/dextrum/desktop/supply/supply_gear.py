"""The supply, the cable and the dock in use, each with when it last proved good."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QWidget

from dextrum.app.job.session import BenchSession
from dextrum.core.trail import Gear
from dextrum.core.when import short_day_words
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.store.gear import KINDS, GearRecord
from dextrum.tongue import capital, tr

WIDEST = 260
"""Pixels at 100 % text for a piece of gear: a name may be as long as somebody types."""
NOT_SAID = {"supply": tr("which supply?"), "cable": tr("which cable?"), "dock": tr("no dock")}


def proved_words(record: GearRecord, today: datetime) -> str:
    """'proved 12 Mar', 'never proved', 'proved bad'."""
    if record.failed:
        return tr("proved bad")
    if not record.proved_at:
        return tr("never proved")
    at = datetime.fromisoformat(record.proved_at)
    days = (today.date() - at.astimezone(today.tzinfo).date()).days
    return tr("proved today") if days <= 0 else \
        tr("proved {short_day_words}",
           short_day_words=short_day_words(at.astimezone(today.tzinfo).date(), today.date()))


class GearRow(QWidget):
    """Signals: changed (what is chosen is another), trouble (words)."""

    changed = Signal()
    trouble = Signal(str)

    def __init__(self, session: BenchSession) -> None:
        super().__init__()
        self.session = session
        self.records: tuple[GearRecord, ...] = ()
        self.boxes: dict[str, QComboBox] = {}
        row = FlowLayout(self)
        for kind in KINDS:
            box = QComboBox()
            box.setAccessibleName(capital(tr(kind)))
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.activated.connect(lambda _index, k=kind: self._chosen(k))
            self.boxes[kind] = box
            row.addWidget(box)
        self.prove = QPushButton(tr("These work"))
        self.prove.setToolTip(tr("They have just charged a known-good unit: Ctrl+Shift+G"))
        self.prove.clicked.connect(lambda: self.record_proof(True))
        row.addWidget(self.prove)
        self.hint = QLabel()
        self.hint.setObjectName("quiet")

    def refresh(self) -> None:
        """Read the list anew and keep what is chosen."""
        try:
            self.records = self.session.gear()
            chosen = {kind: self.session.store.setting(f"gear.{kind}") for kind in KINDS}
        except DextrumError as problem:
            self.trouble.emit(str(problem))
            return
        today = self.session.clock().astimezone()
        for kind, box in self.boxes.items():
            box.blockSignals(True)
            box.clear()
            box.addItem(NOT_SAID[kind], "")
            for record in self.records:
                if record.kind == kind:
                    box.addItem(f"{record.name} \u00b7 {proved_words(record, today)}", record.id)
            box.setCurrentIndex(max(box.findData(chosen[kind]), 0))
            box.setMaximumSize(look.px(WIDEST), look.px(34))
            box.blockSignals(False)
        self.prove.setEnabled(bool(self.chosen()))
        self.prove.setText(tr("These work"))

    def chosen(self) -> tuple[GearRecord, ...]:
        ids = {box.currentData() for box in self.boxes.values()}
        return tuple(record for record in self.records if record.id in ids)

    def as_used(self) -> tuple[Gear, ...]:
        """For an entry of the trail."""
        return tuple(record.as_used() for record in self.chosen())

    @property
    def proved(self) -> bool:
        """Whether something is chosen and nothing of it never proved good."""
        return bool(self.chosen()) and all(record.proved_at for record in self.chosen())

    @property
    def supply_class(self) -> str:
        """Of the chosen supply; empty for the board's usual one."""
        return next((r.supply_class for r in self.chosen() if r.kind == "supply"), "")

    def _chosen(self, kind: str) -> None:
        try:
            self.session.store.set_setting(f"gear.{kind}", str(self.boxes[kind].currentData() or ""))
        except DextrumError as problem:
            self.trouble.emit(str(problem))
        self.prove.setEnabled(bool(self.chosen()))
        self.changed.emit()

    def choose(self, record: GearRecord) -> None:
        """Take a piece of gear in use."""
        self.refresh()
        box = self.boxes[record.kind]
        box.setCurrentIndex(max(box.findData(record.id), 0))
        self._chosen(record.kind)

    def record_proof(self, good: bool) -> bool:
        """Record that what is chosen has just proved good, or the supply bad; False when nothing is chosen."""
        pieces = self.chosen() if good else tuple(r for r in self.chosen() if r.kind == "supply")
        try:
            for record in pieces:
                self.session.prove_gear(record.id, good, tr("charged a known-good unit") if good
                                        else tr("a known-good unit did not charge on it"))
        except DextrumError as problem:
            self.trouble.emit(str(problem))
            return False
        self.refresh()
        self.changed.emit()
        return bool(pieces)
