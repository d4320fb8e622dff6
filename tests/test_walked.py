"""A walk over a board is solved at once, and reads what each touch by itself would."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.edit import NOTHING, Edit
from dextrum.core.circuit.isolation import isolation_edit
from dextrum.core.circuit.network import build_circuit
from dextrum.core.circuit.solve import diode_volts, resistance_ohms
from dextrum.core.circuit.walked import BY_THEMSELVES, WalkedNetwork, walks_of
from dextrum.core.faults.registry import edit_for
from tests.support import duo_advice, duo_board, fault_named


def edits() -> list[Edit]:
    """Nothing, parts off, faults that cut, join and move, and two of them at once."""
    board, circuit = duo_board(), build_circuit(duo_board())
    faults = [edit_for(board, circuit, fault_named(duo_advice().model.hypotheses.faults, name), 0.5, number)
              for number, name in enumerate(("C17:hard_short:1", "J1:crossed_contacts:A3:A4", "FL5:open_winding:3:4"))]
    return [NOTHING, isolation_edit(circuit, frozenset({"U1", "FL4"})), *faults, faults[1] | faults[2]]


class WalkedTest(unittest.TestCase):
    def test_a_walk_reads_what_each_touch_by_itself_does(self) -> None:
        board, circuit = duo_board(), build_circuit(duo_board())
        addresses = [point.at for point in board.points if point.to is None]
        for number, edit in enumerate(edits()):
            touched = WalkedNetwork(circuit, walks_of(board), edit)
            for method in (Method.DIODE_RED_GROUND, Method.DIODE_BLACK_GROUND):
                with self.subTest(edit=number, method=method):
                    read = [touched.volts(address, method) for address in addresses]
                    alone = [diode_volts(circuit, address, method, edit) for address in addresses]
                    # What nothing leads to ground from floats far above what any meter shows.
                    np.testing.assert_allclose(np.minimum(read, 10.0), np.minimum(alone, 10.0), atol=1e-9)

    def test_few_touches_and_those_of_no_walk_are_solved_by_themselves(self) -> None:
        board, circuit = duo_board(), build_circuit(duo_board())
        addresses = [point.at for point in board.points if point.to is None]
        touched, red = WalkedNetwork(circuit, [frozenset(addresses[:-1])]), Method.DIODE_RED_GROUND
        for address in (*addresses[:BY_THEMSELVES], addresses[-1]):
            self.assertEqual(touched.volts(address, red), diode_volts(circuit, address, red))

    def test_ohms_are_those_from_end_to_end(self) -> None:
        board, circuit = duo_board(), build_circuit(duo_board())
        touched = WalkedNetwork(circuit, (), edits()[4])
        for point in board.points:
            if point.to is not None:
                for _ in range(2):
                    self.assertEqual(touched.ohms(point.at, point.to),
                                     resistance_ohms(circuit, point.at, point.to, edits()[4]))

    def test_what_the_board_does_not_have_is_an_error(self) -> None:
        touched = WalkedNetwork(build_circuit(duo_board()), ())
        with self.assertRaises(KeyError):
            touched.volts("U99.1", Method.DIODE_RED_GROUND)
        with self.assertRaises(KeyError):
            touched.ohms("U99.1", "@GND")


if __name__ == "__main__":
    unittest.main()
