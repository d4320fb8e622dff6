"""Several faults at once: against brute force over every subset, properties, and what pairs explain."""

from __future__ import annotations

import math
import unittest
from collections.abc import Iterable, Mapping
from dataclasses import replace
from itertools import combinations, pairwise, product
from typing import ClassVar
from unittest.mock import patch

import numpy as np

from dextrum.app.advising.assess import assess, explain_part
from dextrum.app.advising.reason_words import beside_words, explanation_words, together_words, weighed_words
from dextrum.core.assumptions.breaking import BREAKS_ONE, FEEDER_COLLATERAL
from dextrum.core.assumptions.looks import SHOWN_BY_MISTAKE
from dextrum.core.assumptions.repairs import REPAIR_FAILS
from dextrum.core.board import Board, FailureRate, FaultKind, Method
from dextrum.core.board.kinds import ComponentKind
from dextrum.core.board.model import Function, Symptom
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import build_circuit
from dextrum.core.circuit.solve import diode_volts, resistance_ohms
from dextrum.core.diagnosis.apart_pairs import weigh_apart
from dextrum.core.diagnosis.apart_prior import ApartPrior, apart_prior
from dextrum.core.diagnosis.board_look import shown_as
from dextrum.core.diagnosis.evidence import Evidence, gather_evidence
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.model import DiagnosisModel, build_model
from dextrum.core.diagnosis.posterior import suspects, weigh_sets
from dextrum.core.diagnosis.witness import SeenWitness, Witness
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.faults.registry import edit_for
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.trail import (
    BoardLook,
    Cell,
    Entry,
    Intake,
    JobOpened,
    PartSeen,
    Payload,
    PointReading,
    Readings,
    Rework,
    Strike,
    Swap,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests import by_hand
from tests.support import DUO, duo_advice, duo_board, fault_named, line_board, replaced, trail_of

RED, OHMS = Method.DIODE_RED_GROUND, Method.RESISTANCE
OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)
OL = math.inf


def small_board() -> Board:
    """The line board with two functions, a symptom, leaky parts and a missing capacitor, so that faults meet."""
    rates = (*line_board().failure_rates, FailureRate(ComponentKind.IC, FaultKind.QUIET_FAILURE, 1.5),
             FailureRate(ComponentKind.IC, FaultKind.PARTIAL_SHORT, 0.7),
             FailureRate(ComponentKind.ESD_ARRAY, FaultKind.HARD_SHORT, 0.4))
    rules = tuple(replace(rule, mends=(*rule.mends, FaultKind.QUIET_FAILURE)) if rule.kind is ComponentKind.IC else rule
                  for rule in line_board().repair_rules)
    return replace(line_board(), failure_rates=rates, repair_rules=rules, share_of_two=0.3, share_of_three=0.1,
                   functions=(
        Function("power", "has power", (), ("IN", "OUT"), ("OUT",)), Function("run", "runs", ("U1",), (), ("CORE",))),
        symptoms=(Symptom("dead", "dead", {"power": 0.8, "run": 0.6}, 0.05),))


Broken = tuple[float, float]
"""How surely 'power' and 'run' are broken."""


def broken_together(by_each: Iterable[Broken]) -> Broken:
    """What several break, each by itself."""
    power = run = 1.0
    for own_power, own_run in by_each:
        power, run = power * (1 - own_power), run * (1 - own_run)
    return 1 - power, 1 - run


