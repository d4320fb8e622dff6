"""A unit that comes back: a new job that knows the old, laid over what it went home with, and learning."""

from __future__ import annotations

import unittest
from datetime import timedelta

from dextrum.app.job.earlier_jobs import comeback_words
from dextrum.app.library.learning import learn
from dextrum.core.assumptions.repairs import CAME_BACK
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    Intake,
    JobOpened,
    Look,
    Outcome,
    Payload,
    PointReading,
    Proof,
    Readings,
    Rework,
)
from dextrum.errors import EntryRefusedError
from dextrum.store.entries import new_entry
from tests.support import DUO, START, duo_board, trail_of
from tests.test_papers import RED
from tests.test_pictures import StoreCase
from tests.window_support import WindowCase

REPAIRED: tuple[Payload, ...] = (
    Intake("dark", ("no_dock",)), Look(("clean",)), Readings(RED, (PointReading("J1.B5", 0.001),), "M1"),
    Rework("replace", "U1", "lot 3"), Readings(RED, (PointReading("J1.B5", 0.586),), "M1"),
    *(Proof(check.id, True) for check in duo_board().checks), Outcome("repaired"))


class ComebackTest(StoreCase):
    def test_an_open_job_is_gone_on_with(self) -> None:
        with self.assertRaises(EntryRefusedError):
            self.session.open_comeback(self.job)

    def test_it_knows_the_old_one_and_says_whether_it_is_the_same(self) -> None:
        self.session.record(self.job, *REPAIRED)
        new = self.session.open_comeback(self.job)
        facts = job_facts(self.session.store.trail(new))
        self.assertEqual((facts.serial, facts.comes_back), ("SLS-0901", self.job))
        self.assertEqual(self.session.store.came_back(), frozenset({self.job}))
        then = job_facts(self.session.store.trail(self.job))
        later = job_facts(trail_of(JobOpened("T", "Tarnwick Duo", DUO, self.job), Intake("dark", ("no_dock",))))
        self.assertIn("U1 replaced then, 42 min of work. The same complaint as then.",
                      comeback_words(later, then, 42.0))
        other = job_facts(trail_of(JobOpened("T", "Tarnwick Duo", DUO, self.job), Intake("hot", ("no_charge",))))
        self.assertIn("Another complaint", comeback_words(other, then, 42.0))
        self.assertEqual(comeback_words(job_facts(trail_of(JobOpened("T", "Tarnwick Duo", DUO))), then, 1.0), "")

    def test_what_came_back_teaches_less(self) -> None:
        library, store = self.session.library, self.session.store
        self.addCleanup(library.use_learned, {})
        for k in range(6):
            job = self.session.open_new_job(f"SLS-1{k}", DUO)
            self.session.record(job, *REPAIRED)
        learn(store, library, DUO)
        sure = library.learned[DUO]["U1"]
        for row in store.shelf(closed=True):
            self.session.open_comeback(row.id)
        self.assertIn("6 of which came back", learn(store, library, DUO))
        self.assertLess(library.learned[DUO]["U1"], sure)
        self.assertLess(CAME_BACK, 1.0)


class ComebackWindowTest(WindowCase):
    def test_from_the_closed_job_to_the_readings_it_went_home_with(self) -> None:
        first = new_entry(JobOpened("SLS-0971", "Tarnwick Duo", DUO), "Ines", START - timedelta(days=12))
        old = self.session.store.create(first)
        self.window.open_job(old)
        self.settled()
        self.window.commands.run("job.comeback")
        self.assertIn("still open", self.window.trail.said.text())
        self.session.record(old, *REPAIRED)
        self.window.model.reload()
        self.settled()
        self.window.commands.run("job.comeback")
        self.settled()
        model = self.window.model
        self.assertNotEqual(model.job_id, old)
        self.assertIn("Came back", self.window.views["intake"].before.text())  # type: ignore[attr-defined]
        model.record(Intake("dark again", ("no_dock",)))
        self.assertIn("The same complaint", model.earlier_words, "once it is written down")
        self.settled()
        assert model.comparison is not None
        self.assertIn("when it went home", model.comparison.name)
        self.assertEqual(model.comparison.at("J1.B5", RED), 0.586)
        self.window.open_job(old)
        self.settled()
        self.assertIsNone(self.window.model.comparison)


if __name__ == "__main__":
    unittest.main()
