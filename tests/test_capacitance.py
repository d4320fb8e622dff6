"""Capacitance between two nets: what is predicted, compared and judged, and the part of another value it finds."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.reading.judged import judge_reading
from dextrum.app.reading.typed import parse_reading
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Method, Point, Side
from dextrum.core.board.value_words import value_words
from dextrum.core.circuit.capacitance import (
    LEAST_NANOFARADS,
    LEAST_OHMS_TO_CHARGE,
    capacitors_between,
    impeding_ohms,
    impeding_ohms_of,
    nanofarads_of,
)
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NO_ROW, NOTHING_ROW
from dextrum.core.diagnosis.joint_predictions import joint_values
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.meters import MeterCorrection
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look, Payload, PointReading, Readings, Supply
from dextrum.errors import EntryRefusedError
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard, SimulatedMeter
from dextrum.world.arrivals import listed_arrival
from dextrum.world.capacitors import found_between
from dextrum.world.numbers import DEFAULT
from tests.support import duo_advice, duo_board, fault_named, trail_of

FARADS = Method.CAPACITANCE
COUPLING, ON_RAIL = "C63.nF", "C18.nF"
"""Across one coupling capacitor alone; and where a rail has three capacitors, one micro and two of ten."""
BEGUN: tuple[Payload, ...] = (
    JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("x", ("no_dock",)), Look(("clean",)),
    Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), Cell("unplugged"), Access("board_out"))


def row_of(fault: str, size: float | None = None) -> int:
    hypotheses = duo_advice().model.hypotheses
    return next(row for row in range(FIRST_FAULT_ROW, hypotheses.count)
                if hypotheses.faults[int(hypotheses.fault_of_row[row])].id == fault
                and (size is None or hypotheses.ohms[row] == size))


def predicted(point: str, row: int) -> float:
    """In nanofarads; inf where it can't be charged."""
    found = duo_advice().model.predicted_at(point, FARADS)
    assert found is not None
    return nanofarads_of(float(found.values[row]))


def weighed(*payloads: Payload) -> tuple[Assessment, Weighing]:
    done = assess(duo_advice(), trail_of(*BEGUN, *payloads), explain=False)
    return done, Weighing(duo_advice(), done.posterior, done.facts)


def chance_of(done: Assessment, fault: str) -> float:
    """That it is there, alone or with others."""
    hypotheses, sets = done.posterior.hypotheses, done.posterior.sets
    own = {row for row in range(FIRST_FAULT_ROW, hypotheses.count)
           if hypotheses.faults[int(hypotheses.fault_of_row[row])].id == fault}
    return sum(float(w) for rows, w in zip(sets.rows, sets.weight, strict=True) if own & set(rows.tolist()))


def read(nanofarads: float, point: str = COUPLING) -> Readings:
    return Readings(FARADS, (PointReading(point, nanofarads),), "M1")


class AsOhmsTest(unittest.TestCase):
    def test_a_microfarad_impedes_159_ohms_at_a_kilohertz(self) -> None:
        self.assertAlmostEqual(impeding_ohms(1000.0), 159.155, places=2)
        self.assertAlmostEqual(nanofarads_of(impeding_ohms(47.0)), 47.0)

    def test_nothing_there_is_open_and_a_short_is_none(self) -> None:
        for nothing in (0.0, 0.05, LEAST_NANOFARADS):
            self.assertEqual(impeding_ohms(nothing), math.inf)
        self.assertEqual((impeding_ohms(math.inf), nanofarads_of(math.inf), nanofarads_of(0.0)), (0.0, 0.0, math.inf))

    def test_arrays_are_as_single_values(self) -> None:
        values = np.array([0.0, 0.2, 1.0, 220.0, 1e4, np.inf])
        np.testing.assert_allclose(impeding_ohms_of(values), [impeding_ohms(float(v)) for v in values])
        self.assertTrue(np.isnan(impeding_ohms_of(np.array([np.nan]))[0]))


