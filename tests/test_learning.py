"""How often parts fail in this shop, from its own closed jobs."""

from __future__ import annotations

import tempfile
import unittest
from datetime import timedelta
from pathlib import Path

import numpy as np

from dextrum.app.job.session import BenchSession
from dextrum.app.library.learning import LEARNED, kept_factors
from dextrum.core.assumptions.repairs import BELIEVED, EARLIER, LEARNED_MOST
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, build_hypotheses
from dextrum.core.diagnosis.learned import learned_factors, parts_at_fault
from dextrum.core.trail import Entry, Intake, JobOpened, Outcome, Payload, Proof, Rework, Strike
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, START, duo_board, library_of, line_board, trail_of
from tests.window_support import CTRL, Key, WindowCase


def closed(*reworks: Rework, outcome: str = "repaired", passed: bool = True) -> tuple[Payload, ...]:
    return (JobOpened("SLS-0801", "Tarnwick Duo", DUO), *reworks, Proof("boot", passed),
            Outcome(outcome, "x"))  # type: ignore[arg-type]


def fresh(*payloads: Payload) -> tuple[Entry, ...]:
    """A trail whose entries no other has."""
    return tuple(new_entry(payload, "Ines", START + timedelta(minutes=k)) for k, payload in enumerate(payloads))


class LearnedTest(unittest.TestCase):
    def test_a_closed_job_shows_what_was_mended_last_and_half_of_what_came_before(self) -> None:
        jobs = trail_of(*closed(Rework("replace", "U1"), Rework("replace", "F1")))
        self.assertEqual(parts_at_fault(jobs), {"U1": EARLIER, "F1": 1.0})
        self.assertEqual(parts_at_fault(trail_of(*closed(Rework("clean", "J1")))), {})
        self.assertEqual(parts_at_fault(trail_of(*closed(Rework("replace", "F1"), outcome="donor"))), {})
        self.assertEqual(parts_at_fault(trail_of(*closed(Rework("replace", "F1"), passed=False))), {})

    def test_what_was_struck_out_teaches_nothing(self) -> None:
        made = trail_of(*closed(Rework("replace", "F1")))
        struck = next(e for e in made if isinstance(e.payload, Rework))
        self.assertEqual(parts_at_fault((*made, new_entry(Strike(struck.id), "Ines", START))), {})

    def test_factors_are_the_posterior_mean_and_nothing_learned_is_nothing_changed(self) -> None:
        board = line_board()
        self.assertEqual(learned_factors(board, []), {})
        factors = learned_factors(board, [{"F1": 1.0}] * 6)
        share = dict.fromkeys(factors, 0.0)
        hypotheses = build_hypotheses(board)
        for row in range(FIRST_FAULT_ROW, hypotheses.count):
            fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
            if fault.part in share:
                share[fault.part] += float(np.exp(hypotheses.log_prior[row]))
        own = share["F1"] / sum(share.values())
        self.assertAlmostEqual(factors["F1"], (BELIEVED + 6) / (BELIEVED + 6 * own), places=6)
        self.assertLess(factors["U1"], 1.0)
        most = learned_factors(board, [{"F1": 1.0}] * 100_000)["F1"]
        self.assertAlmostEqual(most, min(LEARNED_MOST, 1 / own), places=2)
        self.assertEqual(learned_factors(board, [{"stranger": 1.0}]), {})

    def test_with_many_jobs_the_rates_are_the_worlds(self) -> None:
        board = line_board()
        hypotheses = build_hypotheses(board)
        parts = sorted({f.part for f in hypotheses.faults if f.part in {c.designator for c in board.components}})
        world = np.array([0.5, 0.2, 0.2, 0.1])[:len(parts)]
        world = world / world.sum()
        drawn = np.random.default_rng(4).choice(parts, size=4000, p=world)
        learned = build_hypotheses(board, learned_factors(board, [{str(p): 1.0} for p in drawn]))
        chance = dict.fromkeys(parts, 0.0)
        for row in range(FIRST_FAULT_ROW, learned.count):
            fault = learned.faults[int(learned.fault_of_row[row])]
            if fault.part in chance:
                chance[fault.part] += float(np.exp(learned.log_prior[row]))
        total = sum(chance.values())
        for part, wanted in zip(parts, world, strict=True):
            self.assertAlmostEqual(chance[part] / total, wanted, delta=0.04, msg=part)


class LearningInTheShopTest(unittest.TestCase):
    def test_it_is_kept_used_and_forgotten(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            store = JobStore(Path(folder) / "jobs.sqlite")
            self.addCleanup(store.close)
            for _ in range(5):
                store.add_trail(fresh(*closed(Rework("replace", "U6"))))
            library = library_of()
            session = BenchSession(store, library, "Ines")
            self.assertEqual(library.learned, {})
            self.assertIn("U6", session.learn(DUO))
            self.assertGreater(library.learned[DUO]["U6"], 1.5)
            again = library_of()
            BenchSession(store, again, "Ines")
            self.assertEqual(again.learned, library.learned)
            before = build_hypotheses(duo_board())
            after = library.advice_model(DUO, "M1").model.hypotheses
            rows = [r for r in range(FIRST_FAULT_ROW, after.count)
                    if after.faults[int(after.fault_of_row[r])].part == "U6"]
            self.assertTrue((after.log_prior[rows] > before.log_prior[rows] + 0.3).all())
            self.assertAlmostEqual(float(np.exp(after.log_prior).sum()), 1.0)
            session.forget_learned(DUO)
            self.assertEqual(kept_factors(store), {})
            self.assertIn("own rates", session.learn("bramlet-orb-a"))
            store.set_setting(LEARNED, "{broken")
            self.assertEqual(kept_factors(store), {})


class LearningWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        for _ in range(4):
            store.add_trail(fresh(*closed(Rework("replace", "U6"))))
        store.add_trail(fresh(JobOpened("SLS-0802", "Tarnwick Duo", DUO), Intake("dead", ("no_rails",))))

    def tearDown(self) -> None:
        self.session.library.use_learned({})

    def test_the_command_learns_and_the_suspects_move(self) -> None:
        self.window.open_job(self.store.shelf()[0].id)
        self.settled()
        model = self.window.model

        def chance() -> float:
            assert model.assessment is not None
            return next((s.probability for s in model.assessment.suspects if s.fault.part == "U6"), 0.0)

        before = chance()
        for words, moved in (("learn from closed", 1), ("forget what", -1)):
            start = chance()
            self.key(Key.Key_K, CTRL)
            self.type(words)
            self.key(Key.Key_Return)
            self.wait(lambda: self.window.model.fresh)
            self.settled()
            self.assertGreater(moved * (chance() - start), 0.0, words)
        self.assertAlmostEqual(chance(), before, places=6)


if __name__ == "__main__":
    unittest.main()
