"""What was plainly on ground, or warmed, and is gone with nothing mended: it is tried on before the unit goes home, and
read while it fails."""

from __future__ import annotations

import unittest

from dextrum.app.advising.assess import assess
from dextrum.core.advice.went_away import read_while_it_fails, touched_before_it_goes_home, tried_on, went_away
from dextrum.core.assumptions.trials import HIDES_IN_ONE_TRY
from dextrum.core.job import job_facts
from dextrum.core.proof.tries import tries_wanted
from dextrum.core.trail import (
    AUDIT_STEPS,
    Audit,
    Cell,
    ComesAndGoes,
    Injection,
    Isolation,
    LeftOut,
    Payload,
    Proof,
    PutTogether,
    Supply,
)
from dextrum.store.jobs import JobStore
from tests.support import as_good, board_out, duo_advice, duo_board, replaced, trail_of
from tests.test_before_change import weighed
from tests.window_support import CTRL, Key, WindowCase

BEGUN = board_out("no_start")
GROUND, GOOD = as_good(but={"TP7": 0.001}), as_good("TP7")
PROVED = tuple(Proof(check.id, True) for check in duo_board().checks)
WARM = Injection("SDA", 0.45, 2.2, "U2", "camera")


class WentAwayTest(unittest.TestCase):
    def gone(self, *payloads: Payload) -> list[str]:
        return [one.words for one in went_away(weighed(*BEGUN, *payloads))]

    def test_a_point_that_was_on_ground_by_two_touches_and_reads_well_now(self) -> None:
        self.assertEqual(self.gone(*GROUND, *GROUND, *GOOD), ["TP7 read 0.001 V"])
        self.assertEqual(self.gone(*GROUND, *GROUND, *GOOD, *GOOD), ["TP7 read 0.001 V"])
        self.assertEqual(self.gone(*GROUND, *GROUND, *GOOD, *GOOD, *GROUND, *GOOD), ["TP7 read 0.001 V"])

    def test_not_after_one_touch_nor_while_it_is_there_nor_what_read_open(self) -> None:
        self.assertEqual(self.gone(*GROUND, *GOOD), [])
        self.assertEqual(self.gone(*GOOD, *GOOD, *GROUND, *GROUND), [])
        off = as_good(but={"TP7": float("inf")})
        self.assertEqual(self.gone(*off, *off, *GOOD), [])

    def test_not_once_something_was_mended_nor_with_parts_off(self) -> None:
        mended = replaced("U2"), Audit(AUDIT_STEPS, part="U2")
        self.assertEqual(self.gone(*GROUND, *GROUND, *mended, *GOOD), [])
        self.assertEqual(self.gone(WARM, *mended, *GOOD), [])
        self.assertEqual(self.gone(*GROUND, *GROUND, Isolation(("R11",)), *GOOD), [])

    def test_what_was_seen_to_warm_with_the_points_of_its_rail(self) -> None:
        found = went_away(weighed(*BEGUN, *GOOD, WARM))
        self.assertEqual([(one.words, one.net, one.points) for one in found], [("U2 warmed on SDA", "SDA", ("TP7",))])
        self.assertEqual(self.gone(*GOOD, Injection("SDA", 0.45, 2.2, "", "camera")), [])


