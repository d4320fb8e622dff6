"""Meters against each other, readings as columns, temperature, and outliers among the references."""

from __future__ import annotations

import math
import unittest

import numpy as np
from scipy.special import stdtrit

from dextrum.core.board import Method
from dextrum.core.reference.columns import (
    METHODS,
    at_compared_temperature,
    columns_of,
    cubes_of,
    reading_at_compared_temperature,
)
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.meters import FEWEST_PAIRS, fit_meter, meter_corrections, meter_drift
from dextrum.core.reference.pooling import PooledSpread, as_known_from
from dextrum.core.reference.table import build_reference_table
from tests.support import duo_board, line_board

RED = Method.DIODE_RED_GROUND


def library(boards: int, meters: dict[str, tuple[float, float]], seed: int = 1, spread: float = 0.006,
            taken_on: str = "2026-01-01") -> list[KnownGoodReading]:
    """Boards of the Duo's port with given gain and offset of each meter: shown = true * gain + offset."""
    generator = np.random.default_rng(seed)
    points = [p for p in duo_board().port_point_ids() if duo_board().point_by_id[p].kind != "ground"]
    centre = generator.uniform(0.35, 0.65, len(points))
    found = []
    for b in range(boards):
        true = centre + generator.normal(0, spread, len(points))
        for meter, (gain, offset) in meters.items():
            shown = true * gain + offset + generator.normal(0, 0.0006, len(points))
            found += [KnownGoodReading(f"B{b}", p, RED, meter, round(float(v), 4), None, taken_on)
                      for p, v in zip(points, shown, strict=True)]
    return found


class MeterTest(unittest.TestCase):
    def test_gain_and_offset_come_back_within_their_intervals_as_often_as_stated(self) -> None:
        generator = np.random.default_rng(20_264)
        inside = []
        for _ in range(1500):
            count = int(generator.integers(10, 120))
            true = generator.uniform(0.3, 0.75, count)
            gain, offset = 1 + generator.normal(0, 0.01), generator.normal(0, 0.008)
            own = (true - offset) / gain + generator.normal(0, 0.001, count)
            bad = generator.random(count) < 0.03
            own[bad] += generator.normal(0, 0.2, int(bad.sum()))
            found = fit_meter(own, true + generator.normal(0, 0.0006, count), "M2", RED)
            assert found is not None
            reach = float(stdtrit(found.pairs - 2, 0.975))
            inside.append((abs(found.gain - gain) <= reach * found.gain_spread,
                           abs(found.offset - offset) <= reach * found.offset_spread))
        for share in np.mean(inside, axis=0):
            self.assertGreaterEqual(share, 0.93)
            self.assertLessEqual(share, 0.97)

    def test_both_ways_lead_back(self) -> None:
        found = fit_meter(np.linspace(0.3, 0.7, 20) * 0.99 - 0.004, np.linspace(0.3, 0.7, 20), "M2", RED)
        assert found is not None
        self.assertAlmostEqual(found.from_reference(found.to_reference(0.5)), 0.5)
        self.assertAlmostEqual(found.gain, 1 / 0.99, places=6)
        for kept in (math.inf, 0.001):
            self.assertEqual(found.to_reference(kept), kept)

    def test_too_little_to_compare_is_no_correction(self) -> None:
        few = np.linspace(0.3, 0.7, FEWEST_PAIRS - 1)
        self.assertIsNone(fit_meter(few, few, "M2", RED))
        self.assertIsNone(fit_meter(np.full(40, 0.5), np.full(40, 0.5), "M2", RED))
        self.assertIsNone(fit_meter(np.full(40, np.inf), np.full(40, 0.5), "M2", RED))

    def test_ohms_have_their_leads_taken_off(self) -> None:
        generator = np.random.default_rng(3)
        true = np.exp(generator.uniform(np.log(0.3), np.log(300), 60))
        shown = (true * 1.02 + 0.15) * (1 + generator.normal(0, 0.005, 60))
        found = fit_meter(shown, true, "M2", Method.RESISTANCE)
        assert found is not None
        self.assertAlmostEqual(found.gain, 1 / 1.02, delta=0.01)
        self.assertAlmostEqual(found.offset, -0.15 / 1.02, delta=0.03)

    def test_a_meter_that_never_met_the_reference_has_none(self) -> None:
        readings = [r for r in library(4, {"M1": (1, 0), "M2": (1.01, 0)})
                    if (r.meter == "M1") == (r.board_serial in ("B0", "B1"))]
        columns = columns_of(readings)
        self.assertEqual(meter_corrections(cubes_of(columns), columns.meters, "M1"), {})
        self.assertEqual(meter_corrections(cubes_of(columns), columns.meters, "M7"), {})

    def test_drift_is_told_with_its_day(self) -> None:
        before = library(3, {"M1": (1, 0), "M2": (1.0, 0.004)}, taken_on="2026-01-01")
        same = [KnownGoodReading(f"N{r.board_serial}", r.point, RED, r.meter, r.value, None, "2026-06-01")
                for r in before]
        off = [KnownGoodReading(r.board_serial, r.point, RED, r.meter, r.value + 0.012 * (r.meter == "M2"), None,
                                r.taken_on) for r in same]
        steady, drifted = meter_drift(before + same, "M2", "M1", RED), meter_drift(before + off, "M2", "M1", RED)
        assert steady is not None and drifted is not None
        self.assertFalse(steady.is_clear)
        self.assertTrue(drifted.is_clear)
        self.assertAlmostEqual(drifted.shift, 0.012, delta=0.002)
        self.assertEqual(drifted.since, "2026-06-01")
        self.assertIsNone(meter_drift(before, "M2", "M1", RED))


