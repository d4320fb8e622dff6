"""The way of a signal, and where along it a break must lie."""

from __future__ import annotations

import unittest
import zlib
from collections.abc import Sequence
from itertools import pairwise

from dextrum.app.advising.path_words import suspicious_path, way_words
from dextrum.app.reading.judged import judged_readings
from dextrum.core.advice.order import probing_order
from dextrum.core.board import Method, Side
from dextrum.core.board.path import break_stretch, signal_path
from dextrum.core.job import job_facts
from dextrum.core.reference.judge import Verdict
from dextrum.core.trail import JobOpened, PointReading, Readings
from tests.support import DUO, duo_advice, duo_board, trail_of

RED = Method.DIODE_RED_GROUND


class PathTest(unittest.TestCase):
    def test_a_lane_goes_through_its_filter_to_the_switch(self) -> None:
        way = signal_path(duo_board(), "J1.A10")
        assert way is not None
        self.assertEqual(([s.through for s in way.steps], way.chip), (["", "FL5"], "U3"))
        self.assertIn("FL5.4", way.steps[1].points)
        self.assertIn("FL5.3", way.steps[0].points)

    def test_a_line_without_parts_is_one_net(self) -> None:
        way = signal_path(duo_board(), "J1.B5")
        assert way is not None
        self.assertEqual(([s.through for s in way.steps], way.chip), ([""], "U1"))

    def test_vbus_goes_through_the_fuse(self) -> None:
        way = signal_path(duo_board(), "J1.A4")
        assert way is not None
        self.assertEqual([s.through for s in way.steps][1], "F1")

    def test_ground_and_what_is_unknown_have_no_way(self) -> None:
        for point in ("J1.A1", "FL5.1-2", "nowhere"):
            self.assertIsNone(signal_path(duo_board(), point))

    def test_every_contact_ends_at_a_chip_or_says_that_none_is_known(self) -> None:
        for point in duo_board().port_point_ids():
            way = signal_path(duo_board(), point)
            if way is not None and way.chip:
                nets = {t.net for t in duo_board().component_by_designator[way.chip].terminals}
                self.assertIn(way.steps[-1].net, nets)

    def test_the_break_lies_between_the_last_open_and_the_first_whole(self) -> None:
        way = signal_path(duo_board(), "J1.A10")
        assert way is not None
        far = break_stretch(way, {"J1.A10": True, "FL5.4": False})
        near = break_stretch(way, {"J1.A10": True, "FL5.3": False})
        assert far is not None and near is not None
        self.assertEqual((far.after, far.before, far.parts), ("J1.A10", "FL5.4", ("FL5",)))
        self.assertEqual((near.before, near.parts), ("FL5.3", ()))
        self.assertIsNone(break_stretch(way, {"J1.A10": False, "FL5.4": False}))
        self.assertIsNone(break_stretch(way, {"J1.A10": True, "FL5.4": True}))
        self.assertIsNone(break_stretch(way, {}))

    def test_the_way_is_told_with_its_values(self) -> None:
        entry = Readings(RED, (PointReading("J1.A10", float("inf")), PointReading("FL5.4", 0.452)), "M1")
        judged = judged_readings(duo_board(), duo_advice().model.references, job_facts(trail_of(
            JobOpened("T-1", "Duo", DUO), entry)))
        way = suspicious_path(duo_board(), judged, "C14.1")
        assert way is not None
        self.assertEqual(way.contact, "J1.A10")
        opens = {p: r.judgement.verdict is Verdict.OPEN for p, r in judged.items()}
        self.assertEqual(way_words(duo_board(), judged, way, break_stretch(way, opens)),
                         "A10 RX2− OL \u2192 FL5 \u2192 FL5.4 0.452 V \u2192 U3. "
                         "The break lies between J1.A10 and FL5.4: FL5.")


class ProbingOrderTest(unittest.TestCase):
    def test_access_then_side_then_the_nearest(self) -> None:
        board = duo_board()
        points = [p for p in board.points if p.to is None][::7]
        order = [board.point_by_id[p] for p in probing_order(board, [p.id for p in points], "J1.A5")]
        self.assertEqual(sorted(p.id for p in order), sorted(p.id for p in points))
        levels = [board.access_order[p.access] for p in order]
        self.assertEqual(levels, sorted(levels))
        for level in set(levels):
            sides = [p.side for p, at in zip(order, levels, strict=True) if at == level]
            self.assertLessEqual(sum(a is not b for a, b in pairwise(sides)), 1)

    def test_the_way_is_shorter_than_as_listed(self) -> None:
        board = duo_board()
        points = [p.id for p in board.points if p.access == "back_off" and p.side is Side.TOP][::3]

        def travel(names: Sequence[str]) -> float:
            places = [(board.point_by_id[n].x_mm, board.point_by_id[n].y_mm) for n in names]
            return float(sum(((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2) ** 0.5 for a, b in pairwise(places)))

        scattered = sorted(points, key=lambda n: hash_of(n))
        self.assertLess(travel(probing_order(board, scattered)), 0.6 * travel(scattered))

    def test_unknown_and_doubled_points_are_left_out(self) -> None:
        self.assertEqual(probing_order(duo_board(), ["J1.A5", "nowhere", "J1.A5"]), ("J1.A5",))


def hash_of(name: str) -> int:
    """A fixed scramble of names."""
    return zlib.crc32(name.encode())


if __name__ == "__main__":
    unittest.main()
