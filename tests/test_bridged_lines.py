"""Two lines that touch: where it is, told by reading across them on both sides of what lies in series with both."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from itertools import combinations, permutations

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.core.assumptions.readings import TOUCH_OHMS, UNREFERENCED_FREEDOM
from dextrum.core.board import Method
from dextrum.core.circuit.bridged_lines import bridged_half_way
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit, with_shifts
from dextrum.core.circuit.solve import diode_volts, resistance_ohms
from dextrum.core.diagnosis.expected import Expected
from dextrum.core.diagnosis.shared_deviation import SharedDeviation
from dextrum.core.diagnosis.size_in_ohms import READ_SHARE, given_size
from dextrum.core.faults.registry import edit_for
from dextrum.core.trail import Payload, PointReading, Readings, Rework
from tests.support import board_out, duo_advice, trail_of

WINDINGS, CONTACTS, PINS = "FL1:bridged_windings:1:3", "J1:crossed_contacts:A2:A3", "U3:bridged_pins:TX1P:TX1N"
ACROSS = ("FL1.1-3", "FL1.2-4")


def edit_of(name: str, ohms: float, circuit: Circuit | None = None) -> tuple[Circuit, Edit]:
    model = duo_advice().model
    fault = next(f for f in model.hypotheses.faults if f.id == name)
    on = circuit or model.circuit
    return on, edit_for(model.board, on, fault, ohms)


def shows(name: str, ohms: float, lead: float = 0.0) -> tuple[Readings, dict[str, Readings]]:
    """What a board with this fault reads in diode mode along the port, and in ohms across the filter."""
    circuit, edit = edit_of(name, ohms)
    low = Readings(Method.DIODE_RED_GROUND, tuple(
        PointReading(contact, round(volts, 3) if volts < 2.5 else math.inf)
        for contact in duo_advice().model.board.port_point_ids()
        for volts in [diode_volts(circuit, contact, edit=edit)]))
    found = {}
    for point in ACROSS:
        place = duo_advice().model.board.point_by_id[point]
        value = resistance_ohms(circuit, place.at, str(place.to), edit) + lead
        found[point] = Readings(Method.RESISTANCE, (PointReading(point, round(value, 2)),))
    return low, found


def weighed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(*board_out("no_dock"), *payloads), explain=False)


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


    def test_to_a_meter_both_lines_are_one_piece_of_copper_while_it_is_there(self) -> None:
        model = duo_advice().model
        rows = np.flatnonzero(model.hypotheses.rows_mended(frozenset({WINDINGS})))
        self.assertEqual([0.3, 3.0], model.hypotheses.ohms[rows].tolist())
        self.assertLessEqual(set(rows.tolist()), {int(row) for found in model.joined.values() for row in found})


class SizeTest(unittest.TestCase):
    def test_a_second_reading_is_expected_where_the_first_puts_the_size(self) -> None:
        """Three rows: 0.3 and 3 ohm there, and OL; the first reading was 0.5 ohm more than the first two said."""
        means = np.array([np.log10(0.3 + 0.3), np.log10(3.0 + 0.3), np.inf])
        expected = Expected(means, np.array([0.4, 0.4, 0.25]), 4.0)
        size = SharedDeviation(np.array([0.5, 0.5, 0.0]), np.array([1.0, 1.0, 0.0]), np.full(3, np.nan))
        found = given_size(expected, size)
        for k, ohms in enumerate((0.8, 3.5)):
            self.assertAlmostEqual(10.0 ** found.means[k] - 0.3, ohms)
            by_touch = np.hypot(np.sqrt(2.0) * TOUCH_OHMS, READ_SHARE * ohms)
            self.assertAlmostEqual(found.spreads[k], by_touch / ((ohms + 0.3) * np.log(10.0)))
        self.assertEqual((found.means[2], found.spreads[2]), (np.inf, 0.25))
        self.assertEqual(UNREFERENCED_FREEDOM, given_size(replace(expected, freedom=1.0), size).freedom)

    def test_both_readings_tell_contacts_windings_and_pins_apart(self) -> None:
        for name in (WINDINGS, CONTACTS, PINS):
            for ohms in (0.1, 0.7, 3.0):
                with self.subTest(name, ohms=ohms):
                    low, across = shows(name, ohms, lead=0.05)
                    once = dict(weighed(low, across["FL1.1-3"]).chance_by_part)
                    twice = dict(weighed(low, *across.values()).chance_by_part)
                    part = name.partition(":")[0]
                    self.assertEqual(part, max(twice, key=lambda p: twice[p]))
                    self.assertGreater(twice[part], max(once[part], 0.6))
                    if name != WINDINGS:
                        self.assertLess(twice["FL1"], 0.4)

    def test_in_whatever_order_they_were_read(self) -> None:
        low, across = shows(CONTACTS, 0.7)
        seen = [dict(weighed(*order).chance_by_part) for order in permutations((low, *across.values()))]
        for other in seen[1:]:
            for part, chance in seen[0].items():
                self.assertAlmostEqual(chance, other[part], places=9)

    def test_what_was_read_before_a_repair_says_nothing_of_its_size_after_it(self) -> None:
        low, across = shows(CONTACTS, 0.7)
        _, other = shows(PINS, 0.1)
        found = weighed(low, *across.values(), Rework("replace", "J1"), low, *other.values())
        self.assertGreater(dict(found.chance_by_part)["U3"], 0.3)

    def test_the_other_end_is_read_before_the_filter_is_changed(self) -> None:
        for name in (WINDINGS, CONTACTS, PINS):
            low, across = shows(name, 3.0)
            found = weighed(low, low, across["FL1.1-3"])
            self.assertEqual(("measure", ("FL1.2-4",)), (found.advice.next.kind, tuple(found.advice.next.points)))
            explained = assess(duo_advice(), trail_of(*board_out("no_dock"), low, low, across["FL1.1-3"]))
            said = {one.outcome: one.meaning for one in explained.advice.next.outcomes}
            self.assertIn("FL1", said["as much as FL1.1-3"])
            self.assertIn("J1", said["more than FL1.1-3"])
            both = weighed(low, low, *across.values(), *across.values())
            self.assertNotIn("FL1.2-4", both.advice.next.points)


if __name__ == "__main__":
    unittest.main()
