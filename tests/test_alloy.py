"""Mixes of solder: exact at published points, doubt between them, the trap of bismuth and lead, passes of braid."""

from __future__ import annotations

import random
import unittest

from dextrum.core.rework.alloy import (
    BISMUTH_LIMIT,
    ELEMENTS,
    LEADED,
    LOW_MELTING,
    PUBLISHED,
    SAC305,
    TERNARY,
    braid_passes,
    grams_of,
    grams_to_bring_down,
    melting_range,
    mixed,
)


class AlloyTest(unittest.TestCase):
    def test_published_points_are_exact_and_without_doubt(self) -> None:
        for alloy in PUBLISHED:
            found = melting_range(alloy.composition)
            self.assertEqual((found.solidus, found.liquidus, found.doubt), (alloy.solidus, alloy.liquidus, 0.0),
                             alloy.name)
            self.assertAlmostEqual(sum(alloy.composition.values()), 1.0)

    def test_doubt_grows_away_from_the_points_and_the_range_stays_within_them(self) -> None:
        draw = random.Random(5)
        lowest, highest = (f(a.liquidus for a in PUBLISHED) for f in (min, max))
        for _ in range(300):
            cuts = sorted(draw.random() for _ in range(5))
            shares = [b - a for a, b in zip([0.0, *cuts], [*cuts, 1.0], strict=True)]
            found = melting_range(dict(zip(ELEMENTS, shares, strict=True)))
            self.assertTrue(lowest - 1e-9 <= found.solidus <= found.liquidus <= highest + 1e-9)
            self.assertGreater(found.doubt, 0.0)

    def test_lead_free_thinned_with_leaded_solder_comes_down(self) -> None:
        before = melting_range(SAC305.composition).liquidus
        steps = [melting_range(mixed({SAC305: 1.0, LEADED: grams})).liquidus for grams in (0.2, 0.5, 1.0, 3.0)]
        self.assertEqual(steps, sorted(steps, reverse=True))
        self.assertLess(steps[0], before)

    def test_bismuth_that_meets_lead_softens_far_below_what_the_bulk_says(self) -> None:
        trapped = melting_range(mixed({LEADED: 1.0, LOW_MELTING: 0.05}))
        self.assertEqual(trapped.softens_from, TERNARY.solidus)
        self.assertGreater(trapped.liquidus, 150.0)
        self.assertIsNone(melting_range(mixed({SAC305: 1.0, LOW_MELTING: 0.05})).softens_from)
        self.assertIsNone(melting_range(LEADED.composition).softens_from)

    def test_how_much_low_melting_alloy_brings_a_port_down(self) -> None:
        joints = 30.0  # cubic millimetres: anchors and tails of a receptacle
        grams = grams_to_bring_down(SAC305, joints, LOW_MELTING, 190.0)
        self.assertTrue(0.0 < grams < 10.0 * grams_of(SAC305, joints))
        found = melting_range(mixed({SAC305: grams_of(SAC305, joints), LOW_MELTING: grams}))
        self.assertLessEqual(found.liquidus + found.doubt, 190.0 + 1e-6)
        less = melting_range(mixed({SAC305: grams_of(SAC305, joints), LOW_MELTING: grams * 0.97}))
        self.assertGreater(less.liquidus + less.doubt, 190.0)
        self.assertEqual(grams_to_bring_down(SAC305, joints, LOW_MELTING, 230.0), 0.0)
        self.assertEqual(grams_to_bring_down(SAC305, joints, LEADED, 120.0), float("inf"))

    def test_passes_of_braid_bring_bismuth_under_the_limit(self) -> None:
        mix = mixed({SAC305: 1.0, LOW_MELTING: 1.0})
        passes = braid_passes(mix)
        self.assertGreaterEqual(passes, 2)

        def bismuth_after(n: int) -> float:
            stays = 0.25 ** n
            return mix["Bi"] * stays / (stays + 1.0)

        self.assertLessEqual(bismuth_after(passes), BISMUTH_LIMIT + 1e-9)
        self.assertGreater(bismuth_after(passes - 1), BISMUTH_LIMIT)
        self.assertEqual(braid_passes(SAC305.composition), 0)
        self.assertGreaterEqual(braid_passes(mix, left=0.4), passes)

    def test_nonsense_is_refused(self) -> None:
        for bad in ({}, {SAC305: 0.0}, {SAC305: -1.0, LEADED: 2.0}):
            with self.assertRaises(ValueError):
                mixed(bad)
        with self.assertRaises(ValueError):
            braid_passes(LOW_MELTING.composition, left=1.0)
        with self.assertRaises(ValueError):
            braid_passes(LOW_MELTING.composition, fresh_share=0.0)


if __name__ == "__main__":
    unittest.main()
