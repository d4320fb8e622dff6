"""A cell that is unplugged has been reached: the unit counts as open so far, and opening it isn't paid twice."""

from __future__ import annotations

import unittest

from dextrum.app.bench.simulated_technician import SimulatedTechnician, with_fault
from dextrum.app.evaluation.players import START
from dextrum.app.job.cell_out import cell_out
from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.job import job_facts
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look
from dextrum.desktop.frame.window import MainWindow
from dextrum.instruments.simulated_board import METER_M1
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, duo_advice, duo_board, trail_of
from tests.window_support import CTRL, Key, WindowCase

OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)


class CellOutTest(unittest.TestCase):
    def test_a_closed_unit_is_open_as_far_as_its_cell_lies(self) -> None:
        back_off = duo_board().access_levels[1].id
        self.assertEqual(cell_out(duo_board(), job_facts(trail_of(OPENED))), (Access(back_off), Cell("unplugged")))

    def test_a_unit_that_is_open_further_stays_so(self) -> None:
        facts = job_facts(trail_of(OPENED, Access(duo_board().access_levels[-1].id)))
        self.assertEqual(cell_out(duo_board(), facts), (Cell("unplugged"),))

    def test_without_its_pack_nothing_is_said_of_the_unit(self) -> None:
        self.assertEqual(cell_out(None, job_facts(trail_of(OPENED))), (Cell("unplugged"),))

    def test_opening_is_paid_once(self) -> None:
        advice, board = duo_advice(), duo_board()
        hands = SimulatedTechnician(advice, with_fault(advice, "FL5:open_winding:3:4", 1), METER_M1, "x", START)
        hands.open("T-1", Intake("", ("no_dock",)))
        hands.note(Look(("clean",)))
        level = board.access_levels[1].id
        before = hands.now
        out = Action("unplug_cell", "", "", "", "", board.minutes_to(level, "") + 0.5, 0.0, 0.0)
        kind_of(out).perform(hands, out)
        hands.read(next(p.id for p in board.points if p.access == level))
        spent = (hands.now - before).total_seconds() / 60.0
        self.assertAlmostEqual(spent, out.minutes + advice.rates.touch_minutes, places=2)


class UnpluggedInTheWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        self.job_id = store.add_trail([new_entry(p, "x") for p in (OPENED, Look(("clean",)))])

    def test_the_key_says_that_the_unit_is_open(self) -> None:
        assert isinstance(self.window, MainWindow)
        self.key(Key.Key_U, CTRL)
        facts = self.window.model.facts
        self.assertEqual((facts.cell, facts.access), ("unplugged", duo_board().access_levels[1].id))
        self.key(Key.Key_Z, CTRL)
        self.assertNotEqual(self.window.model.facts.cell, "unplugged")


if __name__ == "__main__":
    unittest.main()
