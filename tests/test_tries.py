"""What comes and goes: how often it is tried, against simulation; what passes say then; checks left out on purpose."""

from __future__ import annotations

import math
import unittest

import numpy as np
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest

from dextrum.app.advising.assess import assess
from dextrum.app.handover.handover import make_sheet
from dextrum.app.proof.often import parse_often, wanted_words
from dextrum.core.assumptions.trials import GONE_ENOUGH, REPAIR_TOOK
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.proof.tries import chance_gone, minutes_wanted, tries_left, tries_wanted, unproved
from dextrum.core.trail import ComesAndGoes, LeftOut, Look, Outcome, Payload, Proof, Rework, Supply
from dextrum.errors import EntryRefusedError
from tests.support import DUO, START, duo_advice, duo_board, trail_of
from tests.test_safety import OPENED
from tests.window_support import Key, WindowCase

WELL: tuple[Payload, ...] = (Look(("clean",)), Supply("a", 9.1, 2.0), Supply("b", 9.1, 2.0))


def facts_of(*payloads: Payload) -> JobFacts:
    return job_facts(trail_of(OPENED, *payloads))


class CountTest(unittest.TestCase):
    def test_what_is_asked_for_makes_it_gone_as_often_as_is_said(self) -> None:
        draw = np.random.default_rng(71)
        for shows in (0.05, 0.1, 0.2, 0.3, 0.5):
            wanted = tries_wanted(shows)
            took = draw.random(400_000) < REPAIR_TOOK
            stayed = np.where(took, True, draw.random(400_000) < (1.0 - shows) ** wanted)
            gone = float(took[stayed].mean())
            with self.subTest(shows):
                self.assertGreaterEqual(gone, GONE_ENOUGH - 0.002)
                self.assertLessEqual(gone, GONE_ENOUGH + 0.02)
                self.assertLess(chance_gone((1.0 - shows) ** (wanted - 1)), GONE_ENOUGH, "no more than it takes")

    def test_one_try_after_the_other_comes_to_the_same(self) -> None:
        draw = np.random.default_rng(72)
        wanted = tries_wanted(0.25)
        kept = gone = 0
        for _ in range(20_000):
            took = draw.random() < REPAIR_TOOK
            if took or not any(draw.random() < 0.25 for _ in range(wanted)):
                kept, gone = kept + 1, gone + took
        self.assertAlmostEqual(gone / kept, GONE_ENOUGH, delta=0.02)

    def test_by_time(self) -> None:
        draw = np.random.default_rng(73)
        wanted = minutes_wanted(10.0)
        took = draw.random(200_000) < REPAIR_TOOK
        stayed = took | (draw.exponential(10.0, 200_000) > wanted)
        self.assertAlmostEqual(float(took[stayed].mean()), GONE_ENOUGH, delta=0.005)

    def test_edges(self) -> None:
        self.assertEqual(tries_wanted(1.0), 1)
        self.assertGreater(tries_wanted(1e-6), 100)
        self.assertEqual(tries_wanted(0.5, took=0.999), 1)
        self.assertGreaterEqual(chance_gone((1.0 - 1e-5) ** tries_wanted(1e-5)), GONE_ENOUGH, "however many it takes")
        for shows in (0.0, -0.1, 1.2):
            with self.assertRaises(ValueError):
                tries_wanted(shows)
        with self.assertRaises(ValueError):
            minutes_wanted(0.0)