class PredictedTest(unittest.TestCase):
    def test_what_joins_the_same_nets_adds_up(self) -> None:
        board = duo_board()
        self.assertEqual([c.designator for c in capacitors_between(board, board.point_by_id[ON_RAIL])],
                         ["C18", "C20", "C21"])
        self.assertEqual(capacitors_between(board, board.point_by_id["J1.A4"]), ())
        self.assertAlmostEqual(predicted(ON_RAIL, NOTHING_ROW), 21_000.0)

    def test_a_point_with_one_end_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "other end"):
            Point("X", "C63.1", Side.TOP, 1.0, 1.0, "", "capacitance")

    def test_a_missing_part_and_one_in_its_place(self) -> None:
        self.assertAlmostEqual(predicted(COUPLING, NOTHING_ROW), 220.0)
        self.assertEqual(predicted(COUPLING, row_of("C63:missing_part")), 0.0)
        for times in (0.1, 10.0):
            self.assertAlmostEqual(predicted(COUPLING, row_of("C63:wrong_part", times)), 220.0 * times)
        self.assertAlmostEqual(predicted(ON_RAIL, row_of("C20:missing_part")), 11_000.0)

    def test_what_conducts_keeps_the_meter_from_it(self) -> None:
        self.assertEqual(predicted(COUPLING, row_of("C63:hard_short:1:2")), math.inf)
        hypotheses = duo_advice().model.hypotheses
        partial = sorted({float(hypotheses.ohms[row]) for row in range(hypotheses.count)
                          if hypotheses.fault_of_row[row] >= 0
                          and hypotheses.faults[int(hypotheses.fault_of_row[row])].id == "C63:partial_short:1:2"})
        self.assertEqual(len(partial), 3)
        for ohms in partial:
            self.assertEqual(predicted(COUPLING, row_of("C63:partial_short:1:2", ohms)), math.inf)

    def test_a_leak_that_some_meters_charge_past_is_not_cleared_by_what_is_shown(self) -> None:
        for ohms in (1500.0, 6000.0):
            self.assertAlmostEqual(predicted(COUPLING, row_of("C63:leaky_part:1:2", ohms)), 220.0)

    def test_other_faults_have_no_part_in_it(self) -> None:
        model = duo_advice().model
        found = model.predicted_at(COUPLING, FARADS)
        assert found is not None
        touching = {model.hypotheses.faults[int(model.hypotheses.fault_of_row[row])].part
                    for row in np.flatnonzero(found.touched)}
        self.assertIn("C63", touching)
        self.assertNotIn("C62", touching)
        self.assertNotIn("U5", touching)

    def test_of_two_faults_each_takes_its_own_and_a_short_takes_all(self) -> None:
        model = duo_advice().model
        rows = [[row_of("C20:missing_part"), row_of("C21:wrong_part", 0.1)],
                [row_of("C20:missing_part"), row_of("U5:quiet_failure")],
                [row_of("C20:missing_part"), row_of("C21:hard_short:1")],
                [row_of("C20:missing_part"), NO_ROW]]
        values, touched = joint_values(model, np.array(rows), ON_RAIL, FARADS)
        np.testing.assert_allclose([nanofarads_of(float(v)) for v in values], [2000.0, 11_000.0, math.inf, 11_000.0])
        self.assertTrue(touched.all())


    def test_a_short_explains_an_overload_alone_and_no_more_with_an_odd_capacitor_beside_it(self) -> None:
        short, odd = row_of("U1:hard_short:V15"), row_of("C13:wrong_part", 10.0)
        model = duo_advice().model
        self.assertTrue(model.pairs.meets[short, odd])
        shorted = Readings(Method.RESISTANCE, (PointReading("C13.1-2", 1.25),), "M1")
        done, _ = weighed(shorted, shorted, *[read(math.inf, "C13.nF")] * 2)
        self.assertLess(chance_of(done, "C13:wrong_part") + chance_of(done, "C13:missing_part"), 0.01)


class JudgedTest(unittest.TestCase):
    def test_words_are_those_of_farads_and_not_of_ohms(self) -> None:
        references = duo_advice().model.references
        for value, verdict in ((221.0, Verdict.WITHIN), (22.0, Verdict.LOW), (2200.0, Verdict.HIGH),
                               (0.04, Verdict.OPEN), (math.inf, Verdict.PARTIAL_SHORT)):
            judged = judge_reading(duo_board(), references, COUPLING, FARADS, value)
            self.assertIs(judged.verdict, verdict, value)
            self.assertTrue(judged.low < judged.centre < judged.high)
            self.assertAlmostEqual(judged.centre, 220.0, delta=12.0)

    def test_a_capacitor_to_ground_that_reads_little_is_no_short(self) -> None:
        judged = judge_reading(duo_board(), duo_advice().model.references, "C12.nF", FARADS, 90.0)
        self.assertIs(judged.verdict, Verdict.LOW)

    def test_another_meter_moves_a_number_and_no_overload(self) -> None:
        law = MeterCorrection("M2", FARADS, 1.02, 0.05, (0.0, 0.0, 0.0), 0.01, 40)
        table = ReferenceTable({}, 6, "M1", corrections={("M2", FARADS): law}, reference_meter="M1")
        self.assertAlmostEqual(table.as_this_meter(220.0, "M2", FARADS), 220.0 / 1.02, delta=0.1)
        self.assertEqual(table.as_this_meter(math.inf, "M2", FARADS), math.inf)
        self.assertEqual(table.as_this_meter(0.05, "M2", FARADS), 0.0)

    def test_shown_as_meters_do(self) -> None:
        for value, words in ((0.05, "0.05 nF"), (4.7, "4.70 nF"), (47.0, "47.0 nF"), (220.0, "220 nF"),
                             (4700.0, "4.70 µF"), (21_000.0, "21.0 µF"), (math.inf, "OL")):
            self.assertEqual(value_words(value, FARADS), words)

    def test_typed_in_any_usual_way(self) -> None:
        for typed, value in (("220", 220.0), ("220n", 220.0), ("220 nF", 220.0), ("0.22u", 220.0), ("4,7 µF", 4700.0),
                             ("4.7\u03bcF", 4700.0), ("330p", 0.33), ("0", 0.0), ("o", math.inf)):
            self.assertAlmostEqual(parse_reading(typed, COUPLING, FARADS).value, value)
        self.assertTrue(parse_reading("220w", COUPLING, FARADS).wavering)
        for typed in ("", "u", "F", "-3", "2.2k", "about 5", "1e9", "5000m"):
            with self.assertRaises(EntryRefusedError, msg=typed):
                parse_reading(typed, COUPLING, FARADS)

    def test_more_than_a_meter_shows_is_refused(self) -> None:
        with self.assertRaises(ValueError):
            read(2e8)


