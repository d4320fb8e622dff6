"""Two faults that meet explain together what neither does by itself: they are found among all the pairs there are."""

from __future__ import annotations

import math
import unittest
from unittest.mock import patch

import numpy as np

from dextrum.core.board import Fault, Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.evidence import Evidence, gather_evidence
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.located import Located
from dextrum.core.diagnosis.meeting_pairs import MOST_EXACT
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior, weigh_sets
from dextrum.core.safety.recheck import points_of_part
from dextrum.core.trail import Intake, JobOpened, Payload, PointReading, Readings
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, replaced, trail_of

OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
HIDDEN = (("J1:crossed_contacts:B6:B7", "FL4:open_winding:1:2"), ("J1:crossed_contacts:A3:A4", "F1:blown_fuse:1:2"),
          ("D2:hard_short:1", "FL4:bridged_windings:1:3"), ("J1:crossed_contacts:A9:A10", "C1:hard_short:1"))
"""Each hides what the other reads."""


def read(faults: list[tuple[Fault, float]], generator: np.random.Generator, *said: Payload) -> Evidence:
    """The port, and what can be read of the parts at fault."""
    board, unit = duo_board(), SimulatedBoard(duo_board(), faults, generator)
    points = dict.fromkeys([*board.port_point_ids(), *(
        p for fault, _ in faults for p in points_of_part(board, fault.part, "board_out"))])
    taken: dict[Method, list[PointReading]] = {}
    for point in points:
        method = board.point_by_id[point].default_method
        taken.setdefault(method, []).append(PointReading(point, unit.read(point, method, METER_M1)))
    return gather_evidence(duo_advice().model, trail_of(OPENED, *said, *(
        Readings(method, tuple(readings), "M1") for method, readings in taken.items())))


def chance_of_both(found: Posterior, one: str, other: str) -> float:
    model = duo_advice().model
    names = [f.id for f in model.hypotheses.faults]
    of = np.append(model.hypotheses.fault_of_row, NO_ROW)[found.sets.rows]
    both = (of == names.index(one)).any(axis=1) & (of == names.index(other)).any(axis=1)
    return float(found.sets.weight[both].sum()) * found.covered


class HiddenTest(unittest.TestCase):
    def test_what_each_hides_of_the_other_is_found(self) -> None:
        model = duo_advice().model
        for one, other in HIDDEN:
            with self.subTest(one=one, other=other):
                named = [fault_named(model.hypotheses.faults, name) for name in (one, other)]
                found = weigh_sets(model, read([(fault, fault.variants[0][0]) for fault in named],
                                               np.random.default_rng(3), Intake("x", ("no_dock",))))
                # Which of two contacts of a line, or of two shorts on it, no reading tells.
                self.assertGreater(chance_of_both(found, one, other), 0.02)
                self.assertLess(found.something_else + found.nothing, 0.1)


class MendedTest(unittest.TestCase):
    """Crossed contacts and a blown fuse behind them, mended one after the other, and the port read after each."""

    def test_each_good_reading_after_both_repairs_clears_the_unit(self) -> None:
        model, board = duo_advice().model, duo_board()
        crossed, blown = (fault_named(model.hypotheses.faults, name) for name in HIDDEN[1])
        unit = SimulatedBoard(board, [(fault, fault.variants[0][0]) for fault in (crossed, blown)],
                              np.random.default_rng(3))
        payloads: list[Payload] = [OPENED, Intake("x", ("no_dock",))]

        def take(*points: str) -> None:
            for point in points:
                method = board.point_by_id[point].default_method
                payloads.append(Readings(method, (PointReading(point, unit.read(point, method, METER_M1)),), "M1"))

        for part in ("J1", "F1"):
            take(*board.port_point_ids(), *(["F1.1-2"] if part == "F1" else []))
            unit.mend(part, "replace")
            payloads.append(replaced(part))
        for point in ("J1.A3", "J1.A4", "J1.A9", "J1.B4", "J1.B9"):
            take(point)
            found = weigh_trail(model, trail_of(*payloads))
            self.assertGreater(float(found.remaining_rows()[0]), 0.8, point)


class SearchTest(unittest.TestCase):
    def lost(self, kind: np.ndarray, count: int, seed: int) -> list[str]:
        """Of so many pairs drawn of this kind, (M,) boolean, those that weigh more than all that was found, and were
        not found."""
        model, generator = duo_advice().model, np.random.default_rng(seed)
        pairs, hypotheses = model.pairs, model.hypotheses
        lost = []
        for k in generator.choice(np.flatnonzero(kind), count, replace=False).tolist():
            rows = [int(pairs.first[k]), int(pairs.second[k])]
            faults = [(hypotheses.faults[int(hypotheses.fault_of_row[r])], float(hypotheses.ohms[r])) for r in rows]
            evidence = read(faults, generator)
            found = weigh_sets(model, evidence)
            alone = model.pairs.log_prior_one + evidence.of_rows.sum(axis=0)
            apart = float(model.pairs.log_prior_meeting[k] + sum(
                alone[row] - model.pairs.log_prior_one[row] - (alone[0] - model.pairs.log_prior_one[0]) for row in rows)
                + alone[0] - model.pairs.log_prior_one[0])
            exact = apart + float(evidence.located.together(model, np.array([rows]))[0]) - found.log_whole
            listed = {frozenset(one.tolist()) - {NO_ROW}: float(weight) for one, weight in zip(
                found.sets.rows, found.sets.weight, strict=True)}
            if exact > 0.0 and listed.get(frozenset(rows), 0.0) < 0.1:
                lost.append(" and ".join(f.id for f, _ in faults) + f" by {math.exp(exact):.0f}")
        return lost

    def test_few_of_those_that_carry_each_other_along_are_lost(self) -> None:
        pairs = duo_advice().model.pairs
        self.assertLessEqual(len(self.lost(pairs.spans_meeting, 24, 5)), 1)

    def test_few_of_those_that_cut_the_network_are_lost(self) -> None:
        pairs = duo_advice().model.pairs
        self.assertLessEqual(len(self.lost(pairs.cuts_meeting & pairs.spans_meeting, 24, 6)), 1)

    def test_hardly_any_is_solved_where_single_faults_explain_all(self) -> None:
        model = duo_advice().model
        fault = fault_named(model.hypotheses.faults, "FL5:open_winding:3:4")
        solved: list[int] = []

        def counted(self: Located, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
            solved.append(len(sets))
            return together(self, model, sets)

        together = Located.together
        for faults in ([], [(fault, 0.0)]):
            evidence = read(faults, np.random.default_rng(3))
            with patch.object(Located, "together", counted):
                weigh_sets(model, evidence)
        self.assertLess(max(solved, default=0), MOST_EXACT // 2)
