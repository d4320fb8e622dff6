"""Mixes of solder: exact at published points, doubt between them, the trap of bismuth and lead, passes of braid."""

from __future__ import annotations

import random
import unittest

from dextrum.app.rework.solder_mix import SolderMix, joints_cubic_mm, mix_sentences
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
from tests.support import duo_board


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



class MixSentencesTest(unittest.TestCase):
    def test_a_port_with_bismuth_says_what_brings_it_down_and_what_must_come_off(self) -> None:
        said = " ".join(mix_sentences(SolderMix("SAC305", 12.4, "Sn42 Bi58", 12.4, "Sn63 Pb37", 180.0)))
        grams = grams_to_bring_down(SAC305, 12.4, LOW_MELTING, 180.0)
        self.assertIn(f"({grams:.2f} g)", said)
        self.assertIn("may soften below 100 °C: all of it must come off first", said)
        self.assertIn(f"Braid: {braid_passes(mixed({SAC305: 7.4, LOW_MELTING: 8.6}))} passes", said)
        self.assertIn("give or take", said)

    def test_one_solder_alone_says_the_published_point_and_asks_for_nothing(self) -> None:
        said = mix_sentences(SolderMix("SAC305", 5.0, "SAC305", 1.0, "Sn63 Pb37", 250.0))
        self.assertEqual(said, ("The mix melts at 217 to 220 °C, as published for SAC305.",
                                "The joints are liquid at 250 °C as they are."))

    def test_what_no_amount_does_is_said(self) -> None:
        said = " ".join(mix_sentences(SolderMix("SAC305", 5.0, "Sn63 Pb37", 5.0, "Sn63 Pb37", 120.0)))
        self.assertIn("No amount of Sn63 Pb37 brings it down to 120 °C", said)

    def test_amounts_that_make_no_sense_are_refused(self) -> None:
        for joints, added in ((0.0, 1.0), (-1.0, 1.0), (1.0, -1.0), (float("nan"), 1.0), (5000.0, 1.0)):
            with self.assertRaises(ValueError):
                mix_sentences(SolderMix("SAC305", joints, "Sn42 Bi58", added, "SAC305", 180.0))
        for wanted in (-300.0, float("nan"), 2000.0):
            with self.assertRaises(ValueError):
                mix_sentences(SolderMix("SAC305", 5.0, "Sn42 Bi58", 5.0, "SAC305", wanted))

    def test_a_port_has_more_solder_than_a_small_part(self) -> None:
        board = duo_board()
        self.assertGreater(joints_cubic_mm(board, "J1"), joints_cubic_mm(board, "U1"))
        self.assertGreater(joints_cubic_mm(board, "U1"), joints_cubic_mm(board, "C2"))
        self.assertGreater(joints_cubic_mm(None, "J1"), 0.0)


if __name__ == "__main__":
    unittest.main()
