"""What the shop knows about a board, as numbers and in words."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from dextrum.app.library.library_words import library_sentence, meter_line, spread_words, taken_out_line
from dextrum.core.board import Method
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.meters import MeterDrift
from dextrum.core.reference.overview import LibraryOverview, library_overview
from dextrum.core.reference.table import build_reference_table
from dextrum.instruments.loaners import known_good_of_loaners
from dextrum.instruments.simulated_board import METER_M1, METER_M2
from dextrum.store.bench_settings import BenchMeter
from dextrum.store.known_good import TakenOut
from tests.support import duo_board

RED = Method.DIODE_RED_GROUND
SERIALS = ("B1", "B2", "B3", "B4")


def overview(readings: tuple[KnownGoodReading, ...], meter: str = "M1") -> LibraryOverview:
    table = build_reference_table(duo_board(), readings, meter, "M1")
    return library_overview(duo_board(), readings, table, "M1")


def loaners(serials: tuple[str, ...] = SERIALS, seed: int = 77) -> tuple[KnownGoodReading, ...]:
    return known_good_of_loaners(duo_board(), serials, seed, (METER_M1, METER_M2), "2026-01-05")


class OverviewTest(unittest.TestCase):
    def test_every_point_of_the_board_has_a_row_also_with_an_empty_library(self) -> None:
        known = overview(())
        self.assertEqual(len(known.points), len(duo_board().points))
        self.assertEqual((known.boards, known.meters, len(known.weak)), ((), (), len(known.points)))
        self.assertIn("No known-good board", library_sentence(duo_board(), known))

    def test_counts_and_days(self) -> None:
        readings = (*loaners(), KnownGoodReading("B9", "J1.A5", RED, "M1", 0.585, 21.0, "2026-02-20"))
        known = overview(readings)
        point = next(p for p in known.points if p.point == "J1.A5")
        other = next(p for p in known.points if p.point == "J1.B5")
        self.assertEqual((point.boards, point.last, other.boards, other.last), (5, "2026-02-20", 4, "2026-01-05"))
        self.assertEqual({b.serial: b.readings for b in known.boards}["B9"], 1)
        self.assertFalse(point.is_weak)

    def test_points_with_few_boards_are_weak(self) -> None:
        known = overview(loaners(SERIALS[:2]))
        self.assertEqual(len(known.weak), len(known.points))
        self.assertIn("fewer than 3 boards", library_sentence(duo_board(), known))

    def test_a_slip_and_a_board_that_is_no_good_one_are_named(self) -> None:
        slip = tuple(replace(r, value=float("inf")) if (r.board_serial, r.point, r.meter) == ("B2", "J1.A10", "M1")
                     else r for r in loaners())
        known = overview(slip)
        row = [p.point for p in known.points].index("J1.A10")
        column = [b.serial for b in known.boards].index("B2")
        self.assertTrue(known.outlying[row, column])
        self.assertEqual(known.away[row, column], np.inf)
        self.assertEqual(int(known.outlying.sum()), 1)
        self.assertIn("B2 at 1 point", library_sentence(duo_board(), known))
        strange = tuple(replace(r, value=min(r.value * 1.3, 2.0)) if r.board_serial == "B2" else r for r in loaners())
        known = overview(strange)
        self.assertEqual([b.serial for b in known.boards if b.left_out], ["B2"])
        self.assertIn("B2 contradicts the others too often", library_sentence(duo_board(), known))

    def test_distances_of_good_boards_are_about_one_spread(self) -> None:
        known = overview(loaners(tuple(f"B{i}" for i in range(12)), 5))
        finite = known.away[np.isfinite(known.away)]
        self.assertLess(abs(float(np.mean(finite))), 0.15)
        self.assertTrue(0.5 < float(np.sqrt(np.mean(finite ** 2))) < 1.5)

    def test_a_meter_is_compared_and_its_drift_told_with_its_day(self) -> None:
        late = known_good_of_loaners(duo_board(), ("B8",), 9, (METER_M1, replace(METER_M2, offset_volts=0.014)),
                                     "2026-03-02")
        known = overview((*loaners(), *late))
        reference, other = known.meters
        self.assertTrue(reference.is_reference)
        self.assertIn("shop reference meter", meter_line(reference, None))
        said = meter_line(other, BenchMeter("M2", 0.8, 2.9))
        for words in ("M2 (0.8 mA, OL above 2.9 V)", "drifted: reads", "higher since Mon 2 Mar 2026",
                      "diode mode gain 0.98"):
            self.assertIn(words, said)
        drift = next(d for d in other.drifts if d.method is RED)
        self.assertAlmostEqual(drift.shift, 0.010, delta=0.002)

    def test_a_steady_meter_is_called_steady_and_a_strange_one_not_compared(self) -> None:
        late = known_good_of_loaners(duo_board(), ("B8",), 9, (METER_M1, METER_M2), "2026-03-02")
        known = overview((*loaners(), *late, KnownGoodReading("B1", "J1.A5", RED, "M7", 0.6)))
        self.assertIn("steady since Mon 2 Mar 2026", meter_line(known.meters[1], None))
        self.assertIn("not compared yet", meter_line(known.meters[2], None))

    def test_a_few_hundredths_of_an_ohm_are_no_drift(self) -> None:
        for shift, clear in ((0.02, False), (0.2, True)):
            self.assertEqual(MeterDrift("M2", Method.RESISTANCE, shift, 0.002, "2026-03-02").is_clear, clear)
        self.assertTrue(MeterDrift("M2", RED, 0.002, 0.0002, "2026-03-02").is_clear)

    def test_words_of_spreads_and_of_boards_taken_out(self) -> None:
        self.assertEqual((spread_words(0.006, RED), spread_words(float("nan"), RED)), ("± 6 mV", ""))
        self.assertEqual(spread_words(0.04, Method.RESISTANCE), "± 10 %")
        self.assertEqual(taken_out_line(()), "")
        gone = [TakenOut("B1", "port changed", "2026-03-01T10")]
        self.assertIn("B1 (port changed, 2026-03-01)", taken_out_line(gone))


if __name__ == "__main__":
    unittest.main()
