"""Which functions each hypothesis breaks, and with what chance: noisy-OR over what the fault touches.

Quiet failures have no reading of their own; they speak only through here. J. Pearl, Probabilistic Reasoning in
Intelligent Systems (1988), section 4.3.2, for the noisy-OR.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.assumptions.breaking import ELSE_BROKEN, LOW_OHMS
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import UNLISTED_PART, Board, ComponentKind, Fault, FaultKind
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, SOMETHING_ELSE_ROW, Hypotheses
from dextrum.core.draw.states import states_of, used_class
from dextrum.core.faults.kind import Hit
from dextrum.core.faults.registry import KINDS
from dextrum.core.faults.taken_along import taken_along
from dextrum.tongue import tr


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


def _redundant(board: Board, part: str, contact: str) -> bool:
    return any(port.component == part and any(contact in group and len(group) > 1 for group in port.one_node)
               for port in board.ports)


def _nets_of(board: Board, fault: Fault) -> frozenset[str]:
    if KINDS[fault.kind].of_copper:
        return frozenset(board.net_of(address) for address in fault.terminals)
    part = board.component_by_designator[fault.part]
    names = fault.terminals or tuple(t.name for t in part.terminals)
    return frozenset(part.terminal(name).net for name in names)


def _broken_by(board: Board, fault: Fault, ohms: float, every: Iterable[Needs],
               joined: dict[str, frozenset[str]]) -> np.ndarray:
    """Chance that a fault of this size breaks each function, by all that each needs."""
    nets = _nets_of(board, fault)
    part = board.component_by_designator.get(fault.part)
    redundant = part is not None and bool(fault.terminals) and _redundant(board, fault.part, fault.terminals[0])
    taken = _taken_by(board, fault, joined)
    feeds = {net.name for net in board.nets if net.role in FEED_ROLES}
    kind, of, whole = KINDS[fault.kind], None if part is None else part.kind, not fault.terminals
    one_chip = part is not None and part.kind is ComponentKind.IC and not part.undescribed

    def chance(needs: Needs) -> float:
        chip, line = fault.part in needs.parts, nets & needs.through
        joined = not taken.isdisjoint(needs.through) or not taken.isdisjoint(needs.clear)
        if not (chip or line or joined):
            return 0.0
        return kind.breaks(Hit(chip, bool(line), joined, bool(nets & (needs.through | needs.clear | feeds)),
                               bool(line - feeds), of, whole, redundant, chip and one_chip), ohms)

    return np.array([chance(needs) for needs in every])


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
        broken[row] = _broken_by(board, fault, float(hypotheses.ohms[row]), every, joined)
    return broken


def broken_but_feeds(board: Board, hypotheses: Hypotheses, broken: np.ndarray) -> np.ndarray:
    """As `function_broken` for shorts and leaks that leave up what feeds their rails, (R, functions): a partial one its
    rail itself, so that what needs a line through is broken and what needs a rail clear is not; else a short what the
    rail is made from, so that only what needs that rail is broken. All 0 for other rows, and where that makes no
    difference. broken: what `function_broken` says, (R, functions)."""
    every = closed_needs(replace(board, functions=tuple(replace(f, nets_clear=()) for f in board.functions)))
    usual, joined = closed_needs(board), joined_nets(board)
    found = np.zeros((hypotheses.count, len(every)))
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        kind = KINDS[fault.kind]
        if not (kind.may_spare_rail or kind.may_spare_feed):
            continue
        whole = broken[row]
        if kind.may_spare_rail:
            own = _broken_by(board, fault, float(hypotheses.ohms[row]), every, joined)
            if own.any() and ((own > 0) != (whole > 0)).any():
                found[row] = own
                continue
        if kind.may_spare_feed:
            found[row] = np.where(_last_on_rail(board, usual, _taken_by(board, fault, joined)), whole, 0.0)
    return found


def _taken_by(board: Board, fault: Fault, joined: dict[str, frozenset[str]]) -> frozenset[str]:
    """Nets that a short of this fault takes along."""
    return frozenset().union(*(joined[net] for net in _nets_of(board, fault))) - {
        net.name for net in board.nets if net.role == "ground"}


def _last_on_rail(board: Board, usual: tuple[Needs, ...], taken: frozenset[str]) -> np.ndarray:
    """Functions that a short of these nets breaks though what feeds them holds, (functions,): those that need one of
    the nets clear themselves and that none other of these needs, and what needs them. None where no function that needs
    them clear is needed by another that does: then nothing tells what feeds the rail from the rail."""
    direct = {f.id for f in board.functions if not taken.isdisjoint(f.nets_clear)}
    feeds = {other for f, needs in zip(board.functions, usual, strict=True) if f.id in direct
             for other in needs.functions & direct if other != f.id}
    rest = direct - feeds
    return np.array([bool(feeds) and not rest.isdisjoint(needs.functions) for needs in usual], dtype=bool)


def broken_while_isolated(board: Board, hypotheses: Hypotheses, broken: np.ndarray, isolated: Isolated) -> np.ndarray:
    """What each row breaks while parts are off, (R, functions): what needs them, and no longer what they broke."""
    every, joined = closed_needs(board), joined_nets(board)
    found = broken.copy()
    out = [taken_along(fault, isolated) for fault in hypotheses.faults]
    found[[r for r in range(FIRST_FAULT_ROW, hypotheses.count) if out[int(hypotheses.fault_of_row[r])]]] = 0.0
    for address in sorted(isolated):
        part, _, terminal = address.partition(".")
        kind, terminals = (FaultKind.LIFTED_JOINT, (terminal,)) if terminal else (FaultKind.MISSING_PART, ())
        off = Fault(address, part, kind, terminals, 1.0, ((0.0, 1.0),), tr("taken off"))
        lost = _broken_by(board, off, 0.0, every, joined)
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
    odd = as_stated(board, "odd_draw")
    return np.asarray(((1.0 - odd) * chances + odd / len(chances)).T)
