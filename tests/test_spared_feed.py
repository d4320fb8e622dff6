"""A short takes its rail down, and what that rail is made from may hold: the regulator between limits the current."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.board import Method
from dextrum.core.trail import Payload, PointReading, RailVolts, Readings
from tests.support import board_out, duo_advice, trail_of

UP = {"VCORE": 0.92, "V3V3": 3.38, "SYS": 3.8}


def states_of(fault: str) -> list[tuple[float, frozenset[str]]]:
    """What a fault of its first size may break, with the chance of each."""
    model = duo_advice().model
    row = int(np.flatnonzero(model.hypotheses.rows_mended(frozenset({fault})))[0])
    names = np.array([function.id for function in model.board.functions])
    return [(float(weight), frozenset(names[broken > 0.0].tolist()))
            for weight, broken in zip(model.states.weight[row], model.states.broken[:, row], strict=True) if weight > 0]


class StatesTest(unittest.TestCase):
    def test_a_short_behind_a_regulator_may_leave_up_what_feeds_it(self) -> None:
        for fault in ("C33:hard_short:1", "C33:partial_short:1"):
            with self.subTest(fault):
                spared = [(weight, broken) for weight, broken in states_of(fault)
                          if "v1v8_up" in broken and "sys_clear" not in broken]
                self.assertEqual(1, len(spared))
                weight, broken = spared[0]
                self.assertTrue(0.1 < weight < 0.25)
                self.assertIn("boot", broken)
                self.assertFalse(broken & {"v3v3_up", "charge_common"})

    def test_a_leak_behind_a_link_may_spare_its_rail_or_only_what_the_rail_is_made_from(self) -> None:
        rail = frozenset({"v3v3_up", "v1v8_up", "boot"})
        for fault in ("C30:leaky_part:1", "C48:partial_short:1"):
            with self.subTest(fault):
                partly = {broken - {"dock_a", "dock_b", "dock_common"}: weight for weight, broken in states_of(fault)
                          if broken and "sys_clear" not in broken}
                self.assertEqual({frozenset({"av"}), rail, rail | {"av"}}, set(partly))
                self.assertAlmostEqual(partly[rail], partly[rail | {"av"}])
                self.assertAlmostEqual(partly[frozenset({"av"})], partly[rail] + partly[rail | {"av"}])

    def test_a_hard_short_spares_no_rail_of_its_own(self) -> None:
        partly = [broken for _, broken in states_of("C30:hard_short:1") if broken and "sys_clear" not in broken]
        self.assertEqual([True, True], ["v3v3_up" in broken for broken in partly])

    def test_of_the_rail_that_all_hang_on_nothing_is_spared(self) -> None:
        for weight, broken in states_of("C28:hard_short:1"):
            self.assertTrue(weight < 0.05 or "sys_clear" in broken)

    def test_the_chances_of_what_is_broken_add_up_to_one(self) -> None:
        weight = duo_advice().model.states.weight
        np.testing.assert_allclose(weight.sum(axis=1), 1.0, rtol=1e-9)


class OnABoardTest(unittest.TestCase):
    def seen(self, *more: Payload) -> dict[str, float]:
        """Chance of each part, where 1.8 V is missing though 3.3 V, the core and the system rail are up."""
        rails = [RailVolts(rail, volts, "a") for rail, volts in (*UP.items(), ("V1V8", 0.13), ("V1V8", 0.15))]
        return dict(assess(duo_advice(), trail_of(*board_out("no_start", "no_rails"), *rails, *more),
                           explain=False).chance_by_part)

    def test_a_missing_rail_may_be_shorted_though_all_others_are_up(self) -> None:
        seen = self.seen()
        self.assertGreater(sum(seen.get(part, 0.0) for part in ("C33", "C34", "C50")), 0.05)
        self.assertGreater(seen["U8"], 0.3)

    def test_and_reading_it_decides(self) -> None:
        low, good = (self.seen(*2 * (Readings(Method.DIODE_RED_GROUND, (PointReading("C33.1", volts),)),))
                     for volts in (0.003, 0.423))
        self.assertGreater(sum(low.get(part, 0.0) for part in ("C33", "C34", "C50")), 0.2)
        self.assertLess(sum(good.get(part, 0.0) for part in ("C33", "C34", "C50")), 0.05)

    def test_a_leak_that_is_read_convicts_no_regulator_of_its_missing_rail(self) -> None:
        rails = [RailVolts(rail, volts, "a") for rail, volts in (("VCORE", 0.91), ("SYS", 3.8), ("V1V8", 0.05),
                                                                 ("V3V3", 0.3), ("V3V3", 0.28))]
        leak = [Readings(Method.RESISTANCE, (PointReading("TP6-GND", 6340.0),))] * 2
        on_it = [Readings(Method.RESISTANCE, (PointReading("C30.1-2", 1290.0),))] * 2
        found = dict(assess(duo_advice(), trail_of(*board_out("no_start"), *rails, *leak, *on_it),
                            explain=False).chance_by_part)
        self.assertLess(found["U4"], 0.3)
        self.assertGreater(sum(found[part] for part in ("C16", "C17", "C30", "C31", "C32", "C48", "C49")), 0.5)


if __name__ == "__main__":
    unittest.main()
