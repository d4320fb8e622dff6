"""Whole jobs against the simulated bench, over its real sockets: by keys in the window and hands on the bench."""

from __future__ import annotations

import math
import time
from functools import partial

from PySide6.QtWidgets import QPushButton

from dextrum.app.bench.instruments_at_hand import InstrumentsAtHand
from dextrum.app.bench.simbench import grade
from dextrum.app.evaluation.cases import draw_case
from dextrum.app.handover.results import RESULTS
from dextrum.core.capture.walk import Hearing
from dextrum.core.trail import DrawTrace, Readings
from dextrum.desktop.proof.check_button import CheckButton
from dextrum.desktop.supply.view import SupplyView
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.protocols import MULTIMETER, POWER_METER
from dextrum.instruments.simbench.bench import SimulatedBench
from dextrum.instruments.simbench.server import BenchServer
from dextrum.instruments.simulated_board import SimulatedBoard
from tests.support import LONG, duo_advice, duo_board
from tests.test_walk import WalkCase
from tests.window_support import ALT, CTRL, SHIFT, Key

FASTER = 8.0
"""The clock of bench and instruments runs so many times as fast as the wall's: all else is as it would be."""
SEEDS = range(1, 11) if LONG else (2,)
"""Whole jobs take a quarter to half a minute each; every run plays one."""


UNHEARD_SECONDS = 3.0


def fast_clock() -> float:
    return time.monotonic() * FASTER


