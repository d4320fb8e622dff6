"""The Bramlet Orb and the Ondry Leaf: their rails, read with power, tell apart what reads alike without it."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.job.trail_words import words_of
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.elimination import rail_again
from dextrum.core.advice.weighing import Weighing
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look, Payload, Proof, RailVolts, Supply
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import as_good, library, trail_of
from tests.window_support import CTRL, Key, WindowCase

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


def weighed(pack: str, *payloads: Payload) -> Weighing:
    done = thought(pack, *payloads)
    return Weighing(advice_of(pack), done.posterior, done.facts)


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

    def test_no_side_is_named_where_the_plug_goes_in_one_way(self) -> None:
        leaf = begun(LEAF, "no_start", "back_off", ("charge", True), ("boot", False))
        asked = thought(LEAF, *leaf).advice.next
        self.assertEqual((asked.target, asked.title), ("V3V3", "Read V3V3 under power"))
        again = rail_again(weighed(LEAF, *leaf, RailVolts("SYS", 0.1, "a")))
        assert again is not None
        self.assertEqual(again.title, "Read SYS again")
        orb = begun(ORB, "no_start", "shell_open", ("charge_a", True), ("charge_b", True), ("boot", False))
        again = rail_again(weighed(ORB, *orb, RailVolts("SYS", 0.1, "b")))
        assert again is not None
        self.assertEqual(again.title, "Read SYS again, B side up")


class RailsWindowTest(WindowCase):
    """On the Leaf by keys: asked, refused, taken, said, and taken back."""

    def fill(self, store: JobStore) -> None:
        start = datetime.now(UTC) - timedelta(hours=2)
        payloads = begun(LEAF, "no_start", "back_off", ("charge", True), ("boot", False))
        store.add_trail([new_entry(p, "Ines", start + timedelta(minutes=k)) for k, p in enumerate(payloads)])

    def test_a_rail_is_typed_and_no_side_is_asked_for(self) -> None:
        self.settled()
        self.key(Key.Key_Return, CTRL)
        ask = self.window.ask
        self.assertEqual([ask.choice.itemText(k) for k in range(ask.choice.count())], ["V3V3 at C5.1", "SYS at C3.1"])
        before = len(self.window.model.trail)
        self.type("much")
        self.key(Key.Key_Return)
        self.assertTrue(ask.isVisible(), "what can't be is refused in place")
        self.assertEqual(len(self.window.model.trail), before)
        self.key(Key.Key_A, CTRL)
        self.type("0.1")
        self.key(Key.Key_Return)
        self.settled()
        taken = self.window.model.trail[-1]
        self.assertEqual(taken.payload, RailVolts("V3V3", 0.1, "a"))
        self.assertEqual(words_of(taken, self.window.model.board), ("V3V3 at C5.1 under power", "0.10 V, down"))
        self.key(Key.Key_Z, CTRL)
        self.settled()
        self.assertEqual(self.window.reasoning.card.labels["title"].text(), "Read V3V3 under power")


if __name__ == "__main__":
    unittest.main()
