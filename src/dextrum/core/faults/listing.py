"""Every way the parts of a board can fail, one by one, with its weight."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board.faults import UNLISTED_PART, Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component, Function, Trace
from dextrum.core.faults.kind import CERTAIN
from dextrum.core.faults.registry import KINDS
from dextrum.core.faults.trace_parts import trace_part
from dextrum.tongue import tr


def enumerate_faults(board: Board) -> tuple[Fault, ...]:
    """All single faults of the board, in a fixed order. Weights are relative."""
    trace_weight = as_stated(board, "trace_weight")
    faults = [fault for part in board.components for fault in _part_faults(board, part)]
    faults.extend(_trace_fault(trace, trace_weight) for trace in board.traces)
    return tuple(faults)


def _part_faults(board: Board, part: Component) -> Iterator[Fault]:
    rates = {rate.mode: rate.weight for rate in board.failure_rates if rate.kind is part.kind}
    every = sum(rates.values())
    # What only work on a board makes, a pack need not rate: it goes by how often such a part fails at all.
    rates |= {word: kind.by_hands * every for word, kind in KINDS.items() if kind.by_hands > 0 and word not in rates}
    for mode, weight in rates.items():
        if weight == 0:
            continue
        kind = KINDS[mode]
        places = list(kind.places(board, part))
        for terminals, shown in places:
            yield Fault(
                id=":".join((part.designator, mode.value, *terminals)), part=part.designator, kind=mode,
                terminals=terminals, weight=weight * part.failure_factor / len(places),
                variants=kind.sizes(part.kind), words=kind.words.format(t=shown or tr(" and ").join(terminals)))


def _trace_fault(trace: Trace, weight: float) -> Fault:
    return Fault(
        id=f"trace:{FaultKind.BROKEN_TRACE.value}:{trace.id}", part=trace_part(trace.id),
        kind=FaultKind.BROKEN_TRACE, terminals=trace.far_terminals, weight=weight, variants=CERTAIN,
        words=trace.words or tr("trace of {net} broken", net=trace.net))


def unlisted_faults(board: Board) -> tuple[Fault, ...]:
    """For every function with needs of its own: that something which no part of the pack explains breaks it, and what
    hangs on it. Half of what nobody lists is taken to be any function's alike, as what runs in a chip; half is copper
    and vias, of which there is the more, the more nets and parts a function needs itself."""
    needs = {f.id: _own_needs(f) or (0 if f.functions else 1) for f in board.functions}
    alike, each = 0.5 / max(sum(own > 0 for own in needs.values()), 1), 0.5 / max(sum(needs.values()), 1)
    return tuple(Fault(f"else:{function.id}", UNLISTED_PART, FaultKind.QUIET_FAILURE, (), alike + each * own, CERTAIN,
                       tr("something that the pack doesn't list breaks: {function}", function=function.words))
                 for function in board.functions if (own := needs[function.id]))


def _own_needs(function: Function) -> int:
    return len(function.parts) + len({*function.nets_through, *function.nets_clear})