class BruteForceSetsTest(unittest.TestCase):
    """Every subset of up to three faults by a full solution of its own; the same posterior to 1e-9."""

    solved: ClassVar[dict[tuple[tuple[int, ...], str, Method], by_hand.Seen]] = {}
    """What each set reads at each point: the board is the same in all of these tests, and each is solved once."""
    alone: ClassVar[dict[tuple[tuple[int, ...], str, Method], float]] = {}

    def setUp(self) -> None:
        self.board = small_board()
        self.model: DiagnosisModel = build_model(self.board, NO_REFERENCES)
        self.circuit = build_circuit(self.board)
        h = self.model.hypotheses
        self.fault = [h.faults[int(f)] if f >= 0 else None for f in h.fault_of_row]
        prior = np.exp(h.log_prior)
        self.share = prior / prior[2:].sum()
        self.mass = float(prior[2:].sum())

    def allowed(self, rows: tuple[int, ...]) -> bool:
        parts = [fault.part for r in rows if (fault := self.fault[r]) is not None]
        return len(set(parts)) == len(parts)

    def factor(self, a: int, b: int) -> float:
        """A blown fuse is likelier where something on one of its nets is shorted."""
        for one, other in ((self.fault[a], self.fault[b]), (self.fault[b], self.fault[a])):
            assert one is not None and other is not None
            nets = {self.board.net_of(f"{other.part}.{t}") for t in other.terminals}
            if one.kind is FaultKind.BLOWN_FUSE and other.kind in (FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT) \
                    and nets & {"IN", "OUT"}:
                return FEEDER_COLLATERAL
        return 1.0

    def priors(self) -> dict[tuple[int, ...], float]:
        rows = range(2, len(self.fault))
        found: dict[tuple[int, ...], float] = {(0,): self.board.prior_nothing,
                                                    (1,): self.board.prior_something_else * (1 - BREAKS_ONE)}
        found |= {(r,): 0.6 * self.mass * float(self.share[r]) for r in rows}
        pairs = {s: float(self.share[list(s)].prod()) * self.factor(*s) for s in combinations(rows, 2)
                 if self.allowed(s)}
        whole = sum(pairs.values())
        found |= {s: 0.3 * self.mass * w / whole for s, w in pairs.items()}
        by_fault: dict[str, float] = {}
        for r in rows:
            fault = self.fault[r]
            assert fault is not None
            by_fault[fault.id] = by_fault.get(fault.id, 0.0) + float(self.share[r])
        triples = sum(a * b * c for a, b, c in combinations(by_fault.values(), 3))
        found |= {s: 0.1 * self.mass * float(self.share[list(s)].prod()) / triples for s in combinations(rows, 3)
                  if self.allowed(s)}
        return found

    def edit(self, rows: tuple[int, ...]) -> Edit:
        edit = Edit()
        for number, r in enumerate(rows):
            fault = self.fault[r]
            if fault is not None:
                edit = edit | edit_for(self.board, self.circuit, fault, float(self.model.hypotheses.ohms[r]), number)
        return edit

    def joins(self, rows: tuple[int, ...]) -> bool:
        """Whether one of them joins IN and OUT, which are one copper, to CORE."""
        return any(fault is not None and fault.kind is FaultKind.BRIDGED_PINS and "CORE" in fault.terminals
                   and {"IN", "OUT"} & set(fault.terminals) and self.model.hypotheses.ohms[r] < 5.0
                   for r in rows for fault in (self.fault[r],))

    def reading(self, rows: tuple[int, ...], point: str, method: Method, value: float, came_with: tuple[int, ...] = (),
                before: tuple[tuple[str, float], ...] = (),
                together: Mapping[tuple[str, Method], float] | None = None) -> float:
        """Likelihood of one reading, by solving the whole network for it. before: what the same copper read when
        everything that it came with was still there; together: all that was read with it."""
        if rows == (1,):
            good = self.reading((0,), point, method, value, (0,) if came_with else (), before)
            return 0.92 * good + 0.08 * by_hand.anything(value, method is RED)
        here = self.expected(rows, point, method).mean
        same = [(then, read) for name, read in before for then, now in (
            (self.expected(came_with, name, method), self.expected(rows, name, method)),)
                if (then.mean == now.mean or abs(then.mean - now.mean) < 0.0005)
                and (now.mean == here or abs(now.mean - here) < 0.004)]
        own = self.learned(same) if before else None
        beside = [(self.expected(rows, name, RED), read) for (name, how), read in (together or {}).items()
                  if name in ("P1", "P2", "U1.IN") and how is RED]
        if not (beside and method is RED and point == "P3" and self.joins(rows)):
            return by_hand.density(self.expected(rows, point, method), value, method is RED, own,
                                   dict(before).get(point))
        others, mine = self.learned(beside), own or (0.0, 0, None)
        return by_hand.density(self.expected(rows, point, method), value, True, own, dict(before).get(point),
                               (others[0] + mine[0], others[1] + mine[1], None))

    @staticmethod
    def learned(same: list[tuple[by_hand.Seen, float]]) -> by_hand.Learned:
        return by_hand.learned(same)

    def expected(self, rows: tuple[int, ...], point: str, method: Method) -> by_hand.Seen:
        """What a set of faults reads at a point, of which there is no known-good reading."""
        key = rows, point, method
        if key not in self.solved:
            self.solved[key] = self.solve(rows, point, method)
        return self.solved[key]

    def solve(self, rows: tuple[int, ...], point: str, method: Method) -> by_hand.Seen:
        """The same by the whole network."""
        values = [self.read_alone(rows, point, method), self.read_alone((), point, method)]
        touched = abs(values[0] - values[1]) > 1e-9 if math.isfinite(values[0]) else values[0] != values[1]
        if method is RED:
            touched = any(self.touches(r, point) for r in rows if r > 1)
        return by_hand.expectation(values[0], values[1], touched, method is RED,
                                   tuple(self.read_alone((row,), point, method) for row in rows))

    def read_alone(self, rows: tuple[int, ...], point: str, method: Method) -> float:
        """What the network of these faults reads; solved once, for every set that asks for it."""
        key = rows, point, method
        if key not in self.alone:
            self.alone[key] = self.reads(self.edit(rows), point, method)
        return self.alone[key]

    def reads(self, edit: Edit, point: str, method: Method) -> float:
        place = self.board.point_by_id[point]
        value = diode_volts(self.circuit, place.at, edit=edit) if method is RED else resistance_ohms(
            self.circuit, place.at, str(place.to), edit)
        return OL if value > (2.5 if method is RED else 5e7) else value

    def breaks(self, row: int) -> np.ndarray:
        """Chance of a row to break 'power' and 'run'."""
        fault, ohms = self.fault[row], float(self.model.hypotheses.ohms[row])
        if fault is None:
            return np.array([0.5, 0.5]) if row == 1 else np.zeros(2)
        if fault.part == "something else":
            return np.array([fault.id == "else:power", fault.id == "else:run"], dtype=float)
        if fault.kind is FaultKind.BRIDGED_PINS:
            # Which of the two functions each pair of pins is in the way of; the fuse joins IN and OUT.
            return np.array([0.9, 0.9] if "IN" in fault.terminals else [0.0, 0.9])
        if fault.kind is FaultKind.WRONG_PART:
            return np.array([0.3, 0.0])
        if fault.terminals == ("CORE",):
            ohms *= 1000.0 / 40.0  # its 40 ohm take as much as a partial short of 40 would, where a line bears a kilohm
        chance = {FaultKind.BLOWN_FUSE: 0.98, FaultKind.HARD_SHORT: 0.98, FaultKind.LIFTED_JOINT: 0.95,
                  FaultKind.QUIET_FAILURE: 1.0, FaultKind.MISSING_PART: 0.0,
                  FaultKind.PARTIAL_SHORT: min(max(1.1 - 0.1 * math.log2(max(ohms, 1.0) / 4.0), 0.3), 0.98)}[fault.kind]
        if fault.terminals == ("CORE",) or fault.kind in (FaultKind.LIFTED_JOINT, FaultKind.QUIET_FAILURE):
            return np.array([0.0, chance])
        # A chip that shorts the rail it hangs on may be dead as well.
        return np.array([chance, 0.2 if fault.part == "U1" and fault.kind is FaultKind.HARD_SHORT else 0.0])

    def mended(self, row: int, part: str) -> bool:
        """Whether replacing a part takes a row's fault away: by the pack."""
        fault = self.fault[row]
        return fault is not None and fault.part == part and fault.kind in kinds_mended(self.board, part, "replace")

    def left_by_repair(self, rows: tuple[int, ...], part: str) -> float:
        """Chance that replacing a part leaves what is wrong with it; 1 where nothing is."""
        kinds = [fault.kind for r in rows if r > 1 and self.mended(r, part) and (fault := self.fault[r]) is not None]
        return math.prod(0.005 if kind is FaultKind.QUIET_FAILURE else REPAIR_FAILS for kind in kinds)

    def touches(self, row: int, point: str) -> bool:
        table = self.model.red_ground
        return bool(table.touched[row, table.column[point]])

    def looked(self, rows: tuple[int, ...], seen: tuple[PartSeen, ...]) -> float:
        """Every fault shows, or doesn't, by itself; what none of them shows was seen by mistake."""
        weight = 1.0
        left = {(s.part, s.what) for s in seen}
        for r in rows:
            fault = self.fault[r]
            what, chance = shown_as(self.board, fault) if fault is not None else ("", 0.0)
            if fault is not None and (fault.part, what) in left:
                weight *= chance
                left.remove((fault.part, what))
            else:
                weight *= 1.0 - chance
        return weight * math.prod(SHOWN_BY_MISTAKE[what] for _, what in left)

    def states(self, row: int) -> list[tuple[float, Broken]]:
        """What a fault breaks once it is decided, with its chance: one draw for both, below the lower chance both."""
        power, run = self.broken[row].tolist()
        if row == 1 or not (power or run):
            return [(1.0, (power, run))]
        levels = [0.0, *sorted({chance for chance in (power, run) if chance > 0})]
        return [*((level - below, (float(power >= level), float(run >= level))) for below, level in pairwise(levels)),
                (1.0 - levels[-1], (0.0, 0.0))]

    def functional(self, rows: tuple[int, ...], mended: str, swaps: tuple[Swap, ...], later: tuple[Swap, ...],
                   taken: bool) -> float:
        """Likelihood of the complaint and of swaps before and after a repair that has taken or not, over all that the
        faults may break."""
        found = 0.0
        stays = [r < 2 or not self.mended(r, mended) for r in rows]
        for states in product(*(self.states_of[r] for r in rows)):
            power, run = broken = broken_together(b for _, b in states)
            left = broken_together(b for stay, (_, b) in zip(stays, states, strict=True) if stay)
            chance = min(max(1 - 0.95 * (1 - 0.8 * power) * (1 - 0.6 * run), 1e-3), 1 - 1e-3)
            chance *= math.prod(self.swapped(broken, swap.gone) for swap in swaps)
            chance *= math.prod(self.swapped(left if taken else broken, swap.gone) for swap in later)
            found += math.prod(w for w, _ in states) * chance
        return found

    def swapped(self, broken: Broken, gone: bool) -> float:
        silent = 0.97 * (1 - 0.8 * broken[0]) * (1 - 0.6 * broken[1])
        return max(silent, 0.03) if gone else 1.0 - max(silent, 0.03)

    def brute(self, seen: dict[tuple[str, Method], float], mended: str = "",
              after: dict[tuple[str, Method], float] | None = None,
              also: tuple[BoardLook | Swap, ...] = (), later: tuple[Swap, ...] = (),
              renewed: str = "U1") -> dict[tuple[int, ...], float]:
        """later: after the repair. renewed: the part that has a junction on IN and OUT."""
        self.broken = [self.breaks(row) for row in range(len(self.fault))]
        self.states_of = [self.states(row) for row in range(len(self.fault))]
        weights = {}
        for rows, prior in self.priors().items():
            weight = prior
            for (point, method), value in seen.items():
                weight *= self.reading(rows, point, method, value, together=seen)
            taken = not_taken = 1.0
            for (point, method), value in (after or {}).items():
                gone = tuple(r for r in rows if r > 1 and self.mended(r, mended))
                left = tuple(r for r in rows if r not in gone) or (0,)
                before = tuple((name, seen[name, method]) for name in ("P1", "P2", "U1.IN") if method is RED
                               and (name, method) in seen and point in ("P1", "P2", "U1.IN") and renewed != mended)
                taken *= self.reading(left, point, method, value, rows, before, after)
                not_taken *= self.reading(rows, point, method, value, rows, before, after)
            for payload in also:
                if isinstance(payload, BoardLook):
                    weight *= self.looked(rows, payload.seen)
            if rows == (0,):
                weight /= 0.05  # it came in for the one thing that there is to say, which shows by itself so often
            swaps = tuple(p for p in also if isinstance(p, Swap))
            # Whether a repair has taken is the same for all that is read and tried since.
            fails = self.left_by_repair(rows, mended)
            weights[rows] = weight * (
                (1 - fails) * taken * self.functional(rows, mended, swaps, later, taken=True)
                + fails * not_taken * self.functional(rows, mended, swaps, later, taken=False))
        total = sum(weights.values())
        return {rows: w / total for rows, w in weights.items()}

    def check(self, seen: dict[tuple[str, Method], float], mended: str = "",
              after: dict[tuple[str, Method], float] | None = None, also: tuple[BoardLook | Swap, ...] = (),
              later: tuple[Swap, ...] = ()) -> None:
        def taken(values: dict[tuple[str, Method], float]) -> list[Readings]:
            return [Readings(m, (PointReading(p, v),), "M1") for (p, m), v in values.items()]

        payloads: list[Payload] = [*taken(seen)]
        if mended:
            payloads += [Rework("replace", mended), *taken(after or {}), *later]
        trail = trail_of(OPENED, Intake("x", ("dead",)), *also, *payloads)
        self.evidence = gather_evidence(self.model, trail)
        found = weigh_sets(self.model, self.evidence, exact=True)
        wanted = self.brute(seen, mended, after, also, later)
        rows = np.zeros(len(self.fault))
        for members, weight in wanted.items():
            rows[list(members)] += weight
        np.testing.assert_allclose(found.rows, rows, rtol=1e-9, atol=1e-12)
        by_set = {tuple(int(r) for r in sorted(s[s != NO_ROW])): float(w)
                  for s, w in zip(found.sets.rows, found.sets.weight, strict=True)}
        for members, weight in wanted.items():
            self.assertAlmostEqual(by_set[members], weight, delta=1e-9)

    def test_nothing_read(self) -> None:
        self.check({})

    def test_healthy_readings(self) -> None:
        self.check({("P1", RED): 0.545, ("P3", RED): 0.04, ("F1.1-2", OHMS): 0.05})

    def test_a_short_behind_a_blown_fuse(self) -> None:
        self.check({("P1", RED): 0.70, ("F1.1-2", OHMS): OL, ("P3", RED): 0.04})
        self.check({("P2", RED): 0.002, ("F1.1-2", OHMS): OL})

    def test_two_shorts_join_what_no_one_of_them_joins(self) -> None:
        self.check({("F1.1-2", OHMS): 0.9, ("P3", RED): 0.001})

    def test_open_everywhere(self) -> None:
        self.check({("P1", RED): OL, ("P3", RED): OL})

    def test_after_a_repair_both_sides_speak(self) -> None:
        self.check({("P1", RED): 0.0, ("P3", RED): 0.04}, "C1", {("P1", RED): 0.55})
        self.check({("P1", RED): 0.0}, "C1", {("P1", RED): 0.0, ("P3", RED): 0.0})
        self.check({("P1", RED): 0.70}, "F1", {("P1", RED): 0.70, ("F1.1-2", OHMS): OL})

    def test_how_far_a_piece_of_copper_is_off_is_known_over_a_repair(self) -> None:
        self.check({("P2", RED): 0.49}, "F1", {("P1", RED): 0.488})
        self.check({("P1", RED): 0.52}, "C1", {("P1", RED): 0.52})
        self.check({("P1", RED): 0.52}, "U1", {("P2", RED): 0.55})

    def test_a_reading_that_a_repair_did_not_move_speaks_for_the_board_and_not_for_the_next_part(self) -> None:
        def nothing_left(*more: Readings | Rework) -> float:
            trail = trail_of(OPENED, Readings(RED, (PointReading("P1", 0.49),), "M1"), *more)
            return float(weigh_sets(self.model, gather_evidence(self.model, trail)).remaining_rows()[0])

        again = Readings(RED, (PointReading("P1", 0.49),), "M1")
        self.assertGreater(nothing_left(Rework("replace", "C1"), again), nothing_left(Rework("replace", "C1")) / 3)
        moved = Readings(RED, (PointReading("P1", 0.56),), "M1")
        self.assertGreater(nothing_left(Rework("replace", "C1"), moved), nothing_left(Rework("replace", "C1"), again))

    def test_whether_a_repair_has_taken_follows_from_what_was_read_since(self) -> None:
        for since in (0.0, 0.04, 0.55):
            again = Readings(RED, (PointReading("P1", since),), "M1")
            self.evidence = gather_evidence(self.model, trail_of(
                OPENED, Readings(RED, (PointReading("P1", 0.0),), "M1"), Rework("replace", "C1"), again))
            found = weigh_sets(self.model, self.evidence, exact=True)
            remains = found.what_remains
            np.testing.assert_allclose(np.bincount(remains.source, remains.share), found.sets.weight, rtol=1e-9)
            np.testing.assert_allclose(np.bincount(remains.place, remains.share), remains.weight, rtol=1e-9)
            checked = 0
            for k, rows in enumerate(found.sets.rows[:256].tolist()):
                fault = self.fault[rows[0]] if rows[0] > 1 else None
                ways = np.flatnonzero(remains.source == k)
                if fault is None or fault.part != "C1" or rows[1] != NO_ROW:
                    continue
                chance = {bool(remains.kept[x, 0]): float(remains.share[x]) for x in ways}
                own = (rows[0],)
                there = self.reading(own, "P1", RED, since, own, (("P1", 0.0),)) * REPAIR_FAILS
                gone = self.reading((0,), "P1", RED, since, own, (("P1", 0.0),)) * (1.0 - REPAIR_FAILS)
                # A copper read twice scatters by a touch more; that a mended part has none of it is left out.
                np.testing.assert_allclose(chance[True] / chance[False], there / gone, rtol=1e-3)
                checked += 1
            self.assertGreater(checked, 1)

    def test_what_is_seen_on_the_board_and_what_a_known_good_thing_shows(self) -> None:
        self.check({("P1", RED): 0.545}, also=(BoardLook("top"),))
        self.check({("P2", RED): 0.002}, also=(BoardLook("top", (PartSeen("C1", "burst"), PartSeen("D1", "missing"))),))
        self.check({("P1", RED): 0.70}, also=(Swap("supply", "dead", False),
                                              BoardLook("top", (PartSeen("F1", "burst"),))))
        self.check({}, also=(Swap("dock", "dead", True),))

    def test_what_a_fault_has_broken_it_breaks_in_all_that_is_tried(self) -> None:
        tried = (Swap("dock", "dead", False), Swap("supply", "dead", False))
        self.check({("P3", RED): 0.03}, also=tried)
        self.check({("P3", RED): 0.03}, "C1", also=tried, later=(Swap("cable", "dead", False),))
        self.check({("P1", RED): 0.52}, "U1", later=(Swap("cable", "dead", True), Swap("dock", "dead", False)))
        self.check({("P3", RED): 0.04}, "U1", {("P1", RED): 0.55}, later=(Swap("dock", "dead", False),))
        alike = Swap("cable", "dead", False)
        evidence = gather_evidence(self.model, trail_of(OPENED, Intake("x", ("dead",)), *tried, alike))
        partial = next(r for r, f in enumerate(self.fault) if f is not None and f.kind is FaultKind.PARTIAL_SHORT)
        first, *again = (float(row[partial] - row[0]) for row in evidence.log_likelihood)
        self.assertGreater(first, 0.5)
        for more in again:  # once it must have broken it, it is as sure as a fault that always does
            self.assertGreater(more, 1.0)

    def test_pruned_and_exact_agree_within_what_is_stated(self) -> None:
        for seen in ({("P1", RED): 0.70, ("F1.1-2", OHMS): OL}, {("P1", RED): 0.545, ("P3", RED): 0.04}):
            trail = trail_of(OPENED, *(Readings(m, (PointReading(p, v),), "M1") for (p, m), v in seen.items()))
            evidence = gather_evidence(self.model, trail)
            exact, quick = weigh_sets(self.model, evidence, exact=True), weigh_sets(self.model, evidence)
            self.assertLess(float(np.abs(exact.rows - quick.rows).max()), 0.02 + quick.approximated)


