"""Why a fault is suspected: weights with known answers, what belongs together, and the words for it."""

from __future__ import annotations

import math
import unittest
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from dextrum.app.advising.reason_words import readings_words, reason_words
from dextrum.core.board import Method
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.model import DiagnosisModel, build_model
from dextrum.core.diagnosis.posterior import Posterior, suspects, weigh_sets
from dextrum.core.diagnosis.reasons import Reason, _told, reasons, reasons_of_parts
from dextrum.core.diagnosis.telling import EvidenceItem
from dextrum.core.trail import Cell, Entry, Intake, JobOpened, Look, Payload, PointReading, Readings, Rework
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
VBUS = ("J1.A4", "J1.A9", "J1.B4", "J1.B9")


def read(unit: SimulatedBoard, points: Sequence[str]) -> tuple[Payload, ...]:
    taken = []
    for point in points:
        method = duo_board().point_by_id[point].default_method
        taken.append(Readings(method, (PointReading(point, unit.read(point, method, METER_M1)),), "M1"))
    return tuple(taken)


def unit_with(*faults: str) -> SimulatedBoard:
    known = duo_advice().model.hypotheses.faults
    chosen = [(fault := fault_named(known, name), fault.variants[0][0]) for name in faults]
    return SimulatedBoard(duo_board(), chosen, np.random.default_rng(3))


def weighed(entries: tuple[Entry, ...], model: DiagnosisModel | None = None) -> Posterior:
    model = model or duo_advice().model
    return weigh_sets(model, gather_evidence(model, entries))


def why(found: Posterior, fault: str) -> tuple[Reason, ...]:
    index = next(i for i, f in enumerate(found.hypotheses.faults) if f.id == fault)
    return reasons(duo_advice().model, found, [[index]])[0]


class WeightTest(unittest.TestCase):
    """Coming first and coming last, against the posterior weighed anew."""

    def test_a_weight_is_the_mean_of_coming_first_and_coming_last(self) -> None:
        """To six places where faults come alone; within a third of a nat with pairs, of which only the likeliest are
        weighed again."""
        alone = replace(duo_board(), share_of_two=0.0, share_of_three=0.0)
        for model, delta in ((build_model(alone, duo_advice().model.references), 1e-6), (duo_advice().model, 0.35)):
            self.weights_agree(model, delta)

    def weights_agree(self, model: DiagnosisModel, delta: float) -> None:
        trail = trail_of(OPENED, Intake("x", ("no_charge",)),
                         Readings(RED, (PointReading("J1.B5", 0.001),), "M1"))
        found = weighed(trail, model)
        index = suspects(found)[0].index

        def odds(entries: tuple[Entry, ...]) -> float:
            chance = float(weighed(entries, model).faults[index])
            return math.log(chance / (1 - chance))

        told = reasons(model, found, [[index]])[0]
        self.assertEqual(len(told), 2)
        for reason in told:
            one = reason.items[0].entry_id
            last = odds(trail) - odds(tuple(e for e in trail if e.id != one))
            first = odds(tuple(e for e in trail if e.id in ("e0", one))) - odds(trail[:1])
            self.assertAlmostEqual(reason.log_odds, (first + last) / 2, delta=delta)

    def test_prior_and_items_add_up_to_what_the_posterior_weighs(self) -> None:
        """Also where a fuse cuts off what another fault shorts, which no sum over single faults tells."""
        model = duo_advice().model
        unit = unit_with("F1:blown_fuse:1:2", "U1:hard_short:CC2")
        found = weighed(trail_of(OPENED, Intake("x", ("no_charge",)), Cell("unplugged"),
                                 *read(unit, duo_board().port_point_ids())))
        told = _told(model, found)
        whole = told.log_prior + told.log_likelihood.sum(axis=0) - found.log_whole
        known = np.isfinite(told.log_posterior)
        self.assertGreater(int((told.rows[known, 1] >= 0).sum()), 100)
        np.testing.assert_allclose(whole[known], told.log_posterior[known], atol=1e-5)

    def test_nothing_seen_gives_no_reason(self) -> None:
        found = weighed(trail_of(OPENED))
        self.assertEqual(reasons(duo_advice().model, found, [[0], [1]]), [(), ()])
        self.assertEqual(reasons_of_parts(duo_advice().model, found, ("U1",)), {"U1": ()})
        self.assertEqual(reasons_of_parts(duo_advice().model, found, ()), {})


