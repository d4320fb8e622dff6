"""Rework: what is done to a part, with its cautions before and its audit after."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
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
from dextrum.app.job.trail_words import DONE
from dextrum.app.rework.heat_answer import HeatAnswer, heat_words
from dextrum.app.rework.leading import Led, led, planned
from dextrum.app.rework.part_alone import taken_alone, verdict_words
from dextrum.app.rework.recipes import RecipeBook, kind_of_part, make_usual, usual_recipe
from dextrum.core.advice.wording import part_words
from dextrum.core.board import Board, Component
from dextrum.core.faults.trace_parts import parts_of, shown_part
from dextrum.core.rework.order import OrderCost
from dextrum.core.rework.plan import ordered, saving_words
from dextrum.core.rework.recipe import RETROFIT, Recipe
from dextrum.core.trail import Access, Rework, ReworkPlan, ReworkStep, standing
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueBox, ValueField
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.rework.alone_panel import AlonePanel
from dextrum.desktop.rework.audit_panel import AuditPanel
from dextrum.desktop.rework.heat_plan import HeatPanel
from dextrum.desktop.rework.lead_panel import LeadPanel
from dextrum.desktop.rework.plan_row import PlanRow
from dextrum.desktop.rework.solder_panel import SolderPanel
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.advice.recommend import Advice
    from dextrum.core.rework.alone import AloneReading

Wished = tuple[tuple[str, Recipe], ...]
Ordered = tuple[str, Wished, tuple[Wished, OrderCost, OrderCost]]
"""Job, the repairs wished for, and what came of ordering them."""
ACTIONS = tuple(DONE.items())
AUDIT = (("counted", tr("small parts near the heat counted against the list")), ("bridges", tr("no bridges")),
         ("flux", tr("flux off")))
NEIGHBOURS_MM = 8.0
STRENGTH = "heat.strength"
"""Setting: this bench's share of a still nozzle's exchange, from a thermocouple; none until it is calibrated."""
PEDAL = "capture.pedal"
"""Setting: the number of the key that a foot switch sends, as hands-free measuring has learned it."""


class ReworkView(JobView):
    name = "rework"
    keys = ((tr("Enter  Space  Page down"), tr("in the plan: the step is done, the next one")),
            (tr("Backspace  Page up"), tr("in the plan: the step before was not done")))
    commands = ("rework.audit", "photo.due", "cause.supply", "cause.dock", "cause.force", "cause.liquid",
                "cause.unknown")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.book = RecipeBook(model.session.store.folder / "recipes")
        self._wished: list[tuple[str, Recipe]] = []
        self.lead = LeadPanel()
        self.lead.done.connect(self._step_done)
        self.lead.back.connect(self._step_back)
        self.lead.skip.connect(self._step_skipped)
        self.lead.record.connect(self._to_record)
        self.lead.ended.connect(self._end_plan)
        self.lead.photo.connect(lambda: self.asked.emit("photo.due"))
        self.body.addWidget(self.lead)
        self.round = AuditPanel()
        self.round.read.connect(lambda: self.asked.emit("step.go"))
        self.round.looked.connect(lambda: self.asked.emit("rework.audit"))
        self.body.addWidget(self.round)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(10)
        self.part = ValueBox()
        self.part.setEditable(True)
        self.part.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        for named in (self.part, *self.part.findChildren(QLineEdit)):
            named.setAccessibleName(tr("Part"))
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
        self.group.buttonClicked.connect(lambda _button: self._offer_recipes())
        self.source = ValueField()
        self.source.setPlaceholderText(tr("stock, lot, or donor and serial"))
        self.source.setAccessibleName(tr("Where the part came from"))
        self.note = ValueField()
        self.note.setAccessibleName(tr("Note"))
        self.neighbours = quiet_label()
        self.heat = HeatPanel(model)
        self.heat.protected.connect(self._heat_again)
        self.heat.measured.connect(self._calibrate)
        self.heat.forgotten.connect(lambda: self._calibrated(0.0))
        self.calibrating = Background(self)
        self.calibrating.finished.connect(self._calibrated)
        self.calibrating.failed.connect(self.heat.strength.setText)
        self.ordering = Background(self)
        self.ordering.finished.connect(self._take_order)
        self.ordering.failed.connect(self.say_trouble)
        self.work = Background(self)
        self.work.finished.connect(self._show_heat)
        self.work.failed.connect(self.heat.fail)
        self._heated: tuple[Board, str, Recipe] | None = None
        self.audit: dict[str, QCheckBox] = {key: QCheckBox(words) for key, words in AUDIT}
        grid.addWidget(QLabel(tr("Done")), 1, 0)
        grid.addLayout(line, 1, 1)
        rows: tuple[tuple[int, str, QWidget], ...] = (
            (0, tr("Part"), self.part), (2, tr("Part came from"), self.source), (3, tr("Note"), self.note))
        for row, words, field in rows:
            label = QLabel(words)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        self.body.addLayout(grid)
        self.solder = SolderPanel()
        self.body.addWidget(self.solder)
        self.alone = AlonePanel()
        self.alone.taken.connect(self._part_measured)
        self.measuring = Background(self)
        self.measuring.finished.connect(self._show_alone)
        self.measuring.failed.connect(self.alone.say)
        self._alone: tuple[str, tuple[AloneReading, ...]] = ("", ())
        self.body.addWidget(self.alone)
        self.body.addWidget(self.heat)
        self.body.addWidget(self.neighbours)
        head = QLabel(tr("Audit, before any power"))
        head.setObjectName("section")
        self.body.addWidget(head)
        for box in self.audit.values():
            self.body.addWidget(box)
        self.plan = PlanRow()
        self.plan.wanted.connect(self._add_to_plan)
        self.plan.cleared.connect(self._clear_plan)
        self.plan.planned.connect(self._begin_plan)
        self.plan.heated.connect(self._ask_heat)
        self.plan.recipe.currentIndexChanged.connect(lambda _index: self._forget_other_heat())
        self.plan.mixed.connect(self._ask_mix)
        self.plan.measured.connect(self._measure_alone)
        grid.addWidget(self.plan, 4, 0, 1, 2)
        self.save = QPushButton(tr("Record the rework"))
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
            self._clear_plan()
            self._heated = None
            self.heat.clear()
            self.solder.hide()
            self.alone.hide()
            self.part.clear()
            if board is not None:
                for name in parts_of(board):
                    self.part.addItem(shown_part(name), name)
            self.part.setCurrentText("")
        done = [f"{dict(ACTIONS)[r.action]} {shown_part(r.part)}" + (f" ({r.source})" if r.source else "")
                for _, r in facts.reworks]
        if done:
            self.sentence.setText(tr("Done so far: {done}.", done=", ".join(done)))
        else:
            self.sentence.setText(tr("Nothing reworked yet."))
        self.detail.setText(tr("After every rework the same points are read again before power goes on."))
        self.done.setText(" ".join(self.book.troubles))
        self.lead.pedal = int(self.model.session.store.setting(PEDAL, "0") or 0)
        self.lead.show_led(self._led(), self.model.session.clock().astimezone())
        self._show_part()
        self._show_audits()
        self.show_cautions()

    def light(self, advice: Advice | None) -> None:
        self._show_audits()

    def _show_audits(self) -> None:
        """Of the last weighing, with the readings as they stand now; gone with the repair it was about."""
        done, facts = self.model.assessment, self.model.facts
        heated = {rework.part for _, rework in facts.reworks}
        audits = tuple(a for a in done.audits if a.part in heated) if done is not None else ()
        self.round.show_audits(self.model.board, audits, facts)

    def _led(self) -> Led:
        return led(self.book, self.model.facts, self.model.session.clock())

    def _action(self) -> str:
        return next(action for action, button in self.buttons.items() if button.isChecked())

    def _offer_recipes(self) -> None:
        part, board = self.part.value(), self.model.board
        found = self.book.for_part(board, part, self._action()) if part else ()
        with suppress(DextrumError):
            self.plan.offer(found, usual_recipe(self.model.session.store, found, kind_of_part(board, part),
                                                self._action()))

    def _add_to_plan(self) -> None:
        part, recipe = self.part.value(), self.book.recipes.get(str(self.plan.recipe.currentData()))
        if recipe is None or not part or part in {one for one, _ in self._wished}:
            return
        self._wished.append((part, recipe))
        with suppress(DextrumError):
            make_usual(self.model.session.store, recipe, kind_of_part(self.model.board, part))
        self.plan.show_list(tuple(f"{one} ({chosen.title})" for one, chosen in self._wished))

    def _ask_heat(self) -> None:
        """What the recipe's heat does here, computed beside the window."""
        board, part = self.model.board, self.part.value()
        recipe = self.book.recipes.get(str(self.plan.recipe.currentData()))
        if board is not None and recipe is not None:
            self._heated = (board, part, recipe)
            self._heat_again()

    def _ask_mix(self) -> None:
        from dextrum.app.rework.solder_mix import joints_cubic_mm

        self.solder.open_for(joints_cubic_mm(self.model.board, self.part.value()))
        QTimer.singleShot(0, self.solder, lambda: self.scroll_to(self.solder))

    def _measure_alone(self) -> None:
        """What the part in hand reads by itself, from the board's circuit; made beside the window."""
        part, facts, session = self.part.value(), self.model.facts, self.model.session
        if self.model.board is None or not part:
            self.say_trouble(tr("Name the part first."))
            return
        pack_id, meter = facts.pack_id, session.meter
        recipe = self.book.recipes.get(str(self.plan.recipe.currentData()))
        by_kit = recipe is not None and recipe.action == RETROFIT

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.core.rework.alone import alone, kit_alone

            model = session.library.advice_model(pack_id, meter).model
            return part, kit_alone(model.board, part) if by_kit else alone(model.board, model.circuit, part)

        self.measuring.start(work)

    def _show_alone(self, found: tuple[str, tuple[AloneReading, ...]]) -> None:
        if found[0] == self.part.value():
            self._alone = found
            self.alone.open_for(*found)
            QTimer.singleShot(0, self.alone, lambda: self.scroll_to(self.alone))

    def _part_measured(self, texts: list[str]) -> None:
        part, wanted = self._alone
        try:
            taken = taken_alone(part, self.source.text().strip(), wanted, texts)
        except DextrumError as problem:
            self.alone.say(str(problem))
            return
        if self.model.record(taken):
            self.alone.say(verdict_words(taken, wanted))

    def _forget_other_heat(self) -> None:
        """The heat of another part or another recipe is not left to be read as that of what is in hand."""
        if self._heated is not None and (self._heated[1] != self.part.value()
                                         or self._heated[2].id != self.plan.recipe.currentData()):
            self._heated = None
            self.heat.clear()

    def _heat_again(self) -> None:
        if self._heated is None:
            return
        (board, part, recipe), protection = self._heated, self.heat.protection
        own = float(self.model.session.store.setting(STRENGTH, "0") or 0)
        self.heat.show_strength(own)
        self.heat.say(tr("Computing the heat…"))

        def work(told: Callable[[float], bool]) -> object:
            from dextrum.app.rework.heating import heating, own_strength
            from dextrum.core.rework.heat_numbers import JET_STRENGTH

            answer = heating(board, part, recipe, told=told, protection=protection,
                             strength=own_strength(own) if own else JET_STRENGTH)
            return board, answer, heat_words(answer)

        self.work.start(work)

    def _calibrate(self, seconds: float, celsius: float) -> None:
        """What a thermocouple read says how strong this bench's hot air is."""
        if self._heated is None:
            return
        board, part, recipe = self._heated
        self.heat.strength.setText(tr("Calibrating…"))

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.app.rework.heating import strength_from_run

            return strength_from_run(board, part, recipe, seconds, celsius)

        self.calibrating.start(work)

    def _calibrated(self, share: float) -> None:
        try:
            self.model.session.store.set_setting(STRENGTH, f"{share:.4f}")
        except DextrumError as problem:
            self.heat.strength.setText(str(problem))
            return
        self._heat_again()

    def _show_heat(self, found: tuple[Board, HeatAnswer, str]) -> None:
        """Scrolled to, with the time in hand: arrows move it. What is no longer asked about is not shown."""
        if self._heated is None or found[1].part != self._heated[1]:
            return
        begun = self.heat.slider.isHidden()
        self.heat.show_heat(*found)
        if begun:
            self.heat.slider.setFocus()
            QTimer.singleShot(0, self.heat, lambda: self.scroll_to(self.heat))

    def close_work(self) -> None:
        super().close_work()
        self.work.close()
        self.heat.photos.close()
        self.measuring.close()
        self.solder.work.close()
        self.calibrating.close()
        self.ordering.close()

    def _clear_plan(self) -> None:
        self._wished.clear()
        self.plan.show_list(())

    def _begin_plan(self) -> None:
        """The repairs wished for, in their best order, as an entry; from there on one step at a time. How far the heat
        of each goes is reckoned beside the window."""
        board, wished, session = self.model.board, tuple(self._wished), self.model.session
        if not wished or board is None or self.ordering.busy:
            return
        job = self.model.job_id

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.app.rework.solved_reach import SolvedReach

            return job, wished, ordered(board, wished, SolvedReach(board, session.library.recipes))

        self.detail.setText(tr("Reckoning how far the heat goes…"))
        self.ordering.start(work)

    def _take_order(self, found: Ordered) -> None:
        """Unless the job or the wishes are others by now."""
        job, wished, (best, cost, typed) = found
        if job != self.model.job_id or wished != tuple(self._wished):
            return
        if self.model.record(ReworkPlan(planned(tuple((part, recipe.id, recipe.version) for part, recipe in best)))):
            self._clear_plan()
            self.detail.setText(saving_words(cost, typed) or tr("The order typed is the best one."))
            self.lead.setFocus()

    def _step_done(self) -> None:
        self._note_step("")

    def _note_step(self, skipped: str) -> None:
        step = self._led().step
        if step is None:
            return
        if not skipped and step.step.is_hot and self.model.facts.cell != "unplugged":
            self.say_trouble(tr("No heat with the cell in. Ctrl+U says it is unplugged; then go on."))
            return
        self.say_trouble("")
        part, recipe, number = step.key
        self.model.record(ReworkStep(part, recipe, number, skipped, step.words))
        self.lead.setFocus()

    def _step_back(self) -> None:
        """The last step was not done after all: its entry is struck out."""
        last = next((e for e in reversed(standing(self.model.trail)) if isinstance(e.payload, ReworkStep)), None)
        if last is not None and self.model.facts.rework_steps:
            self.model.strike(last.id)
            self.lead.setFocus()

    def _step_skipped(self) -> None:
        self.asks_reason.emit(self.leave_out)

    def leave_out(self, reason: str) -> str:
        """Leave the step in hand out, with a reason; what is wrong with that, or nothing."""
        if len(reason.strip()) < 2:
            return tr("A few words, so that it can be understood later.")
        self._note_step(reason.strip())
        return ""

    def _to_record(self) -> None:
        waiting = self._led().to_record
        if waiting is not None:
            self.go_to(waiting[0], waiting[1] if waiting[1] in self.buttons else "replace")
            self.save.setFocus()

    def _end_plan(self) -> None:
        self.model.record(ReworkPlan(()))

    def _reset(self) -> None:
        self.source.clear()
        self.note.clear()
        for box in self.audit.values():
            box.setChecked(False)

    def _component(self) -> Component | None:
        board = self.model.board
        return board.component_by_designator.get(self.part.value()) if board else None

    def _show_part(self) -> None:
        part, board = self._component(), self.model.board
        self._offer_recipes()
        self._forget_other_heat()
        if self._alone[0] != self.part.value():
            self.alone.hide()
        if part is None or board is None:
            self.neighbours.setText("")
            return
        near = sorted((c for c in board.components if c.side is part.side and c is not part and max(
            abs(c.x_mm - part.x_mm), abs(c.y_mm - part.y_mm)) < NEIGHBOURS_MM),
            key=lambda c: (c.x_mm - part.x_mm) ** 2 + (c.y_mm - part.y_mm) ** 2)
        small = [c.designator for c in near if not c.heat_sensitive and not c.undescribed]
        shield = [c.designator for c in near if c.heat_sensitive]
        kind = part_words(board, part.designator)
        said = [kind[:1].upper() + kind[1:]] + [part.purpose] * (part.purpose.casefold() != kind.casefold())
        words = [tr("{said}, {side} side.", said=", ".join(said), side=tr(part.side.value))]
        if small:
            words.append(tr("Within reach of the air stream: {small}; photograph and count them.",
                            small=", ".join(small[:14])))
        if shield:
            words.append(tr("Shield from heat: {shield}.", shield=", ".join(shield)))
        self.neighbours.setText(" ".join(words))

    def _record(self) -> None:
        name = self.part.value()
        board, facts = self.model.board, self.model.facts
        known = board is None or name in parts_of(board)
        if not name or not known:
            self.say_trouble(tr("{name!r} is not a part of this board. Nothing was recorded.", name=name[:20]) if name
                             else tr("Name the part first. Nothing was recorded."))
            self.part.setFocus()
            return
        if self.model.readings_held():
            self.say_trouble(tr("No heat with the cell in. Ctrl+U says it is unplugged; then record again."))
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
            alone = (facts.measured_alone or {}).get(name)
            if alone is not None and not alone.good and action == "replace":
                said.append(tr("{name} was measured alone and was off.", name=name))
            if missing and action != "clean":
                said.append(tr("Not audited: {missing}.", missing="; ".join(missing)))
            if any(said):
                self.say_trouble(" ".join([tr("Recorded."), *filter(None, said)]))

    def go_to(self, part: str, action: str) -> None:
        self.part.setCurrentText(shown_part(part))
        if action in self.buttons:
            self.buttons[action].setChecked(True)
        self.source.setFocus()

    def focus_entry(self) -> None:
        assessment = self.model.assessment
        if not self.part.currentText() and assessment and assessment.advice.next.kind == "repair":
            self.go_to(assessment.advice.next.target, assessment.advice.next.detail)
        self.part.setFocus()