class FoundTest(unittest.TestCase):
    def test_two_touches_name_the_part_in_anothers_place(self) -> None:
        for value in (19.0, 2500.0):
            _, once = weighed(read(value))
            _, twice = weighed(read(value), read(value))
            self.assertGreater(twice.chance_of_part["C63"], once.chance_of_part["C63"])
            self.assertGreater(twice.chance_of_part["C63"], 0.5)

    def test_what_has_a_capacitance_is_not_missing(self) -> None:
        twice, _ = weighed(read(22.0), read(22.0))
        self.assertGreater(chance_of(twice, "C63:wrong_part"), 5.0 * chance_of(twice, "C63:missing_part"))

    def test_a_slip_of_the_probe_is_no_missing_part_yet(self) -> None:
        _, before = weighed()
        _, once = weighed(read(0.05))
        _, well = weighed(read(0.05), read(221.0))
        self.assertLess(once.chance_of_part["C63"], 0.5)
        self.assertLess(well.chance_of_part.get("C63", 0.0), before.chance_of_part["C63"])

    def test_a_good_reading_clears_the_part(self) -> None:
        _, before = weighed()
        _, then = weighed(read(222.0))
        self.assertLess(then.chance_of_part.get("C63", 0.0), 0.7 * before.chance_of_part["C63"])

    def test_it_is_no_line_on_ground(self) -> None:
        self.assertFalse(duo_board().is_to_ground("C12.nF"))
        done, _ = weighed(read(90.0, "C12.nF"), read(90.0, "C12.nF"))
        self.assertNotIn(done.advice.next.kind, ("isolate", "inject"))


class SimulatedTest(unittest.TestCase):
    def test_a_unit_reads_what_its_capacitors_have(self) -> None:
        for fault, size, least, most in (("", 0.0, 190.0, 250.0), ("C63:missing_part", 0.0, 0.0, LEAST_NANOFARADS),
                                         ("C63:wrong_part", 0.2, 35.0, 55.0)):
            hidden = [(fault_named(duo_advice().model.hypotheses.faults, fault), size)] if fault else []
            unit = SimulatedBoard(duo_board(), hidden, np.random.default_rng(5))
            self.assertTrue(least <= unit.read(COUPLING, FARADS, METER_M1) <= most, fault)
            came = listed_arrival(DEFAULT, duo_board(), tuple((f.id, s) for f, s in hidden), ("no_dock",), "", False,
                                  (3, 0))
            self.assertTrue(least <= came.unit.true_value(COUPLING, FARADS) <= most, fault)

    def test_a_touch_that_slips_finds_nothing_there(self) -> None:
        unit = SimulatedBoard(duo_board(), (), np.random.default_rng(5))
        self.assertLess(unit.read(COUPLING, FARADS, SimulatedMeter("X", bad_touch=1.0)), LEAST_NANOFARADS)

    def test_a_short_shows_ol(self) -> None:
        hidden = [(fault_named(duo_advice().model.hypotheses.faults, "C63:hard_short:1:2"), 0.5)]
        self.assertEqual(SimulatedBoard(duo_board(), hidden, np.random.default_rng(5)).read(
            COUPLING, FARADS, METER_M1), math.inf)
        self.assertEqual(found_between(duo_board(), "ML1N_S", "ML1N", {"C63": 220.0}, hidden, (), 0.5,
                                       DEFAULT.meters), math.inf)

    def test_a_good_board_can_be_charged_at_every_such_point(self) -> None:
        model, board = duo_advice().model, duo_board()
        points = [p for p in board.points if p.default_method is FARADS]
        self.assertEqual(len(points), 19)
        for point in points:
            ohms = model.predicted_at(point.id, Method.RESISTANCE)
            assert ohms is not None
            self.assertGreater(float(ohms.values[NOTHING_ROW]), 4000.0, point.id)
            self.assertGreater(float(ohms.values[NOTHING_ROW]), 2.0 * LEAST_OHMS_TO_CHARGE, point.id)
            known = model.references.get(point.id, FARADS)
            assert known is not None
            self.assertAlmostEqual(math.log10(predicted(point.id, NOTHING_ROW) / nanofarads_of(
                10.0 ** known.centre)), 0.0, delta=0.06)


if __name__ == "__main__":
    unittest.main()
