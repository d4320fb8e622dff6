"""The simulated board and its meters: what they add to the circuit, and that a seed makes them repeat."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from dextrum.core.board import Method
from dextrum.core.draw.states import classify_draw
from dextrum.instruments.loaners import known_good_of_loaners
from dextrum.instruments.simulated_board import METER_M1, METER_M2, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, line_board

RED = Method.DIODE_RED_GROUND


def board_with(*faults: str, seed: int = 1) -> SimulatedBoard:
    every = duo_advice().model.hypotheses.faults
    found = [fault_named(every, name) for name in faults]
    return SimulatedBoard(duo_board(), [(f, f.variants[0][0]) for f in found], np.random.default_rng(seed))


class MeterTest(unittest.TestCase):
    def test_a_seed_repeats_and_another_differs(self) -> None:
        one, two, other = (board_with(seed=s).read("J1.A5", RED, METER_M1) for s in (1, 1, 2))
        self.assertEqual(one, two)
        self.assertNotEqual(one, other)

    def test_gain_and_offset_show(self) -> None:
        unit = board_with()
        shift = np.mean([unit.read("J1.A5", RED, METER_M2) - unit.read("J1.A5", RED, METER_M1) for _ in range(200)])
        true = unit.true_value("J1.A5", RED)
        self.assertAlmostEqual(float(shift), true * (METER_M2.gain - 1) + METER_M2.offset_volts, delta=0.0005)

    def test_noise_has_its_spread_and_digits(self) -> None:
        unit = board_with()
        values = [unit.read("J1.A5", RED, METER_M1) for _ in range(400)]
        wanted = math.hypot(METER_M1.noise_volts, 0.001 / math.sqrt(12))
        self.assertAlmostEqual(float(np.std(values)), wanted, delta=2e-4)
        self.assertTrue(all(round(v, 3) == v for v in values))

    def test_above_compliance_is_ol_and_bad_touches_are_too(self) -> None:
        unit = board_with("J1:open_contact:A5")
        self.assertEqual(unit.read("J1.A5", RED, METER_M1), math.inf)
        low = replace(METER_M1, compliance_volts=0.3)
        self.assertEqual(board_with().read("J1.A5", RED, low), math.inf)
        clumsy = replace(METER_M1, bad_touch=0.25)
        sound = board_with()
        share = np.mean([sound.read("J1.A5", RED, clumsy) == math.inf for _ in range(800)])
        self.assertAlmostEqual(float(share), 0.25, delta=0.05)

    def test_ohms_have_lead_resistance_and_open_is_ol(self) -> None:
        unit = board_with("FL2:open_winding:1:2")
        self.assertEqual(unit.read("FL2.1-2", Method.RESISTANCE, METER_M1), math.inf)
        through = np.mean([unit.read("FL2.3-4", Method.RESISTANCE, METER_M2) for _ in range(100)])
        expected = unit.true_value("FL2.3-4", Method.RESISTANCE) * METER_M2.ohms_gain + METER_M2.lead_ohms
        self.assertAlmostEqual(float(through), expected, delta=0.01)


class BoardTest(unittest.TestCase):
    def test_board_to_board_spread_is_millivolts(self) -> None:
        values = [SimulatedBoard(duo_board(), (), np.random.default_rng(i)).true_value("J1.A5", RED) for i in range(60)]
        self.assertTrue(0.002 < float(np.std(values)) < 0.012)
        same = [SimulatedBoard(duo_board(), (), np.random.default_rng(i), spread=0.0).true_value("J1.A5", RED)
                for i in range(3)]
        self.assertEqual(len(set(same)), 1)

    def test_two_faults_show_at_both_places(self) -> None:
        unit = board_with("U1:hard_short:CC2", "J1:open_contact:A10")
        self.assertLess(unit.true_value("J1.B5", RED), 0.01)
        self.assertEqual(unit.true_value("J1.A10", RED), math.inf)

    def test_mending_takes_away_only_what_the_action_mends(self) -> None:
        unit = board_with("J1:lifted_joint:A5", "J1:open_contact:A8")
        self.assertEqual(unit.mend("J1", "reflow"), ("J1:lifted_joint:A5",))
        self.assertEqual([f.id for f, _ in unit.faults], ["J1:open_contact:A8"])
        self.assertEqual(unit.mend("U1", "replace"), ())
        self.assertEqual(unit.mend("J1", "replace"), ("J1:open_contact:A8",))
        self.assertLess(unit.true_value("J1.A8", RED), 0.7)

    def test_supply_follows_the_functions(self) -> None:
        shorted, dead, sound = board_with("F1:blown_fuse:1:2"), board_with("C1:hard_short:1"), board_with()

        def states(unit: SimulatedBoard) -> list[str]:
            found = []
            for _ in range(60):
                judged = classify_draw(duo_board(), *unit.supply("a"))
                found.append(judged.state if judged else "")
            return found

        self.assertGreater(states(shorted).count("none"), 55)
        self.assertGreater(states(dead).count("cycling"), 40)
        self.assertGreater(states(sound).count("full"), 25)

    def test_symptoms_and_functions_agree(self) -> None:
        unit = board_with("U3:quiet_failure")
        self.assertFalse(unit.functions_work(("dock_a",)))
        self.assertTrue(unit.functions_work(("charge_a", "boot")))
        told = [symptom for _ in range(40) for symptom in unit.symptoms()]
        self.assertGreater(told.count("no_dock"), 25)
        self.assertLess(told.count("no_charge"), 6)

    def test_loaners_of_a_small_board(self) -> None:
        made = known_good_of_loaners(line_board(), ("A", "B"), 5)
        self.assertEqual(len(made), 2 * 2 * len(line_board().points))
        self.assertEqual(made, known_good_of_loaners(line_board(), ("A", "B"), 5))
        self.assertNotEqual(made, known_good_of_loaners(line_board(), ("A", "B"), 6))
