"""Nets found by probing: few touches, bad ones among them, contradictions named, and what carries through divided."""

from __future__ import annotations

import math
import unittest
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np

from dextrum.core.board import Board, ComponentKind, Method
from dextrum.core.circuit.network import DEFAULT_OHMS, build_circuit
from dextrum.core.circuit.solve import diode_volts
from dextrum.core.packmaking.netting import Ask, Placed, Touch, contradictions, divided, netting
from tests.support import DUO, LEAF, LONG, ORB, library

BEEPS_OHMS = 2.0
CARRIES = (ComponentKind.FUSE, ComponentKind.LINK, ComponentKind.INDUCTOR, ComponentKind.FILTER)


def beeping(board: Board) -> dict[str, str]:
    """Each terminal to the name of what beeps with it: copper, and what carries through."""
    root = {net.name: net.name for net in board.nets}

    def find(net: str) -> str:
        while root[net] != net:
            net = root[net]
        return net

    for part in board.components:
        ohms = part.ohms if part.ohms is not None else DEFAULT_OHMS.get(part.kind, 1e3)
        if part.kind is not ComponentKind.RECEPTACLE and ohms < BEEPS_OHMS:
            for one, two in part.lines:
                root[find(part.terminal(one).net)] = find(part.terminal(two).net)
    return {f"{p.designator}.{t.name}": find(t.net) for p in board.components for t in p.terminals}


def placed(board: Board) -> Placed:
    places = {f"{p.designator}.{t.name}": (p.x_mm + (k - len(p.terminals) / 2) * p.width_mm / len(p.terminals), p.y_mm)
              for p in board.components for k, t in enumerate(p.terminals)}
    through = {}
    for part in board.components:
        for one, two in part.lines if part.kind in CARRIES else ():
            through[f"{part.designator}.{one}"] = f"{part.designator}.{two}"
            through[f"{part.designator}.{two}"] = f"{part.designator}.{one}"
    for port in board.ports:
        for group in port.one_node:
            through.update({f"{port.component}.{other}": f"{port.component}.{group[0]}" for other in group[1:]})
    return Placed(places, through)


@cache
def volts(pack_id: str) -> dict[str, float]:
    board = library().board(pack_id)
    circuit = build_circuit(board)
    return {at: diode_volts(circuit, at, Method.DIODE_RED_GROUND) for at in beeping(board)}


@dataclass
class Probed:
    """touches: all of them, readings among them. wrong: points among others; split: nets too many."""

    points: int
    touches: int
    wrong: int
    split: int
    nets: int


class Prober:
    """A hand at a board of a pack: three in a hundred touches read open."""

    def __init__(self, pack_id: str, seed: int, bad: float = 0.03) -> None:
        self.board = library().board(pack_id)
        self.truth, self.volts = beeping(self.board), volts(pack_id)
        self.draw, self.bad, self.count = np.random.default_rng(seed), bad, 0

    def read(self, point: str) -> float:
        for _ in range(2):  # what reads open is read again, as anybody does
            self.count += 1
            true = self.volts[point]
            if true <= 2.5 and self.draw.random() >= self.bad:
                return max(0.0, round(true * (1.0 + 0.001 * self.draw.normal()) + 0.001 * self.draw.normal(), 3))
        return math.inf

    def beeps(self, one: str, other: str) -> bool:
        self.count += 1
        same = self.truth[one] == self.truth[other]
        return bool(same and self.draw.random() >= self.bad)

    def told(self, nets: list[tuple[str, ...]]) -> Probed:
        wrong = 0
        for net in nets:
            names = [self.truth[point] for point in net]
            wrong += sum(name != max(set(names), key=names.count) for name in names)
        there = len(set(self.truth.values()))
        return Probed(len(self.truth), self.count, wrong, len(nets) - there, there)


def by_asking(pack_id: str, seed: int) -> Probed:
    hand = Prober(pack_id, seed)
    points = sorted(hand.truth, key=lambda _p: hand.draw.random())
    where = placed(hand.board)
    readings: dict[str, float] = {}
    touches: list[Touch] = []
    while (ask := (now := netting(points, readings, touches, where)).ask) is not None:
        if not ask.other:
            readings[ask.one] = hand.read(ask.one)
        else:
            touches.append(Touch(ask.one, ask.other, hand.beeps(ask.one, ask.other)))
    return hand.told(list(now.nets))


def in_fixed_order(pack_id: str, seed: int) -> Probed:
    """Each point against one of each net found so far, until it beeps; nothing is read."""
    hand = Prober(pack_id, seed)
    nets: list[list[str]] = []
    for point in sorted(hand.truth):
        found = next((net for net in nets if hand.beeps(point, net[0])), None)
        if found is None:
            nets.append([point])
        else:
            found.append(point)
    return hand.told([tuple(net) for net in nets])


