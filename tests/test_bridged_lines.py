"""Two lines that touch: where it is, told by reading across them on both sides of what lies in series with both."""

from __future__ import annotations

import unittest
from itertools import combinations

import numpy as np

from dextrum.core.circuit.bridged_lines import bridged_half_way
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit, with_shifts
from dextrum.core.circuit.solve import resistance_ohms
from dextrum.core.faults.registry import edit_for
from tests.support import duo_advice

WINDINGS, CONTACTS, PINS = "FL1:bridged_windings:1:3", "J1:crossed_contacts:A2:A3", "U3:bridged_pins:TX1P:TX1N"


def edit_of(name: str, ohms: float, circuit: Circuit | None = None) -> tuple[Circuit, Edit]:
    model = duo_advice().model
    fault = next(f for f in model.hypotheses.faults if f.id == name)
    on = circuit or model.circuit
    return on, edit_for(model.board, on, fault, ohms)


class HalfWayTest(unittest.TestCase):
    def test_it_is_the_network_with_both_middles_in_it(self) -> None:
        """Solved with the middles as nodes of their own, windings of different ohms, by the network's Laplacian."""
        whole = duo_advice().model.circuit
        shift = np.zeros(len(whole.resistances))
        one, other = (next(k for k, r in enumerate(whole.resistances) if r.owner == owner)
                      for owner in ("FL1.1-2", "FL1.3-4"))
        shift[one], shift[other] = 0.4, -0.7
        none = np.zeros(len(whole.junctions))
        circuit = with_shifts(whole, none, none, shift)
        for ohms in (0.02, 0.7, 8.0, 300.0):
            edit = bridged_half_way(circuit, "FL1", (("1", "2"), ("3", "4")), ohms)
            halves = [circuit.resistances[k].ohms / 2.0 for k in (one, other)]
            # Nodes: ends 1, 2, 3, 4, then the two middles.
            laplacian = np.zeros((6, 6))
            for a, b, r in ((0, 4, halves[0]), (1, 4, halves[0]), (2, 5, halves[1]), (3, 5, halves[1]), (4, 5, ohms)):
                laplacian[[a, b], [a, b]] += 1.0 / r
                laplacian[[a, b], [b, a]] -= 1.0 / r
            inverse = np.linalg.pinv(laplacian)
            for a, b in combinations(range(4), 2):
                expected = inverse[a, a] + inverse[b, b] - 2.0 * inverse[a, b]
                found = resistance_ohms(circuit, f"FL1.{a + 1}", f"FL1.{b + 1}", edit)
                self.assertAlmostEqual(found, expected, places=6)

    def test_a_bridge_reads_alike_at_both_ends_and_a_short_at_one_end_more_at_the_other(self) -> None:
        windings = 2.0 * 0.55
        for name, more in ((WINDINGS, 0.0), (CONTACTS, windings), (PINS, -windings)):
            circuit, edit = edit_of(name, 1.0)
            port, chip = (resistance_ohms(circuit, f"FL1.{a}", f"FL1.{b}", edit)
                          for a, b in (("1", "3"), ("2", "4")))
            self.assertAlmostEqual(chip - port, more, delta=0.06)


if __name__ == "__main__":
    unittest.main()
