"""Which functions each hypothesis breaks, and with what chance: noisy-OR over what the fault touches.

Quiet failures have no reading of their own; they speak only through here. J. Pearl, Probabilistic Reasoning in
Intelligent Systems (1988), section 4.3.2, for the noisy-OR.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.board import UNLISTED_PART, Board, ComponentKind, Fault, FaultKind
from dextrum.core.board.kinds import FEED_ROLES, SERIES_KINDS
from dextrum.core.circuit.isolation import Isolated, taken_along
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, SOMETHING_ELSE_ROW, Hypotheses
from dextrum.core.draw.states import states_of, used_class

SURE = 0.98
REDUNDANT_CONTACT = 0.03
MISSING_CAPACITOR = 0.08
MISSING_PULL_UP = 0.6
CROSSED = 0.9
LEAK_AT_A_KILOHM = 0.5
"""Chance that a leak of a kilohm disturbs a function; falls with its current."""
ELSE_BROKEN = 0.5
LOW_OHMS = 1.0
CHIP_PIN, SIGNAL_PIN = 0.95, 0.2
"""Chance that a chip's lifted pin breaks what needs the chip and the pin's line, or a feed; and what needs the line
alone, by way of another chip that waits for this one's answer."""
ODD_DRAW = 0.01
"""Chance of a draw that has nothing to do with what is broken: a plug half in, a meter read at a wrong moment, a fault
that is away just then. One such draw must not clear a part, nor convict one, for good."""


@dataclass(frozen=True)
class Needs:
    """All that one function needs, with what the functions it needs need."""

    parts: frozenset[str]
    through: frozenset[str]
    clear: frozenset[str]
    functions: frozenset[str]

    @staticmethod
    def together(needs: Iterable[Needs]) -> Needs:
        """All that any of them needs."""
        every = [NO_NEEDS, *needs]
        return Needs(frozenset().union(*(n.parts for n in every)), frozenset().union(*(n.through for n in every)),
                     frozenset().union(*(n.clear for n in every)), frozenset().union(*(n.functions for n in every)))


NO_NEEDS = Needs(frozenset(), frozenset(), frozenset(), frozenset())


def closed_needs(board: Board) -> tuple[Needs, ...]:
    """Needs of every function of the board, in order."""
    by_id = {function.id: function for function in board.functions}
    memo: dict[str, Needs] = {}

    def needs(name: str) -> Needs:
        if name not in memo:
            own = by_id[name]
            itself = Needs(frozenset(own.parts), frozenset(own.nets_through), frozenset(own.nets_clear),
                           frozenset({name}))
            memo[name] = Needs.together([itself, *(needs(other) for other in own.functions)])
        return memo[name]

    return tuple(needs(function.id) for function in board.functions)


def joined_nets(board: Board) -> dict[str, frozenset[str]]:
    """Nets that a short on the key takes along: joined through less than an ohm of links and coils."""
    root = {net.name: net.name for net in board.nets}

    def find(name: str) -> str:
        while root[name] != name:
            name = root[name]
        return name

    for part in board.components:
        if part.kind is ComponentKind.RECEPTACLE or (part.ohms if part.ohms is not None else 0) >= LOW_OHMS:
            continue
        for one, two in part.lines:
            root[find(part.terminal(one).net)] = find(part.terminal(two).net)
    groups: dict[str, set[str]] = {}
    for net in root:
        groups.setdefault(find(net), set()).add(net)
    return {net: frozenset(groups[find(net)]) for net in root}


def _short_severity(kind: FaultKind, ohms: float) -> float:
    if kind is FaultKind.PARTIAL_SHORT:
        return float(np.clip(1.1 - 0.1 * np.log2(max(ohms, 1.0) / 4.0), 0.3, SURE))
    if kind is FaultKind.LEAKY_PART:
        return float(np.clip(LEAK_AT_A_KILOHM * 1000.0 / max(ohms, 1.0), 0.02, SURE))
    return {FaultKind.CROSSED_CONTACTS: CROSSED,
            FaultKind.BRIDGED_WINDINGS: CROSSED}.get(kind, SURE)


def _redundant(board: Board, part: str, contact: str) -> bool:
    return any(port.component == part and any(contact in group and len(group) > 1 for group in port.one_node)
               for port in board.ports)


def _open_severity(board: Board, fault: Fault) -> float:
    if fault.kind is FaultKind.BROKEN_TRACE:
        return SURE
    kind = board.component_by_designator[fault.part].kind
    if kind is ComponentKind.RECEPTACLE:
        if not fault.terminals:
            return SURE  # the whole receptacle is off the board
        return REDUNDANT_CONTACT if _redundant(board, fault.part, fault.terminals[0]) else SURE
    if kind is ComponentKind.RESISTOR:
        return MISSING_PULL_UP
    if kind is ComponentKind.CAPACITOR:
        return MISSING_CAPACITOR
    return SURE if kind in SERIES_KINDS else 0.0


def _nets_of(board: Board, fault: Fault) -> frozenset[str]:
    if fault.kind is FaultKind.BROKEN_TRACE:
        return frozenset(board.net_of(address) for address in fault.terminals)
    part = board.component_by_designator[fault.part]
    names = fault.terminals or tuple(t.name for t in part.terminals)
    return frozenset(part.terminal(name).net for name in names)


_OPENS = frozenset({FaultKind.OPEN_CONTACT, FaultKind.LIFTED_JOINT, FaultKind.BLOWN_FUSE,
                    FaultKind.OPEN_WINDING, FaultKind.MISSING_PART, FaultKind.BROKEN_TRACE})