class TrailTest(unittest.TestCase):
    SAID = ComesAndGoes("dock_a", 0.3, words="warm")

    def test_passes_in_a_row_since_the_repair_count(self) -> None:
        self.assertIsNone(tries_left(facts_of(Proof("dock_a", True)), "dock_a"))
        wanted = tries_wanted(0.3)
        facts = facts_of(self.SAID, *[Proof("dock_a", True)] * 4)
        left = tries_left(facts, "dock_a")
        assert left is not None
        self.assertEqual((left.passed, left.wanted_tries, left.enough), (4, wanted, False))
        self.assertAlmostEqual(left.gone, chance_gone(0.7 ** 4))
        for between in (Proof("dock_a", False), Rework("replace", "J1")):
            facts = facts_of(self.SAID, *[Proof("dock_a", True)] * wanted, between, Proof("dock_a", True))
            self.assertEqual((facts.passes or {})["dock_a"], (1, 0.0), between)
        facts = facts_of(self.SAID, *[Proof("dock_a", True)] * wanted, Rework("clean", "J1"))
        self.assertEqual(unproved(facts, ("dock_a",)), ())

    def test_minutes_add_up(self) -> None:
        said = ComesAndGoes("boot", every_minutes=10.0)
        facts = facts_of(said, Proof("boot", True, minutes=12.0), Proof("boot", True, minutes=20.0))
        left = tries_left(facts, "boot")
        assert left is not None
        self.assertEqual(left.minutes, 32.0)
        self.assertAlmostEqual(left.wanted_minutes, 10.0 * math.log(19.0))
        self.assertTrue(left.enough)

    def test_what_can_not_be_is_refused(self) -> None:
        for of in ({"shows": 0.0}, {"shows": 1.2}, {"shows": 0.2, "every_minutes": 3.0}, {"every_minutes": -1.0}):
            with self.subTest(of), self.assertRaises(ValueError):
                ComesAndGoes("boot", **of)  # type: ignore[arg-type]
        for check, reason in (("", "x"), ("boot", " ")):
            with self.assertRaises(ValueError):
                LeftOut(check, reason)

    def test_a_try_in_which_it_may_have_stayed_away_clears_little(self) -> None:
        """The same passes, with and without the word that it comes and goes, before it was said or after."""
        advice = duo_advice()
        seen = Look(("clean",))

        def nothing(*payloads: Payload) -> float:
            return assess(advice, trail_of(OPENED, seen, *payloads), explain=False).posterior.nothing

        passes = (Proof("dock_a", True), Proof("dock_b", True))
        rare = tuple(ComesAndGoes(check, 0.1) for check in ("dock_a", "dock_b"))
        sure = nothing(*passes)
        unsure = nothing(*rare, *passes)
        self.assertLess(nothing(), unsure)
        self.assertLess(unsure, sure)
        self.assertAlmostEqual(nothing(*passes, *rare), unsure, places=9)
        self.assertGreater(nothing(*rare, *passes * 12), unsure, "many of them do")

    def test_it_is_tried_on_before_it_goes_back(self) -> None:
        advice = duo_advice()
        proofs = [Proof(check.id, True) for check in duo_board().checks]
        base = (*WELL, ComesAndGoes("dock_a", 0.3))
        now = assess(advice, trail_of(OPENED, *base, *proofs), explain=False).advice.next
        self.assertEqual((now.kind, now.target), ("try", "dock_a"))
        self.assertIn("of 9 tries", now.where)
        done = [Proof("dock_a", True)] * (tries_wanted(0.3) - 1)
        now = assess(advice, trail_of(OPENED, *base, *proofs, *done), explain=False).advice.next
        self.assertEqual(now.kind, "hand_over")

    def test_what_is_left_out_is_not_asked_for_and_stands_on_the_sheet(self) -> None:
        board, advice = duo_board(), duo_advice()
        proofs = [Proof(check.id, True) for check in board.checks if check.id != "rails"]
        left = LeftOut("rails", "no controllers came along")
        trail = trail_of(OPENED, *WELL, *proofs, left)
        self.assertEqual(assess(advice, trail, explain=False).advice.next.kind, "hand_over")
        sheet = make_sheet(board, advice.model.references, trail, "Bench", "Ines", START)
        self.assertEqual([row.note for row in sheet.untested], ["left out: no controllers came along"])
        facts = facts_of(left, Proof("rails", True))
        self.assertEqual(facts.left_out, {})


