"""Fuse, filter and capacitor by what is read on them; sister revisions; breakouts; comparisons."""

from __future__ import annotations

import json
import shutil
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from dextrum.app.places import shipped
from dextrum.app.reading.comparing import earlier_scans, known_good_boards
from dextrum.core.board import Method
from dextrum.core.board.breakout import Breakout, contact_order
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.board.part_checks import ends_words, part_check, plainly_off, points_across, telling_only_where
from dextrum.core.reference.judge import Verdict, judge
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.sister import with_sisters
from dextrum.core.reference.table import NO_REFERENCES, build_reference_table
from dextrum.core.safety.recheck import points_of_part
from dextrum.core.trail import JobOpened, PointReading, Readings, Rework
from dextrum.instruments.loaners import known_good_of_loaners
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import DUO, duo_advice, duo_board, library_of, trail_of

RED = Method.DIODE_RED_GROUND
THROUGH_1, THROUGH_2, ACROSS = "FL5.1-2", "FL5.3-4", "FL5.1-3"


class PartCheckTest(unittest.TestCase):
    def check(self, part: str, **off: bool) -> tuple[str, str, tuple[str, ...]]:
        found = part_check(duo_board(), part, {name.replace("_", "."): bad for name, bad in off.items()})
        assert found is not None
        return found.state, found.words, found.missing

    def test_a_filter_is_good_only_when_both_lines_and_across_are(self) -> None:
        seen: dict[str, bool] = {}
        states = []
        for point in (THROUGH_1, THROUGH_2, ACROSS):
            seen[point] = False
            found = part_check(duo_board(), "FL5", seen)
            assert found is not None
            states.append(found.state)
        self.assertEqual(states, ["half", "half", "good"])

    def test_it_asks_for_the_half_that_is_missing(self) -> None:
        found = part_check(duo_board(), "FL5", {THROUGH_1: False, THROUGH_2: False})
        assert found is not None
        self.assertEqual(found.missing, (ACROSS,))
        self.assertIn("measure 1-3 across, before it is called good", found.words)
        found = part_check(duo_board(), "FL5", {ACROSS: False})
        assert found is not None
        self.assertEqual(found.missing, (THROUGH_1, THROUGH_2))

    def test_one_bad_line_is_bad_whatever_is_missing(self) -> None:
        for point, words in ((THROUGH_2, "3-4 is not through"), (ACROSS, "1-3 is joined across")):
            found = part_check(duo_board(), "FL5", {point: True})
            assert found is not None
            self.assertEqual(found.state, "bad")
            self.assertIn(words, found.words)

    def test_across_its_lines_one_end_tells_and_both_are_said(self) -> None:
        other = "FL5.2-4"
        for across in (ACROSS, other):
            found = part_check(duo_board(), "FL5", {THROUGH_1: False, THROUGH_2: False, across: False})
            assert found is not None
            self.assertEqual((found.state, found.missing), ("good", ()))
        self.assertEqual(frozenset({other}), telling_only_where(duo_board(), "FL5"))
        self.assertNotIn(other, points_of_part(duo_board(), "FL5"))
        found = part_check(duo_board(), "FL5", {ACROSS: True, other: True})
        assert found is not None
        self.assertIn("1-3 is joined across and 2-4 is joined across", found.words)

    def test_what_a_line_has_to_ground_in_ohms_is_neither_across_nor_of_the_joints(self) -> None:
        lines = {"FL5.2-GND", "FL5.4-GND"}
        self.assertLessEqual(lines, {point.id for point in duo_board().points})
        self.assertTrue(lines.isdisjoint(points_of_part(duo_board(), "FL5")))
        self.assertTrue(lines.isdisjoint(points_across(duo_board(), "FL5")))
        self.assertIn("C26.1-2", points_of_part(duo_board(), "C26"))  # its own ends show both

    def test_a_fuse_is_through(self) -> None:
        self.assertEqual(self.check("F1", **{"F1_1-2": False})[:2], ("good", "F1: through."))
        self.assertEqual(self.check("F1", **{"F1_1-2": True})[0], "bad")
        self.assertEqual(self.check("F1")[0], "unread")

    def test_other_parts_are_not_checked_from_end_to_end(self) -> None:
        self.assertIsNone(part_check(duo_board(), "U1", {}))
        self.assertIsNone(part_check(duo_board(), "nothing", {}))

    def test_capacitors_say_where_their_ends_sit(self) -> None:
        parts = duo_board().component_by_designator
        self.assertEqual(ends_words(duo_board(), parts["C27"]), "both ends on signals: BTST and SW_CHG")
        self.assertEqual(ends_words(duo_board(), parts["C1"]), "one end on ground, the other on VBUS")
        self.assertEqual(ends_words(duo_board(), parts["U1"]), "")

    def test_without_known_good_ohms_speak_for_themselves(self) -> None:
        points = duo_board().point_by_id
        for point, ohms, off in ((THROUGH_1, 0.6, False), (THROUGH_1, float("inf"), True), (ACROSS, 3.0, True),
                                 (ACROSS, float("inf"), False), ("J1.A4-A9", float("inf"), False)):
            self.assertEqual(plainly_off(duo_board(), points[point], ohms), off, point)


