"""The order of several repairs: never worse than any other order, what must come first does, big heat first."""

from __future__ import annotations

import random
import unittest
from dataclasses import replace
from itertools import permutations

from dextrum.app.rework.recipes import RecipeBook
from dextrum.app.rework.solved_reach import SolvedReach
from dextrum.core.assumptions.repairs import FAR_SIDE_SOFTENED
from dextrum.core.diagnosis.heat_reach import ReachByDistance
from dextrum.core.rework.order import MOST_EXACT, Repair, best_order, cost_of
from dextrum.core.rework.plan import covers, ordered, saving_words
from tests.support import duo_board


def some(seed: int, count: int) -> list[Repair]:
    draw = random.Random(seed)
    made = [Repair(f"P{k}", draw.choice(("top", "bottom")), draw.uniform(0, 60), draw.uniform(0, 40),
                   draw.choice((4.0, 10.0, 25.0)), draw.choice((1.0, 3.0, 9.0)), draw.random() < 0.2)
            for k in range(count)]
    if count > 2 and draw.random() < 0.5:
        made[2] = Repair(**{**made[2].__dict__, "after": frozenset({made[0].part})})
    return made


class SoftenedTest(unittest.TestCase):
    """What heat softens decides where it was reckoned, and distance where not."""

    def test_what_is_far_but_soft_comes_after_and_what_is_near_but_hard_need_not(self) -> None:
        small = Repair("C1", "top", 0.0, 0.0, 5.0, 1.0)
        big = Repair("J1", "top", 20.0, 0.0, 22.0, 9.0)
        self.assertEqual(cost_of([small, big]).again, 1)
        self.assertEqual(cost_of([small, replace(big, softens=frozenset())]).again, 0)
        far = replace(big, x_mm=90.0, softens=frozenset({"C1"}))
        self.assertEqual(cost_of([small, far]).again, 1)
        self.assertEqual([r.part for r in best_order([small, far])], ["J1", "C1"])


class SolvedReachTest(unittest.TestCase):
    def test_what_softens_lies_near_and_far_sides_count_less(self) -> None:
        board = duo_board()
        heated = board.component_by_designator["U3"]
        found = SolvedReach(board).softened("U3")
        away = {name: ((board.component_by_designator[name].x_mm - heated.x_mm) ** 2
                       + (board.component_by_designator[name].y_mm - heated.y_mm) ** 2) ** 0.5 for name in found}
        self.assertGreater(len(found), 5)
        self.assertLess(max(away.values()), 25.0)
        same = sorted((n for n in found if board.component_by_designator[n].side is heated.side), key=away.__getitem__)
        self.assertGreater(found[same[0]], found[same[-1]])
        far = [chance for name, chance in found.items() if board.component_by_designator[name].side is not heated.side]
        self.assertTrue(far)
        self.assertLessEqual(max(far), FAR_SIDE_SOFTENED)

    def test_a_small_nozzle_reaches_less_than_a_ports_circles(self) -> None:
        reach = SolvedReach(duo_board())
        circles = sum(reach.softened("J1", "replace", "port-leaded").values())
        self.assertLess(sum(reach.softened("D5").values()), circles)

    def test_low_melting_alloy_softens_fewer_neighbours(self) -> None:
        reach = SolvedReach(duo_board())
        self.assertLess(sum(reach.softened("J1", "replace", "port-low-melting").values()),
                        sum(reach.softened("J1", "replace", "port-leaded").values()))

    def test_without_sizes_or_hot_air_what_lies_near_counts(self) -> None:
        board = duo_board()
        bare = replace(board, outline_mm=())
        self.assertEqual(dict(SolvedReach(bare).softened("U3")), dict(ReachByDistance(bare).softened("U3")))
        near = dict(ReachByDistance(board).softened("FL5"))
        self.assertEqual(dict(SolvedReach(board).softened("FL5", "wire")), near)
        self.assertEqual(dict(SolvedReach(board).softened("no such part")), {})

    def test_a_trace_reaches_nothing(self) -> None:
        self.assertEqual(dict(SolvedReach(duo_board()).softened("trace VCHG", "wire")), {})


