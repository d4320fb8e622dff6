"""A chip of another make: all its lines read off together, and nobody is at fault; a fault is not explained away."""

from __future__ import annotations

import math
import unittest

from dextrum.app.advising.assess import assess
from dextrum.app.advising.reason_words import make_words
from dextrum.core.board import Method
from dextrum.core.circuit.junction import IDEALITY_TIMES_THERMAL_VOLTS
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.as_usual import readings_of, set_apart
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.other_make import OtherMake
from dextrum.core.diagnosis.suspected_parts import chance_by_part
from dextrum.core.trail import Cell, JobOpened, Look, Payload, PointReading, Proof, Readings
from tests.support import DUO, duo_advice, duo_board, replaced, trail_of

RED = Method.DIODE_RED_GROUND
PORT = tuple(name for name in sorted(duo_board().port_points)
             if duo_advice().model.references.get(name, RED) is not None)


def good(point: str) -> float:
    known = duo_advice().model.references.get(point, RED)
    assert known is not None
    return known.centre


def scan(moved: dict[str, float] | None = None) -> Readings:
    """The port as a good board reads, but for these."""
    def volts(point: str) -> float:
        usual = good(point)
        return round(usual + (moved or {}).get(point, 0.0), 4) if math.isfinite(usual) else math.inf
    return Readings(RED, tuple(PointReading(point, volts(point)) for point in PORT), "M1")


def with_chip(part: str, factor: float) -> dict[str, float]:
    """What the port reads beside a good board with all of a chip's junctions larger by e^factor, from the circuit."""
    circuit, model = duo_advice().model.circuit, duo_advice().model
    found = {}
    for point in PORT:
        copper = model.copper[point]
        here = [j for j in circuit.junctions if j.log_is_red_ground is not None
                and model.copper_of_node[j.node] == copper]
        whole = sum(math.exp(j.log_is_red_ground or 0.0) for j in here)
        own = sum(math.exp(j.log_is_red_ground or 0.0) for j in here if j.part == part)
        if own and math.isfinite(good(point)):
            found[point] = -IDEALITY_TIMES_THERMAL_VOLTS * math.log1p(own / whole * math.expm1(factor))
    return found


def trail(*payloads: Payload) -> tuple[Payload, ...]:
    return JobOpened("S", "Tarnwick Duo", DUO), Look(("clean",)), Cell("unplugged"), *payloads


def makes(*payloads: Payload) -> tuple[OtherMake, ...]:
    return gather_evidence(duo_advice().model, trail_of(*trail(*payloads))).apart.makes


class ArrayOfAnotherMakeTest(unittest.TestCase):
    """Both lines of a protection array read low, and nothing else of the chip behind it does."""

    ACROSS = Readings(Method.RESISTANCE, (PointReading("FL4.1-3", math.inf),), "M1")

    def found(self, *payloads: Payload) -> list[str]:
        return [one.part for one in makes(scan(with_chip("D2", 2.2)), self.ACROSS, *payloads)]

    def test_it_is_known_by_its_lines(self) -> None:
        self.assertEqual(self.found(), ["D2"])

    def test_also_while_something_fails_but_not_where_its_lines_are_off_by_unlike_amounts(self) -> None:
        """A unit comes in because something fails; two lines that leak by chance are not low by one factor."""
        self.assertEqual(self.found(Proof("dock_a", False)), ["D2"])
        moved = with_chip("D2", 2.2)
        unlike = {point: volts * (4.0 if "7" in point else 1.0) for point, volts in moved.items()}
        for failed in ((), (Proof("dock_a", False),)):
            found = makes(scan(unlike), self.ACROSS, *failed)
            self.assertNotIn("D2", [one.part for one in found])

    def test_missing_it_is_no_make(self) -> None:
        found = makes(scan(with_chip("D2", -9.0)), self.ACROSS)
        self.assertNotIn("D2", [one.part for one in found])


class BridgedOrOfAnotherMakeTest(unittest.TestCase):
    """Both data lines read 33 mV low: as behind a bridged filter, and as with another maker's chip."""

    LOW = scan(dict.fromkeys(("J1.A6", "J1.A7", "J1.B6", "J1.B7"), -0.033))

    def between(self, volts: float) -> Readings:
        return Readings(Method.RESISTANCE, (PointReading("FL4.1-3", volts),), "M1")

    def test_what_a_fault_explains_as_well_is_not_explained_away(self) -> None:
        self.assertEqual(makes(self.LOW), ())
        self.assertEqual(makes(self.LOW, self.between(0.4)), ())

    def test_open_between_them_no_fault_explains_it(self) -> None:
        self.assertEqual([one.part for one in makes(self.LOW, self.between(math.inf))], ["U7"])

    def test_the_newest_reading_between_them_counts(self) -> None:
        self.assertEqual(makes(self.LOW, self.between(math.inf), self.between(0.4)), ())

