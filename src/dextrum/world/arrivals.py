"""Units as they come in: what is wrong, how it came about, and what the owner says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Board, ComponentKind, Fault, FaultKind
from dextrum.core.faults.listing import enumerate_faults
from dextrum.world.breaks import closed_over, decided
from dextrum.world.meter import WorldMeter, drawn_meter
from dextrum.world.numbers import World
from dextrum.world.sizes import drawn_size
from dextrum.world.unit import Hidden, WorldUnit

FLAT = ("deeply_flat",)
FROM_LIQUID = frozenset({FaultKind.LEAKY_PART, FaultKind.LIFTED_JOINT, FaultKind.PARTIAL_SHORT,
                         FaultKind.QUIET_FAILURE})
FROM_BOTCHING = frozenset({FaultKind.MISSING_PART, FaultKind.BRIDGED_WINDINGS, FaultKind.CROSSED_CONTACTS,
                           FaultKind.LIFTED_JOINT, FaultKind.BRIDGED_PINS, FaultKind.TORN_PAD, FaultKind.WRONG_PART,
                           FaultKind.TURNED_PART})
BY_HANDS_ALONE = frozenset({FaultKind.BRIDGED_PINS, FaultKind.TORN_PAD, FaultKind.WRONG_PART, FaultKind.TURNED_PART})
"""What no unit comes in with that nobody has worked on, unless its pack says so."""
MOST_TRIES = 400
COMPLAINT = "no_charge"
"""What an owner says of a unit with nothing wrong, or with a bad supply."""


@dataclass(frozen=True)
class Arrival:
    """A unit as it comes in, the meter that waits for it, and what the owner says (ids of symptoms)."""

    unit: WorldUnit
    meter: WorldMeter
    present: tuple[str, ...]


def symptoms_of(world: World, unit: WorldUnit, generator: np.random.Generator) -> set[str]:
    """What the owner says of this unit, missed and invented symptoms among it."""
    broken, board = unit.broken(), unit.board
    said: set[str] = set()
    for symptom in board.symptoms:
        silent = 1.0
        for function, weight in symptom.weights.items():
            silent *= 1.0 - weight * (function in broken)
        if unit.cell in FLAT and symptom.flat_cell > 0.5:
            silent *= 1.0 - world.owners.flat_no_start
        if generator.random() < (1.0 - silent) * (1.0 - world.owners.misses):
            said.add(symptom.id)
    if generator.random() < world.owners.invents and board.symptoms:
        said.add(str(generator.choice([s.id for s in board.symptoms])))
    return said


def _tilted(world: World, board: Board, faults: Sequence[Fault], generator: np.random.Generator) -> np.ndarray:
    """How often each fault is met, (F,): the pack's weights, off by part and by kind."""
    parts = {part: world.faults.part_tilt * generator.normal() for part in sorted({f.part for f in faults})}
    kinds = {kind: world.faults.kind_tilt * generator.normal() for kind in FaultKind}
    rated = {(rate.kind, rate.mode) for rate in board.failure_rates}
    of = {part.designator: part.kind for part in board.components}
    weight = np.array([0.0 if f.kind in BY_HANDS_ALONE and (of[f.part], f.kind) not in rated
                       else f.weight * np.exp(parts[f.part] + kinds[f.kind]) for f in faults])
    return np.asarray(weight / weight.sum())


def _place(board: Board, part: str) -> tuple[float, float, str] | None:
    found = board.component_by_designator.get(part)
    return None if found is None else (found.x_mm, found.y_mm, found.side)


def _drawn_faults(world: World, board: Board, faults: Sequence[Fault], chance: np.ndarray,
                  generator: np.random.Generator) -> list[Hidden]:
    numbers, histories = world.faults, world.histories
    count = 1 + int(generator.choice(3, p=(1.0 - min(numbers.two + numbers.three, 1.0), numbers.two, numbers.three)))
    places = [_place(board, f.part) for f in faults]

    def near(x: float, y: float, side: str, reach: float) -> np.ndarray:
        return np.array([p is not None and p[2] == side and np.hypot(p[0] - x, p[1] - y) < reach for p in places])

    taken: list[int] = []
    for _ in range(count):
        weight = chance.copy()
        here = places[taken[0]] if taken else None
        if here is not None and generator.random() < numbers.near_share:
            weight = weight * near(*here, numbers.near_mm)
        weight[[k for k, f in enumerate(faults) if any(f.part == faults[t].part for t in taken)]] = 0.0
        if weight.sum() <= 0:
            break
        taken.append(int(generator.choice(len(weight), p=weight / weight.sum())))
    parts = [c for c in board.components if c.kind is not ComponentKind.RECEPTACLE]
    if parts and generator.random() < histories.liquid:
        centre = parts[int(generator.integers(len(parts)))]
        hit = near(centre.x_mm, centre.y_mm, centre.side, histories.liquid_mm)
        wet = sorted({f.part for f, h in zip(faults, hit, strict=True) if h})
        for part in wet:
            can = [k for k, f in enumerate(faults) if f.part == part and f.kind in FROM_LIQUID]
            if can and generator.random() < histories.liquid_hits:
                taken.append(int(generator.choice(can)))
    if generator.random() < histories.botched:
        can = [k for k, f in enumerate(faults) if f.kind in FROM_BOTCHING]
        if can:
            taken.append(int(generator.choice(can)))
    kept: dict[str, int] = {}
    for k in taken:
        kept.setdefault(faults[k].part, k)
    if generator.random() < histories.port_changed:
        ports = {port.component for port in board.ports}
        joints = [k for k, f in enumerate(faults) if f.part in ports and f.kind is FaultKind.LIFTED_JOINT]
        kept |= {faults[k].id: k for k in joints if generator.random() < histories.port_joint}
    return [(faults[k], drawn_size(board, faults[k], numbers, generator)) for k in dict.fromkeys(kept.values())]


