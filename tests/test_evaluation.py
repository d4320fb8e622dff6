"""Cases, players and the figures drawn from them."""

from __future__ import annotations

import io
import unittest
from contextlib import redirect_stderr
from unittest import mock

import numpy as np

from dextrum.__main__ import main
from dextrum.app.evaluation.cases import UNLISTED_SHARE, Case, ListedCase, case_of_list, draw_case, world_case
from dextrum.app.evaluation.evaluate import (
    PLAYERS,
    Evaluation,
    PlayerResult,
    Setting,
    calibration,
    evaluate,
    evaluation_table,
)
from dextrum.app.evaluation.oracle import by_knowing
from dextrum.app.evaluation.players import CaseTechnician, by_advice
from dextrum.app.evaluation.routine import Routine, by_routine
from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.trail import Look, Proof
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard, SimulatedMeter
from dextrum.world.numbers import DEFAULT
from tests.support import duo_advice, duo_board

SEED = 7_001
PROVE = Action("prove", "", "", "", "", 0.0, 0.0, 0.0)


class CaseTest(unittest.TestCase):
    def test_a_case_is_the_same_each_time_and_another_number_is_another_case(self) -> None:
        one, two, other = (draw_case(duo_advice(), n, SEED) for n in (3, 3, 4))
        self.assertEqual([f.id for f, _ in one.unit.faults], [f.id for f, _ in two.unit.faults])
        self.assertEqual((one.present, one.look), (two.present, two.look))
        assert isinstance(one.unit, SimulatedBoard) and isinstance(two.unit, SimulatedBoard)
        self.assertEqual(one.unit.true_value("J1.A5", duo_board().point_by_id["J1.A5"].default_method),
                         two.unit.true_value("J1.A5", duo_board().point_by_id["J1.A5"].default_method))
        self.assertNotEqual([f.id for f, _ in one.unit.faults], [f.id for f, _ in other.unit.faults])

    def test_shares_of_one_two_and_three_faults(self) -> None:
        counts = np.bincount([len(draw_case(duo_advice(), n, SEED).unit.faults) for n in range(150)], minlength=4) / 150
        for count, share, slack in ((0, 0.06, 0.06), (1, 0.66, 0.12), (2, 0.235, 0.1), (3, 0.047, 0.05)):
            self.assertAlmostEqual(counts[count], share, delta=slack)

    def test_everyone_who_brings_a_unit_says_why_and_what_is_faulty_breaks_something(self) -> None:
        for n in range(40):
            case = draw_case(duo_advice(), n, SEED)
            self.assertTrue(case.present)
            self.assertTrue(case.unit.harmful() or not case.unit.faults)

    def test_a_mismatched_world_has_other_meters_and_faults_nobody_lists(self) -> None:
        cases = [draw_case(duo_advice(), n, SEED, mismatch=True) for n in range(120)]
        meters = [c.meter for c in cases if isinstance(c.meter, SimulatedMeter)]
        self.assertEqual(len(meters), len(cases))
        self.assertTrue(all(m.bad_touch > 0 and m.gain != 1.0 for m in meters))
        self.assertAlmostEqual(float(np.mean([c.unlisted for c in cases])), UNLISTED_SHARE, delta=0.05)
        unlisted = next(c for c in cases if c.unlisted)
        assert isinstance(unlisted.unit, DecidedUnit)
        self.assertFalse(unlisted.unit.functions_work(unlisted.unit.unlisted))