class SisterTest(unittest.TestCase):
    def setUp(self) -> None:
        self.board = duo_board()
        self.other = replace(self.board, pack_id="sister", revision="D")
        self.known = duo_advice().model.references

    def test_a_sister_stands_in_with_a_wider_tolerance_and_says_so(self) -> None:
        table = with_sisters(self.other, NO_REFERENCES, [(self.board, self.known)])
        mine, hers = table.get("J1.A5", RED), self.known.get("J1.A5", RED)
        assert mine is not None and hers is not None
        self.assertEqual((mine.centre, mine.origin), (hers.centre, "sister"))
        self.assertGreater(mine.spread, 3 * hers.spread)
        judged = judge(hers.centre, mine)
        self.assertEqual(judged.verdict, Verdict.WITHIN)
        self.assertIn("sister revision", judged.basis)
        self.assertEqual(judge(0.001, mine).verdict, Verdict.GROUNDED)

    def test_what_this_revision_knows_itself_is_kept(self) -> None:
        own = build_reference_table(self.other, [KnownGoodReading("B1", "J1.A5", RED, "M1", 0.61)], "M1")
        table = with_sisters(self.other, own, [(self.board, self.known)])
        mine, borrowed = table.get("J1.A5", RED), table.get("J1.B5", RED)
        assert mine is not None and borrowed is not None
        self.assertEqual((mine.origin, round(mine.centre, 3), borrowed.origin), ("own", 0.61, "sister"))

    def test_a_point_that_lies_elsewhere_or_is_not_there_is_not_borrowed(self) -> None:
        moved = replace(self.other, points=tuple(
            replace(p, at="J1.B5") if p.id == "J1.A5" else p for p in self.other.points if p.id != "J1.A8"))
        table = with_sisters(moved, NO_REFERENCES, [(self.board, self.known)])
        self.assertIsNone(table.get("J1.A5", RED))
        self.assertIsNone(table.get("J1.A8", RED))

    def test_of_two_sisters_the_better_known_speaks(self) -> None:
        one = build_reference_table(self.board, [KnownGoodReading("B1", "J1.A5", RED, "M1", 0.70)], "M1")
        table = with_sisters(self.other, NO_REFERENCES, [(self.board, one), (self.board, self.known)])
        hers, mine = self.known.get("J1.A5", RED), table.get("J1.A5", RED)
        assert hers is not None and mine is not None
        self.assertEqual(mine.centre, hers.centre)

    def test_good_sister_boards_are_within_and_shorts_are_found(self) -> None:
        table = with_sisters(self.other, NO_REFERENCES, [(self.board, self.known)])
        for seed in range(5):
            unit = SimulatedBoard(self.other, (), np.random.default_rng(900 + seed))
            off = [p for p in self.other.port_point_ids()
                   if judge(unit.read(p, RED, METER_M1), table.get(p, RED)).verdict.is_off]
            self.assertEqual(off, [])


