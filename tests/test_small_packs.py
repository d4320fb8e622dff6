"""The Bramlet Orb and the Ondry Leaf: their rails, read with power, tell apart what reads alike without it."""

from __future__ import annotations

import unittest

from dextrum.app.advising.assess import Assessment, assess
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look, Payload, Proof, RailVolts, Supply
from tests.support import as_good, library, trail_of

ORB, LEAF = "bramlet-orb-a", "ondry-leaf-a"


def advice_of(pack: str) -> AdviceModel:
    return library().advice_model(pack, "M1")


def begun(pack: str, symptom: str, level: str, *checks: tuple[str, bool]) -> tuple[Payload, ...]:
    """A clean port, what was tried, the unit open with its cell out, and every point as on a good board."""
    board = advice_of(pack).model.board
    seen: list[Payload] = [JobOpened("S-1", board.model, pack), Intake("x", (symptom,)), Look(("clean",))]
    seen += [Proof(check, passed) for check, passed in checks]
    return *seen, Cell("unplugged"), Access(level), *as_good(*(point.id for point in board.points), pack=pack)


def thought(pack: str, *payloads: Payload) -> Assessment:
    return assess(advice_of(pack), trail_of(*payloads), explain=False)


def chance(done: Assessment, part: str) -> float:
    return done.posterior.chance_of_any(done.posterior.hypotheses.rows_of_part(part))


class RailsTest(unittest.TestCase):
    def test_a_dead_regulator_is_told_from_a_dead_processor(self) -> None:
        for pack, level, works in ((ORB, "shell_open", ("charge_a", "charge_b")), (LEAF, "back_off", ("charge",))):
            with self.subTest(pack):
                before = begun(pack, "no_start", level, *((check, True) for check in works), ("boot", False))
                unread = thought(pack, *before)
                self.assertGreater(min(chance(unread, "U2"), chance(unread, "U3")), 0.2, "either may be dead")
                down = thought(pack, *before, RailVolts("V3V3", 0.1, "a"))
                self.assertGreater(chance(down, "U3"), 0.8)
                self.assertLess(chance(down, "U2"), 0.05)
                up = thought(pack, *before, RailVolts("V3V3", 3.3, "a"))
                self.assertGreater(chance(up, "U2"), 0.7)
                self.assertLess(chance(up, "U3"), 0.05)

    def test_a_dead_charger_is_told_from_the_connector_of_the_cell(self) -> None:
        for pack, level, fails in ((ORB, "shell_open", ("charge_a", "charge_b")), (LEAF, "back_off", ("charge",))):
            with self.subTest(pack):
                before = begun(pack, "no_charge", level, *((check, False) for check in fails))
                down = thought(pack, *before, RailVolts("SYS", 0.1, "a"))
                up = thought(pack, *before, RailVolts("SYS", 3.8, "a"))
                self.assertGreater(chance(down, "U1"), 0.8)
                self.assertLess(chance(down, "J2"), 0.05)
                self.assertGreater(chance(up, "J2"), 0.5)
                self.assertLess(chance(up, "U1"), 0.2)

    def test_the_rail_is_asked_for_before_a_chip_goes_or_the_unit_is_given_up(self) -> None:
        supply = Supply("a", 5.0, 0.52), Supply("b", 5.0, 0.52)
        before = begun(ORB, "no_start", "shell_open", ("charge_a", True), ("charge_b", True), ("boot", False))
        first = thought(ORB, *before[:3], *supply, *before[3:]).advice.next
        self.assertEqual((first.kind, first.target), ("rail", "V3V3"))


if __name__ == "__main__":
    unittest.main()
