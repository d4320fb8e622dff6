"""A part measured by itself before it goes on: what is expected, what is made of it, and the panel that asks for it."""

from __future__ import annotations

import math
import unittest

from dextrum.app.rework.part_alone import taken_alone, verdict_words
from dextrum.core.assumptions.auditing import ALONE_LEFT
from dextrum.core.board import ComponentKind, Method
from dextrum.core.circuit.network import build_circuit
from dextrum.core.diagnosis.after_repair import _as_left, chances_made
from dextrum.core.faults.registry import KINDS
from dextrum.core.rework.alone import AloneReading, alone
from dextrum.core.trail import (
    Cell,
    Intake,
    JobOpened,
    Look,
    PartAlone,
    Payload,
    ReadAlone,
    Rework,
    Supply,
)
from dextrum.errors import EntryRefusedError
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import as_good, duo_advice, duo_board, library, trail_of
from tests.window_support import Key, WindowCase


def of(part: str) -> tuple[AloneReading, ...]:
    return alone(duo_board(), build_circuit(duo_board()), part)


class ExpectedTest(unittest.TestCase):
    def test_each_kind_of_part(self) -> None:
        self.assertEqual([r.expected for r in of("C14")], [math.inf])
        fuse = of("F1")
        self.assertEqual(len(fuse), 1)
        self.assertLess(fuse[0].expected, 0.2)
        filter_ = of("FL3")
        self.assertEqual([r.expected == math.inf for r in filter_], [False, False, True])
        self.assertEqual(len(of("J1")), 3)
        self.assertEqual(alone(duo_board(), build_circuit(duo_board()), "trace CC1"), ())

    def test_a_chip_by_itself_reads_its_own_junctions_and_nothing_of_the_board(self) -> None:
        """A junction of the part alone, at a milliampere: what the pack states of the pin."""
        chip = duo_board().component_by_designator["U1"]
        ground = {net.name for net in duo_board().nets if net.role == "ground"}
        for reading in of("U1"):
            pin = reading.between.partition(" and ")[0]
            terminal = chip.terminal(pin)
            if terminal.net in ground or terminal.junction_volts is None or terminal.ohms_to_ground is not None:
                continue
            self.assertAlmostEqual(reading.expected, terminal.junction_volts, delta=0.002, msg=pin)

    def test_every_part_of_every_pack_has_an_answer(self) -> None:
        for pack in library().ids():
            board = library().board(pack)
            circuit = build_circuit(board)
            for part in board.components:
                for reading in alone(board, circuit, part.designator):
                    self.assertGreaterEqual(reading.expected, 0.0)
                    self.assertTrue(reading.judged(reading.expected))

    def test_judged(self) -> None:
        self.assertFalse(AloneReading("a", Method.RESISTANCE, math.inf).judged(3.0))
        self.assertFalse(AloneReading("a", Method.DIODE_RED_GROUND, 0.5).judged(0.0))
        self.assertTrue(AloneReading("a", Method.DIODE_RED_GROUND, 0.5).judged(0.53))
        self.assertFalse(AloneReading("a", Method.DIODE_RED_GROUND, 0.5).judged(math.inf))
        self.assertTrue(AloneReading("a", Method.RESISTANCE, 0.6).judged(0.9))


class TypedTest(unittest.TestCase):
    def test_what_is_typed_is_judged_and_what_is_wrong_is_named(self) -> None:
        wanted = of("FL3")
        taken = taken_alone("FL3", "donor SLS-0091", wanted, ["0.5", "", "o"])
        self.assertEqual([r.good for r in taken.readings], [True, True])
        self.assertIn("good part", verdict_words(taken))
        bad = taken_alone("FL3", "", wanted, ["o", "0.5", "o"])
        self.assertFalse(bad.good)
        self.assertIn(wanted[0].between, verdict_words(bad))
        for texts in (["x", "", ""], ["", "", ""]):
            with self.assertRaises(EntryRefusedError) as caught:
                taken_alone("FL3", "", wanted, texts)
            self.assertTrue(caught.exception.happened)

    def test_bad_entries_are_refused(self) -> None:
        for part, readings in (("", (ReadAlone("a", 1.0, 1.0, True),)), ("U1", ())):
            with self.assertRaises(ValueError):
                PartAlone(part, "", readings)
        with self.assertRaises(ValueError):
            ReadAlone("a", -1.0, 1.0, True)


