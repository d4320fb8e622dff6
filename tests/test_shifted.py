"""A scan that stands one contact too far is noticed; one that is right, or merely faulty, is not."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.board import Method
from dextrum.core.capture.shifted import likeliest_shift
from tests.support import duo_advice, duo_board

RED = Method.DIODE_RED_GROUND


class ShiftedTest(unittest.TestCase):
    def setUp(self) -> None:
        references = duo_advice().model.references
        self.order = duo_board().port_point_ids()
        self.expected = {p: (r.centre, r.spread) for p in self.order if (r := references.get(p, RED)) is not None}
        self.draw = np.random.default_rng(11)

    def scan(self) -> dict[str, float]:
        return {p: float(self.draw.normal(*self.expected[p])) for p in self.order}

    def test_a_right_scan_is_left_alone_with_faults_in_it_too(self) -> None:
        for _ in range(300):
            values = self.scan()
            for point in self.draw.choice(self.order, 3):
                values[str(point)] = float(self.draw.choice([0.0, 0.3, float("inf"), 0.9]))
            self.assertIsNone(likeliest_shift(self.order, values, self.expected))

    def test_one_that_was_skipped(self) -> None:
        found = 0
        for _ in range(100):
            good = self.scan()
            k = int(self.draw.integers(1, 16))
            # The contact k was skipped: what stands at k + 1 was read at k, and so on.
            values = {p: good[p] for p in self.order[:k]} | {
                self.order[j + 1]: good[self.order[j]] for j in range(k, len(self.order) - 1)}
            shift = likeliest_shift(self.order, values, self.expected)
            found += shift is not None and shift.by == -1
        self.assertGreater(found, 95)

    def test_one_that_was_entered_twice(self) -> None:
        good = self.scan()
        values = {p: good[p] for p in self.order[:5]} | {
            self.order[j - 1]: good[self.order[j]] for j in range(6, len(self.order))}
        shift = likeliest_shift(self.order, values, self.expected)
        assert shift is not None
        self.assertEqual(shift.by, 1)

    def test_nothing_known_is_no_shift(self) -> None:
        self.assertIsNone(likeliest_shift(self.order, self.scan(), {}))


if __name__ == "__main__":
    unittest.main()