class LocatedTest(unittest.TestCase):
    """What is added up, and what is solved together, against solving every set on the whole board."""

    def test_sets_on_the_whole_board_are_as_if_each_was_solved(self) -> None:
        model = duo_advice().model
        points = ("J1.B8", "R1.1", "R1.2", "C17.1", "J1.A5", "L2.2")
        rng = np.random.default_rng(8)
        trail = trail_of(OPENED, *(Readings(RED, (PointReading(p, round(float(rng.uniform(0.0, 0.6)), 3)),), "M1")
                                   for p in points), Rework("replace", "U3"),
                         Readings(RED, (PointReading("R1.1", 0.31),), "M1"))
        located = gather_evidence(model, trail).located
        first = rng.choice(len(model.pairs.first), 30, replace=False)
        pairs = np.column_stack([model.pairs.first[first], model.pairs.second[first], np.full(30, NO_ROW)])
        third = rng.integers(2, model.hypotheses.count, 30)
        pairs[::2, 2] = third[::2]
        sets = pairs[[len(set(s[s != NO_ROW].tolist())) == (s != NO_ROW).sum() for s in pairs]]
        alone = np.array([[math.fsum([float(w.rows[r]) - float(w.rows[0]) for r in s if r != NO_ROW])
                           + float(w.rows[0]) for s in sets] for w in located.witnesses])
        solved = np.array([w.of_sets(model, sets) for w in located.witnesses])
        np.testing.assert_allclose(located.of_sets(model, sets), solved.sum(axis=0), rtol=1e-9, atol=1e-9)
        np.testing.assert_allclose(located.together(model, sets), (solved - alone).sum(axis=0), rtol=1e-9, atol=1e-9)
        self.assertGreater(float(np.abs(solved - alone).max()), 0.5)
        quick = located.quick(model, sets)
        self.assertEqual(quick.shape, solved.shape)
        near = np.abs(quick - solved) < 1e-6
        self.assertGreater(float(near.mean()), 0.8)


