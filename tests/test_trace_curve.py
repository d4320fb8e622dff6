"""Columns of a curve against the plain minimum and maximum of their samples."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.desktop.supply.trace_curve import BLOCK, Extremes


class ColumnsTest(unittest.TestCase):
    def setUp(self) -> None:
        generator = np.random.default_rng(1)
        self.seconds = np.cumsum(generator.uniform(0.01, 0.03, 40_000))
        self.values = generator.normal(0, 1, 40_000)
        self.curve = Extremes(self.seconds, self.values)

    def test_fine_columns_hold_exactly_their_samples(self) -> None:
        middle, least, greatest = self.curve.columns(100.0, 130.0, 50)
        width = 30.0 / 50
        for x, low, high in zip(middle, least, greatest, strict=True):
            inside = self.values[(self.seconds >= x - width / 2) & (self.seconds < x + width / 2)]
            self.assertLessEqual(low, inside.min())
            self.assertGreaterEqual(high, inside.max())

    def test_coarse_columns_miss_no_extreme_and_add_at_most_a_block(self) -> None:
        end = float(self.seconds[-1])
        middle, least, greatest = self.curve.columns(0.0, end, 200)
        width = end / 200
        self.assertEqual(len(middle), 200)
        self.assertAlmostEqual(float(least.min()), float(self.values.min()))
        self.assertAlmostEqual(float(greatest.max()), float(self.values.max()))
        slack = 2 * BLOCK * 0.03
        for x, low, high in list(zip(middle, least, greatest, strict=True))[1:-1]:
            wide = self.values[(self.seconds >= x - width * 1.5 - slack) & (self.seconds < x + width * 1.5 + slack)]
            self.assertGreaterEqual(low, wide.min())
            self.assertLessEqual(high, wide.max())

    def test_a_trace_that_grew_has_the_same_extremes_as_one_made_anew(self) -> None:
        grown = Extremes(self.seconds[:1003], self.values[:1003])
        for length in (1003, 1004, 5000, 40_000):
            grown = Extremes(self.seconds[:length], self.values[:length], grown)
            anew = Extremes(self.seconds[:length], self.values[:length])
            np.testing.assert_array_equal(grown.least, anew.least)
            np.testing.assert_array_equal(grown.greatest, anew.greatest)

    def test_between_two_samples_the_line_runs_on(self) -> None:
        curve = Extremes(np.array([0.0, 10.0]), np.array([0.0, 10.0]))
        middle, least, greatest = curve.columns(2.0, 4.0, 10)
        np.testing.assert_allclose(middle, least, atol=0.2)
        self.assertTrue((greatest >= least).all())

    def test_out_of_sight_there_is_nothing(self) -> None:
        for low, high in ((-50.0, -40.0), (1e6, 2e6)):
            self.assertEqual(len(self.curve.columns(low, high, 100)[0]), 0)

    def test_a_jump_is_a_line(self) -> None:
        curve = Extremes(np.array([0.0, 1.0, 2.0, 3.0]), np.array([0.0, 0.0, 5.0, 5.0]))
        _, least, greatest = curve.columns(0.0, 4.0, 4)
        self.assertTrue(np.all(least[1:] <= greatest[:-1]))


if __name__ == "__main__":
    unittest.main()