class SisterPackTest(unittest.TestCase):
    def test_a_pack_that_names_a_sister_is_judged_by_its_boards(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "tarnwick-duo-d"
            shutil.copytree(shipped() / "packs" / DUO, place)
            (place / "known_good.csv").unlink()
            pack = json.loads((place / "pack.json").read_text())
            pack.update(pack_id="tarnwick-duo-d", revision="D", sisters=[DUO, "not here"])
            (place / "pack.json").write_text(json.dumps(pack))
            references = library_of(Path(folder)).references("tarnwick-duo-d", "M1")
        found = references.get("J1.A5", RED)
        assert found is not None
        self.assertEqual((found.origin, references.boards), ("sister", 0))


class BreakoutTest(unittest.TestCase):
    CONTACTS = tuple(f"{row}{n}" for row in "AB" for n in range(1, 13))

    def test_runs_go_both_ways(self) -> None:
        order = contact_order("a1-a12, b12-b1", self.CONTACTS)
        numbers = Breakout("blue", order).numbers
        self.assertEqual((numbers["A1"], numbers["B12"], numbers["B1"]), (1, 13, 24))

    def test_words_read_back_as_the_same_order(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(30):
            order = tuple(rng.permutation(self.CONTACTS).tolist())
            self.assertEqual(contact_order(Breakout("x", order).words, self.CONTACTS), order)
        self.assertEqual(Breakout("x", contact_order("A1-A12 B12-B1", self.CONTACTS)).words, "A1-A12 B12-B1")

    def test_what_does_not_name_each_contact_once_is_refused(self) -> None:
        for text, words in (("A1-A12", "missing"), ("A1-A12 B1-B12 A1", "twice"), ("A1-A12 B1-B13", "not on this port"),
                            ("one two", "no contact"), ("A1-B12", "no contact"), ("", "missing")):
            with self.assertRaises(ValueError) as caught:
                contact_order(text, self.CONTACTS)
            self.assertIn(words, str(caught.exception))


class ComparingTest(unittest.TestCase):
    def test_a_repair_or_a_turned_tester_begins_another_scan(self) -> None:
        def one(value: float, turned: bool = False) -> Readings:
            return Readings(RED, (PointReading("J1.A5", value),), "M1", turned=turned)

        entries = trail_of(JobOpened("S", "m", DUO), one(0.1), one(0.2), one(0.3, True), Rework("clean", "J1"),
                           Rework("replace", "J1"), one(0.4))
        scans = earlier_scans(entries)
        self.assertEqual([s.at("J1.A5", RED) for s in scans], [0.2, 0.3, 0.4])
        self.assertIn("before any repair", scans[0].name)
        self.assertIn("turned over", scans[1].name)
        self.assertIn("after repair 1", scans[2].name)

    def test_of_a_good_board_the_meter_in_hand_speaks_first(self) -> None:
        readings = [KnownGoodReading("B", "P", RED, m, v) for m, v in (("M2", 0.51), ("M1", 0.50), ("M2", 0.52))]
        readings.append(KnownGoodReading("B", "Q", RED, "M2", 0.6))
        board, = known_good_boards(readings, "M1")
        self.assertEqual((board.at("P", RED), board.at("Q", RED), board.at("R", RED)), (0.50, 0.6, None))


class OneNodeTest(unittest.TestCase):
    def test_contacts_of_different_signals_are_no_node(self) -> None:
        port = duo_board().ports[0]
        wrong = replace(duo_board(), ports=(replace(port, one_node=(*port.one_node, ("A5", "B5"))),))
        self.assertTrue(any("different signals" in w.wrong for w in inconsistencies(wrong)))
        self.assertEqual(list(inconsistencies(duo_board())), [])

    def test_a_broken_contact_is_open_to_its_node_and_nothing_else_is(self) -> None:
        advice = duo_advice()
        fault = next(f for f in advice.model.hypotheses.faults if f.id == "J1:open_contact:A4")
        unit = SimulatedBoard(duo_board(), [(fault, 0.0)], np.random.default_rng(3))
        reads = {p.id: unit.true_value(p.id, Method.RESISTANCE) for p in duo_board().node_pairs}
        self.assertEqual({p for p, ohms in reads.items() if ohms > 1.0}, {"J1.A4-A9", "J1.A4-B4", "J1.A4-B9"})
        self.assertTrue(all(ohms < 0.2 for p, ohms in reads.items() if "A4" not in p))

    def test_loaners_of_another_day_keep_their_day(self) -> None:
        readings = known_good_of_loaners(duo_board(), ("X",), 1, (METER_M1,), "2026-02-02")
        self.assertEqual({r.taken_on for r in readings}, {"2026-02-02"})


if __name__ == "__main__":
    unittest.main()