def misplaced_points(world: World, board: Board, seed: int) -> dict[str, str]:
    """Points that the pack has on another net, with the point at whose place they are: the nearest of another net. The
    same for all units of a seed, since they are of one model."""
    generator = np.random.default_rng((seed, 0x0FF))
    points = [p for p in board.points if p.to is None and p.id not in board.port_points]
    found = {}
    for point in points:
        if generator.random() < world.boards.wrong_net:
            others = [p for p in points if p.side is point.side and board.net_of(p.at) != board.net_of(point.at)]
            near = min(others, key=lambda p: float(np.hypot(p.x_mm - point.x_mm, p.y_mm - point.y_mm)), default=None)
            if near is not None:
                found[point.id] = near.id
    return {point: other for point, other in found.items() if other not in found}


def _harmful_size(world: World, board: Board, fault: Fault, generator: np.random.Generator) -> float:
    """A size of a fault that did harm: drawn until one does, as a unit is until it is brought in. Of what hardly ever
    does any, the last one drawn."""
    for _ in range(MOST_TRIES):
        size = drawn_size(board, fault, world.faults, generator)
        if decided(board, fault, size, world.coupling, generator):
            break
    return size


def listed_arrival(world: World, board: Board, faults: Sequence[tuple[str, float | None]], present: Sequence[str],
                   cell: str, bad_gear: bool, seed: tuple[int, ...]) -> Arrival:
    """A unit with named faults, each of which does harm. Ohms of None are drawn from those that do, and so is the cell
    where it is empty; without symptoms the owner says what he would. Raises KeyError for an unknown fault."""
    by_id: Mapping[str, Fault] = {fault.id: fault for fault in enumerate_faults(board)}
    generator = np.random.default_rng((*seed, 2))
    hidden = [(by_id[name], _harmful_size(world, board, by_id[name], generator) if ohms is None else ohms)
              for name, ohms in faults]
    unit = WorldUnit(world, board, hidden, generator, cell=cell, harmful=True,
                     misplaced=misplaced_points(world, board, seed[0]))
    said = set(present) or symptoms_of(world, unit, generator)
    if (bad_gear or not said) and COMPLAINT in board.symptom_by_id:
        said.add(COMPLAINT)
    return Arrival(unit, drawn_meter(world, generator), tuple(s.id for s in board.symptoms if s.id in said))


def arrival(world: World, board: Board, number: int, seed: int) -> Arrival:
    """Unit `number` of a seed; the same each time. How often parts fail is tilted alike for all units of a seed."""
    faults = enumerate_faults(board)
    chance = _tilted(world, board, faults, np.random.default_rng((seed, 0x51AB)))
    generator = np.random.default_rng((seed, number, 1))
    numbers = world.faults
    kind = str(generator.choice(("unlisted", "none", "faulty"), p=(
        numbers.unlisted, numbers.none, 1.0 - numbers.unlisted - numbers.none)))
    leaves = [f.id for f in board.functions if not f.functions]
    left_out = [f for f in faults if f.kind is FaultKind.MISSING_PART
                and board.component_by_designator[f.part].kind is ComponentKind.CAPACITOR]
    misplaced = misplaced_points(world, board, seed)
    for _ in range(MOST_TRIES):
        hidden: list[Hidden] = _drawn_faults(world, board, faults, chance, generator) if kind == "faulty" else []
        unlisted = tuple(sorted(closed_over(board, (str(generator.choice(leaves)),)))) if kind == "unlisted" \
            and leaves else ()
        unit = WorldUnit(world, board, hidden, generator, unlisted, misplaced=misplaced)
        for fault in left_out:
            if generator.random() < world.boards.left_out and fault.part not in unit.ever_faulty:
                unit.never_fitted(fault)
        said = symptoms_of(world, unit, generator)
        if (kind == "none" or generator.random() < world.owners.bad_gear) and COMPLAINT in board.symptom_by_id:
            said.add(COMPLAINT)
        if said and (kind != "faulty" or unit.harmful()):
            break
    return Arrival(unit, drawn_meter(world, generator), tuple(s.id for s in board.symptoms if s.id in said))