class OtherMakeTest(unittest.TestCase):
    def test_a_good_board_has_none(self) -> None:
        self.assertEqual(makes(), ())
        self.assertEqual(makes(scan()), ())

    def test_all_lines_of_a_chip_off_together_are_its_make_and_no_fault(self) -> None:
        for chip, factor in (("U3", -1.8), ("U3", 1.6)):
            moved = with_chip(chip, factor)
            (one,) = makes(scan(moved))
            self.assertEqual(one.part, chip)
            self.assertGreater(one.largest * -factor, 0.0)
            for point, volts in moved.items():
                self.assertAlmostEqual(one.on(duo_advice().model.copper[point], 0), volts, delta=0.02)
            found = assess(duo_advice(), trail_of(*trail(scan(moved))))
            self.assertLess(max(chance_by_part(found.posterior).values()), 0.5, chance_by_part(found.posterior))

    def test_one_line_that_is_off_is_none(self) -> None:
        self.assertEqual(makes(scan({"J1.A3": 0.09})), ())
        self.assertEqual(makes(scan({"J1.A3": -0.3})), ())

    def test_what_one_fault_explains_is_a_fault(self) -> None:
        model = duo_advice().model
        for fault in ("D3:missing_part", "FL1:bridged_windings:1:3", "D1:missing_part"):
            row = next(r for r in range(2, model.hypotheses.count)
                       if model.hypotheses.faults[model.hypotheses.fault_of_row[r]].id.startswith(fault))
            moved = {}
            for point in PORT:
                predicted = model.predicted_at(point, RED)
                assert predicted is not None
                healthy, there = float(predicted.values[0]), float(predicted.values[row])
                if math.isfinite(good(point)) and math.isfinite(there) and healthy > 0.1:
                    moved[point] = good(point) * (there / healthy - 1.0)
            self.assertEqual(makes(scan(moved)), (), fault)

    def test_a_short_on_one_of_its_lines_is_still_found(self) -> None:
        moved = with_chip("U3", -1.8)
        moved["J1.A3"] = 0.004 - good("J1.A3")
        (one,) = makes(scan(moved))
        self.assertEqual(one.part, "U3")
        chances = chance_by_part(weigh_trail(duo_advice().model, trail_of(*trail(scan(moved)))))
        first = sorted(chances, key=lambda part: -chances[part])[:3]
        self.assertTrue({"D3", "FL1", "U3"} & set(first), chances)
        self.assertGreater(sum(chances.values()), 0.9)

    def test_a_new_chip_ends_it_and_what_is_weighed_since_a_repair_knows_it(self) -> None:
        moved = with_chip("U3", -1.8)
        (before,) = makes(scan(moved), replaced("U3"), scan())
        self.assertEqual((before.since, before.until), (-1, 0))
        (still,) = makes(scan(moved), replaced("F1"), scan(moved))
        self.assertGreaterEqual(still.until, 1)
        found = weigh_trail(duo_advice().model, trail_of(*trail(
            scan(moved), replaced("F1"), scan(moved), Proof("charge_a", False))))
        chances = chance_by_part(found)
        self.assertLess(max(chances.get(part, 0.0) for part in ("D3", "D4")), 0.2, chances)

    def test_what_was_read_before_a_repair_is_as_it_is_weighed(self) -> None:
        moved = with_chip("U3", -1.8)
        entries = trail_of(*trail(scan(moved), replaced("F1"), scan(moved)))
        model = duo_advice().model
        read = readings_of(model, entries, frozenset(), set_apart(model, entries, frozenset()))
        for point in moved:
            self.assertEqual(len(read[point, RED]), 2)
            for _, value in read[point, RED]:
                self.assertAlmostEqual(value, good(point), delta=0.02)

    def test_it_is_said(self) -> None:
        evidence = gather_evidence(duo_advice().model, trail_of(*trail(scan(with_chip("U3", -1.8)))))
        said = make_words(evidence.apart.makes)
        self.assertIn("U3 seems to be of another make", said)
        self.assertIn("higher", said)
        self.assertEqual(make_words(()), "")


if __name__ == "__main__":
    unittest.main()
