"""Proof: each check is ticked or failed by a key; a failed one speaks to the diagnosis."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dextrum.core.proof.tries import tries_left, unproved
from dextrum.core.trail import Proof
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label
from dextrum.desktop.theme import look

TIME_PIXELS = 56
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
        if event.key() in records and event.isAutoRepeat():
            return  # a key that is held down is one try, not many
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
    commands = ("proof.sometimes", "proof.leave", "swap.known_good", "gear.proved", "job.wait")
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
        self.times: dict[str, ValueField] = {}
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
            left = tries_left(facts, check.id)
            if check.id in (facts.left_out or {}):
                mark = "–  left out"
            elif left is not None and (proof is None or proof.passed):
                mark = f"{'✓' if left.enough else '…'}  {left.words}"
            self.times[check.id].setVisible(left is not None and left.wanted_minutes > 0.0)
            self.marks[check.id].setText(mark)
            self.marks[check.id].setObjectName("quiet" if proof is None else "section" if proof.passed else "hold")
            self.marks[check.id].style().unpolish(self.marks[check.id])
            self.marks[check.id].style().polish(self.marks[check.id])
        failed = [c for c in checks if c.id in proofs and not proofs[c.id].passed]
        passed = sum(1 for c in checks if c.id in proofs and proofs[c.id].passed)
        out = sum(c.id in (facts.left_out or {}) for c in checks)
        unsure = unproved(facts, tuple(c.id for c in checks if c.id in proofs and proofs[c.id].passed))
        if failed:
            words = f"{failed[0].words[0].lower()}{failed[0].words[1:]}"
            self.sentence.setText(f"Failed: {words}. Suspects updated.")
        elif checks and passed + out == len(checks) and unsure:
            self.sentence.setText(f"It comes and goes: {unsure[0].words} so far, gone with {unsure[0].gone:.0%}. "
                                  "Try on.")
        elif checks and passed + out == len(checks):
            self.sentence.setText("Proof passed. Write the outcome and hand it over." if not out else
                                  f"Proof passed, {out} left out on purpose. Write the outcome and hand it over.")
        else:
            self.sentence.setText(f"{passed} of {len(checks)} checks passed{f', {out} left out' if out else ''}.")
        held = [g.words for g in self.model.gates if g.holds_power]
        self.detail.setText(f"Hold: {held[0]} Ctrl+G goes on with a reason." if held
                            else self._floor_words() or "Assembled just enough for what is tried.")
        self.show_cautions()

    def _floor_words(self) -> str:
        """When it will have the charge with which it may go home."""
        if self.model.assessment is None:
            return ""
        from dextrum.app.supply.draw_words import floor_words

        return floor_words(self.model.assessment.draws, self.model.session.clock().astimezone())

    def _build(self) -> None:
        clear_layout(self.grid)
        self.buttons, self.marks, self.times = {}, {}, {}
        for row, check in enumerate(self.model.board.checks if self.model.board else ()):
            mark = QLabel()
            mark.setMinimumWidth(110)
            button = CheckButton(self, check.id, check.words)
            minutes = quiet_label(f"{check.minutes:g} min")
            time = ValueField()
            time.setPlaceholderText("min")
            time.setMaximumWidth(look.px(TIME_PIXELS))
            time.setAccessibleName(f"Minutes without it: {check.words}")
            time.setToolTip("For how many minutes it was tried without the fault; Enter passes it")
            time.returnPressed.connect(lambda one=check.id: self.tick(one, True))
            time.hide()
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
            self.grid.addWidget(time, row, 5)
            self.buttons[check.id], self.marks[check.id], self.times[check.id] = button, mark, time

    def tick(self, check: str, passed: bool) -> None:
        minutes = self._minutes(check) if passed else 0.0
        if minutes is None:
            self.say_trouble("It goes by time: type for how many minutes it ran without the fault, then pass it.")
            self.times[check].setFocus()
            return
        proof = Proof(check, passed, minutes=minutes)
        held = self.model.held_back(proof)
        self.say_trouble(held)
        if held or not self.model.record(proof):
            return
        self.times[check].clear()
        words = next((c.words for c in self.model.board.checks if c.id == check), check) if self.model.board else check
        self.model.recorded.emit(f"{'Passed' if passed else 'Failed'}: {words}")
        left = tries_left(self.model.facts, check)
        if passed and (left is None or left.enough):
            self.buttons[check].chosen = True
            self.step(check, 1)

    def _minutes(self, check: str) -> float | None:
        """Those typed beside a check of what goes by time; None where they are missing, 0 for any other check."""
        left = tries_left(self.model.facts, check)
        if left is None or not left.wanted_minutes:
            return 0.0
        try:
            minutes = float(self.times[check].text().replace(",", "."))
        except ValueError:
            return None
        return minutes if 0.0 < minutes <= 100_000.0 else None

    def chosen_check(self) -> str:
        """The check whose row has the keyboard; empty where none has."""
        return next((check for check, button in self.buttons.items() if button.hasFocus() or button.chosen), "")

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