class CollateralTest(unittest.TestCase):
    """A blown fuse is perhaps only what a short took along; a short is never what the fuse took along."""

    def test_the_direction_is_from_cause_to_effect(self) -> None:
        model = duo_advice().model
        faults = [f.id for f in model.hypotheses.faults]
        caused = model.pairs.caused
        fuse, short = faults.index("F1:blown_fuse:1:2"), faults.index("U1:hard_short:VBUS")
        self.assertTrue(caused[fuse, short])
        self.assertFalse(caused[short, fuse])
        port, filters = faults.index("J1:open_contact:A2"), faults.index("FL1:open_winding:1:2")
        self.assertEqual(bool(caused[filters, port]), True)
        self.assertFalse(caused[port, filters])
        prior = model.pairs.log_prior
        finite = np.isfinite(prior)
        np.testing.assert_array_equal(finite, finite.T)
        np.testing.assert_allclose(prior[finite & finite.T], prior.T[finite & finite.T])

    def test_a_blown_fuse_with_a_short_behind_it_is_told_as_what_the_short_took_along(self) -> None:
        trail = trail_of(OPENED, Readings(RED, (PointReading("F1.1", 0.70), PointReading("F1.2", 0.002)), "M1"),
                         Readings(OHMS, (PointReading("F1.1-2", OL),), "M1"))
        done = assess(duo_advice(), trail)
        fuse = next(s.index for s in done.suspects if s.fault.id == "F1:blown_fuse:1:2")
        self.assertIn(fuse, done.collateral)
        cause, chance = done.collateral[fuse]
        self.assertIn(done.posterior.hypotheses.faults[cause].kind, (FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT))
        self.assertGreater(chance, 0.1)
        words = beside_words(duo_board(), done, fuse)
        self.assertIn("May only be collateral damage", words)
        alone = assess(duo_advice(), trail_of(OPENED, Readings(OHMS, (PointReading("F1.1-2", OL),), "M1"),
                                              Readings(RED, (PointReading("F1.2", 0.52),), "M1")))
        self.assertNotIn("Perhaps only", beside_words(duo_board(), alone, fuse))

    def test_what_would_settle_a_suspect_is_a_point_that_differs_for_it(self) -> None:
        done = assess(duo_advice(), trail_of(OPENED, Intake("no picture", ("no_dock",)),
                                             Readings(RED, (PointReading("J1.A2", OL),), "M1")))
        settles = dict(done.advice.settles)
        self.assertTrue(settles)
        table = duo_advice().outcomes
        of = done.posterior.hypotheses.fault_of_row
        suspected = [int(np.flatnonzero(of == s.index)[0]) for s in done.suspects]
        for fault, point in settles.items():
            own = table.chances[table.place[point]][:, int(np.flatnonzero(of == fault)[0])]
            others = table.chances[table.place[point]][:, [*suspected, 0]]
            self.assertGreater(float(np.abs(own[:, None] - others).max()), 0.5, point)
        self.assertEqual(assess(duo_advice(), trail_of(OPENED), explain=False).advice.settles, ())