class TriedOnTest(unittest.TestCase):
    def test_what_it_would_break_is_tried_as_often_as_what_is_said_to_come_and_go(self) -> None:
        wanted = tries_wanted(1.0 - HIDES_IN_ONE_TRY)
        for passes_so_far in (1, 2, wanted - 1, wanted):
            action = tried_on(weighed(*BEGUN, *GROUND, *GROUND, *GOOD, *PROVED,
                                      *(passes_so_far - 1) * (Proof("boot", True),)))
            if passes_so_far == wanted:
                self.assertIsNone(action)
                continue
            assert action is not None
            self.assertEqual((action.kind, action.target, action.detail or action.where),
                             ("try", "boot", f"{passes_so_far} of {wanted} tries"))
            self.assertIn("TP7 read 0.001 V, and all works now though nothing was mended", action.why)
            passes, fails = action.outcomes
            self.assertAlmostEqual(passes.chance + fails.chance, 1.0)
            self.assertAlmostEqual(fails.chance, 0.2 * 0.8 ** passes_so_far / (1.0 + 0.8 ** passes_so_far))
            self.assertEqual(fails.meaning, "it is there: read TP7 at once")

    def test_a_failure_begins_the_count_anew(self) -> None:
        tried = (*PROVED, *5 * (Proof("boot", True),), Proof("boot", False), Proof("boot", True))
        action = tried_on(weighed(*BEGUN, *GROUND, *GROUND, *GOOD, *tried))
        assert action is not None
        self.assertIn("1 of ", action.where)

    def test_it_is_the_next_step_where_the_unit_would_go_home_otherwise(self) -> None:
        whole: tuple[Payload, ...] = (PutTogether(("S5", "S6", "A1")), Cell("plugged"), Supply("a", 9.1, 1.9),
                                      Supply("b", 9.1, 1.9), *PROVED)
        home = assess(duo_advice(), trail_of(*BEGUN, *GOOD, *GOOD, *whole)).advice.next
        self.assertEqual(home.kind, "hand_over")
        away = assess(duo_advice(), trail_of(*BEGUN, *GROUND, *GROUND, *GOOD, *GOOD, *whole)).advice.next
        self.assertEqual((away.kind, away.target), ("try", "boot"))
        self.assertTrue(away.title.startswith("Try on: "), away.title)

    def test_nothing_where_nothing_went_away_or_no_check_needs_the_net(self) -> None:
        self.assertIsNone(tried_on(weighed(*BEGUN, *GOOD, *PROVED)))
        unneeded = Injection("NTC", 0.45, 2.2, "U2", "camera")
        self.assertIsNone(tried_on(weighed(*BEGUN, *GOOD, *PROVED, unneeded)))

    def test_what_was_left_out_stays_so_and_what_is_said_to_come_and_go_is_tried_as_often_as_that_wants(self) -> None:
        away = (*BEGUN, *GROUND, *GROUND, *GOOD)
        without_boot = tuple(proof for proof in PROVED if proof.check != "boot")
        self.assertIsNone(tried_on(weighed(*away, *without_boot, LeftOut("boot", "no cell that holds"))))
        self.assertIsNone(tried_on(weighed(*away, ComesAndGoes("boot", 0.5), *PROVED)))

    def test_while_it_fails_the_points_are_read_and_only_then(self) -> None:
        away = (*BEGUN, *GROUND, *GROUND, *GOOD, *PROVED)
        read = read_while_it_fails(weighed(*away, Proof("boot", False)))
        assert read is not None
        self.assertEqual((read.kind, read.points, read.title), ("measure", ("TP7",), "Measure TP7 while it fails"))
        self.assertIsNone(read_while_it_fails(weighed(*away)))
        self.assertIsNone(read_while_it_fails(weighed(*away, Proof("boot", False), *GOOD)))
        self.assertIsNone(read_while_it_fails(weighed(*away, Proof("boot", False), Proof("boot", True))))
        self.assertEqual(job_facts(trail_of(*away, Proof("boot", False))).failing, "boot")

    def test_a_single_touch_on_ground_is_made_again_though_all_works(self) -> None:
        again = touched_before_it_goes_home(weighed(*BEGUN, *GROUND, *PROVED))
        assert again is not None
        self.assertEqual((again.kind, again.points), ("measure", ("TP7",)))
        self.assertIsNone(touched_before_it_goes_home(weighed(*BEGUN, *GROUND, *GROUND, *PROVED)))
        otherwise = as_good(but={"TP7": 0.05})
        self.assertIsNone(touched_before_it_goes_home(weighed(*BEGUN, *GROUND, *otherwise, *PROVED)))
        self.assertIsNotNone(touched_before_it_goes_home(weighed(*BEGUN, *GOOD, *GROUND, *PROVED)))
        elsewhere = replaced("FL5"), Audit(AUDIT_STEPS, part="FL5")
        self.assertIsNone(touched_before_it_goes_home(weighed(*BEGUN, *2 * GROUND, *elsewhere, *GROUND, *PROVED)),
                          "as before a repair that has no part in it")
        self.assertIsNone(touched_before_it_goes_home(weighed(*BEGUN, *GOOD, *PROVED)))


class OnProofTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        trail = (*BEGUN, *GROUND, *GROUND, *GOOD, *GOOD, PutTogether(("S5", "S6", "A1")), Cell("plugged"),
                 Supply("a", 9.1, 1.9), Supply("b", 9.1, 1.9), *PROVED)
        self.job_id = store.add_trail(trail_of(*trail))

    def test_the_view_does_not_ask_for_the_outcome_until_it_was_tried_on(self) -> None:
        self.settled()
        self.window.show_view("proof")
        proof = self.window.views.proof
        self.assertTrue(proof.sentence.text().startswith("TP7 read 0.001 V, and all works now"), proof.sentence.text())
        self.key(Key.Key_Return, CTRL)
        self.assertTrue(proof.buttons["boot"].hasFocus())
        for _ in range(tries_wanted(1.0 - HIDES_IN_ONE_TRY) - 1):
            self.key(Key.Key_P)
            self.settled()
        self.assertEqual(proof.sentence.text(), "Proof passed. Write the outcome and hand it over.")


if __name__ == "__main__":
    unittest.main()
