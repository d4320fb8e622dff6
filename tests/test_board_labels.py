"""Labels of the board's plan: none covers another, the heavier goes first, none leaves the plan."""

from __future__ import annotations

import random
import unittest
from itertools import combinations

from dextrum.desktop.board.labels import Box, Label, candidates, place_labels, within

BOUNDS = (0.0, 0.0, 400.0, 300.0)


def meet(one: Box, other: Box) -> bool:
    return (one[0] < other[0] + other[2] and other[0] < one[0] + one[2]
            and one[1] < other[1] + other[3] and other[1] < one[1] + one[3])


def some_labels(seed: int, count: int) -> list[Label]:
    draw = random.Random(seed)
    return [Label(f"C{i}", draw.uniform(10, 40), 12, (draw.uniform(0, 390), draw.uniform(0, 290), draw.uniform(2, 60),
                                                      draw.uniform(2, 60)), draw.random(), draw.random() < 0.5)
            for i in range(count)]


class PlaceLabelsTest(unittest.TestCase):
    def test_no_two_meet_and_none_leaves_the_plan_or_stands_on_what_is_taken(self) -> None:
        taken = [(100.0, 100.0, 80.0, 40.0), (300.0, 0.0, 50.0, 300.0)]
        for seed in range(40):
            placed = place_labels(some_labels(seed, 60), taken, BOUNDS)
            self.assertGreater(len(placed), 15)
            for one, other in combinations(placed.values(), 2):
                self.assertFalse(meet(one, other))
            for box in placed.values():
                self.assertTrue(within(box, BOUNDS))
                self.assertFalse(any(meet(box, other) for other in taken))

    def test_the_heavier_has_the_place_that_both_want(self) -> None:
        room = (0.0, 0.0, 30.0, 12.0)
        light, heavy = (Label(text, 30, 12, (0, 0, 30, 12), weight, True) for text, weight in (("C1", 1), ("U1", 2)))
        self.assertEqual(set(place_labels([light, heavy], [], room)), {1})

    def test_a_part_with_room_wears_its_label_on_itself(self) -> None:
        label = Label("U7", 20, 12, (50, 50, 60, 40), 1.0, True)
        self.assertEqual(place_labels([label], [], BOUNDS)[0], (70.0, 64.0, 20, 12))
        small = Label("C7", 20, 12, (50, 50, 6, 3), 1.0, True)
        self.assertFalse(meet(place_labels([small], [], BOUNDS)[0], small.around))

    def test_all_candidates_but_the_inner_leave_what_they_name_free(self) -> None:
        for label in some_labels(7, 50):
            outer = [box for box in candidates(label) if not label.inside or box != candidates(label)[0]]
            for box in outer:
                self.assertFalse(meet(box, label.around))

    def test_nothing_to_place(self) -> None:
        self.assertEqual(place_labels([], [], BOUNDS), {})


if __name__ == "__main__":
    unittest.main()
