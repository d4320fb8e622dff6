"""Proof: each check is ticked or failed by a key; a failed one speaks to the diagnosis."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from dextrum.app.proof.measured import after_words, measured
from dextrum.app.proof.proves import proves
from dextrum.core.board import ProofCheck, SetUp
from dextrum.core.proof.order import checks_in_order
from dextrum.core.proof.together import needed_by, not_in
from dextrum.core.proof.tries import tries_left, unproved
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.safety.activities import Activity
from dextrum.core.safety.gates import few
from dextrum.core.teardown.walk import states_of
from dextrum.core.trail import Proof, PutTogether
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label
from dextrum.desktop.proof.check_button import CheckButton
from dextrum.desktop.theme import look
from dextrum.tongue import capital, tr, within

if TYPE_CHECKING:
    from dextrum.desktop.supply.supply_live import LivePanel

TIME_PIXELS = 56


class ProofView(JobView):
    name = "proof"
    commands = ("proof.measure", "proof.sometimes", "proof.leave", "swap.known_good", "gear.proved", "job.wait")
    shows_advice = True
    keys = (("P", tr("the chosen check passed")), ("F", tr("the chosen check failed")),
            ("M", tr("record what the power meter shows for it; again, to end")),
            ("I", tr("the screws and parts that it needs are in")), ("↑ ↓", tr("choose the check above, below")))

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.grid = QGridLayout()
        self.grid.setColumnStretch(1, 1)
        self.grid.setVerticalSpacing(4)
        holder = QWidget()
        holder.setLayout(self.grid)
        self.body.addWidget(holder)
        self.after = quiet_label()
        self.body.addWidget(self.after)
        self.proves = quiet_label()
        self.body.addWidget(self.proves)
        self.body.addWidget(quiet_label(tr("P: passed, F: failed, M: measure, I: in, ↑ ↓ move. A first picture can "
                                           "fail: re-plug and retry once.")))
        self.body.addStretch(1)
        self.buttons: dict[str, CheckButton] = {}
        self.marks: dict[str, QLabel] = {}
        self.times: dict[str, ValueField] = {}
        self.said: dict[str, QLabel] = {}
        self.meters: dict[str, QPushButton] = {}
        self.set_up_lines: dict[str, tuple[QLabel, QPushButton | None]] = {}
        self._checks: tuple[ProofCheck, ...] = ()
        self._live: LivePanel | None = None
        self._live_way = self._live_job = ""
        self._shown_for = ""

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        if self._shown_for != self.model.facts.pack_id:
            self._shown_for = self.model.facts.pack_id
            self._build()
        checks = self._checks
        proofs = facts.proofs or {}
        self._show_set_ups()
        self._show_measured()
        for check in checks:
            proof = proofs.get(check.id)
            mark = tr("–  not yet") if proof is None else tr("✓  passed") if proof.passed else tr("✗  failed")
            left = tries_left(facts, check.id)
            if check.id in (facts.left_out or {}):
                mark = tr("–  left out")
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
            words = within(failed[0].words)
            self.sentence.setText(tr("Failed: {words}. Suspects updated.", words=words))
        elif checks and passed + out == len(checks) and unsure:
            self.sentence.setText(tr("It comes and goes: {words} so far, gone with {gone:.0%}. Try on.",
                                     words=unsure[0].words, gone=unsure[0].gone))
        elif checks and passed + out == len(checks) and (asked := self._asked_first()):
            self.sentence.setText(asked)
        elif checks and passed + out == len(checks):
            self.sentence.setText(tr("Proof passed. Write the outcome and hand it over.") if not out else
                                  tr("Proof passed, {out} left out on purpose. Write the outcome and hand it over.",
                                     out=out))
        else:
            self.sentence.setText(tr("{passed} of {count} checks passed{if_any}.", passed=passed, count=len(checks),
                                     if_any=tr(", {out} left out", out=out) if out else ""))
        held = [g.words for g in self.model.gates if g.holds & {Activity.POWER, Activity.RUNNING}]
        self.detail.setText(tr("Hold: {held} Ctrl+G goes on with a reason.", held=held[0]) if held
                            else self._floor_words() or self._order_words())
        references = self.model.references or NO_REFERENCES
        self.after.setText(after_words(board, facts, references, self.model.judged) if board is not None else "")
        self.show_cautions()

    def _floor_words(self) -> str:
        """When it will have the charge with which it may go home."""
        if self.model.assessment is None:
            return ""
        from dextrum.app.supply.draw_words import floor_words

        return floor_words(self.model.assessment.draws, self.model.session.clock().astimezone())

    def _order_words(self) -> str:
        """What the proof takes in this order."""
        board = self.model.board
        if board is None or not board.checks:
            return ""
        order = checks_in_order(board.checks, board.set_ups)
        saved = tr("; {saved:g} min saved by this order", saved=order.saved) if order.saved else ""
        return tr("{minutes:g} min in all{saved}.", minutes=order.minutes, saved=saved)

    def _build(self) -> None:
        """Checks in the order that costs least, each below what is set up anew for it."""
        clear_layout(self.grid)
        self.buttons, self.marks, self.times, self.said, self.meters = {}, {}, {}, {}, {}
        self.set_up_lines = {}
        board = self.model.board
        if board is None:
            self._checks = ()
            return
        known, by_id = {one.id: one for one in board.set_ups}, {one.id: one for one in board.checks}
        order = checks_in_order(board.checks, board.set_ups).checks
        self._checks = tuple(by_id[one.check] for one in order)
        row = 0
        for place in order:
            if place.set_up:
                self._add_set_up(row, place.check, tuple(known[name] for name in place.set_up))
                row += 1
            row = self._add_check(row, by_id[place.check], place.minutes)

    def _add_set_up(self, row: int, check: str, set_ups: tuple[SetUp, ...]) -> None:
        label = quiet_label()
        label.setAccessibleName(tr("To set up: {one}", one=", ".join(one.words for one in set_ups)))
        done = None
        if any(one.fasteners for one in set_ups):
            done = QPushButton(tr("In"))
            done.setObjectName("small")
            done.setToolTip(tr("What is named is in its place; recorded for each screw, ribbon and clip."))
            done.setAccessibleName(tr("In: {one}", one=", ".join(one.words for one in set_ups if one.fasteners)))
            done.clicked.connect(lambda _checked=False, one=check: self.put_in(one))
            self.grid.addWidget(done, row, 4)
        self.grid.addWidget(quiet_label(tr("   set up")), row, 0)
        self.grid.addWidget(label, row, 1, 1, 3)
        self.set_up_lines[check] = label, done

    def _add_check(self, row: int, check: ProofCheck, takes: float) -> int:
        """The row of a check, and a line below it for what a meter says; the next free row."""
        mark = QLabel()
        mark.setMinimumWidth(110)
        button = CheckButton(self, check.id, check.words)
        minutes = quiet_label(tr("{takes:g} min", takes=takes))
        time = ValueField()
        time.setPlaceholderText("min")
        time.setMaximumWidth(look.px(TIME_PIXELS))
        time.setAccessibleName(tr("Minutes without it: {check}", check=check.words))
        time.setToolTip(tr("For how many minutes it was tried without the fault; Enter passes it"))
        time.returnPressed.connect(lambda one=check.id: self.tick(one, True))
        time.hide()
        self.grid.addWidget(mark, row, 0)
        self.grid.addWidget(button, row, 1)
        for place, (words, passed) in enumerate(((tr("Passed"), True), (tr("Failed"), False)), start=2):
            tick = QPushButton(words)
            tick.setObjectName("small")
            tick.setAccessibleName(f"{words}: {check.words}")
            tick.setToolTip(tr("Recorded in the trail; Undo takes it back."))
            tick.clicked.connect(lambda _checked=False, one=check.id, good=passed: self.tick(one, good))
            self.grid.addWidget(tick, row, place)
        self.grid.addWidget(minutes, row, 5)
        self.grid.addWidget(time, row, 6)
        self.buttons[check.id], self.marks[check.id], self.times[check.id] = button, mark, time
        if not check.orientation:
            return row + 1
        meter = QPushButton(tr("Measure"))
        meter.setObjectName("small")
        meter.setAccessibleName(tr("Measure: {check}", check=check.words))
        meter.setToolTip(tr("Records what the power meter shows, and judges it as it comes; again, to end"))
        meter.clicked.connect(lambda _checked=False, one=check.id: self.measure(one))
        self.grid.addWidget(meter, row, 4)
        said = quiet_label()
        self.grid.addWidget(said, row + 1, 1, 1, 4)
        self.said[check.id], self.meters[check.id] = said, meter
        return row + 2

    def _show_set_ups(self) -> None:
        board, facts = self.model.board, self.model.facts
        if board is None:
            return
        order = checks_in_order(board.checks, board.set_ups).checks
        known = {one.id: one for one in board.set_ups}
        for place in order:
            if place.check not in self.set_up_lines:
                continue
            label, done = self.set_up_lines[place.check]
            words = ", ".join(known[name].words for name in place.set_up)
            open_ones = not_in(board, facts, (f for name in place.set_up for f in known[name].fasteners))
            label.setText(f"{capital(words)}." + (tr(" Not in yet: {few}.", few=few(open_ones)) if open_ones else ""))
            if done is not None:
                done.setEnabled(bool(open_ones))
                done.setText(tr("In") if open_ones else tr("✓ in"))

    def put_in(self, check: str) -> None:
        """All that a check's set-up needs is in its place."""
        board = self.model.board
        if board is None:
            return
        self.say_trouble("" if needed_by(board, check) else tr("The pack names no screws or parts for this check."))
        state = states_of(self.model.facts)
        open_ones = not_in(board, self.model.facts, needed_by(board, check))
        there = tuple(name for name in open_ones if state.get(name) != "missing")
        gone = tuple(name for name in open_ones if name not in there)
        if gone:
            self.say_trouble(tr("Missing by the trail: {few}. Teardown says that another one is in its place.",
                                few=few(gone)))
        if there and self.model.record(PutTogether(there)):
            self.model.recorded.emit(tr("In again: {few}", few=few(there)))
            self._choose(self.buttons[check])

    # What a meter says

    def measure(self, check: str) -> None:
        """Record the draw of its way up, judged as it comes; the same again ends it."""
        if check not in self.meters:
            self.say_trouble(tr("A power meter tells nothing of this check."))
            return
        self.say_trouble("")
        self._choose(self.buttons[check])
        self.asked.emit("proof.measure")

    def show_what_it_proves(self, check: str) -> None:
        """Of the check that has the keyboard: what works if it passes."""
        board = self.model.board
        found = proves(board, check) if board is not None else ()
        self.proves.setText(tr("Proves: {found}.",
                               found="; ".join(found)) if found else tr("Proves no part: it is for the owner."))

    def way_of(self, check: str) -> str:
        """The way up in which a check reads the power meter; empty where it reads none."""
        return next((one.orientation for one in self._checks if one.id == check), "")

    def follow(self, panel: LivePanel, way: str) -> None:
        """Say here what a live trace shows, until it ends."""
        if self._live is not panel:
            panel.grown.connect(self._show_measured)
            panel.ended.connect(self._live_ended)
        self._live, self._live_way, self._live_job = panel, way, self.model.job_id
        self._show_measured()

    def _asked_first(self) -> str:
        """Why something is tried or read once more though all has passed; empty where nothing is."""
        found = self.model.assessment
        step = found.advice.next if found is not None and self.model.fresh else None
        return step.why if step is not None and step.kind in ("try", "measure") else ""

    def _live_ended(self, _trace: object) -> None:
        self._live_way = ""
        self._show_measured()

    def _show_measured(self) -> None:
        assessment = self.model.assessment
        draws = assessment.draws if assessment is not None and self.model.fresh else None
        ways = {one.id: one.orientation for one in self._checks}
        for check, label in self.said.items():
            live = (bool(self._live_way) and (ways[check], self.model.job_id) == (self._live_way, self._live_job)
                    and self._live is not None)
            self.meters[check].setText(tr("End") if live else tr("Measure"))
            if live and self._live is not None:
                volts, amps = self._live.volts.text(), self._live.amps.text()
                figures = f"{volts}, {amps}: " if volts[:1].isdigit() else ""
                label.setText(tr("Live: {figures}{text}.", figures=figures, text=self._live.words.text()))
                continue
            found = measured(draws, ways[check]) if draws is not None else None
            label.setText(
                found.words
                if found is not None
                else tr("being read …")
                if draws is None and self.model.facts.drawn(ways[check])
                else tr("not measured since the last repair")
                if self.model.facts.epoch
                else tr("not measured yet")
            )

    def tick(self, check: str, passed: bool) -> None:
        minutes = self._minutes(check) if passed else 0.0
        if minutes is None:
            self.say_trouble(tr("It goes by time: type for how many minutes it ran without the fault, then pass it."))
            self.times[check].setFocus()
            return
        board = self.model.board
        still_open = not_in(board, self.model.facts, needed_by(board, check)) if board is not None and passed else ()
        if still_open and board is not None and not next(c.powered for c in board.checks if c.id == check):
            self.say_trouble(tr("Not in yet, by the trail: {few}. I says that all are in; F that one is missing.",
                                few=few(still_open)))
            return
        proof, again = Proof(check, passed, minutes=minutes), self._asked_again(check)
        held = self.model.held_back(proof)
        self.say_trouble(held)
        if held or not self.model.record(proof):
            return
        self.times[check].clear()
        words = next((c.words for c in self.model.board.checks if c.id == check), check) if self.model.board else check
        self.model.recorded.emit(f"{tr('Passed') if passed else tr('Failed')}: {words}")
        left = tries_left(self.model.facts, check)
        if passed and not again and (left is None or left.enough):
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

    def _asked_again(self, check: str) -> bool:
        """Whether the step that is advised is to try this check, which has passed before: the keyboard stays on it."""
        found, before = self.model.assessment, (self.model.facts.proofs or {}).get(check)
        step = found.advice.next if found is not None else None
        return step is not None and (step.kind, step.target) == ("try", check) and before is not None and before.passed

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
        """A check, or a fastener that must be in: then where one says so."""
        board = self.model.board
        if board is not None and any(check == one.id for one in board.fasteners):
            needs = next((one for one in self.set_up_lines if check in needed_by(board, one)), "")
            done = self.set_up_lines[needs][1] if needs else None
            if done is not None and done.isEnabled():
                done.setFocus(Qt.FocusReason.ShortcutFocusReason)
                return
        if check in self.buttons:
            self._choose(self.buttons[check])
        else:
            self.focus_entry()