def _broken_by(board: Board, fault: Fault, ohms: float, needs: Needs,
               joined: dict[str, frozenset[str]]) -> float:
    if fault.kind is FaultKind.QUIET_FAILURE:
        return 1.0 if fault.part in needs.parts else 0.0
    nets = _nets_of(board, fault)
    if fault.kind not in _OPENS:
        taken = frozenset().union(*(joined[net] for net in nets)) - {
            net.name for net in board.nets if net.role == "ground"}
        return _short_severity(fault.kind, ohms) if taken & (needs.through | needs.clear) else 0.0
    if fault.part in needs.parts and fault.kind is FaultKind.MISSING_PART:
        return SURE
    is_chip = (fault.kind is FaultKind.LIFTED_JOINT
               and board.component_by_designator[fault.part].kind is ComponentKind.IC)
    if is_chip:
        # A chip without one of its supply pins, or of the pins it supplies others from, does nothing.
        feeds = {net.name for net in board.nets if net.role in FEED_ROLES}
        hit = fault.part in needs.parts and bool(nets & (needs.through | needs.clear | feeds))
        return CHIP_PIN if hit else SIGNAL_PIN if nets & needs.through - feeds else 0.0
    return _open_severity(board, fault) if nets & needs.through else 0.0


def function_broken(board: Board, hypotheses: Hypotheses) -> np.ndarray:
    """Chance that each row breaks each function, shape (R, functions)."""
    every = closed_needs(board)
    joined = joined_nets(board)
    broken = np.zeros((hypotheses.count, len(every)))
    broken[SOMETHING_ELSE_ROW] = ELSE_BROKEN
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        if fault.part == UNLISTED_PART:
            broken[row] = [float(fault.id.removeprefix("else:") in needs.functions) for needs in every]
            continue
        for column, needs in enumerate(every):
            broken[row, column] = _broken_by(board, fault, float(hypotheses.ohms[row]), needs, joined)
    return broken


def broken_but_feeds(board: Board, hypotheses: Hypotheses) -> np.ndarray:
    """As `function_broken` for partial shorts and leaks that leave their rails up: what needs a line through is broken,
    what needs a rail clear is not, (R, functions). All 0 for other rows, and where that makes no difference."""
    every = closed_needs(replace(board, functions=tuple(replace(f, nets_clear=()) for f in board.functions)))
    usual, joined = closed_needs(board), joined_nets(board)
    found = np.zeros((hypotheses.count, len(every)))
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        if fault.kind not in (FaultKind.PARTIAL_SHORT, FaultKind.LEAKY_PART):
            continue
        ohms = float(hypotheses.ohms[row])
        own = np.array([_broken_by(board, fault, ohms, needs, joined) for needs in every])
        whole = np.array([_broken_by(board, fault, ohms, needs, joined) for needs in usual])
        if own.any() and ((own > 0) != (whole > 0)).any():
            found[row] = own
    return found


def broken_while_isolated(board: Board, hypotheses: Hypotheses, broken: np.ndarray, isolated: Isolated) -> np.ndarray:
    """What each row breaks while parts are off, (R, functions): what needs them, and no longer what they broke."""
    every, joined = closed_needs(board), joined_nets(board)
    found = broken.copy()
    out = [taken_along(fault, isolated) for fault in hypotheses.faults]
    found[[r for r in range(FIRST_FAULT_ROW, hypotheses.count) if out[int(hypotheses.fault_of_row[r])]]] = 0.0
    for address in sorted(isolated):
        part, _, terminal = address.partition(".")
        kind, terminals = (FaultKind.LIFTED_JOINT, (terminal,)) if terminal else (FaultKind.MISSING_PART, ())
        off = Fault(address, part, kind, terminals, 1.0, ((0.0, 1.0),), "taken off")
        lost = np.array([_broken_by(board, off, 0.0, needs, joined) for needs in every])
        found = 1.0 - (1.0 - found) * (1.0 - lost)
    return found


def symptom_chance(board: Board, broken: np.ndarray, symptom_id: str, flat: float = 0.0) -> np.ndarray:
    """Chance that the symptom shows under each row, shape (R,). flat: chance that the cell was flat."""
    symptom = board.symptom_by_id[symptom_id]
    column = board.function_order
    silent = np.full(broken.shape[0], (1.0 - symptom.leak) * (1.0 - symptom.flat_cell * flat))
    for name, weight in symptom.weights.items():
        silent *= 1.0 - weight * broken[:, column[name]]
    return 1.0 - silent


def state_chances(board: Board, broken: np.ndarray, orientation: str, supply_class: str = "") -> np.ndarray:
    """Chance of each draw state in the first minutes (and 'unknown', last) under each row, shape (R, S + 1)."""
    used = used_class(board, supply_class)
    states = {state.id: i for i, state in enumerate(states_of(board, used))}
    unknown = len(states)
    column = board.function_order
    chances = np.zeros((unknown + 1, broken.shape[0]))
    left = np.ones(broken.shape[0])
    for outcome in board.draw_outcomes:
        if outcome.supply_class != used:
            continue
        name = outcome.broken.replace("{o}", orientation)
        taken = left * broken[:, column[name]] if name else left
        for state, chance in outcome.states.items():
            chances[states.get(state, unknown)] += taken * chance
        left = left - taken
    chances[unknown] += np.maximum(left, 0.0)
    return np.asarray(((1.0 - ODD_DRAW) * chances + ODD_DRAW / len(chances)).T)
