"""A repair that has not taken, in the window: said so, and advised again."""

from __future__ import annotations

import math
import unittest
from datetime import UTC, datetime, timedelta

import numpy as np

from dextrum.core.board import Method
from dextrum.core.trail import (
    Access,
    Cause,
    Cell,
    Intake,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Proof,
    Readings,
    Supply,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import as_good, duo_advice, duo_board, fault_named, replaced
from tests.window_support import CTRL, Key, WindowCase


class FailedRepairWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        fault = fault_named(duo_advice().model.hypotheses.faults, "FL5:open_winding:3:4")
        unit = SimulatedBoard(duo_board(), [(fault, 0.0)], np.random.default_rng(3))

        def read(*points: str) -> list[Payload]:
            methods = [(p, duo_board().point_by_id[p].default_method) for p in points]
            return [Readings(m, (PointReading(p, unit.read(p, m, METER_M1)),), "M1") for p, m in methods]

        payloads: list[Payload] = [
            JobOpened("SLS-0600", "Tarnwick Duo", "tarnwick-duo-c"), Intake("No picture in the dock", ("no_dock",)),
            Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), Cell("unplugged"),
            *read(*duo_board().port_point_ids()), Access("board_out"), *read("FL5.3-4"), replaced("FL5"),
            Cause("force"), *read("FL5.1", "FL5.2", "FL5.4", "FL5.1-2", "FL5.1-3"),
            *read("FL5.3", "FL5.3-4", "J1.A10"), *read("FL5.3-4")]
        start = datetime.now(UTC) - timedelta(hours=2)
        store.add_trail([new_entry(p, "Ines", start + timedelta(minutes=k)) for k, p in enumerate(payloads)])

    def test_what_reads_as_before_is_still_there_and_a_struck_reading_is_not_held_against_it(self) -> None:
        self.settled()
        panel = self.window.reasoning
        part, words, chance, mended = panel.suspects.line(0)
        self.assertEqual((part, mended), ("FL5", False))
        self.assertTrue(words.startswith("still there · "), words)
        self.assertGreater(chance, 0.9)
        self.assertEqual(panel.card.labels["title"].text(), "Replace FL5, filter")
        self.assertIn("worked on before", panel.card.labels["why"].text())
        self.assertIn("at most", panel.list.toolTip())
        for _ in range(4):  # both touches of the winding, of its end and of the contact
            self.key(Key.Key_Z, CTRL)
        self.settled()
        part, words, _, mended = panel.suspects.line(0)
        self.assertEqual((part, mended), ("FL5", True))
        self.assertTrue(words.startswith("repaired · "), words)
        # What is left may break nothing, and then the unit works: the last row speaks of that.
        _, words, chance, _ = panel.suspects.line(panel.suspects.rowCount() - 1)
        assert panel._shown is not None
        self.assertEqual((words, chance), ("no harmful fault left", panel._shown.advice.nothing_left))


class NewFaultWindowTest(WindowCase):
    """A new chip with one joint open: said to be new, suspected by its joint, and reflowed rather than given up."""

    def fill(self, store: JobStore) -> None:
        opened = Readings(Method.DIODE_RED_GROUND, (PointReading("C12.1", math.inf),), "M1")
        payloads: list[Payload] = [
            JobOpened("SLS-0601", "Tarnwick Duo", "tarnwick-duo-c"),
            Intake("Does not charge", ("no_charge", "no_dock")), Look(("clean",)), Cell("unplugged"),
            Access("board_out"), *as_good("J1.A4", "J1.A5", "J1.B5", "C12.1", "C13.1", "L2.2"),
            Proof("charge_a", False), Proof("dock_a", False), replaced("U1"), opened, opened,
            *as_good("J1.A4", "J1.A5", "J1.B5", "C13.1"), Proof("charge_a", False), Proof("charge_b", False)]
        start = datetime.now(UTC) - timedelta(hours=2)
        store.add_trail([new_entry(p, "Ines", start + timedelta(minutes=k)) for k, p in enumerate(payloads)])

    def test_what_the_repair_has_done_is_said_and_suspected(self) -> None:
        self.settled()
        panel = self.window.reasoning
        self.assertIn("Something new is wrong since U1 was worked on", panel.together.text())
        part, words, chance, _ = panel.suspects.line(0)
        self.assertEqual(part, "U1")
        self.assertIn("joint", words)
        self.assertGreater(chance, 0.5)


if __name__ == "__main__":
    unittest.main()
