"""A part that was at fault in one way, and after its repair is in another: a filter of which one joint did not take."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.trail import (
    AUDIT_STEPS,
    Audit,
    PointReading,
    Readings,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import board_out, duo_advice, duo_board, fault_named, replaced, trail_of

BEGUN = board_out("no_dock")
AGAIN = ("J1.A6", "J1.A7", "J1.B6", "J1.B7", "FL4.1", "FL4.2", "FL4.3", "FL4.4", "FL4.1-2", "FL4.3-4")


def read(fault: str, *points: str) -> list[Readings]:
    """As a board with this fault reads, or a good one."""
    known = duo_advice().model.hypotheses.faults
    unit = SimulatedBoard(duo_board(), [(fault_named(known, fault), 0.0)] if fault else [], np.random.default_rng(7))
    found = []
    for point in points:
        method = duo_board().point_by_id[point].default_method
        found.append(Readings(method, (PointReading(point, unit.read(point, method, METER_M1)),), "M1"))
    return found


class AnotherWayTest(unittest.TestCase):
    def after(self, fault: str) -> Posterior:
        """The filter was missing; its new one has this fault."""
        port = duo_board().port_point_ids()
        return weigh_trail(duo_advice().model, trail_of(*BEGUN, *read("FL4:missing_part", *port), replaced("FL4"),
                                                        Audit(AUDIT_STEPS, part="FL4"), *read(fault, *AGAIN)))

    def chance(self, found: Posterior, part: str) -> float:
        return found.chance_of_any(found.hypotheses.rows_of_part(part))

    def test_one_joint_that_did_not_take_is_the_filter_again(self) -> None:
        found = self.after("FL4:open_winding:1:2")
        self.assertGreater(self.chance(found, "FL4"), 0.8)
        self.assertLess(self.chance(found, "U7"), 0.1)
        self.assertEqual(found.since_repair, "FL4")

    def test_one_that_reads_well_is_done(self) -> None:
        found = self.after("")
        self.assertLess(self.chance(found, "FL4"), 0.05)
        self.assertGreater(float(found.remaining_rows()[0]), 0.5)