class BenchJobCase(WalkCase):
    """What is typed in other walks comes from the instruments here."""

    def bench_with(self, seed: int) -> None:
        advice = duo_advice()
        case = draw_case(advice, 0, seed)
        self.board = duo_board()
        self.case = case
        assert isinstance(case.unit, DecidedUnit)
        self.unit: SimulatedBoard = case.unit
        self.bench = SimulatedBench(self.board, case.unit, case.look, case.present, seed, clock=fast_clock)
        self.server = BenchServer(self.bench)
        self.addCleanup(self.server.close)
        at_hand = InstrumentsAtHand(fast_clock, pace=1.0 / FASTER)
        self.window.instruments.close()
        self.window.instruments = self.window.connections.instruments = at_hand
        self.window.commands.capture.instruments = at_hand
        self.window.commands.capture.connect_to(self.server.addresses)
        self.wait(lambda: all(s.state == "ready" for s in at_hand.statuses()), what="for the instruments")

    def cell_as_recorded(self) -> None:
        self.bench.hand({"do": "cell", "cell": self.window.model.facts.cell})

    def walk_points(self) -> None:
        """Begin the walk and put the probe wherever it asks for, until it is over."""
        if self.window.model.facts.cell != "unplugged":
            self.key(Key.Key_U, CTRL)
        self.cell_as_recorded()
        before = len(self.window.model.trail)
        self.key(Key.Key_Space, CTRL)
        capture = self.window.commands.capture
        walk = capture.walk
        self.assertIsNotNone(walk, self.window.trail.said.text())
        assert walk is not None
        while capture.walk is walk:
            point = walk.point

            def is_gone(point: str) -> bool:
                return capture.walk is not walk or walk.point != point

            def heard_or_over(point: str, *hearing: Hearing, until: float = math.inf) -> bool:
                return is_gone(point) or walk.hearing in hearing or time.monotonic() > until

            gone = partial(is_gone, point)

            self.wait(partial(heard_or_over, point, Hearing.CONTACT, Hearing.PROBE),
                      what=f"for {point} to be armed")
            if gone():
                continue
            mode = "resistance" if self.board.point_by_id[point].to is not None else "diode"
            self.wait(partial(lambda mode: bool(self.bench.quantity == mode), mode), what="for the mode")
            self.bench.hand({"do": "probe", "point": point})
            heard = time.monotonic() + UNHEARD_SECONDS
            self.wait(partial(heard_or_over, point, Hearing.ANSWER, Hearing.PROBE, until=heard),
                      what=f"for {point} to be recorded")
            if not gone() and not walk.heard and walk.hearing is Hearing.CONTACT:
                # What reads OL before anything was touched is no touch that can be heard: it is said.
                self.type("o")
                self.key(Key.Key_Return)
            self.wait(partial(heard_or_over, point, Hearing.ANSWER, Hearing.PROBE),
                      what=f"for {point} to be recorded ({walk.hearing})")
            if walk.hearing is Hearing.ANSWER:
                self.key(Key.Key_Space)
            elif walk.hearing is Hearing.PROBE:
                self.type("o")
                self.key(Key.Key_Return)
            self.bench.hand({"do": "lift"})
        self.assertGreater(len(self.window.model.trail), before)

    def scan(self) -> None:
        self.key(Key.Key_3, ALT)
        self.walk_points()

    def asked(self) -> None:
        self.walk_points()

    def look(self) -> None:
        if "clean" in self.case.look.findings:
            super().look()
            return
        self.assertTrue(self.window.model.record(self.case.look))

    def supply(self, orientation: str) -> None:
        self.key(Key.Key_2, ALT)
        if self.window.model.facts.cell == "unplugged":
            self.window.commands.run("cell.plugged")
        self.cell_as_recorded()
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        if view.orientation.isChecked() != (orientation == "b"):
            self.tab_to("Orientation: A side up, pressed B side up")
            self.key(Key.Key_Space)
        self.bench.hand({"do": "speed", "times": 10})
        self.key(Key.Key_E, CTRL | SHIFT)
        self.assertTrue(view.live is not None and view.live.running, view.trouble.text())
        self.bench.hand({"do": "plug", "way": orientation})
        live = view.live
        assert live is not None
        self.wait(lambda: live.trace is not None and live.trace.count > 500, what="for the stream")
        self.key(Key.Key_E, CTRL | SHIFT)
        self.bench.hand({"do": "unplug"})
        self.bench.hand({"do": "speed", "times": 1})
        self.assertTrue(self.window.model.facts.drawn(orientation))

    def repair(self) -> str:
        part = super().repair()
        self.bench.hand({"do": "repair", "part": part})
        self.let_it_cool()
        return part

    def said_in_the_line(self, kind: str) -> None:
        super().said_in_the_line(kind)
        self.cell_as_recorded()

    def let_it_cool(self) -> None:
        """A board that is warm reads low: time passes on the bench."""
        self.bench.hand({"do": "wait", "minutes": 25})

    def put_back(self) -> None:
        assessment = self.window.model.assessment
        assert assessment is not None
        parts = assessment.advice.next.points
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)
        self.assertFalse(self.window.model.facts.isolated & set(parts), "what is likely the fault stays off")
        for part in parts:
            self.bench.hand({"do": "on", "part": part})
        self.let_it_cool()

    def prove(self) -> None:
        """P or F for the check that has the keyboard, by what the bench says when it is tried."""
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        self.key(Key.Key_Return, CTRL)
        wanted = [action.target] if action.kind == "try" else [
            c.id for c in self.board.checks if not (self.window.model.facts.proofs or {}).get(c.id)]
        for _ in wanted:
            check = self.focus()
            assert isinstance(check, CheckButton)
            told = self.bench.hand({"do": "try", "check": check.check})
            if check.check == "screws":
                self.key(Key.Key_I)
            self.key(Key.Key_P if told["passed"] else Key.Key_F)

    def isolate(self) -> None:
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)
        self.assertIn(action.target, self.window.model.facts.isolated)
        self.bench.hand({"do": "off", "part": action.target})
        self.let_it_cool()
        self.settled()
        self.read_apart(action.points[0])

    def read_apart(self, point: str) -> None:
        """With something off, the walk asks for the point that was shorted."""
        assessment = self.window.model.assessment
        assert assessment is not None
        self.assertIn(point, assessment.advice.next.points)
        self.walk_points()

    def look_over(self) -> None:
        """What the bench shows on that side, typed into the line."""
        assessment = self.window.model.assessment
        assert assessment is not None
        side = assessment.advice.next.target
        self.key(Key.Key_Return, CTRL)
        self.assertEqual(self.window.ask.choice.currentData(), side)
        self.type(", ".join(self.bench.hand({"do": "look_board", "side": side})["seen"]))
        self.key(Key.Key_Return)
        self.assertIn(side, self.window.model.facts.board_looks or {})

    def wait_or_swap(self) -> None:
        """Waiting is time on the bench; a known-good cell goes in."""
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        if action.kind == "swap_cell":
            self.window.commands.run("cell.known_good")
        else:
            self.bench.hand({"do": "wait", "minutes": action.minutes})
        self.supply(action.target if action.target in ("a", "b") else "a")

    def cool(self) -> None:
        """The board has cooled on the bench meanwhile: its temperature is given, and what was read too soon again."""
        self.key(Key.Key_Return, CTRL)
        self.type("21")
        self.key(Key.Key_Return)
        self.walk_points()

    def job(self, most: int = 60) -> str:
        """By the program's own advice, to the hand-over; how it ended."""
        for _ in range(most):
            self.settled()
            assessment = self.window.model.assessment
            assert assessment is not None
            action = assessment.advice.next
            if action.kind in ("hand_over", "give_up"):
                return action.kind
            if action.kind == "supply":
                self.supply(action.target)
            elif action.kind == "repair":
                self.repair()
            elif action.kind == "cause":
                self.name_the_cause()
            elif action.kind in ("unplug_cell", "audit", "make_safe", "clean"):
                self.said_in_the_line(action.kind)
            elif action.kind in ("isolate", "put_back", "inject", "rail"):
                getattr(self, action.kind)()
            elif action.kind == "look_board":
                self.look_over()
            elif action.kind == "cool":
                self.cool()
            elif action.kind == "assemble":
                self.key(Key.Key_Return, CTRL)
                self.assertIsInstance(self.focus(), QPushButton)
                self.key(Key.Key_Space)
            elif action.kind in ("prove", "try"):
                self.prove()
            elif action.kind in ("wait_draw", "wait_charge", "swap_cell", "wait"):
                self.wait_or_swap()
            else:
                self.asked()
        raise AssertionError("the job does not come to an end")

    def close_as_donor(self) -> None:
        self.key(Key.Key_Return, CTRL)
        for key in (Key.Key_Right, Key.Key_Down, Key.Key_Left, Key.Key_Up):
            choice = self.focus()
            assert isinstance(choice, QPushButton)
            if choice.text() == RESULTS["donor"]:
                break
            self.key(key)
        self.tab_to("Sentence for the owner")
        self.type("Not worth another hour.")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.outcome.result if self.window.model.facts.outcome else "", "donor")