class ApartPairsTest(unittest.TestCase):
    """Sums by kind against the plain matrix over all pairs."""

    COUNT = 301

    def matrix(self, generator: np.random.Generator, nothing: float) -> tuple[ApartPrior, np.ndarray]:
        """Priors that are products but for pairs that can't be, and some that are raised."""
        share = np.where(np.arange(self.COUNT) < 2, 0.0, generator.gamma(0.5, 1.0, self.COUNT))
        category = generator.integers(0, 3, self.COUNT)
        factor = np.array([[1.0, 1.0, 1.0], [1.0, 1.0, 5.0], [1.0, 5.0, 1.0]])
        prior = 3e-4 * np.outer(share, share) * factor[np.ix_(category, category)]
        other = np.triu(generator.random((self.COUNT, self.COUNT)), 1)
        prior[(other + other.T) < nothing] = 0.0
        prior[(other + other.T) > 0.99] *= 12.0
        np.fill_diagonal(prior, 0.0)
        with np.errstate(divide="ignore"):
            log_prior = np.log(prior)
        return apart_prior(log_prior, share, category, factor), log_prior

    def check(self, rows: np.ndarray, witnesses: tuple[Witness, ...], shown: np.ndarray, nothing: float = 0.2,
              kinds: int = 5, beyond: float = 2.0) -> None:
        generator = np.random.default_rng(3)
        prior, log_prior = self.matrix(generator, nothing)
        kind = generator.integers(0, kinds, self.COUNT)
        kind[0] = 0
        table = -np.abs(generator.normal(0.0, beyond, (kinds, kinds)))
        table = table + table.T
        evidence = Evidence((), np.vstack([rows, table[kind, 0]]), (), 0, witnesses)
        compared = float(rows.sum(axis=0).max())
        found = weigh_apart(evidence, [(table, kind)], prior, 1e-6, compared, 50)
        own = rows.sum(axis=0) - rows[:, 0].sum()
        later = shown[np.maximum.outer(np.arange(self.COUNT), np.arange(self.COUNT))]
        once = np.where(np.outer(shown != 0, shown != 0), later, 0.0)
        plain = np.exp(log_prior + own[:, None] + own[None, :] + rows[:, 0].sum() + table[np.ix_(kind, kind)] - once
                       - found.top)
        np.testing.assert_allclose(found.sums, plain.sum(axis=1), rtol=1e-8, atol=1e-300)
        self.assertAlmostEqual(found.total / np.triu(plain, 1).sum(), 1.0, delta=1e-9)
        largest = np.sort(np.triu(plain, 1).ravel())[::-1][:50]
        largest = largest[largest > 1e-6 * math.exp(compared - found.top)]
        np.testing.assert_allclose(np.sort(found.weight)[::-1], largest, rtol=1e-8)
        np.testing.assert_allclose(plain[found.first, found.second], found.weight, rtol=1e-8)
        self.assertTrue((found.first < found.second).all())

    def test_flat_and_peaked_evidence(self) -> None:
        generator = np.random.default_rng(5)
        none = np.zeros(self.COUNT)
        self.check(np.zeros((1, self.COUNT)), (), none)
        self.check(generator.normal(0.0, 2.0, (3, self.COUNT)), (), none)
        for best in (40.0, 300.0):  # one row explains nearly all, then far more than single precision could hold
            rows = generator.normal(0.0, 1.0, (2, self.COUNT))
            rows[0, 17], rows[1, 230] = best, 0.5 * best
            self.check(rows, (), none)
            self.check(rows, (), none, nothing=0.6)

    def test_two_that_explain_much_together_and_little_alone_are_listed(self) -> None:
        generator = np.random.default_rng(8)
        none = np.zeros(self.COUNT)
        for beyond in (4.0, 8.0):
            self.check(generator.normal(0.0, 1.5, (2, self.COUNT)), (), none, kinds=60, beyond=beyond)

    def test_what_is_seen_counts_once(self) -> None:
        generator = np.random.default_rng(6)
        shown = np.where(generator.random(self.COUNT) < 0.1, generator.normal(1.5, 1.0, self.COUNT), 0.0)
        shown[:2] = 0.0
        rows = generator.normal(0.0, 1.0, (2, self.COUNT))
        rows[1] = shown
        gone = np.zeros(self.COUNT, dtype=bool)
        self.check(rows, (SeenWitness(gone, shown, shown[None]),), shown)


