"""What stands in a trail by an id is said as the pack and the window say it."""

from __future__ import annotations

import unittest

from dextrum.app.handover.label import label_of
from dextrum.app.job.trail_words import words_of
from dextrum.core.draw.records import draw_records, seen_words
from dextrum.core.job import job_facts
from dextrum.core.trail import Intake, JobOpened, Outcome, Supply
from tests.support import DUO, duo_board, trail_of

OPENED = JobOpened("W-1", "Tarnwick Duo", DUO)


class ByItsIdTest(unittest.TestCase):
    def test_a_draw_that_was_named_is_called_as_the_pack_calls_it(self) -> None:
        state = duo_board().draw_states[0]
        named = Supply("a", 0.0, 0.0, named=state.id)
        (entry,) = trail_of(named)
        self.assertEqual(words_of(entry, duo_board())[1], state.words)
        (record,) = draw_records(trail_of(OPENED, named))
        self.assertEqual(seen_words(record, duo_board().draw_states), f"called {state.words}")
        self.assertEqual(seen_words(record, ()), f"called {state.id.replace('_', ' ')}", "of a pack that is not here")

    def test_how_the_plug_was_held_is_said_as_it_is_chosen(self) -> None:
        (entry,) = trail_of(Supply("a", 5.1, 0.4, position="hanging"))
        self.assertTrue(words_of(entry, duo_board())[1].endswith(", hanging"))

    def test_a_label_says_how_the_job_ended_as_the_sheet_does(self) -> None:
        facts = job_facts(trail_of(OPENED, Intake("dead", ("no_start",)), Outcome("no_fault")))
        self.assertIn("Closed: no fault found", label_of("a0-1", facts).lines)


if __name__ == "__main__":
    unittest.main()