class SeedsTest(BenchJobCase):
    """A hidden fault drawn by seed, from plugging in to the sheet."""

    def whole_job(self, seed: int) -> None:
        self.bench_with(seed)
        self.new_job(f"SLS-09{seed:02d}")
        self.intake("as the owner says", self.case.present)
        self.look()
        ended = self.job()
        trail = self.window.model.trail
        self.assertTrue(any(isinstance(e.payload, DrawTrace) for e in trail)
                        or "clean" not in self.case.look.findings, "a clean port is powered first")
        self.assertTrue(any(isinstance(e.payload, Readings) for e in trail) or not self.case.unit.faults)
        if ended == "hand_over":
            self.assertEqual(self.case.unit.harmful(), (), "what was wrong is mended")
            self.hand_over(f"sheet{seed}")
        else:
            self.close_as_donor()
        told = self.bench.hand({"do": "reveal"})
        self.assertIn("A shorter way", grade(duo_advice(), told))


def _one(seed: int) -> None:
    def test(self: SeedsTest) -> None:
        self.whole_job(seed)

    test.__name__ = f"test_seed_{seed}"
    setattr(SeedsTest, test.__name__, test)


for _seed in SEEDS:
    _one(_seed)


class InstrumentsInTheWindowTest(BenchJobCase):
    """The strip, the tester's scan, and what is said when nothing answers."""

    def setUp(self) -> None:
        super().setUp()
        self.bench_with(4)
        self.new_job("SLS-0950")
        self.look()
        self.key(Key.Key_U, CTRL)
        self.cell_as_recorded()

    def test_the_strip_shows_each_instrument_and_its_trouble(self) -> None:
        strip = self.window.connections
        self.wait(lambda: strip.isVisible() and "BM-1: ready" in strip.line.text(), what=strip.line.text())
        self.server.hand({"do": "trouble", "kind": MULTIMETER, "trouble": "garbage", "answers": 1000})
        self.key(Key.Key_Space, CTRL)
        self.wait(lambda: "sends nonsense" in strip.line.text(), what=strip.line.text())
        self.assertIn("Typing goes on", strip.trouble.text())
        self.type("0.512")
        self.key(Key.Key_Return)
        self.assertTrue(self.window.model.facts.readings, "the job goes on by typing")
        self.server.hand({"do": "trouble", "kind": MULTIMETER, "trouble": "", "answers": 0})
        self.wait(lambda: "BM-1: ready" in strip.line.text(), what=strip.line.text())

    def test_a_testers_scan_is_one_entry_and_turned_over_it_is_matched(self) -> None:
        before = len(self.window.model.trail)
        self.key(Key.Key_R, CTRL | SHIFT)
        self.wait(lambda: len(self.window.model.trail) > before, what="for the scan")
        payload = self.window.model.trail[-1].payload
        assert isinstance(payload, Readings)
        self.assertEqual(len(payload.readings), 24)
        self.key(Key.Key_T, CTRL | SHIFT)
        self.bench.hand({"do": "turn"})
        self.key(Key.Key_R, CTRL | SHIFT)
        self.wait(lambda: len(self.window.model.trail) > before + 1, what="for the other scan")
        turned = self.window.model.trail[-1].payload
        assert isinstance(turned, Readings)
        self.assertTrue(turned.turned)
        upright = {r.point: r.value for r in payload.readings}
        for reading in turned.readings:
            if upright[reading.point] != float("inf"):
                self.assertAlmostEqual(reading.value, upright[reading.point], delta=0.01, msg=reading.point)

    def test_taps_walk_by_keys_and_a_strike_takes_the_entry_out(self) -> None:
        self.key(Key.Key_Space, CTRL)
        capture = self.window.commands.capture
        walk = capture.walk
        assert walk is not None
        first = walk.point
        self.type("0.001")
        self.key(Key.Key_Return)
        self.assertNotEqual(walk.point, first)
        self.key(Key.Key_X)
        self.assertEqual(walk.point, first)
        self.assertFalse(any(p == first for _, p, _ in self.window.model.facts.readings or {}))
        self.key(Key.Key_S)
        self.assertNotEqual(walk.point, first)
        self.type("many volts")
        self.key(Key.Key_Return)
        self.assertIn("is not", self.window.capture_panel.last.text())
        self.key(Key.Key_Escape)
        self.assertIsNone(capture.walk)
        self.assertFalse(self.window.capture_panel.isVisible())

    def test_a_foot_switch_sends_the_key_it_was_taught(self) -> None:
        before = len(self.window.model.trail)
        self.window.commands.run("capture.pedal")
        self.key(Key.Key_F9)
        self.assertIn("F9", self.window.capture_panel.last.text())
        self.assertEqual(len(self.window.model.trail), before, "setting it up records nothing")
        self.key(Key.Key_Space, CTRL)
        walk = self.window.commands.capture.walk
        assert walk is not None
        first = walk.point
        self.type("0.001")
        self.key(Key.Key_Return)
        self.key(Key.Key_F9)
        self.assertEqual(walk.point, first, "it goes back to repeat what was recorded last")
        self.assertEqual(self.store.setting("capture.pedal"), str(int(Key.Key_F9)))
        self.key(Key.Key_Escape)

    def test_how_long_ol_is_held_is_a_setting(self) -> None:
        self.window.commands.run("capture.hold")
        for wrong in ("soon", "0"):
            self.window.ask.field.setText(wrong)
            self.key(Key.Key_Return)
            self.assertTrue(self.window.ask.trouble.text())
        self.window.ask.field.setText("6")
        self.key(Key.Key_Return)
        self.key(Key.Key_Space, CTRL)
        walk = self.window.commands.capture.walk
        assert walk is not None
        self.assertEqual(walk.times.open_after, 6.0)
        self.key(Key.Key_Escape)

    def test_instruments_are_looked_for_by_a_key_and_found_again(self) -> None:
        resource = self.server.addresses[MULTIMETER]
        self.store.set_setting("instrument.multimeter", resource)
        for kind in ("multimeter", "power_meter", "port_tester", "supply"):
            self.window.instruments.disconnect(kind)
        self.window.connections.refresh()
        self.assertIn("No instrument is connected", self.window.connections.line.text())
        self.key(Key.Key_F, CTRL | SHIFT)
        self.wait(lambda: "Found: multimeter BM-1" in self.window.trail.said.text(), what=self.window.trail.said.text())
        self.wait(lambda: "BM-1: ready" in self.window.connections.line.text())

    def test_nothing_connected_is_told_in_words(self) -> None:
        self.window.instruments.close()
        for key, modifiers in ((Key.Key_R, CTRL | SHIFT), (Key.Key_E, CTRL | SHIFT)):
            self.key(key, modifiers)
        self.assertIsNone(self.window.instruments.poller(POWER_METER))
        self.key(Key.Key_Space, CTRL)
        self.assertIn("type the value", self.window.capture_panel.words.text())


if __name__ == "__main__":
    import unittest

    unittest.main()