class PairsOnTheDuoTest(unittest.TestCase):
    def unit(self, *faults: str, seed: int = 1) -> SimulatedBoard:
        known = duo_advice().model.hypotheses.faults
        chosen = [(f := fault_named(known, name), f.variants[0][0]) for name in faults]
        return SimulatedBoard(duo_board(), chosen, np.random.default_rng(seed))

    def trail(self, unit: SimulatedBoard, *points: str) -> tuple[Entry, ...]:
        points = points or tuple(duo_board().port_point_ids())
        taken = tuple(Readings(m, (PointReading(p, unit.read(p, m, METER_M1)),), "M1") for p in points
                      for m in (duo_board().point_by_id[p].default_method,))
        return trail_of(OPENED, Cell("unplugged"), *taken)

    def test_a_ground_here_and_an_open_there_are_two_faults(self) -> None:
        points = (*duo_board().port_point_ids(), "FL3.1-2", "J1.B2", "J1.B5", "FL3.2", "FL3.1")
        trail = self.trail(self.unit("U1:hard_short:CC2", "FL3:open_winding:1:2"), *points)
        model = duo_advice().model
        found = weigh_sets(model, gather_evidence(model, trail))
        self.assertLess(found.something_else, 0.02)
        self.assertEqual(suspects(found)[0].fault.id, "FL3:open_winding:1:2")
        self.assertGreater(suspects(found)[0].probability, 0.9)
        cc2 = sum(s.probability for s in suspects(found) if "CC2" in s.fault.words)
        self.assertGreater(cc2, 0.8)

    def test_a_short_hidden_behind_a_blown_fuse_is_found(self) -> None:
        points = ("J1.A4", "F1.1", "F1.2", "F1.1-2", "C10.1", "C11.1")
        model = duo_advice().model
        trail = self.trail(self.unit("F1:blown_fuse:1:2", "C10:hard_short:1"), *points)
        chance = {s.fault.id: s.probability for s in suspects(weigh_sets(model, gather_evidence(model, trail)), 20)}
        self.assertGreater(chance["F1:blown_fuse:1:2"], 0.9)
        self.assertGreater(sum(p for name, p in chance.items() if "hard_short" in name), 0.9)

    def test_what_sets_of_three_were_left_out_is_not_more_than_is_said(self) -> None:
        model = duo_advice().model
        one = self.unit("FL5:open_winding:3:4")
        two = self.unit("U1:hard_short:CC2", "FL3:open_winding:1:2")
        few = ("J1.A5", "J1.B5", "J1.A2")
        for trail in (self.trail(one, *few), self.trail(one), self.trail(two, *few, "FL3.1-2"), self.trail(two)):
            evidence = gather_evidence(model, trail)
            found = weigh_sets(model, evidence)
            with patch.multiple("dextrum.core.diagnosis.triples", MOST_THIRDS=1199, MOST_TRIPLES=20_000,
                                LEAST_TRIPLE=1e-8), \
                    patch.multiple("dextrum.core.diagnosis.posterior", THIRD_FROM=1e-4, MOST_BASES=100,
                                   MOST_SETS=30_000):
                model.memory.posteriors.clear()  # what is kept was weighed with the narrower bounds
                wider = weigh_sets(model, evidence)
            model.memory.posteriors.clear()
            more = math.exp(wider.log_whole - found.log_whole) - 1.0
            self.assertGreater(more, 1e-5)
            self.assertLess(more, found.left_out)
            self.assertLess(float(np.abs(wider.faults - found.faults).max()), found.left_out)
            self.assertIn("at most", weighed_words(found))

    def test_of_three_faults_all_that_may_be_on_one_rail_are_weighed(self) -> None:
        """Five parts may short one rail and two another, so that ten pairs hold the likelier of the two."""
        model = duo_advice().model
        trail = self.trail(self.unit("U6:hard_short:SW", "C12:hard_short:1", "J1:open_contact:B3"),
                           "J1.B3", "J1.A5", "L4.1", "C33.1", "C27.2", "J1.A10", "C18.1", "C13.1", "C12.1", "L1.1",
                           "J1.B3/tail")
        evidence = gather_evidence(model, trail)
        found = weigh_sets(model, evidence)
        with patch.multiple("dextrum.core.diagnosis.triples", MOST_THIRDS=400, MOST_TRIPLES=20_000,
                            LEAST_TRIPLE=1e-6), \
                patch.multiple("dextrum.core.diagnosis.posterior", THIRD_FROM=1e-4, MOST_BASES=200, MOST_SETS=30_000):
            model.memory.posteriors.clear()
            wider = weigh_sets(model, evidence)
        model.memory.posteriors.clear()
        fault = next(k for k, one in enumerate(model.hypotheses.faults) if one.id == "C12:hard_short:1")
        self.assertGreater(float(wider.faults[fault]), 0.15)
        self.assertAlmostEqual(float(found.faults[fault]), float(wider.faults[fault]), delta=0.03)

    def test_one_fault_is_not_taken_for_two(self) -> None:
        model = duo_advice().model
        found = weigh_sets(model, gather_evidence(model, self.trail(self.unit("FL5:open_winding:3:4"),
                                                                    *duo_board().port_point_ids(), "FL5.3-4")))
        count = (found.sets.rows != NO_ROW).sum(axis=1)
        self.assertGreater(float(found.sets.weight[count == 1].sum()), 0.5)
        self.assertEqual(suspects(found)[0].fault.id, "FL5:open_winding:3:4")

    def test_striking_out_restores_and_same_trail_same_result(self) -> None:
        model = duo_advice().model
        unit = self.unit("U1:hard_short:CC2", "FL3:open_winding:1:2")
        trail = self.trail(unit)
        wild = trail_of(*(OPENED,) * 60, Readings(RED, (PointReading("J1.A10", OL),), "M1"), Strike("e60"))[60:]

        def anew(entries: tuple[Entry, ...]) -> np.ndarray:
            model.memory.posteriors.clear()
            return weigh_sets(model, gather_evidence(model, entries)).rows

        one, two, three = (anew(t) for t in (trail, (*trail, *wild), trail))
        np.testing.assert_allclose(one, two, atol=1e-12)
        np.testing.assert_array_equal(one, three)

    def test_what_is_kept_is_what_would_be_worked_out_anew(self) -> None:
        model = duo_advice().model
        trail = self.trail(self.unit("U1:hard_short:CC2", "FL3:open_winding:1:2"), "FL3.1-2")
        fitted = (*trail, *trail_of(*(OPENED,) * 70, replaced("FL3"))[70:])
        told_nothing = (*fitted, *trail_of(*(OPENED,) * 80, Cell("plugged"))[80:])
        more = (*fitted, *trail_of(*(OPENED,) * 80, Readings(RED, (PointReading("J1.A10", OL),), "M1"))[80:])
        model.memory.posteriors.clear()
        first, again, other, before = (weigh_sets(model, gather_evidence(model, t))
                                       for t in (fitted, told_nothing, more, trail))
        self.assertIs(first.rows, again.rows)
        self.assertIsNot(first.evidence, again.evidence)
        self.assertIsNot(first.rows, other.rows)
        self.assertIsNot(first.rows, before.rows, "what was mended counts")
        self.assertEqual(len(model.memory.posteriors), 3)
        for kept, entries in ((again, told_nothing), (other, more), (before, trail)):
            model.memory.posteriors.clear()
            anew = weigh_sets(model, gather_evidence(model, entries))
            np.testing.assert_array_equal(kept.rows, anew.rows)
            np.testing.assert_array_equal(kept.sets.rows, anew.sets.rows)
            np.testing.assert_array_equal(kept.sets.weight, anew.sets.weight)

    def test_order_does_not_matter(self) -> None:
        model = duo_advice().model
        trail = self.trail(self.unit("U1:hard_short:CC2", "FL3:open_winding:1:2"))
        back = (*trail[:2], *trail[:1:-1])
        one, two = (weigh_sets(model, gather_evidence(model, t)).rows for t in (trail, back))
        np.testing.assert_allclose(one, two, rtol=1e-7, atol=1e-12)

    def test_a_repair_that_clears_one_fault_leaves_the_second(self) -> None:
        model = duo_advice().model
        unit = self.unit("C14:hard_short:1", "FL3:open_winding:1:2")
        points = (*duo_board().port_point_ids(), "FL3.1-2", "FL3.1", "FL3.2")
        before = self.trail(unit, *points)
        unit.mend("C14", "replace")
        after = [Readings(m, (PointReading(p, unit.read(p, m, METER_M1)),), "M1") for p in ("J1.B5", "J1.B2", "FL3.1-2")
                 for m in (duo_board().point_by_id[p].default_method,)]
        trail = trail_of(*(e.payload for e in before), Rework("replace", "C14"), *after)
        found = weigh_sets(model, gather_evidence(model, trail))
        self.assertLess(float(found.remaining_rows()[0]), 0.05)
        left = found.hypotheses.per_fault(found.remaining_rows())
        best = found.hypotheses.faults[int(np.argmax(left))]
        self.assertEqual(best.id, "FL3:open_winding:1:2")
        self.assertGreater(float(left.max()), 0.9)

    def test_what_is_likeliest_together_is_said_and_one_fault_is_not(self) -> None:
        model = duo_advice().model
        points = (*duo_board().port_point_ids(), "FL3.1-2", "FL3.2", "C14.1")
        two = self.trail(self.unit("U1:hard_short:CC2", "FL3:open_winding:1:2"), *points)
        one = self.trail(self.unit("FL3:open_winding:1:2"), *points)
        said = together_words(weigh_sets(model, gather_evidence(model, two)))
        self.assertIn("Most likely together", said)
        self.assertIn("FL3", said)
        self.assertEqual(together_words(weigh_sets(model, gather_evidence(model, one))), "")

    def test_why_not_a_part_names_what_speaks_against_it_and_what_would_settle_it(self) -> None:
        trail = self.trail(self.unit("FL3:open_winding:1:2"), *duo_board().port_point_ids())
        done = assess(duo_advice(), trail)
        found = explain_part(duo_advice(), done, "fl3")
        assert found.suspect is not None
        self.assertEqual(found.suspect.fault.part, "FL3")
        self.assertTrue(any(r.log_odds > 1.0 and r.items[0].subject == "J1.B2" for r in found.reasons))
        self.assertTrue(found.settles.startswith("FL3"), found.settles)
        title, lines = explanation_words(duo_board(), explain_part(duo_advice(), done, "U1"))
        self.assertIn("Why not U1", title)
        self.assertTrue(lines)
        self.assertIsNone(explain_part(duo_advice(), done, "X99").suspect)

    def test_chances_are_chances(self) -> None:
        model = duo_advice().model
        found = weigh_sets(model, gather_evidence(model, self.trail(self.unit("U3:hard_short:RX2P"))))
        self.assertAlmostEqual(float(found.sets.weight.sum()), 1.0)
        self.assertTrue(bool((found.rows >= 0).all() and (found.faults <= 1.0 + 1e-9).all()))


if __name__ == "__main__":
    unittest.main()