class ProbingTest(unittest.TestCase):
    def together(self, way: Callable[[str, int], Probed], packs: tuple[str, ...], seeds: range) -> list[Probed]:
        return [way(pack, seed) for pack in packs for seed in seeds]

    def test_three_touches_a_point_and_no_net_in_two_hundred_wrong(self) -> None:
        found = self.together(by_asking, (ORB, LEAF), range(30, 50 if LONG else 40))
        for one in found:
            self.assertLessEqual(one.touches / one.points, 3.0)
        self.assertLessEqual(sum(one.wrong + abs(one.split) for one in found) / sum(one.nets for one in found), 0.005)

    def test_far_fewer_touches_than_a_fixed_order_or_all_pairs(self) -> None:
        for pack in (ORB, LEAF):
            asked, fixed = by_asking(pack, 7), in_fixed_order(pack, 7)
            self.assertLess(asked.touches, 0.6 * fixed.touches, pack)
            self.assertLess(asked.touches, 0.1 * asked.points * (asked.points - 1) / 2, pack)
            self.assertGreater(fixed.wrong + fixed.split, 0, "a bad touch makes a net of its own there")

    @unittest.skipUnless(LONG, "a study: ./dextrum test --long")
    def test_a_board_with_sixteen_lanes_alike(self) -> None:
        found = self.together(by_asking, (DUO,), range(2))
        for one in found:
            self.assertLessEqual(one.touches / one.points, 5.0)  # three are aimed at; sixteen nets here read alike
        self.assertLessEqual(sum(one.wrong + abs(one.split) for one in found), 1)


class AskTest(unittest.TestCase):
    def test_first_everything_is_read_then_look_alikes_are_touched(self) -> None:
        self.assertEqual(netting(["A", "B"], {}).ask, Ask("A"))
        self.assertEqual(netting(["A", "B"], {"A": 0.5}).ask, Ask("B"))
        apart = netting(["A", "B"], {"A": 0.5, "B": 0.7})
        self.assertEqual((apart.nets, apart.ask), ((("A",), ("B",)), None))
        alike = netting(["A", "B"], {"A": 0.5, "B": 0.5})
        self.assertEqual(alike.ask, Ask("B", "A"))
        self.assertEqual(netting(["A", "B"], {"A": 0.5, "B": 0.5}, [Touch("A", "B", True)]).nets, (("A", "B"),))

    def test_one_open_touch_is_not_believed(self) -> None:
        readings = {"A": 0.5, "B": 0.5}
        once = [Touch("A", "B", False)]
        self.assertEqual(netting(["A", "B"], readings, once).ask, Ask("B", "A"))
        self.assertEqual(netting(["A", "B"], readings, once * 3).nets, (("A",), ("B",)))

    def test_nothing_placed_nothing_read_and_all_open(self) -> None:
        self.assertEqual(netting([], {}).nets, ())
        self.assertIsNotNone(netting(["A", "B"], {"A": math.inf, "B": math.inf}).ask)

    def test_the_other_end_of_a_coil_is_tried_first(self) -> None:
        readings = {"C1.1": 0.5, "L1.1": 0.5, "L1.2": 0.5}
        through = Placed({}, {"L1.2": "L1.1", "L1.1": "L1.2"})
        ask = netting(list(readings), readings, [Touch("C1.1", "L1.1", True)], through).ask
        self.assertEqual(ask, Ask("L1.2", "L1.1"))


class ContradictionTest(unittest.TestCase):
    def test_three_touches_are_named_and_the_open_one_is_asked_for(self) -> None:
        ab, bc, ac = Touch("A", "B", True), Touch("B", "C", True), Touch("A", "C", False)
        found = contradictions([ab, bc, ac])
        self.assertEqual(len(found), 1)
        self.assertEqual((set(found[0].path), found[0].opened, found[0].again), ({ab, bc}, ac, ac))

    def test_open_twice_asks_for_a_joint_and_a_beep_settles_it(self) -> None:
        ab, bc, ac = Touch("A", "B", True), Touch("B", "C", True), Touch("A", "C", False)
        self.assertIn(contradictions([ab, bc, ac, ac])[0].again, (ab, bc))
        self.assertEqual(contradictions([ab, bc, ac, Touch("A", "C", True)]), ())
        self.assertEqual(contradictions([ab, bc, ac, ac, Touch("B", "C", False), Touch("B", "C", False)]), ())

    def test_a_long_way_round_and_none_at_all(self) -> None:
        chain = [Touch(f"P{k}", f"P{k + 1}", True) for k in range(9)]
        self.assertEqual(len(contradictions([*chain, Touch("P0", "P9", False)])[0].path), 9)
        self.assertEqual(contradictions([*chain, Touch("P0", "Q", False)]), ())


class DividedTest(unittest.TestCase):
    def test_points_go_to_the_nearer_end(self) -> None:
        places = {"L1.1": (0.0, 0.0), "L1.2": (4.0, 0.0), "C1.1": (-2.0, 0.0), "C2.1": (6.0, 1.0)}
        self.assertEqual(set(divided(places, [("L1.1", "L1.2")], places)), {("C1.1", "L1.1"), ("C2.1", "L1.2")})

    def test_two_coils_in_a_row_are_three_nets_and_none_leaves_one(self) -> None:
        places = {"L1.1": (0.0, 0.0), "L1.2": (2.0, 0.0), "L2.1": (4.0, 0.0), "L2.2": (6.0, 0.0), "C1.1": (7.0, 0.0)}
        found = divided(places, [("L1.1", "L1.2"), ("L2.1", "L2.2")], places)
        self.assertEqual(sorted(len(net) for net in found)[-1] + len(found), 5 if len(found) == 2 else len(found) + 2)
        self.assertEqual(divided(["A", "B"], [], {}), (("A", "B"),))
