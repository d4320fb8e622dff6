"""Which functions each hypothesis breaks, and with what chance: noisy-OR over what the fault touches.

Quiet failures have no reading of their own; they speak only through here. J. Pearl, Probabilistic Reasoning in
Intelligent Systems (1988), section 4.3.2, for the noisy-OR.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property

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


@dataclass(frozen=True)
class Breaking:
    """What faults touch of what the functions of one board need. every: needs of each function, in order."""

    board: Board
    every: tuple[Needs, ...]

    @cached_property
    def _joined(self) -> dict[str, frozenset[str]]:
        return joined_nets(self.board)

    @cached_property
    def _feeds(self) -> frozenset[str]:
        return frozenset(net.name for net in self.board.nets if net.role in FEED_ROLES)

    @cached_property
    def _ground(self) -> frozenset[str]:
        return frozenset(net.name for net in self.board.nets if net.role == "ground")

    @cached_property
    def _hits(self) -> dict[str, tuple[Hit | None, ...]]:
        return {}

    def taken_by(self, fault: Fault) -> frozenset[str]:
        """Nets that a short of this fault takes along."""
        return frozenset().union(*(self._joined[net] for net in _nets_of(self.board, fault))) - self._ground

    def hits(self, fault: Fault) -> tuple[Hit | None, ...]:
        """What it touches of each function's needs, whatever its size; None where it touches none. Asked once."""
        if fault.id not in self._hits:
            self._hits[fault.id] = self._hits_of(fault)
        return self._hits[fault.id]

    def _hits_of(self, fault: Fault) -> tuple[Hit | None, ...]:
        nets, taken = _nets_of(self.board, fault), self.taken_by(fault)
        part = self.board.component_by_designator.get(fault.part)
        redundant = part is not None and bool(fault.terminals) and _redundant(self.board, fault.part,
                                                                              fault.terminals[0])
        of, whole, signals = None if part is None else part.kind, not fault.terminals, nets - self._feeds
        load_ohms = self._load_ohms(taken)
        one_chip = part is not None and part.kind is ComponentKind.IC and not part.undescribed

        def hit(needs: Needs) -> Hit | None:
            chip, line = fault.part in needs.parts, not nets.isdisjoint(needs.through)
            joined = not (taken.isdisjoint(needs.through) and taken.isdisjoint(needs.clear))
            if not (chip or line or joined):
                return None
            return Hit(chip, line, joined, line or not (nets.isdisjoint(needs.clear) and nets.isdisjoint(self._feeds)),
                       not signals.isdisjoint(needs.through), of, whole, redundant, chip and one_chip, load_ohms)

        return tuple(hit(needs) for needs in self.every)

    def _load_ohms(self, nets: frozenset[str]) -> float:
        """What good parts have to ground on these nets, all together."""
        siemens = sum(1.0 / terminal.ohms_to_ground for part in self.board.components for terminal in part.terminals
                      if terminal.ohms_to_ground is not None and terminal.net in nets)
        return 1.0 / siemens if siemens else np.inf

    def of(self, fault: Fault, ohms: float) -> np.ndarray:
        """Chance that a fault of this size breaks each function, by all that each needs, (functions,)."""
        if fault.part == UNLISTED_PART:
            return np.array([float(fault.id.removeprefix("else:") in needs.functions) for needs in self.every])
        breaks = KINDS[fault.kind].breaks
        return np.array([0.0 if hit is None else breaks(hit, ohms) for hit in self.hits(fault)])


def breaking(board: Board) -> Breaking:
    """Of a board as its pack has it."""
    return Breaking(board, closed_needs(board))


def function_broken(board: Board, hypotheses: Hypotheses) -> np.ndarray:
    """Chance that each row breaks each function, shape (R, functions)."""
    of_board = breaking(board)
    broken = np.zeros((hypotheses.count, len(of_board.every)))
    broken[SOMETHING_ELSE_ROW] = ELSE_BROKEN
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        broken[row] = of_board.of(fault, float(hypotheses.ohms[row]))
    return broken


@dataclass(frozen=True)
class Spared:
    """Ways in which shorts and leaks leave up what feeds their rails, and yet break something. broken: (W, R,
    functions), what `function_broken` says of those that are broken then; all 0 for rows that can't, or where it makes
    no difference. share: (W, R), how much of what goes that way at all does so."""

    broken: np.ndarray
    share: np.ndarray


def broken_but_feeds(board: Board, hypotheses: Hypotheses, broken: np.ndarray) -> Spared:
    """Three ways. A partial short or a leak leaves up its rail itself: what needs a line through is broken, and what
    needs a rail clear is not. A short leaves up what its rail is made from: only what needs that rail is broken; what
    the rail runs through to, as a chip's supply behind a link, is broken as well half of the time, and else bears it.
    broken: what `function_broken` says, (R, functions)."""
    no_rail_needed = breaking(replace(board, functions=tuple(replace(f, nets_clear=()) for f in board.functions)))
    usual = breaking(board)
    found, share = np.zeros((3, hypotheses.count, len(usual.every))), np.ones((3, hypotheses.count))
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        kind = KINDS[fault.kind]
        if not (kind.may_spare_rail or kind.may_spare_feed):
            continue
        whole, over = broken[row], no_rail_needed.of(fault, float(hypotheses.ohms[row]))
        if kind.may_spare_rail and ((over > 0) != (whole > 0)).any():
            found[0, row] = over
        if kind.may_spare_feed:
            found[1, row] = np.where(_last_on_rail(board, usual.every, usual.taken_by(fault)), whole, 0.0)
            if found[1, row].any() and ((over > 0) & (found[1, row] == 0)).any():
                found[2, row] = np.maximum(found[1, row], over)
                share[1:, row] = 0.5
    return Spared(found, share)


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
    usual, found = breaking(board), broken.copy()
    out = [taken_along(fault, isolated) for fault in hypotheses.faults]
    found[[r for r in range(FIRST_FAULT_ROW, hypotheses.count) if out[int(hypotheses.fault_of_row[r])]]] = 0.0
    for address in sorted(isolated):
        part, _, terminal = address.partition(".")
        kind, terminals = (FaultKind.LIFTED_JOINT, (terminal,)) if terminal else (FaultKind.MISSING_PART, ())
        off = Fault(address, part, kind, terminals, 1.0, ((0.0, 1.0),), tr("taken off"))
        found = 1.0 - (1.0 - found) * (1.0 - usual.of(off, 0.0))
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
