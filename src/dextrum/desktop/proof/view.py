"""Proof: each check is ticked or failed by a key; a failed one speaks to the diagnosis."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dextrum.core.trail import Proof
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label

CHOOSING = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.MouseFocusReason,
            Qt.FocusReason.ShortcutFocusReason)


class CheckButton(QPushButton):
    """One check; a click chooses it, P or Space passes it, F fails it, arrows move. Until the row was chosen by hand,
    by Tab, an arrow, a click or the step that asks for it, its keys record nothing."""

    def __init__(self, view: ProofView, check: str, words: str) -> None:
        super().__init__()
        self.view = view
        self.check = check
        self.setAccessibleName(words)
        label = QLabel(words)
        label.setWordWrap(True)
        label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        inside = QVBoxLayout(self)
        inside.addWidget(label)
        inside.setContentsMargins(10, 5, 10, 5)
        policy = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.chosen = False

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        """A button can't wrap its text; the label inside does."""
        inside = self.layout()
        return inside.heightForWidth(width) if inside is not None else self.sizeHint().height()

    def sizeHint(self) -> QSize:
        inside = self.layout()
        return inside.sizeHint() if inside is not None else super().sizeHint()

    def focusInEvent(self, event: QFocusEvent) -> None:
        if event.reason() in CHOOSING:
            self.chosen = True
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.chosen = False
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        records = (Qt.Key.Key_F, Qt.Key.Key_P, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if event.key() in records and not self.chosen:
            self.view.say_trouble("Choose the check first, with an arrow, Tab or a click; then P or F.")
        elif event.key() == Qt.Key.Key_F:
            self.view.tick(self.check, False)
        elif event.key() in records:
            self.view.tick(self.check, True)
        elif event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.view.step(self.check, 1 if event.key() == Qt.Key.Key_Down else -1)
        else:
            if event.text().isprintable() and event.text():
                self.chosen = False  # text that is typed by mistake records at most its first letter
            super().keyPressEvent(event)


class ProofView(JobView):
    name = "proof"
    commands = ("swap.known_good", "gear.proved", "job.wait")
    shows_advice = True
    keys = (("P", "the chosen check passed"), ("F", "the chosen check failed"),
            ("↑ ↓", "choose the check above, below"))

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.grid = QGridLayout()
        self.grid.setColumnStretch(1, 1)
        self.grid.setVerticalSpacing(6)
        holder = QWidget()
        holder.setLayout(self.grid)
        self.body.addWidget(holder)
        self.body.addWidget(quiet_label("P: passed, F: failed, ↑ ↓ move. A first picture can fail: "
                                        "re-plug and retry once."))
        self.body.addStretch(1)
        self.buttons: dict[str, CheckButton] = {}
        self.marks: dict[str, QLabel] = {}
        self._shown_for = ""

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        if self._shown_for != self.model.facts.pack_id:
            self._shown_for = self.model.facts.pack_id
            self._build()
        checks = board.checks if board else ()
        proofs = facts.proofs or {}
        for check in checks:
            proof = proofs.get(check.id)
            mark = "–  not yet" if proof is None else "✓  passed" if proof.passed else "✗  failed"
            self.marks[check.id].setText(mark)
            self.marks[check.id].setObjectName("quiet" if proof is None else "section" if proof.passed else "hold")
            self.marks[check.id].style().unpolish(self.marks[check.id])
            self.marks[check.id].style().polish(self.marks[check.id])
        failed = [c for c in checks if c.id in proofs and not proofs[c.id].passed]
        passed = sum(1 for c in checks if c.id in proofs and proofs[c.id].passed)
        if failed:
            words = f"{failed[0].words[0].lower()}{failed[0].words[1:]}"
            self.sentence.setText(f"Failed: {words}. Suspects updated.")
        elif checks and passed == len(checks):
            self.sentence.setText("Proof passed. Write the outcome and hand it over.")
        else:
            self.sentence.setText(f"{passed} of {len(checks)} checks passed.")
        held = [g.words for g in self.model.gates if g.holds_power]
        self.detail.setText(f"Hold: {held[0]} Ctrl+G goes on with a reason." if held
                            else "Assembled just enough for what is tried.")
        self.show_cautions()

    def _build(self) -> None:
        clear_layout(self.grid)
        self.buttons, self.marks = {}, {}
        for row, check in enumerate(self.model.board.checks if self.model.board else ()):
            mark = QLabel()
            mark.setMinimumWidth(110)
            button = CheckButton(self, check.id, check.words)
            minutes = quiet_label(f"{check.minutes:g} min")
            self.grid.addWidget(mark, row, 0)
            self.grid.addWidget(button, row, 1)
            for place, (words, passed) in enumerate((("Passed", True), ("Failed", False)), start=2):
                tick = QPushButton(words)
                tick.setObjectName("small")
                tick.setAccessibleName(f"{words}: {check.words}")
                tick.setToolTip("Recorded in the trail; Undo takes it back.")
                tick.clicked.connect(lambda _checked=False, one=check.id, good=passed: self.tick(one, good))
                self.grid.addWidget(tick, row, place)
            self.grid.addWidget(minutes, row, 4)
            self.buttons[check.id], self.marks[check.id] = button, mark

    def tick(self, check: str, passed: bool) -> None:
        held = self.model.held_back(Proof(check, passed))
        self.say_trouble(held)
        if held or not self.model.record(Proof(check, passed)):
            return
        words = next((c.words for c in self.model.board.checks if c.id == check), check) if self.model.board else check
        self.model.recorded.emit(f"{'Passed' if passed else 'Failed'}: {words}")
        if passed:
            self.buttons[check].chosen = True
            self.step(check, 1)

    def step(self, check: str, by: int) -> None:
        ids = list(self.buttons)
        here = self.buttons[check]
        if by and not here.chosen:
            here.chosen = True  # the first arrow chooses the row that has the keyboard
            self.say_trouble("")
            return
        self._choose(self.buttons[ids[max(0, min(len(ids) - 1, ids.index(check) + by))]])

    def _choose(self, button: CheckButton) -> None:
        button.setFocus(Qt.FocusReason.ShortcutFocusReason)
        button.chosen = True

    def focus_entry(self) -> None:
        proofs = self.model.facts.proofs or {}
        waiting = [b for c, b in self.buttons.items() if c not in proofs]
        if waiting:
            waiting[0].setFocus()
        elif self.buttons:
            next(iter(self.buttons.values())).setFocus()

    def go_to(self, check: str) -> None:
        if check in self.buttons:
            self._choose(self.buttons[check])
        else:
            self.focus_entry()
