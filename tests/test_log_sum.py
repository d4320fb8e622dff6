"""Sums of numbers known by their logarithms, against the general function of a library."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.special import logsumexp

from dextrum.core.log_sum import log_sum


class LogSumTest(unittest.TestCase):
    def test_along_any_axis_and_of_all(self) -> None:
        values = np.random.default_rng(4).normal(0.0, 300.0, (3, 4, 5))
        for axis in (0, 1, 2, -1, (0, 2), None):
            np.testing.assert_allclose(log_sum(values, axis), logsumexp(values, axis=axis), rtol=1e-12)

    def test_nothing_to_sum_is_minus_infinity(self) -> None:
        values = np.array([[-np.inf, -np.inf], [-np.inf, 2.0]])
        np.testing.assert_array_equal(log_sum(values, 1), [-np.inf, 2.0])
        self.assertEqual(float(log_sum(values[0])), -np.inf)