class WordsTest(unittest.TestCase):
    def test_as_people_say_it(self) -> None:
        for text, shows, minutes, words in (
                ("1 in 5", 0.2, 0.0, ""), ("2 of 8 when warm", 0.25, 0.0, "when warm"), ("20 %", 0.2, 0.0, ""),
                ("wiggled, 12,5%", 0.125, 0.0, "wiggled"), ("every 10 min", 0.0, 10.0, ""),
                ("once in 2 hours on the rails", 0.0, 120.0, "on the rails"), ("once in an hour", 0.0, 60.0, "")):
            said = parse_often("boot", text)
            self.assertEqual((said.shows, said.every_minutes, said.words), (shows, minutes, words), text)
        for text in ("", "often", "5 in 1", "0 %", "1 in 0", "every 0 min", "300 %"):
            with self.subTest(text), self.assertRaises(EntryRefusedError):
                parse_often("boot", text)
        self.assertIn("9 tries without it make it gone", wanted_words(ComesAndGoes("boot", 0.3)))
        self.assertIn("29 min", wanted_words(ComesAndGoes("boot", every_minutes=10.0)))


class ProofWindowTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.open_job(self.session.open_new_job("SLS-0961", DUO))
        self.window.model.record(Look(("clean",)))
        self.settled()
        self.window.show_view("proof")
        self.view = self.window.views.proof

    def say(self, check: str, often: str) -> None:
        self.window.commands.run("proof.sometimes")
        self.window.ask.choice.setCurrentIndex(self.window.ask.choice.findData(check))
        self.window.ask.field.setText(often)
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)

    def test_it_counts_and_the_row_stays_until_it_is_enough(self) -> None:
        self.say("boot", "now and then")
        self.assertIn("not how often", self.window.ask.trouble.text())
        self.window.ask.field.setText("1 in 2, cold")
        self.key(Key.Key_Return)
        self.assertIn("5 tries", self.window.trail.said.text())
        button = self.view.buttons["boot"]
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        for k in range(1, 5):
            self.key(Key.Key_P)
            self.assertIn(f"{k} of 5 tries", self.view.marks["boot"].text())
            self.assertTrue(button.hasFocus(), "the next try is of the same check")
        held = QKeyEvent(QEvent.Type.KeyPress, Key.Key_P, Qt.KeyboardModifier.NoModifier, "p", True)
        self.application.sendEvent(button, held)
        self.assertIn("4 of 5 tries", self.view.marks["boot"].text(), "a key that is held is one try")
        self.key(Key.Key_P)
        self.assertEqual(self.view.marks["boot"].text(), "✓  5 of 5 tries")
        self.assertFalse(button.hasFocus())
        self.settled()

    def test_minutes_are_typed_beside_it(self) -> None:
        self.say("boot", "every 5 min")
        field = self.view.times["boot"]
        self.application.processEvents()
        self.assertTrue(field.isVisible())
        self.view.tick("boot", True)
        self.assertIn("for how many minutes", self.view.trouble.text())
        field.setFocus()
        self.type("20")
        self.key(Key.Key_Return)
        self.assertIn("✓  20 of 15 min", self.view.marks["boot"].text())
        self.settled()

    def test_left_out_with_a_reason_and_closed(self) -> None:
        board = duo_board()
        self.window.commands.run("proof.leave")
        self.window.ask.choice.setCurrentIndex(self.window.ask.choice.findData("rails"))
        self.window.ask.field.setText(" ")
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        self.assertIn("A reason", self.window.ask.trouble.text())
        self.window.ask.field.setText("no controllers came along")
        self.key(Key.Key_Return)
        self.assertEqual(self.view.marks["rails"].text(), "–  left out")
        self.say("dock_a", "1 in 2")
        self.session.record(self.window.model.job_id,
                            *(Proof(check.id, True) for check in board.checks if check.id != "rails"))
        self.window.model.reload()
        self.settled()
        self.assertIn("1 of 5 tries", self.view.sentence.text())
        self.window.show_view("handover")
        handover = self.window.views.handover
        handover.choices["repaired"].click()
        handover.save.click()
        self.assertIn("comes and goes", handover.trouble.text())
        self.assertIsNone(self.window.model.facts.outcome)
        self.session.record(self.window.model.job_id, *[Proof("dock_a", True)] * 4)
        self.window.model.reload()
        handover.save.click()
        self.assertEqual(self.window.model.facts.outcome, Outcome("repaired"))
        self.settled()


if __name__ == "__main__":
    unittest.main()
