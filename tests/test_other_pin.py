"""What a bad pin of a chip says of the rest of it."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.assumptions.breaking import OTHER_PIN, SURE
from dextrum.core.board.kinds import ComponentKind
from dextrum.core.faults.hard_short import HardShort
from dextrum.core.faults.kind import Hit
from dextrum.core.faults.leaky_part import LeakyPart
from dextrum.core.faults.lifted_joint import LiftedJoint
from tests.support import duo_advice


def broken(name: str) -> dict[str, float]:
    """What the fault breaks on the Duo, by function, with its chance."""
    model = duo_advice().model
    place = next(k for k, fault in enumerate(model.hypotheses.faults) if fault.id == name)
    row = int(np.flatnonzero(model.hypotheses.fault_of_row == place)[0])
    return {function.id: float(chance) for function, chance in zip(
        model.board.functions, model.broken[row], strict=True) if chance > 0.0}


class OnTheDuoTest(unittest.TestCase):
    def test_a_lifted_pin_of_a_line_may_stop_all_of_its_chip(self) -> None:
        found = broken("U1:lifted_joint:CC1")
        self.assertEqual(OTHER_PIN, found["pd_alive"])
        self.assertEqual(OTHER_PIN, found["charge_b"])
        self.assertGreater(found["charge_a"], 0.9)

    def test_so_may_a_shorted_one_even_of_a_line_that_nothing_is_said_to_need(self) -> None:
        found = broken("U2:hard_short:NTC")
        self.assertEqual(OTHER_PIN, found["charger"])
        self.assertNotIn("boot", found)

    def test_a_pin_that_leaks_has_hurt_nothing_else(self) -> None:
        self.assertNotIn("pd_alive", broken("U1:leaky_part:CC1"))


class HitTest(unittest.TestCase):
    """chip, line, joined, feed, signal, of, whole, redundant, pin."""

    OTHER = Hit(True, False, False, False, False, ComponentKind.IC, False, False, True)

    def test_only_of_one_chip_that_is_needed(self) -> None:
        many = self.OTHER._replace(pin=False)
        self.assertEqual((OTHER_PIN, 0.0), (HardShort().breaks(self.OTHER, 1.0), HardShort().breaks(many, 1.0)))
        self.assertEqual((OTHER_PIN, 0.0), (LiftedJoint().breaks(self.OTHER, 0.0), LiftedJoint().breaks(many, 0.0)))
        self.assertEqual(0.0, LeakyPart().breaks(self.OTHER, 1500.0))

    def test_its_own_line_is_broken_as_surely_as_before(self) -> None:
        self.assertEqual(SURE, HardShort().breaks(self.OTHER._replace(joined=True), 1.0))


if __name__ == "__main__":
    unittest.main()
