"""Repairs led from plan to audit, by keys as a foot switch sends them; interrupted, gone back, left out; times."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial

from dextrum.app.job.session import BenchSession
from dextrum.app.rework.leading import led, timer_words
from dextrum.app.rework.recipes import RecipeBook
from dextrum.core.trail import Cell, JobOpened, Look, PlannedRepair, Rework, ReworkPlan, ReworkStep, Supply
from dextrum.desktop.frame.window import MainWindow
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import library
from tests.window_support import Key, WindowCase


class LedCase(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0710", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85),
            Supply("b", 9.1, 1.85), Cell("unplugged"))])

    def setUp(self) -> None:
        super().setUp()
        self.settled()
        self.window.show_view("rework")
        self.application.processEvents()
        self.view = self.window.views.rework

    def wish(self, part: str, recipe: str) -> None:
        self.view.go_to(part, "replace")
        self.application.processEvents()
        self.view.plan.recipe.setCurrentIndex(self.view.plan.recipe.findData(recipe))
        self.view.plan.add.click()

    def lead_me(self) -> None:
        """The order is reckoned beside the window, and is an entry then."""
        self.view.plan.lead.click()
        self.wait(lambda: not self.view.ordering.busy, what="for the order")
        self.settled()

    def lead_on(self) -> None:
        """As the foot switch does."""
        self.view.lead.setFocus()
        self.key(Key.Key_PageDown)


class LeadingTest(LedCase):
    def test_a_port_and_the_filter_beside_it_are_led_from_plan_to_audit(self) -> None:
        self.wish("FL5", "small-part")
        self.wish("J1", "port-leaded")
        self.assertIn("FL5", self.view.plan.list.text())
        self.lead_me()
        plan = self.window.model.facts.rework_plan
        assert plan is not None
        self.assertEqual([repair.part for repair in plan.repairs], ["J1", "FL5"])
        self.assertIn("fewer heating", self.view.detail.text())
        self.assertTrue(self.view.lead.isVisible())
        recorded = []
        for _ in range(80):
            now = self.view._led()
            if now.to_record is not None:
                part = now.to_record[0]
                self.assertIn(f"Record it: {part}", self.view.lead.words.text())
                self.lead_on()
                self.assertEqual(self.view.part.currentText(), part)
                self.view.save.click()
                self.application.processEvents()
                recorded.append(part)
            elif now.step is None:
                break
            else:
                self.assertEqual(self.view.lead.words.text(), now.step.words)
                self.lead_on()
        self.assertEqual(recorded, ["J1", "FL5"])
        self.assertIn("Now the audit", self.view.lead.words.text())
        self.assertEqual([rework.part for _, rework in self.window.model.facts.reworks], ["J1", "FL5"])
        self.assertTrue(any("audit" in gate.words.lower() or "read" in gate.words.lower()
                            for gate in self.window.model.gates), "no power before it is audited and read again")

    def test_interrupted_on_friday_it_goes_on_at_the_same_step(self) -> None:
        self.wish("J1", "port-low-melting")
        self.lead_me()
        for _ in range(5):
            self.lead_on()
        at = self.view._led().at
        assert at == 5
        job = self.window.model.job_id
        self.window.close()
        monday = timedelta(days=3)
        again = MainWindow(BenchSession(self.store, library(), "Ines", clock=lambda: datetime.now(UTC) + monday))
        self.addCleanup(again.deleteLater)
        again.open_job(job)
        again.show_view("rework")
        again.show()
        self.application.processEvents()
        self.assertEqual(again.views.rework._led().at, at)
        self.assertIn(f"Step {at + 1} of", again.views.rework.lead.head.text())
        again.close()

    def test_back_strikes_the_step_out_and_left_out_asks_why(self) -> None:
        self.wish("F1", "small-part")
        self.lead_me()
        self.lead_on()
        self.assertEqual(self.view._led().at, 1)
        self.view.lead.setFocus()
        self.key(Key.Key_Backspace)
        self.assertEqual(self.view._led().at, 0)
        self.view.lead.buttons["skip"].click()
        self.assertIn("Left out, because", self.window.ask.words.text())
        self.key(Key.Key_Return)
        self.assertIn("A few words", self.window.ask.trouble.text())
        self.type("no parts near")
        self.key(Key.Key_Return)
        entry, _ = self.window.model.facts.rework_steps[0]
        self.assertEqual((entry.number, entry.skipped), (1, "no parts near"))
        self.view.lead.buttons["end"].click()
        self.assertFalse(self.view.lead.isVisible())

    def test_heat_waits_for_the_cell(self) -> None:
        self.window.model.record(Cell("plugged"))
        self.window.model.record(ReworkPlan((PlannedRepair("F1", "small-part", "1"),)))
        self.application.processEvents()
        for _ in range(12):
            before = self.view._led().at
            self.lead_on()
            if self.view._led().at == before:
                break
        step = self.view._led().step
        assert step is not None
        self.assertTrue(step.step.is_hot)
        self.assertIn("No heat with the cell in", self.view.trouble.text())
        self.window.model.record(Cell("unplugged"))
        self.lead_on()
        self.assertNotEqual(self.view._led().at, before)

    def test_a_plan_of_a_recipe_that_is_gone_says_so(self) -> None:
        self.window.model.record(ReworkPlan((PlannedRepair("F1", "my-own", "3"),)))
        self.application.processEvents()
        self.assertIn("Not here any more: my-own (for F1)", self.view.lead.head.text())

    def test_a_recipe_that_has_changed_since_says_so(self) -> None:
        recipe = self.view.book.recipes["port-leaded"]
        for version, told in (("0.0", True), (recipe.version, False)):
            self.window.model.record(ReworkPlan((PlannedRepair("J1", recipe.id, version),)))
            self.application.processEvents()
            self.assertEqual("Recipe changed since" in self.view.lead.head.text(), told)


class TabTest(LedCase):
    def test_tab_reaches_what_has_just_come(self) -> None:
        """The way to lead the plan is the next thing after adding to it, and what the heat brings can be typed into."""
        self.view.go_to("J1", "replace")
        self.application.processEvents()
        self.view.plan.add.setFocus()
        self.key(Key.Key_Space)
        self.assertTrue(self.view.plan.lead.isVisible())
        self.wait(lambda: self.view.plan.add.nextInFocusChain() is self.view.plan.lead, what="for the order of Tab")
        self.key(Key.Key_Tab)
        self.assertIs(self.focus(), self.view.plan.lead)
        self.view.plan.mix.setFocus()
        self.key(Key.Key_Space)
        self.wait(lambda: self.focus() is self.view.solder.amount, what="for the solder's field")
        self.wait(lambda: self.view.solder.amount.nextInFocusChain() is self.view.solder.wanted,
                  what="for the order of Tab")
        self.key(Key.Key_Tab)
        self.assertIs(self.focus(), self.view.solder.wanted)


class HeatTest(LedCase):
    def ask(self, part: str) -> None:
        self.view.go_to(part, "replace")
        self.application.processEvents()
        self.view.plan.heat.click()
        self.wait(lambda: not self.view.work.busy, what="for the heat")
        self.application.processEvents()

    def test_the_heat_is_drawn_and_the_time_moved_by_keys(self) -> None:
        self.ask("J1")
        panel = self.view.heat
        self.assertIn("not a thermometer", panel.words.text())
        self.assertTrue(panel.plan.isVisible())
        self.wait(lambda: self.focus() is panel.slider, what="for the slider")
        self.key(Key.Key_Home)
        self.assertIn("Nothing beside it at risk yet.", panel.now.text())
        cold = panel.plan.grab().toImage()
        self.key(Key.Key_End)
        self.assertIn("At risk: ", panel.now.text())
        self.assertIn("C2", panel.now.text())
        self.assertNotEqual(panel.plan.grab().toImage(), cold)
        before = panel.words.text()
        panel.below.click()
        self.wait(lambda: panel.words.text() not in (before, "Computing the heat…"), what="for the plate")
        self.assertIn("With the board warmed first by a heater of 150 °C below.", panel.words.text())
        self.assertEqual(panel.slider.value(), panel.slider.maximum())
        panel.close_it.click()
        self.assertFalse(panel.isVisible())

    def test_a_thermocouple_calibrates_the_heat_and_it_is_kept(self) -> None:
        self.ask("J1")
        panel = self.view.heat
        self.assertIn("Not calibrated", panel.strength.text())
        before = panel.words.text()
        panel.read.setText("hot")
        panel.calibrate.click()
        self.assertIn("Nothing was changed", panel.strength.text())
        panel.read.setText("900")
        panel.after.setText("20")
        panel.calibrate.click()
        self.wait(lambda: "does not fit" in panel.strength.text(), what="for what is wrong")
        panel.read.setFocus()
        panel.read.setText("120")
        panel.after.setText("20")
        self.key(Key.Key_Return)
        self.wait(lambda: "Calibrated" in panel.strength.text() and panel.words.text() not in (
            before, "Computing the heat…"), what="for the heat anew")
        self.assertGreater(float(self.window.model.session.store.setting("heat.strength")), 0.0)
        panel.forget.click()
        self.wait(lambda: panel.words.text() == before, what="for the heat as it was")
        self.assertIn("Not calibrated", panel.strength.text())
        self.assertFalse(panel.forget.isVisible())

    def test_another_recipe_takes_the_old_heat_away(self) -> None:
        self.ask("J1")
        recipe = self.view.plan.recipe
        recipe.setCurrentIndex((recipe.currentIndex() + 1) % recipe.count())
        self.application.processEvents()
        self.assertFalse(self.view.heat.isVisible())

    def test_another_part_or_job_takes_the_old_heat_away(self) -> None:
        self.ask("J1")
        self.assertTrue(self.view.heat.isVisible())
        self.view.go_to("U1", "replace")
        self.application.processEvents()
        self.assertFalse(self.view.heat.isVisible())

    def test_what_is_no_part_with_a_place_is_told_and_nothing_is_drawn(self) -> None:
        board = self.window.model.board
        assert board is not None
        self.view.part.setItemText(self.view.part.findData(f"trace {board.traces[0].id}"), "copper of another name")
        self.view.part.setCurrentText("copper of another name")
        self.assertEqual(self.view.part.value(), f"trace {board.traces[0].id}", "what is shown stands for it")
        self.view.buttons["wire"].click()
        self.application.processEvents()
        self.assertTrue(self.view.plan.heat.isEnabled())
        self.view.plan.heat.click()
        self.wait(lambda: not self.view.work.busy, what="for the heat")
        self.application.processEvents()
        self.assertIn("does not say how large the board or the part is", self.view.heat.words.text())
        self.assertFalse(self.view.heat.plan.isVisible())


class GrownBoardTest(LedCase):
    def test_a_part_placed_while_the_job_is_open_is_worked_on_and_no_other(self) -> None:
        """The list of parts was made when the job was opened; what counts is the board as it is now."""
        board = self.window.model.board
        assert board is not None
        self.window.model.board = replace(board, components=(
            *board.components, replace(board.components[0], designator="Q99")))
        for name, known in (("Q99", True), ("Q98", False)):
            self.view.part.setCurrentText(name)
            self.view._record()
            self.assertEqual("is not a part of this board" not in self.view.trouble.text(), known, name)


class SolderMixTest(LedCase):
    def says(self, told: str) -> bool:
        return told in self.view.solder.words.text()

    def test_the_mix_at_a_port_is_worked_out_as_amounts_change(self) -> None:
        self.view.go_to("J1", "replace")
        self.view.plan.mix.click()
        panel = self.view.solder
        self.wait(lambda: "The mix melts at" in panel.words.text(), what="for the mix")
        self.assertTrue(panel.isVisible())
        first = panel.words.text()
        self.assertIn("must come off first", first)
        self.assertIs(self.focus(), panel.amount)
        panel.amount.selectAll()
        self.type("0")
        self.wait(lambda: panel.words.text() != first, what="for the other mix")
        self.assertIn("217 to 220 °C", panel.words.text())
        self.assertNotIn("must come off first", panel.words.text())
        for typed, told in (("", "as numbers"), ("x", "as numbers"), ("-3", "as much or nothing added")):
            panel.amount.setText(typed)
            self.wait(partial(self.says, told), what=f"for what is wrong with {typed!r}")
        panel.close_it.click()
        self.assertFalse(panel.isVisible())


class TimerTest(LedCase):
    def test_times_run_side_by_side_from_the_trail_and_outlive_a_restart(self) -> None:
        begun = datetime.now(UTC)
        book = RecipeBook()
        port, wire = book.recipes["port-leaded"], book.recipes["wire"]
        self.window.model.record(ReworkPlan((PlannedRepair("J1", port.id), PlannedRepair("trace x", wire.id))))
        for part, recipe in (("J1", port), ("trace x", wire)):
            for number, step in enumerate(recipe.step, start=1):
                if step.wait_seconds:
                    self.window.model.record(ReworkStep(part, recipe.id, number, "", step.words))
        facts = self.window.model.facts
        told = led(book, facts, begun + timedelta(seconds=10))
        self.assertEqual(len(told.timers), 2)
        self.assertTrue(any("left: " in timer_words(timer, begun + timedelta(seconds=10)) for timer in told.timers))
        later = led(book, facts, begun + timedelta(seconds=600))
        self.assertTrue(all(timer_words(timer, begun + timedelta(seconds=600)).startswith("Over: ")
                            for timer in later.timers))
        self.assertEqual(led(book, facts, begun + timedelta(hours=3)).timers, ())
        self.view.refresh()
        self.assertIn("left: ", self.view.lead.timers.text())

    def test_a_new_plan_begins_anew_and_earlier_repairs_do_not_count_for_it(self) -> None:
        self.window.model.record(Rework("replace", "F1"))
        self.window.model.record(ReworkPlan((PlannedRepair("F1", "small-part", "1"),)))
        book, now = RecipeBook(), datetime.now(UTC)
        count = len(led(book, self.window.model.facts, now).steps)
        for _ in range(count):
            step = led(book, self.window.model.facts, now).step
            if step is None:
                break
            self.window.model.record(ReworkStep(*step.key))
        self.assertEqual(led(book, self.window.model.facts, now).to_record, ("F1", "replace"))


if __name__ == "__main__":
    import unittest

    unittest.main()