METERS = {"M1": (1.0, 0.0), "M2": (1.02, 0.012)}


class CorrectedTableTest(unittest.TestCase):
    def test_boards_of_another_meter_count_once_it_is_compared(self) -> None:
        readings = [r for r in library(6, METERS) if r.meter == "M1" or r.board_serial == "B0"]
        table = build_reference_table(duo_board(), readings, "M2", "M1")
        true = build_reference_table(duo_board(), library(6, METERS), "M2", "M1")
        for key, found in table.by_point.items():
            self.assertEqual(found.boards, 6)
            self.assertLess(abs(found.centre - true.by_point[key].centre), 0.004, key)
            self.assertLess(found.spread, 1.6 * true.by_point[key].spread)

    def test_the_uncertainty_of_a_correction_widens_the_verdict(self) -> None:
        every = [r for r in library(6, METERS) if r.meter == "M1"]
        shared = sorted((r for r in library(6, METERS) if r.meter == "M2" and r.board_serial == "B0"),
                        key=lambda r: r.value)
        # Compared at the lowest points only, the law has to reach far for the highest.
        table = build_reference_table(duo_board(), every + shared[:9], "M2", "M1")
        law = table.corrections["M2", RED]
        high = table.get(shared[-1].point, RED)
        assert high is not None
        self.assertEqual(high.origin, "corrected")
        self.assertGreater(law.uncertainty(shared[-1].value), 2 * law.uncertainty(shared[4].value))
        self.assertGreater(high.spread, law.uncertainty(high.centre))

    def test_a_meter_that_was_never_compared_is_wider_and_says_so(self) -> None:
        table = build_reference_table(duo_board(), library(3, {"M1": (1, 0)}), "M9", "M1")
        self.assertEqual({r.origin for r in table.by_point.values()}, {"other meter"})


