"""The whole walk through the real window, by keyboard alone, on a board with a hidden fault."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from pypdf import PdfReader
from PySide6.QtWidgets import QComboBox, QPushButton

from dextrum.core.board import Board
from dextrum.core.reference.judge import Verdict
from dextrum.core.trail import Isolation, Readings, Rework, standing
from dextrum.desktop.board.view import BoardView
from dextrum.desktop.port.view import PortView
from dextrum.desktop.proof.check_button import CheckButton
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.jobs import JobStore
from tests.support import DUO, fault_named, library
from tests.window_support import ALT, CTRL, SHIFT, Key, WindowCase


class WalkCase(WindowCase):
    """What a technician does at each step, as keys."""

    unit: SimulatedBoard
    board: Board
    pack_id = DUO

    def hide(self, *faults: str, seed: int) -> None:
        self.board = library().board(self.pack_id)
        known = library().advice_model(self.pack_id, "M1").model.hypotheses.faults
        found = [fault_named(known, fault) for fault in faults]
        self.unit = SimulatedBoard(self.board, [(one, one.variants[0][0]) for one in found],
                                   np.random.default_rng(seed))

    def new_job(self, serial: str) -> None:
        self.key(Key.Key_N, CTRL)
        self.type(serial)
        self.key(Key.Key_Tab)
        box = self.focus()
        assert isinstance(box, QComboBox)
        for _ in range(box.count()):
            if box.currentData() == self.pack_id:
                break
            self.key(Key.Key_Down)
        self.assertEqual(box.currentData(), self.pack_id)
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.serial, serial)

    def intake(self, complaint: str, symptoms: tuple[str, ...]) -> None:
        self.key(Key.Key_1, ALT)
        self.type(complaint)
        for symptom in symptoms:
            self.tab_to(self.board.symptom_by_id[symptom].words)
            self.key(Key.Key_Space)
        self.tab_to("Record the intake")
        self.key(Key.Key_Space)
        intake = self.window.model.facts.intake
        assert intake is not None
        self.assertEqual((intake.complaint, set(intake.present)), (complaint, set(symptoms)))

    def look(self) -> None:
        self.key(Key.Key_2, ALT)
        self.tab_to("clean")
        self.key(Key.Key_Space)
        self.tab_to("Record the look")
        self.key(Key.Key_Space)
        self.assertIsNotNone(self.window.model.facts.look)

    def supply(self, orientation: str) -> None:
        self.key(Key.Key_2, ALT)
        volts, amps, pattern = self.unit.supply(orientation)
        shown = self.window.views["supply"].orientation.isChecked()  # type: ignore[attr-defined]
        if shown != (orientation == "b"):
            self.tab_to("Orientation: A side up, pressed B side up")
            self.key(Key.Key_Space)
        if pattern == "blinking":
            self.tab_to("blinks on and off")
            self.key(Key.Key_Space)
        self.tab_to("Volts")
        self.type(f"{volts:.2f}")
        self.key(Key.Key_Return)
        self.type(f"{amps:.2f}")
        self.key(Key.Key_Return)
        taken = (self.window.model.facts.supplies or {}).get((self.window.model.facts.epoch, orientation))
        self.assertIsNotNone(taken)

    def type_value(self, point: str) -> None:
        """Type what the board reads at a point, as a technician would."""
        method = self.board.point_by_id[point].default_method
        value = self.unit.read(point, method, METER_M1)
        if value == float("inf"):
            self.type("o")
        else:
            self.type(f"{value:.3f}" if method.is_diode else f"{value:g}")
            self.key(Key.Key_Return)

    def scan(self) -> None:
        self.key(Key.Key_3, ALT)
        view = self.window.views["port"]
        assert isinstance(view, PortView)
        for _ in self.board.ports[0].contacts:
            self.type_value(view.ladder.current_point())

    def asked(self) -> None:
        """Go where the next step is and type what it asks for."""
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        for _ in action.points:
            self.key(Key.Key_Return, CTRL)
            view = self.window.current_view()
            if isinstance(view, PortView):
                place = view.pairs if view.pairs.field.hasFocus() else view.ladder
                point = place.current_point()
            else:
                assert isinstance(view, BoardView)
                shown = view.current_point()
                assert shown is not None
                point = shown.id
            self.assertIn(point, action.points)
            self.type_value(point)

    def repair(self) -> str:
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        self.key(Key.Key_Return, CTRL)
        self.type("stock")
        for words in ("small parts near the heat counted against the list", "no bridges", "flux off"):
            self.tab_to(words)
            self.key(Key.Key_Space)
        self.tab_to("Record the rework")
        self.key(Key.Key_Space)
        self.unit.mend(action.target, action.detail)
        done = self.window.model.facts.reworks[-1][1]
        self.assertEqual((done.part, done.action, done.audit), (action.target, action.detail,
                                                                ("counted", "bridges", "flux")))
        return action.target

    def isolate(self) -> None:
        """Take off what the line offers, and read the point that it goes to."""
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)
        self.assertIn(action.target, self.window.model.facts.isolated)
        self.unit.isolate(Isolation((action.target,)))
        self.type_value(action.points[0])

    def said_in_the_line(self, kind: str) -> None:
        """What lifts a gate is asked for in the line; Enter records it."""
        before = len(self.window.model.trail)
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)
        self.assertGreater(len(self.window.model.trail), before, kind)

    def put_back(self) -> None:
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)
        self.unit.isolate(Isolation(tuple(sorted(self.unit.isolated)), "back"))
        self.assertEqual(self.window.model.facts.isolated, frozenset())

    def inject(self) -> None:
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        assert action.limits is not None
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)  # what was really used: as advised
        self.wait(lambda: "what warms" in self.window.ask.words.text(), what="for what warmed")
        held = action.limits.watts if action.limits.held else None
        self.type(self.unit.inject(action.target, action.limits.volts, action.limits.amps, action.detail, held))
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.injections[-1].net, action.target)

    def rail(self) -> None:
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        self.key(Key.Key_Return, CTRL)
        self.type(f"{self.unit.rail_volts(action.target, action.detail):.2f}")
        self.key(Key.Key_Return)
        self.assertIn(action.target, self.window.model.facts.rail_volts or {})

    def name_the_cause(self) -> None:
        self.key(Key.Key_Return, CTRL)
        self.type(" the dock")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.cause.what if self.window.model.facts.cause else "", "dock")

    def prove(self) -> None:
        self.key(Key.Key_Return, CTRL)
        functions = {check.id: check.functions for check in self.board.checks}
        for _ in self.board.checks:
            row = self.focus()
            assert isinstance(row, CheckButton)
            if row.check == "screws":
                self.key(Key.Key_I)
            self.key(Key.Key_P if self.unit.functions_work(functions[row.check]) else Key.Key_F)

    def assemble(self) -> None:
        """The card leads to the line that says so; Space says it."""
        self.key(Key.Key_Return, CTRL)
        self.assertIsInstance(self.focus(), QPushButton)
        self.key(Key.Key_Space)

    def count_round(self, part: str) -> None:
        """The parts round a chip that is to be heated: all are there."""
        self.key(Key.Key_Return, CTRL)
        self.assertEqual(self.window.ask.choice.currentData(), part)
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.counted_before[-1][1].before_heat_on, part)

    def try_one(self, check: str) -> None:
        """One check, before any repair."""
        self.key(Key.Key_Return, CTRL)
        works = self.unit.functions_work(next(c.functions for c in self.board.checks if c.id == check))
        self.key(Key.Key_P if works else Key.Key_F)
        self.assertEqual((self.window.model.facts.proofs or {})[check].passed, works)

    def follow(self, most: int = 40) -> list[str]:
        """Do what the card says until the hand-over; returns the parts that were changed."""
        parts: list[str] = []
        for _ in range(most):
            self.settled()
            assessment = self.window.model.assessment
            assert assessment is not None
            action = assessment.advice.next
            if action.kind in ("hand_over", "give_up"):
                return parts
            if action.kind == "supply":
                self.supply(action.target)
            elif action.kind == "repair":
                parts.append(self.repair())
            elif action.kind == "cause":
                self.name_the_cause()
            elif action.kind in ("unplug_cell", "audit", "make_safe", "clean"):
                self.said_in_the_line(action.kind)
            elif action.kind in ("isolate", "put_back", "inject", "rail", "assemble"):
                getattr(self, action.kind)()
            elif action.kind == "prove":
                self.prove()
            elif action.kind == "count_round":
                self.count_round(action.target)
            elif action.kind == "try":
                self.try_one(action.target)
            else:
                self.asked()
        raise AssertionError("the job does not come to an end")

    def hand_over(self, name: str) -> tuple[Path, Path]:
        self.key(Key.Key_Return, CTRL)
        self.tab_to("Sentence for the owner")
        self.type("Works again.")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.outcome.result if self.window.model.facts.outcome else "", "repaired")
        pdf, html = self.folder / f"{name}.pdf", self.folder / f"{name}.html"
        for file, key, modifiers in ((pdf, Key.Key_P, CTRL), (html, Key.Key_H, CTRL | SHIFT)):
            self.key(key, modifiers)
            self.type(str(file))
            self.key(Key.Key_Return)
            self.wait(file.exists, what=file.name)
        return pdf, html


class OpenFilterTest(WalkCase):
    """A common-mode filter far from the bank has one line open: no picture in the dock."""

    def test_from_the_shelf_to_the_sheet(self) -> None:
        self.hide("FL5:open_winding:3:4", seed=5)
        self.new_job("SLS-0700")
        self.intake("no picture, one way up", ("no_dock",))
        self.look()
        self.supply("a")
        self.supply("b")
        self.key(Key.Key_U, CTRL)
        self.scan()
        view = self.window.views["port"]
        self.assertEqual(view.sentence.text(), "A10 RX2− is open. All other readings match a good board.")
        off = [p for p, r in self.window.model.judged.items() if r.judgement.verdict.is_off]
        self.assertEqual(off, ["J1.A10"])
        parts = self.follow()
        self.assertEqual(parts, ["FL5"])
        self.assertEqual(self.unit.faults, [])
        pdf, html = self.hand_over("sheet")
        text = " ".join(" ".join(page.extract_text() for page in PdfReader(pdf).pages).split())
        for words in ("SLS-0700", "no picture, one way up", "Open: A10 RX2−", "Replaced: FL5",
                      "The dock it was used with", "Works again.", "A10 RX2−"):
            self.assertIn(words, text)
            self.assertIn(words, html.read_text())
        # Before and after stand side by side in the trail, and all of it is in the file.
        trail = JobStore(self.path).trail(self.window.model.job_id)
        self.assertTrue(any(isinstance(e.payload, Rework) for e in trail))
        self.assertGreater(sum(isinstance(e.payload, Readings) for e in standing(trail)), 26)
        self.assertEqual(self.window.model.judged["J1.A10"].judgement.verdict, Verdict.WITHIN)
        before = self.window.model.judged["J1.A10"].before
        self.assertEqual(before.value if before else 0, float("inf"))


class HiddenFaultTest(WalkCase):
    """Crossed contacts feed VBUS from the pair beside it, and hide that the fuse behind it has blown."""

    def test_from_the_shelf_to_the_sheet(self) -> None:
        self.hide("J1:crossed_contacts:A3:A4", "F1:blown_fuse:1:2", seed=5)
        self.new_job("SLS-0703")
        self.intake("does not charge", ("no_charge", "no_dock"))
        self.look()
        self.supply("a")
        self.supply("b")
        self.key(Key.Key_U, CTRL)
        self.scan()
        self.assertEqual(self.follow(), ["J1", "F1"])
        self.assertEqual(self.unit.faults, [])
        self.hand_over("hidden")


class ShortedChipTest(WalkCase):
    """CC2 is grounded inside the PD controller: does not charge one way up."""

    def test_from_the_shelf_to_the_sheet(self) -> None:
        self.hide("U1:hard_short:CC2", seed=6)
        self.new_job("SLS-0701")
        self.intake("does not charge", ("no_charge",))
        self.look()
        self.supply("a")
        self.supply("b")
        self.key(Key.Key_U, CTRL)
        self.scan()
        self.assertIn("B5 CC2 is grounded", self.window.views["port"].sentence.text())
        self.settled()
        self.assertIn("U1", [s.part for s in self.window.reasoning.suspects.rows[:1]])
        self.assertTrue(self.window.reasoning.reasons.text())
        parts = self.follow()
        self.assertIn("U1", parts)
        self.assertEqual(self.unit.faults, [])
        self.hand_over("chip")
