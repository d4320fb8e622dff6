"""Two small parts in each other's place: which may be, how likely, and that the second is looked for."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.core.assumptions.reworked import SWAPPED_PAIR
from dextrum.core.board import Method
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW
from dextrum.core.diagnosis.swapped_parts import in_each_others_place
from dextrum.core.trail import Payload, PointReading, Proof, Readings
from tests.support import as_good, board_out, duo_advice, duo_board, replaced, trail_of
from tests.test_capacitance import chance_of


def factor_of(one: str, other: str) -> float:
    faults = duo_advice().model.hypotheses.faults
    place = {fault.id: k for k, fault in enumerate(faults)}
    return float(in_each_others_place(duo_board(), duo_advice().model.hypotheses)[
        place[f"{one}:wrong_part"], place[f"{other}:wrong_part"]])


def farads(point: str, nanofarads: float) -> Readings:
    return Readings(Method.CAPACITANCE, (PointReading(point, nanofarads),), "M1")


class SwappedTest(unittest.TestCase):
    def test_unlike_parts_of_one_kind_within_reach_may_be(self) -> None:
        for one, other, may in (("C60", "C30", True), ("C12", "C13", True), ("C60", "C61", False),
                                ("C60", "C1", False), ("C60", "C47", False), ("R10", "C14", False)):
            with self.subTest(one=one, other=other):
                self.assertEqual(factor_of(one, other), SWAPPED_PAIR if may else 1.0)
                self.assertEqual(factor_of(other, one), factor_of(one, other))

    def test_no_other_faults_are_likelier_together_for_it(self) -> None:
        hypotheses = duo_advice().model.hypotheses
        factor = in_each_others_place(duo_board(), hypotheses)
        others = [k for k, fault in enumerate(hypotheses.faults) if fault.kind.value != "wrong_part"]
        self.assertTrue((factor[others] == 1.0).all() and (factor[:, others] == 1.0).all())

    def test_the_pair_is_as_much_likelier_than_by_chance(self) -> None:
        model = duo_advice().model
        row = {f"{model.hypotheses.faults[int(f)].id}@{ohms:g}": k for k, (f, ohms) in enumerate(zip(
            model.hypotheses.fault_of_row, model.hypotheses.ohms, strict=True)) if k >= FIRST_FAULT_ROW}
        prior = model.pairs.log_prior
        one, beside, like = row["C60:wrong_part@0.1"], row["C30:wrong_part@10"], row["C61:wrong_part@10"]
        own = model.hypotheses.log_prior
        self.assertAlmostEqual(float(np.exp(prior[one, beside] - prior[one, like] - own[beside] + own[like])),
                               SWAPPED_PAIR, delta=1.0)

    def test_once_one_is_found_its_partner_is_suspected(self) -> None:
        begun = board_out("no_dock")

        def after(*more: Payload) -> Assessment:
            return assess(duo_advice(), trail_of(*begun, *more), explain=False)

        odd: tuple[Payload, ...] = (farads("C60.nF", 9800.0),) * 2
        mended: tuple[Payload, ...] = (replaced("C60"), *as_good("C60.nF", "C60.1-2"))
        dark = (Proof("dock_a", False), Proof("dock_b", False))
        before = chance_of(after(*dark), "C30:wrong_part")
        then = chance_of(after(*odd, *mended, *dark), "C30:wrong_part")
        self.assertGreater(then, 20.0 * before)
        cleared = chance_of(after(*odd, *mended, *dark, *as_good("C30.nF")), "C30:wrong_part")
        self.assertLess(cleared, 0.1 * then)


if __name__ == "__main__":
    unittest.main()