class TogetherTest(unittest.TestCase):
    """Contacts of one node, and readings over a repair."""

    def test_contacts_of_one_node_are_one_reason_and_it_is_the_one_that_convicts(self) -> None:
        unit = unit_with("F1:blown_fuse:1:2", "U1:hard_short:CC2")
        port = duo_board().port_point_ids()
        before = (OPENED, Intake("x", ("no_charge",)), Cell("unplugged"), *read(unit, port))
        told = why(weighed(trail_of(*before)), "F1:blown_fuse:1:2")
        self.assertEqual({i.subject for i in told[0].items}, set(VBUS))
        self.assertGreater(told[0].log_odds, 3.0)
        words = reason_words(duo_board(), told[0])
        self.assertTrue(words.startswith("A4, A9, B4, B9 VBUS read 0.5"), words)
        self.assertIn("strongly for", words)
        unit.mend("F1", "replace")
        after = weighed(trail_of(*before, Rework("replace", "F1"), *read(unit, VBUS)))
        told = why(after, "F1:blown_fuse:1:2")
        self.assertEqual(len(told[0].items), 8)
        self.assertGreater(told[0].log_odds, 3.0)
        words = reason_words(duo_board(), told[0])
        self.assertEqual(words.count("VBUS"), 1, words)
        self.assertIn(" after the repair: strongly for", words)

    def test_two_things_that_say_the_same_both_count(self) -> None:
        """An open winding read through, and an open line: each would be worth little beside the other."""
        unit = unit_with("FL5:open_winding:3:4")
        trail = trail_of(OPENED, Look(("clean",)), Cell("unplugged"), *read(unit, duo_board().port_point_ids()),
                         *read(unit, ("FL5.3-4", "FL5.3-4")))
        told = {r.items[0].subject: r.log_odds for r in why(weighed(trail), "FL5:open_winding:3:4")}
        self.assertGreater(told["FL5.3-4"], 2.0)
        self.assertGreater(told["J1.A10"], 2.0)


class WordsTest(unittest.TestCase):
    """Readings that belong together, in words."""

    def item(self, point: str, value: float, epoch: int = 0, touches: int = 1, off: frozenset[str] = frozenset(),
             ) -> EvidenceItem:
        seen = "OL" if math.isinf(value) else f"{value:.3f} V"
        return EvidenceItem("e", epoch, "reading", point, seen, value, RED, touches, off)

    def test_readings_in_words(self) -> None:
        board, item = duo_board(), self.item

        def said(*items: EvidenceItem) -> str:
            return readings_words(board, items)

        self.assertEqual(said(item("J1.A10", math.inf, touches=2)), "A10 RX2− reads OL (touched again)")
        self.assertEqual(said(item("J1.A4", 0.561), item("J1.B9", 0.563)), "A4, B9 VBUS read 0.563 V")
        self.assertEqual(said(item("J1.B5", math.inf), item("J1.B5/tail", 0.585)),
                         "B5 CC2 reads OL, J1.B5/tail reads 0.585 V")
        self.assertEqual(said(item("J1.B5", 0.0), item("J1.B5", 0.001, 1), item("J1.B5", 0.585, 2)),
                         "B5 CC2 reads 0.000 V, 0.001 V after repair 1, 0.585 V after repair 2")
        self.assertEqual(said(item("J1.B5", 0.0), item("J1.B5", 0.585, 1)),
                         "B5 CC2 reads 0.000 V, 0.585 V after the repair")
        self.assertEqual(said(item("R1.1", 0.4, off=frozenset({"R1"}))), "R1.1 reads 0.400 V with R1 off")
        self.assertEqual(said(item("R1.1", 0.4, touches=2), item("R1.1", 0.4, off=frozenset({"C49"})),
                              item("R1.1", 0.418, off=frozenset({"C48"}))),
                         "R1.1 reads 0.400 V (touched again), 0.418 V with C48 off, 0.400 V with C49 off")
        many = tuple(item(p, 0.42) for p in ("R1.1", "R1.2", "L4.1", "L4.2", "C17.1", "C49.1"))
        self.assertEqual(said(*many), "R1.1, R1.2, L4.1, L4.2 and 2 more read 0.420 V")
        self.assertEqual(said(item("X9", 0.4)), "X9 reads 0.400 V")


if __name__ == "__main__":
    unittest.main()
