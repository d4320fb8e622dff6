"""What a fault breaks in this world: decided once for every fault, function by function.

Each function that the fault's copper or part serves breaks with a chance that goes by the fault's kind and size; the
decisions hang together through one normal variable a fault (Gaussian copula: P. X.-K. Song, Multivariate dispersion
models generated from Gaussian copula, Scandinavian Journal of Statistics 27, 2000). What needs a broken function is
broken as well.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from dextrum.core.board import UNLISTED_PART, Board, ComponentKind, Fault, FaultKind, NetRole
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.world.numbers import Coupling

OPENS = frozenset({FaultKind.OPEN_CONTACT, FaultKind.LIFTED_JOINT, FaultKind.BLOWN_FUSE, FaultKind.OPEN_WINDING,
                   FaultKind.MISSING_PART, FaultKind.BROKEN_TRACE, FaultKind.TORN_PAD})
BRIDGES = frozenset({FaultKind.CROSSED_CONTACTS, FaultKind.BRIDGED_WINDINGS, FaultKind.BRIDGED_PINS})


def closed_over(board: Board, broken: Iterable[str]) -> frozenset[str]:
    """The functions, and all that need one of them."""
    lost = set(broken)
    while more := {f.id for f in board.functions if f.id not in lost and lost & set(f.functions)}:
        lost |= more
    return frozenset(lost)


def felt_with(board: Board, net: str, through_ohms: float) -> frozenset[str]:
    """Nets that a short on this one pulls down too, through parts of less than so many ohms."""
    found, edge = {net}, [net]
    while edge:
        here = edge.pop()
        for part in board.components:
            if part.kind is ComponentKind.RECEPTACLE or part.ohms is None or part.ohms >= through_ohms:
                continue
            for one, two in part.lines:
                ends = {part.terminal(one).net, part.terminal(two).net}
                if here in ends:
                    for other in ends - found:
                        found.add(other)
                        edge.append(other)
    return frozenset(n for n in found if board.net_by_name[n].role is not NetRole.GROUND)


def nets_of(board: Board, fault: Fault) -> frozenset[str]:
    """The nets a fault is about."""
    if fault.kind is FaultKind.BROKEN_TRACE:
        return frozenset(board.net_of(address) for address in fault.terminals)
    part = board.component_by_designator[fault.part]
    return frozenset(part.terminal(name).net for name in fault.terminals or tuple(t.name for t in part.terminals))


def carried_ohms(board: Board, nets: Iterable[str]) -> float:
    """Ohms to ground of what sits on these nets by design, in parallel: what feeds them is made for at least that."""
    on = set(nets)
    currents = [1.0 / pin.ohms_to_ground for part in board.components for pin in part.terminals
                if pin.net in on and pin.ohms_to_ground]
    return 1.0 / sum(currents) if currents else float("inf")


def _by_ohms(ohms: float, half: float, slope: float) -> float:
    return float(1.0 / (1.0 + (max(ohms, 1e-2) / half) ** slope))


def _open_chance(board: Board, fault: Fault, numbers: Coupling) -> float:
    if fault.kind is FaultKind.BROKEN_TRACE:
        return numbers.sure
    part = board.component_by_designator[fault.part]
    if part.kind is ComponentKind.RECEPTACLE and fault.terminals:
        shared = any(port.component == fault.part and len(group) > 1 and fault.terminals[0] in group
                     for port in board.ports for group in port.one_node)
        return numbers.redundant_contact if shared else numbers.sure
    return {ComponentKind.RESISTOR: numbers.pull_up, ComponentKind.CAPACITOR: numbers.capacitor}.get(
        part.kind, 0.0 if part.kind is ComponentKind.ESD_ARRAY else numbers.sure)


def chances_to_break(board: Board, fault: Fault, ohms: float, numbers: Coupling) -> dict[str, float]:
    """Function id to the chance that this fault breaks it by itself; those that can't be are left out."""
    found: dict[str, float] = {}
    if fault.part == UNLISTED_PART:
        return {fault.id.removeprefix("else:"): 1.0}
    nets = nets_of(board, fault)
    short = frozenset[str]() if fault.kind in OPENS or fault.kind is FaultKind.WRONG_PART else frozenset().union(
        *(felt_with(board, net, numbers.felt_ohms) for net in nets))
    # A rail that carries more by itself bears more: a fault that takes as much as its loads breaks it half of the time.
    bears = min(carried_ohms(board, short), numbers.half_leak_ohms)
    part = board.component_by_designator.get(fault.part)
    chip = part is not None and part.kind is ComponentKind.IC
    feeds = any(board.net_by_name[net].role in FEED_ROLES for net in nets)
    for function in board.functions:
        through = set(function.nets_through)
        chance = 0.0
        if fault.kind is FaultKind.QUIET_FAILURE:
            chance = 1.0 if fault.part in function.parts else 0.0
        elif fault.kind is FaultKind.WRONG_PART:
            chance = numbers.wrong_value if nets & through else 0.0
        elif fault.kind in (FaultKind.MISSING_PART, FaultKind.TURNED_PART) and fault.part in function.parts:
            chance = numbers.sure
        elif fault.kind is FaultKind.TURNED_PART:
            chance = numbers.crossed if nets & through and not feeds else 0.0
        elif fault.kind is FaultKind.LIFTED_JOINT and chip:
            if fault.part in function.parts:
                chance = numbers.sure if feeds or nets & (through | set(function.nets_clear)) else numbers.other_pin
            elif nets & through and not feeds:
                chance = numbers.other_pin
        elif fault.kind in OPENS:
            chance = _open_chance(board, fault, numbers) if nets & through else 0.0
        elif short & (through | set(function.nets_clear)):
            chance = {FaultKind.PARTIAL_SHORT: _by_ohms(ohms, min(numbers.half_ohms, bears), numbers.slope),
                      FaultKind.LEAKY_PART: _by_ohms(ohms, bears, numbers.slope)}.get(
                fault.kind, numbers.crossed if fault.kind in BRIDGES else numbers.sure)
        if chance > 0.0:
            found[function.id] = chance
    return found


def decided(board: Board, fault: Fault, ohms: float, numbers: Coupling, generator: np.random.Generator) -> frozenset[
        str]:
    """What this fault breaks on this unit, for good, with all that hangs on it."""
    from scipy.special import ndtr

    chances = chances_to_break(board, fault, ohms, numbers)
    common = generator.normal()
    own = generator.normal(size=len(chances))
    level = ndtr(np.sqrt(numbers.together) * common + np.sqrt(1.0 - numbers.together) * own)
    return closed_over(board, (name for (name, chance), u in zip(chances.items(), level, strict=True) if u < chance))