class OutlierTest(unittest.TestCase):
    def test_a_bad_reading_is_left_out_and_named(self) -> None:
        readings = library(6, {"M1": (1, 0)})
        for wrong in (0.11, math.inf):
            bad = [KnownGoodReading(r.board_serial, r.point, RED, "M1", wrong) if i == 5 else r
                   for i, r in enumerate(readings)]
            good = build_reference_table(duo_board(), readings, "M1")
            table = build_reference_table(duo_board(), bad, "M1")
            (found,) = table.outliers
            self.assertEqual((found.board, found.point, found.value), (bad[5].board_serial, bad[5].point, wrong))
            one, other = table.get(bad[5].point, RED), good.get(bad[5].point, RED)
            assert one is not None and other is not None
            self.assertLess(abs(one.centre - other.centre), 0.006)

    def test_a_board_that_is_off_all_over_is_left_out_whole(self) -> None:
        generator = np.random.default_rng(4)
        readings = [KnownGoodReading(r.board_serial, r.point, RED, "M1",
                                     round(r.value * 0.8 + generator.normal(0, 0.02), 4))
                    if r.board_serial == "B3" else r for r in library(6, {"M1": (1, 0)})]
        table = build_reference_table(duo_board(), readings, "M1")
        self.assertEqual((table.outlier_boards, table.boards), (("B3",), 5))

    def test_good_boards_are_hardly_ever_condemned(self) -> None:
        condemned = 0
        for seed in range(20):
            table = build_reference_table(duo_board(), library(8, {"M1": (1, 0)}, seed), "M1")
            condemned += len(table.outliers)
        self.assertLess(condemned / (20 * 8 * 21), 0.005)

    def test_two_boards_cannot_condemn_each_other(self) -> None:
        readings = [KnownGoodReading(b, "P1", RED, "M1", v) for b, v in (("a", 0.5), ("b", 0.3))]
        self.assertEqual(build_reference_table(line_board(), readings, "M1").outliers, ())


class TemperatureTest(unittest.TestCase):
    def test_a_warm_board_is_brought_to_the_compared_temperature(self) -> None:
        self.assertAlmostEqual(reading_at_compared_temperature(0.48, RED, 31.0), 0.48 + 0.02 * 0.96)
        self.assertEqual(reading_at_compared_temperature(0.48, RED, None), 0.48)
        self.assertEqual(reading_at_compared_temperature(math.inf, RED, 60.0), math.inf)
        self.assertEqual(reading_at_compared_temperature(40.0, Method.RESISTANCE, 60.0), 40.0)
        values, celsius = np.array([0.48, 0.0, np.inf]), np.array([31.0, 31.0, np.nan])
        for one, value, degrees in zip(at_compared_temperature(values, celsius), values, celsius, strict=True):
            expected = reading_at_compared_temperature(value, RED, None if math.isnan(degrees) else degrees)
            self.assertEqual(float(one), expected)

    def test_references_taken_warm_and_cold_agree(self) -> None:
        cold = library(4, {"M1": (1, 0)})
        warm = [KnownGoodReading(r.board_serial, r.point, RED, "M1",
                                 round(r.value - 0.002 * 12 * r.value / 0.5, 4), 33.0) for r in cold]
        one, other = (build_reference_table(duo_board(), rs, "M1") for rs in (cold, warm))
        for key, found in one.by_point.items():
            self.assertAlmostEqual(found.centre, other.by_point[key].centre, delta=0.0025)


class ColumnsTest(unittest.TestCase):
    def test_columns_hold_what_the_readings_hold(self) -> None:
        readings = library(2, {"M1": (1, 0), "M2": (1.01, 0)})
        columns = columns_of(readings)
        for i in (0, 7, len(readings) - 1):
            self.assertEqual((columns.boards[columns.board[i]], columns.points[columns.point[i]],
                              columns.meters[columns.meter[i]], METHODS[columns.method[i]], columns.value[i]),
                             (readings[i].board_serial, readings[i].point, readings[i].meter, RED, readings[i].value))

    def test_of_repeated_readings_the_middle_one_counts(self) -> None:
        columns = columns_of([KnownGoodReading("a", "P1", RED, "M1", v) for v in (0.5, 0.9, 0.51)])
        self.assertEqual(float(cubes_of(columns)[RED][0, 0, 0]), 0.51)

    def test_few_boards_give_little_freedom_however_many_points(self) -> None:
        usual = PooledSpread(64e-6, 3.0)
        (two, by_two), (many, by_many) = (as_known_from(PooledSpread(36e-6, 60.0), 16, n, usual) for n in (2, 12))
        self.assertLess(by_two, by_many)
        self.assertLess(abs(many.variance - 36e-6), abs(two.variance - 36e-6))


if __name__ == "__main__":
    unittest.main()