class EvidenceTest(unittest.TestCase):
    def left_bad(self, *alone_before: Payload) -> float:
        """Chance that a regulator that was changed is dead as the job goes on from there."""
        base: tuple[Payload, ...] = (JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("x", ("no_start",)),
                                     Look(("clean",)), Cell("unplugged"), *as_good("J1.A4", "J1.A5"))
        model = duo_advice().model
        _, made, _ = _as_left(model, trail_of(*base, *alone_before, Rework("replace", "U8")), frozenset())
        at = [f.id for f in model.hypotheses.faults].index("U8:quiet_failure")
        return float(model.hypotheses.per_fault(made)[at])

    def test_a_chip_that_read_well_alone_is_less_likely_dead_once_it_is_fitted(self) -> None:
        well = PartAlone("U8", "stock", (ReadAlone("IN and GND", 0.51, 0.51, True),))
        off = PartAlone("U8", "stock", (ReadAlone("IN and GND", 0.0, 0.51, False),))
        self.assertLess(self.left_bad(well), 0.5 * self.left_bad())
        self.assertAlmostEqual(self.left_bad(well, off), self.left_bad(), places=9)
        # The next one that is fitted has not been measured; of the first, what its repair left remains.
        self.assertAlmostEqual(self.left_bad(well, Rework("replace", "U8")), self.left_bad(Rework("replace", "U8")),
                               delta=0.2 * self.left_bad())

    def test_a_part_measured_well_is_less_likely_bad_and_its_joints_are_as_before(self) -> None:
        model = duo_advice().model
        plain, measured = chances_made(model, "U1"), chances_made(model, "U1", True)
        hypotheses = model.hypotheses
        for fault, one, other in zip(hypotheses.faults, hypotheses.per_fault(plain), hypotheses.per_fault(measured),
                                     strict=True):
            if fault.part == "U1" and KINDS[fault.kind].after_fitting == 0.0:
                self.assertAlmostEqual(other, ALONE_LEFT * one, places=12)
            else:
                self.assertAlmostEqual(one, other, places=12)

    def test_of_every_kind_that_can_be_changed_there_is_something_to_read(self) -> None:
        for part in duo_board().components:
            if part.kind in (ComponentKind.IC, ComponentKind.FILTER, ComponentKind.FUSE, ComponentKind.RECEPTACLE):
                self.assertTrue(of(part.designator), part.designator)


class AlonePanelTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        payloads: tuple[Payload, ...] = (JobOpened("SLS-0730", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)),
                                         Supply("a", 9.1, 1.85), Supply("b", 9.1, 1.85), Cell("unplugged"))
        store.add_trail([new_entry(payload, "Ines") for payload in payloads])

    def test_typed_through_by_enter_recorded_and_warned_of(self) -> None:
        self.settled()
        self.window.show_view("rework")
        view = self.window.views.rework
        view.go_to("FL3", "replace")
        view.source.setText("donor SLS-0091")
        view.plan.alone.click()
        self.wait(view.alone.isVisible)
        self.assertIs(self.application.focusWidget(), view.alone.fields[0])
        self.type("o")
        self.key(Key.Key_Return)
        self.type("x")
        self.key(Key.Key_Return)
        self.key(Key.Key_Return)
        self.assertIn("'x' is not", view.alone.said.text())
        view.alone.fields[1].setText("0.6")
        view.alone.fields[2].setFocus()
        self.type("o")
        self.key(Key.Key_Return)
        taken = (self.window.model.facts.measured_alone or {})["FL3"]
        self.assertEqual((taken.source, [r.good for r in taken.readings]), ("donor SLS-0091", [False, True, True]))
        self.assertIn("Off:", view.alone.said.text())
        self.window.model.record(Cell("unplugged"))
        view.go_to("FL3", "replace")
        view.save.click()
        self.application.processEvents()
        self.assertIn("measured alone and was off", view.trouble.text())
        view.part.setCurrentText("U1")
        self.assertFalse(view.alone.isVisible())
