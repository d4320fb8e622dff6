"""Elimination through the real window: loads off and back on, a rail under power, what warmed, rates and prices."""

from __future__ import annotations

from functools import partial

import numpy as np

from dextrum.core.board import Method
from dextrum.core.trail import Cell, Isolation, JobOpened, Look, PointReading, Readings, Supply
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, START, duo_advice, duo_board, fault_named
from tests.window_support import CTRL, SHIFT, Key, WindowCase

RED = Method.DIODE_RED_GROUND


class EliminationWindowTest(WindowCase):
    """The A/V switch's capacitor is shorted; its rail has been read."""

    def fill(self, store: JobStore) -> None:
        fault = fault_named(duo_advice().model.hypotheses.faults, "C17:hard_short:1")
        self.unit = SimulatedBoard(duo_board(), [(fault, 0.3)], np.random.default_rng(4))
        value = self.unit.read("R1.1", RED, METER_M1)
        store.add_trail(tuple(new_entry(p, "Ines", START) for p in (
            JobOpened("SLS-0701", "Tarnwick Duo", DUO), Look(("clean",)), Supply("a", 5.05, 0.06),
            Supply("b", 5.05, 0.06), Cell("unplugged"), Readings(RED, (PointReading("R1.1", value),), "M1"))))

    def setUp(self) -> None:
        super().setUp()
        self.window.open_job(self.store.shelf()[0].id)
        self.settled()

    def test_a_load_comes_off_is_read_without_and_goes_back(self) -> None:
        model = self.window.model
        before = len(model.trail)
        self.assertIn("1. Lift R1", self.window.reasoning.loads.text())
        self.key(Key.Key_L, CTRL)
        self.type("r1")
        self.key(Key.Key_Return)
        self.assertEqual(model.facts.isolated, frozenset({"R1"}))
        self.settled()
        self.assertIn("Removed now: R1", self.window.reasoning.loads.text())
        self.assertIn("R1 is removed from the", self.window.reasoning.hold.text())
        self.unit.isolate(Isolation(("R1",)))
        volts = self.unit.read("R1.1", RED, METER_M1)
        self.window.commands.go_to_point("R1.1")
        self.type(f"{volts:.3f}")
        self.key(Key.Key_Return)
        apart = model.facts.reading_apart("R1.1", RED.value)
        self.assertAlmostEqual(apart.value if apart else 0.0, volts, delta=0.001)
        self.settled()
        self.assertIn("Since the last answer", self.window.reasoning.loads.text())
        self.key(Key.Key_B, CTRL | SHIFT)
        self.key(Key.Key_Return)
        self.assertEqual(model.facts.isolated, frozenset())
        kinds = [e.payload.kind for e in model.trail[before:]]
        self.assertEqual([k for k in kinds if k != "access"], ["isolation", "readings", "isolation"], kinds)
        self.key(Key.Key_Z, CTRL)
        self.assertEqual(model.facts.isolated, frozenset({"R1"}))

    def test_nonsense_is_refused_and_what_was_typed_stays(self) -> None:
        before = len(self.window.model.trail)
        for wrong, words in (("R99", "not a part"), ("U1.X9", "no pin"), ("", "designator")):
            self.key(Key.Key_L, CTRL)
            self.window.ask.field.clear()
            self.type(wrong)
            self.key(Key.Key_Return)
            self.assertIn(words, self.window.ask.trouble.text())
            self.assertTrue(self.window.ask.isVisible())
            self.key(Key.Key_Escape)
        self.key(Key.Key_B, CTRL | SHIFT)
        self.assertFalse(self.window.ask.isVisible())
        self.assertEqual(len(self.window.model.trail), before)

    def test_what_warms_is_typed_and_convicts(self) -> None:
        self.key(Key.Key_I, CTRL | SHIFT)
        steps = "From 0.33 V at 3.00 A up to 3.30 V at 0.30 A: at each step lower the amps first"
        self.assertIn(steps, self.window.ask.words.text())
        self.assertEqual(self.window.ask.field.text(), "3.30 V")
        for wrong in ("19 1", "19 V", "19"):
            self.window.ask.field.clear()
            self.type(wrong)
            self.key(Key.Key_Return)
            self.assertIn("above", self.window.ask.trouble.text(), wrong)
        for wrong in ("", "much", "1 2 3", "0 V"):
            self.window.ask.field.clear()
            self.type(wrong)
            self.key(Key.Key_Return)
            self.assertTrue(self.window.ask.trouble.text() and self.window.ask.isVisible(), wrong)
        self.window.ask.field.clear()
        self.type("0.7 V 0.9 A")
        self.key(Key.Key_Return)
        self.wait(lambda: "what warms" in self.window.ask.words.text(), what="for what warmed")
        self.type("c17")
        self.key(Key.Key_Return)
        injected = self.window.model.facts.injections[-1]
        self.assertEqual((injected.volts, injected.amps), (0.7, 0.9))
        self.assertEqual((injected.warmed, injected.seen_by), ("C17", "camera"))
        self.assertLessEqual(injected.volts, 3.3)
        self.settled()
        self.assertEqual(self.window.reasoning.suspects.rows[0].part, "C17")

    def test_volts_alone_are_taken_as_held_to_the_watt_and_the_way_of_seeing_is_kept(self) -> None:
        self.key(Key.Key_I, CTRL | SHIFT)
        self.key(Key.Key_Return)
        held = "V3V3 at 1\u00a0W up to 3.30\u00a0V: what warms"
        self.wait(lambda: held in self.window.ask.words.text(), what="for what warmed")
        self.key(Key.Key_Return)
        seen = self.window.model.facts.injections[-1]
        self.assertEqual((seen.volts, seen.amps, seen.watts, seen.warmed), (3.3, 3.0, 1.0, ""))
        self.settled()
        assert self.window.model.assessment is not None
        advised = next(a for a in self.window.model.assessment.advice.ranked if a.kind == "inject")
        self.assertTrue(advised.title.startswith("Look again with "), advised.title)
        self.key(Key.Key_I, CTRL | SHIFT)
        self.key(Key.Key_Return)
        self.wait(lambda: "what warms" in self.window.ask.words.text(), what="for what warmed")
        self.key(Key.Key_Return)
        self.assertNotEqual(self.window.model.facts.injections[-1].seen_by, "camera")

    def test_a_rail_under_power_and_one_that_is_held_back(self) -> None:
        self.key(Key.Key_R, CTRL)
        self.type("abc")
        self.key(Key.Key_Return)
        self.assertTrue(self.window.ask.trouble.text())
        self.window.ask.field.clear()
        self.type("0.05")
        self.key(Key.Key_Return)
        self.assertEqual(len(self.window.model.facts.rail_volts or {}), 1)
        self.assertIn("0.05 V, down", self.window.trail.said.text())
        self.window.model.record(Isolation(("R1",)))
        self.key(Key.Key_R, CTRL)
        self.assertFalse(self.window.ask.isVisible())

    def test_what_any_other_step_would_cost_is_answered(self) -> None:
        said = self.window.trail.said
        for name, words in (("u1", "Replace U1"), ("j1.a4", "Measure"), ("nothing", "is no point")):
            self.key(Key.Key_N, CTRL | SHIFT)
            self.type(name)
            self.key(Key.Key_Return)
            self.wait(partial(lambda w: w in said.text(), words), what=f"for {words}: {said.text()}")
        self.key(Key.Key_N, CTRL | SHIFT)
        self.type("u1")
        self.key(Key.Key_Return)
        self.wait(lambda: "min of work more" in said.text(), what=said.text())

    def test_rates_and_prices_are_kept_and_change_the_advice(self) -> None:
        model = self.window.model
        assert model.assessment is not None
        before = model.assessment.advice.next.expected
        self.window.commands.run("shop.labour")
        self.window.ask.field.clear()
        self.type("2.5")
        self.key(Key.Key_Return)
        self.settled()
        assert model.assessment is not None
        self.assertGreater(model.assessment.advice.next.expected, before)
        self.window.commands.run("shop.price")
        self.type("U1 95")
        self.key(Key.Key_Return)
        self.settled()
        options = self.session.library.advice_model(DUO, "M1").repairs.options
        self.assertEqual(next(o.price for o in options if o.part == "U1" and o.action == "replace"), 95.0)
        self.window.commands.run("shop.price")
        self.type("U1 -3")
        self.key(Key.Key_Return)
        self.assertTrue(self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        again = type(self.session)(JobStore(self.path), self.session.library, "Ines")
        self.addCleanup(again.store.close)
        self.assertEqual(again.library.rates.labour_per_minute, 2.5)
        self.addCleanup(lambda: self.session.library.use_rates(type(again.library.rates)(), {}))