class PlayerTest(unittest.TestCase):
    def test_the_advice_ends_right_where_the_routine_may_not(self) -> None:
        advice = duo_advice()
        for n in (2, 5):
            with self.subTest(n):
                played = by_advice(advice, draw_case(advice, n, SEED))
                self.assertTrue(played.right)
                self.assertEqual(played.gates_broken, 0)
                self.assertGreater(played.minutes, by_knowing(advice, draw_case(advice, n, SEED)).minutes - 1e-9)
                self.assertTrue(played.claims)

    def test_a_dead_charger_that_nobody_can_explain_is_tried_before_it_is_given_up(self) -> None:
        """A code that doesn't fit the fault, and a draw that blinks where it shouldn't, point at nothing listed."""
        case = draw_case(duo_advice(), 12, 205)
        self.assertEqual([fault.part for fault, _ in case.unit.faults], ["U2"])
        played = by_advice(duo_advice(), case)
        self.assertEqual((played.ended, played.good_parts), ("repaired", 0))

    def test_the_routine_comes_to_an_end_and_pays_for_each_trial(self) -> None:
        advice = duo_advice()
        played = by_routine(advice, draw_case(advice, 2, SEED))
        self.assertIn(played.ended, ("repaired", "given up"))
        self.assertGreater(played.minutes, 20.0)

    def test_the_routine_tries_up_to_the_first_check_that_fails(self) -> None:
        technician = Routine(duo_advice(), draw_case(duo_advice(), 2, SEED))
        works: dict[tuple[str, ...], bool] = {}
        with mock.patch.object(technician.unit, "functions_work", side_effect=lambda f: works.setdefault(
                tuple(f), len(works) < 2)):
            self.assertFalse(technician.try_all())
        tried = [e.payload.passed for e in technician.trail if isinstance(e.payload, Proof)]
        self.assertEqual(tried, [True, True, False])

    def test_the_routine_follows_an_open_line_before_it_changes_the_port(self) -> None:
        board, generator = duo_board(), np.random.default_rng(3)
        broken = next(f for f in enumerate_faults(board) if f.id == "FL5:open_winding:3:4")
        unit = DecidedUnit(board, [(broken, 0.0)], generator)
        case = Case(unit, METER_M1, ("no_dock",), lambda cleaned: Look(("clean",)), False, lambda: {"FL5"})
        played = by_routine(duo_advice(), case)
        self.assertEqual((played.ended, played.replaced), ("repaired", ("FL5",)))

    def test_the_proof_ends_at_the_first_check_that_fails_and_tries_only_what_is_left(self) -> None:
        advice = duo_advice()
        technician = CaseTechnician(advice, draw_case(advice, 2, SEED))
        order = [check.id for check in duo_board().checks]

        def tried() -> list[tuple[str, bool]]:
            return [(e.payload.check, e.payload.passed) for e in technician.trail if isinstance(e.payload, Proof)]

        with mock.patch.object(technician.unit, "functions_work", side_effect=[True, True, False]):
            kind_of(PROVE).perform(technician, PROVE)
        self.assertEqual(tried(), list(zip(order[:3], (True, True, False), strict=True)))
        with mock.patch.object(technician.unit, "functions_work", side_effect=lambda _functions: True):
            kind_of(PROVE).perform(technician, PROVE)
        self.assertEqual([check for check, _ in tried()[3:]], order[2:])

    def test_four_faults_of_one_bank_are_found_though_a_set_holds_three(self) -> None:
        bank = tuple((f"{part}:hard_short:1:2", None) for part in ("C60", "C61", "C62", "C63"))
        case = case_of_list(DEFAULT, duo_board(), ListedCase("bank", bank, ("no_dock",), None, "charged"), 1, 77)
        played = by_advice(duo_advice(), case)
        self.assertEqual((played.ended, played.left, played.gates_broken), ("repaired", (), 0))

    def test_what_is_likelier_whole_is_tried_with_other_gear_before_it_is_given_up(self) -> None:
        """A check that works fails twice in a row: it was given up with seven in ten that nothing was left."""
        played = by_advice(duo_advice(), world_case(DEFAULT, duo_board(), 686, 9803))
        self.assertEqual((played.ended, played.left), ("repaired", ()))

    def test_a_cell_that_is_taken_out_is_reached_first_and_paid_for_once(self) -> None:
        advice, board = duo_advice(), duo_board()
        technician = CaseTechnician(advice, draw_case(advice, 2, SEED))
        begun, back_off = technician.now, board.access_levels[1].id
        technician.read("J1.A5")
        self.assertEqual((technician.facts.cell, technician.facts.access), ("unplugged", back_off))
        spent = (technician.now - begun).total_seconds() / 60.0
        self.assertAlmostEqual(spent, board.minutes_to(back_off, "") + 1.0 + technician.minutes_to_read(("J1.A5",)))
        again = technician.now
        technician.read("J1.A5")
        self.assertAlmostEqual((technician.now - again).total_seconds() / 60.0, technician.minutes_to_read(("J1.A5",)))

    def test_power_past_a_gate_is_counted_for_the_routine_too(self) -> None:
        played = by_routine(duo_advice(), draw_case(duo_advice(), 2, SEED))
        self.assertEqual(bool(played.replaced), played.gates_broken > 0)


class SparsePackTest(unittest.TestCase):
    def test_every_player_comes_to_an_end_on_every_shipped_pack(self) -> None:
        for pack in ("bramlet-orb-a", "tarnwick-sliver-a"):
            with self.subTest(pack):
                found = evaluate(Setting(2, 2), pack, cores=1)
                self.assertEqual(len(found.plays), 2 * len(PLAYERS))

    def test_what_does_not_go_together_is_refused_before_anything_is_played(self) -> None:
        for more in (["--mismatch", "--world", "rough"], ["--players", "nobody"], ["--cases", "0"], ["--seed", "-1"],
                     ["--world", "nowhere.json"], ["--cases-file", "nowhere.json"]):
            with self.subTest(more), redirect_stderr(io.StringIO()) as said:
                self.assertEqual(main(["evaluate", *more]), 1)
                self.assertNotIn("Traceback", said.getvalue())


class FiguresTest(unittest.TestCase):
    def test_calibration_has_known_answers(self) -> None:
        self.assertEqual(calibration([])[0], 0.0)
        self.assertAlmostEqual(calibration([(0.75, True)] * 3 + [(0.75, False)])[0], 0.0)
        self.assertAlmostEqual(calibration([(0.95, False)] * 4)[0], 0.95)
        error, table = calibration([(0.15, False), (0.15, False), (0.85, True), (0.85, False)])
        self.assertAlmostEqual(error, 0.5 * 0.15 + 0.5 * 0.35)
        self.assertEqual([count for _, count, _, _ in table], [2, 2])

    def test_the_table_names_every_player(self) -> None:
        result = PlayerResult("advice", 0.97, 60, 55, 90, 1.4, 20, 3, 0, 0.0)
        words = evaluation_table(Evaluation(10, 1, True, (result,), 0.02, ((0.9, 5, 0.95, 0.9),), 12.0))
        for said in ("| advice | 97.0 % |", "Calibration error 0.020", "mismatched", "said 95 %: so in 90 % of 5"):
            self.assertIn(said, words)


if __name__ == "__main__":
    unittest.main()
