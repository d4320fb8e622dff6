"""What a kind of fault is: where it can be, what it does to the circuit, what it breaks, and how it is seen and mended.

A new kind is one file beside this one, its word in `board.kinds.FaultKind` and its line in `registry`.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterator
from typing import ClassVar, NamedTuple

from dextrum.core.assumptions.looks import CLEAN_PORT
from dextrum.core.board.faults import Fault, signal_of
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit

Sizes = tuple[tuple[float, float], ...]
"""(ohms, share) of each; the shares add up to 1."""
Place = tuple[tuple[str, ...], str]
"""The terminals that one fault is about, and how they are shown; empty: as they are named."""
CERTAIN: Sizes = ((0.0, 1.0),)


class Hit(NamedTuple):
    """What a fault touches of all that one function needs. chip: its part is needed. line: a net is needed through.
    joined: a net it is joined to must be clear or is needed through. feed: a net of it supplies something, or must be
    clear, or is needed through. signal: a net is needed through that feeds nothing. of: the kind of the part, None for
    copper. whole: the part as a whole. redundant: another contact carries the same. pin: of one chip that is needed,
    which what hurt the pin may have hurt elsewhere; what stands for many parts is no such chip. load_ohms: what good
    parts have to ground on the nets that are joined, all together.
    """

    chip: bool
    line: bool
    joined: bool
    feed: bool
    signal: bool
    of: ComponentKind | None
    whole: bool
    redundant: bool
    pin: bool = False
    load_ohms: float = math.inf


class KindOfFault(ABC):
    """One kind of fault.

    words: of one such fault, with {t} for its terminals. quiet: no reading shows it. of_copper: the board's, stays
    when a part is taken off. needs_part: nothing of it is left when the part is off. mended_by: what mends it where a
    pack has no rules. shown: how it shows when the board is looked over, and how often. counted: how often when a few
    parts are compared with the list and photo made before. under: how it shows once its part is off the board, and how
    often. clean_port: chance that the port looks clean although it is there. dirt_hides, loosens: what in a port speaks
    for it. moves_with_plug: the draw then comes and goes with the plug. blows_feeders: it may have taken a fuse or
    filter along. after_fitting: how often, beside the other kinds, joints that did not take look like it. by_heat: how
    often heat does it to a neighbour, beside the others. by_hands: of all that fails of such a part, the share that
    earlier work has made, where a pack has no rate of it: a kind that nothing but work makes. left_by_repair: the
    assumption of how often a repair leaves it. may_spare_rail: it can leave its rail up and disturb only what runs over
    it; may_spare_feed: it can take its rail down, and leave up what that is made from.
    """

    word: ClassVar[FaultKind]
    words: ClassVar[str]
    quiet: ClassVar[bool] = False
    of_copper: ClassVar[bool] = False
    stays_without_part: ClassVar[bool] = False
    mended_by: ClassVar[frozenset[str]] = frozenset({"replace"})
    shown: ClassVar[tuple[str, float]] = ("", 0.0)
    counted: ClassVar[float] = 0.0
    under: ClassVar[tuple[str, float]] = ("", 0.0)
    clean_port: ClassVar[float] = CLEAN_PORT
    dirt_hides: ClassVar[bool] = False
    loosens: ClassVar[bool] = False
    moves_with_plug: ClassVar[bool] = False
    blows_feeders: ClassVar[bool] = False
    after_fitting: ClassVar[float] = 0.0
    by_heat: ClassVar[float] = 0.0
    by_hands: ClassVar[float] = 0.0
    may_spare_rail: ClassVar[bool] = False
    may_spare_feed: ClassVar[bool] = False
    left_by_repair: ClassVar[str] = "repair_fails"

    def sizes(self, of: ComponentKind | None) -> Sizes:
        """The unknown sizes of such a fault on a kind of part."""
        return CERTAIN

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        """Where on a part it can be: by default at each terminal that isn't on ground."""
        live = live_terminals(board, part)
        if part.kind is ComponentKind.CAPACITOR:
            if len(live) == 1:
                yield (live[0],), signal_of(board, part.terminal(live[0]).net)
            elif live:
                yield (part.terminals[0].name, part.terminals[1].name), ""
            return
        for name in live:
            yield (name,), shown_terminal(board, part, name)

    @abstractmethod
    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        """What it does to the circuit. new_node: the number of a node that nothing uses yet."""

    def nanofarads(self, own: float, size: float) -> float:
        """What is left of a capacitor's own capacitance."""
        return own

    @abstractmethod
    def breaks(self, hit: Hit, ohms: float) -> float:
        """Chance that it breaks a function of whose needs it touches this much."""


def live_terminals(board: Board, part: Component) -> list[str]:
    """Names of a part's terminals that are not on ground, in order."""
    return [t.name for t in part.terminals if board.net_by_name[t.net].role != "ground"]


def shown_terminal(board: Board, part: Component, name: str) -> str:
    """'A10 RX2−' for a contact, the signal for a numbered pin, the pin's name for a named one."""
    signal = signal_of(board, part.terminal(name).net)
    if part.kind is ComponentKind.RECEPTACLE:
        return f"{name} {signal}"
    return signal if name.isdigit() or name == signal else f"{name} ({signal})"


def address_of(fault: Fault, place: int = 0) -> str:
    """'PART.TERMINAL' of one of the fault's terminals."""
    return f"{fault.part}.{fault.terminals[place]}"
