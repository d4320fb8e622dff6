"""Every way the parts of a board can fail, one by one, with its prior.

A fault names the part, the kind and the terminals it is about. Variants are the unknown sizes of the same
fault (a partial short of 20, 80 or 300 ohms), each with a share.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component, Trace

HARD_OHMS = ((0.3, 0.6), (3.0, 0.4))
PARTIAL_OHMS = ((25.0, 0.35), (90.0, 0.35), (320.0, 0.3))
LEAKY_OHMS = ((1500.0, 0.5), (6000.0, 0.5))
LEAKY_ESD_OHMS = ((1500.0, 0.4), (6000.0, 0.35), (300.0, 0.25))
"""An array is not said to be partly shorted, so its leaks begin lower."""
CERTAIN = ((0.0, 1.0),)


@dataclass(frozen=True)
class Fault:
    """One fault. variants: (ohms of the fault, share); the shares add up to 1."""

    id: str
    part: str
    kind: FaultKind
    terminals: tuple[str, ...]
    weight: float
    variants: tuple[tuple[float, float], ...]
    words: str


_WORDS = {
    FaultKind.OPEN_CONTACT: "{t} does not touch",
    FaultKind.LIFTED_JOINT: "joint of {t} lifted",
    FaultKind.CROSSED_CONTACTS: "contacts {t} crossed",
    FaultKind.SHELL_CONTACT: "{t} touches the shell",
    FaultKind.BLOWN_FUSE: "blown",
    FaultKind.OPEN_WINDING: "line {t} open",
    FaultKind.BRIDGED_WINDINGS: "its two lines are bridged",
    FaultKind.HARD_SHORT: "{t} shorted",
    FaultKind.PARTIAL_SHORT: "{t} partly shorted",
    FaultKind.LEAKY_PART: "{t} leaks to ground",
    FaultKind.MISSING_PART: "missing or knocked off",
    FaultKind.BROKEN_TRACE: "trace broken",
    FaultKind.QUIET_FAILURE: "dead, though it reads well",
}


def _variants(kind: FaultKind, of: ComponentKind | None) -> tuple[tuple[float, float], ...]:
    if kind is FaultKind.LEAKY_PART and of is ComponentKind.ESD_ARRAY:
        return LEAKY_ESD_OHMS
    if kind in (FaultKind.HARD_SHORT, FaultKind.CROSSED_CONTACTS, FaultKind.SHELL_CONTACT,
                FaultKind.BRIDGED_WINDINGS):
        return HARD_OHMS
    if kind is FaultKind.PARTIAL_SHORT:
        return PARTIAL_OHMS
    if kind is FaultKind.LEAKY_PART:
        return LEAKY_OHMS
    return CERTAIN


def _make(part: Component, kind: FaultKind, terminals: tuple[str, ...], weight: float, shown: str = "") -> Fault:
    return Fault(
        id=":".join((part.designator, kind.value, *terminals)),
        part=part.designator, kind=kind, terminals=terminals, weight=weight, variants=_variants(kind, part.kind),
        words=_WORDS[kind].format(t=shown or " and ".join(terminals)),
    )


def _on_ground(board: Board, part: Component, terminal: str) -> bool:
    return board.net_by_name[part.terminal(terminal).net].role == "ground"


def signal_of(board: Board, net: str) -> str:
    """The port's name for a net that reaches it ('RX2-'), the net's own name for others."""
    for port in board.ports:
        for contact in port.contacts:
            if board.net_of(f"{port.component}.{contact.name}") == net:
                return contact.signal
    return net


def _shown_terminal(board: Board, part: Component, name: str) -> str:
    """'A10 RX2-' for a contact, the signal for a numbered pin, the pin's name for a named one."""
    signal = signal_of(board, part.terminal(name).net)
    if part.kind is ComponentKind.RECEPTACLE:
        return f"{name} {signal}"
    return signal if name.isdigit() or name == signal else f"{name} ({signal})"


def _terminal_sets(board: Board, part: Component, kind: FaultKind) -> Iterator[tuple[tuple[str, ...], str]]:
    """The terminals that each fault of this kind on this part is about, and how they are shown."""
    live = [t.name for t in part.terminals if not _on_ground(board, part, t.name)]
    if kind in (FaultKind.OPEN_WINDING, FaultKind.BLOWN_FUSE, FaultKind.BRIDGED_WINDINGS):
        if kind is FaultKind.BRIDGED_WINDINGS:
            yield ((part.lines[0][0], part.lines[1][0]), "")
            return
        for number, line in enumerate(part.lines, start=1):
            yield (line, f"{number} ({signal_of(board, part.terminal(line[0]).net)})")
    elif kind is FaultKind.CROSSED_CONTACTS:
        names = {t.name for t in part.terminals}
        for row in sorted({name[0] for name in names}):
            places = sorted(int(name[1:]) for name in names if name[0] == row and name[1:].isdigit())
            for a, b in pairwise(places):
                one, two = f"{row}{a}", f"{row}{b}"
                if b == a + 1 and part.terminal(one).net != part.terminal(two).net:
                    yield ((one, two), "")
    elif kind in (FaultKind.QUIET_FAILURE, FaultKind.MISSING_PART):
        yield ((), "")
    elif part.kind is ComponentKind.CAPACITOR:
        if kind is FaultKind.LIFTED_JOINT:
            yield ((live[0] if live else part.terminals[0].name,), "")
        elif len(live) == 1:
            yield ((live[0],), signal_of(board, part.terminal(live[0]).net))
        elif live:
            yield ((part.terminals[0].name, part.terminals[1].name), "")
    else:
        for name in live:
            yield ((name,), _shown_terminal(board, part, name))


def _part_faults(board: Board, part: Component) -> Iterator[Fault]:
    for rate in board.failure_rates:
        if rate.kind is not part.kind or rate.weight == 0:
            continue
        if rate.mode in (FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT) and part.kind is ComponentKind.IC:
            has_junction = {t.name for t in part.terminals
                            if t.junction_volts is not None or t.ohms_to_ground is not None}
        else:
            has_junction = None
        sets = [(ts, shown) for ts, shown in _terminal_sets(board, part, rate.mode)
                if has_junction is None or not ts or ts[0] in has_junction]
        for terminals, shown in sets:
            share = rate.weight * part.failure_factor / len(sets)
            yield _make(part, rate.mode, terminals, share, shown)


def _trace_fault(trace: Trace, weight: float) -> Fault:
    return Fault(
        id=f"trace:{FaultKind.BROKEN_TRACE.value}:{trace.id}", part=f"trace {trace.id}",
        kind=FaultKind.BROKEN_TRACE, terminals=trace.far_terminals, weight=weight, variants=CERTAIN,
        words=trace.words or f"trace of {trace.net} broken",
    )


def enumerate_faults(board: Board, trace_weight: float = 0.3) -> tuple[Fault, ...]:
    """All single faults of the board, in a fixed order. Weights are relative; see `fault_priors`."""
    faults = [fault for part in board.components for fault in _part_faults(board, part)]
    faults.extend(_trace_fault(trace, trace_weight) for trace in board.traces)
    return tuple(faults)


UNLISTED_PART = "something else"


def unlisted_faults(board: Board) -> tuple[Fault, ...]:
    """For every function with needs of its own: that something which no part of the pack explains breaks it, and what
    hangs on it."""
    return tuple(Fault(f"else:{function.id}", UNLISTED_PART, FaultKind.QUIET_FAILURE, (), 1.0, CERTAIN,
                       f"something that the pack doesn't list breaks: {function.words}")
                 for function in board.functions
                 if not function.functions or function.parts or function.nets_through or function.nets_clear)