class OrderTest(unittest.TestCase):
    def test_no_order_is_cheaper(self) -> None:
        for seed in range(60):
            repairs = some(seed, random.Random(seed).randrange(2, 7))
            cheapest = min(cost_of(order).weight for order in permutations(repairs))
            found = best_order(repairs)
            self.assertEqual(cost_of(found).weight, cheapest, seed)
            self.assertEqual(sorted(r.part for r in found), sorted(r.part for r in repairs))

    def test_big_heat_comes_before_the_small_part_beside_it(self) -> None:
        filter_, port = Repair("FL1", "top", 10, 10, 4, 1), Repair("J1", "top", 22, 10, 25, 9)
        self.assertEqual([r.part for r in best_order([filter_, port])], ["J1", "FL1"])
        self.assertEqual(cost_of([filter_, port]).again, 1)
        self.assertEqual(cost_of([port, filter_]).again, 0)

    def test_the_board_is_turned_once(self) -> None:
        far = [Repair(f"C{k}", "top" if k % 2 else "bottom", 20.0 * k, 0, 3, 1) for k in range(6)]
        self.assertEqual(cost_of(best_order(far)).turns, 1)
        self.assertEqual(cost_of(far).turns, 5)

    def test_what_must_be_measured_first_is_never_covered(self) -> None:
        chip = Repair("U1", "top", 0, 0, 20, 5, after=frozenset({"C1"}))
        under = Repair("C1", "top", 1, 0, 3, 1)
        self.assertEqual([r.part for r in best_order([chip, under])], ["C1", "U1"])
        with self.assertRaises(ValueError):
            best_order([chip, Repair("C1", "top", 1, 0, 3, 1, after=frozenset({"U1"}))])

    def test_what_lies_under_another_part_is_done_before_it(self) -> None:
        recipes = RecipeBook().recipes
        chip = duo_board().component_by_designator["U1"]
        under = replace(duo_board().component_by_designator["C14"], x_mm=chip.x_mm + 1.0, y_mm=chip.y_mm)
        board = replace(duo_board(), components=tuple(under if c.designator == "C14" else c
                                                      for c in duo_board().components))
        wished = [("U1", recipes["chip-braided"]), ("C14", recipes["small-part"])]
        self.assertFalse(covers(duo_board(), "U1", "C14"))
        self.assertTrue(covers(board, "U1", "C14"))
        best, cost, typed = ordered(board, wished)
        self.assertEqual([part for part, _ in best], ["C14", "U1"])
        self.assertEqual((cost.forbidden, typed.forbidden), (0, 1))
        self.assertIn("measured first", saving_words(cost, typed))
        moved = tuple(replace(p, x_mm=chip.x_mm, y_mm=chip.y_mm) if p.part == "C14" else p for p in duo_board().points)
        self.assertTrue(covers(replace(duo_board(), points=moved), "U1", "C14"), "where it is measured counts too")
        self.assertEqual(next(part for part, _ in ordered(duo_board(), wished)[0]), "U1")

    def test_one_and_none_and_equals_stay_as_typed(self) -> None:
        self.assertEqual(best_order([]), ())
        one = Repair("F1", "top", 0, 0, 3, 1)
        self.assertEqual(best_order([one]), (one,))
        same = [Repair(f"C{k}", "top", 30.0 * k, 0, 3, 1) for k in range(4)]
        self.assertEqual(list(best_order(same)), same)

    def test_ten_are_ordered_at_once_and_the_eleventh_stays_last(self) -> None:
        repairs = some(3, MOST_EXACT + 1)
        found = best_order(repairs)
        self.assertEqual(found[-1], repairs[-1])
        self.assertLessEqual(cost_of(found[:MOST_EXACT]).weight, cost_of(repairs[:MOST_EXACT]).weight)


if __name__ == "__main__":
    unittest.main()
