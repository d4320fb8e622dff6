"""The unpowered board as a small DC network: resistances, junctions to ground, and nothing else.

Capacitors are open. Ground is not a path, so the network falls apart into islands (`islands.py`).
Node names: 'net:CC1' for copper, 'J1.A5' for a port contact's surface, 'J1.A5/tail' for its tail.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from dextrum.core.board import Board, Component, ComponentKind, Method
from dextrum.core.circuit.junction import log_saturation_current

GROUND = -1
CONTACT_OHMS = 0.02
JOINT_OHMS = 0.003
DEFAULT_OHMS = {
    ComponentKind.FUSE: 0.05, ComponentKind.LINK: 0.02, ComponentKind.INDUCTOR: 0.06,
    ComponentKind.FILTER: 0.6, ComponentKind.RESISTOR: 1000.0,
}


@dataclass(frozen=True)
class Resistance:
    """Between nodes a and b (either may be GROUND). owner: 'PART.TERMINAL', 'PART.1-2' or 'PART.A5/joint'."""

    part: str
    owner: str
    a: int
    b: int
    ohms: float


@dataclass(frozen=True)
class Junction:
    """From a node to ground; natural logs of the saturation current, None where nothing conducts."""

    part: str
    owner: str
    node: int
    log_is_red_ground: float | None
    log_is_black_ground: float | None


@dataclass(frozen=True)
class Circuit:
    """nodes: names by index. address_node: 'PART.TERMINAL' (and tails, '@NET') to node index."""

    nodes: tuple[str, ...]
    resistances: tuple[Resistance, ...]
    junctions: tuple[Junction, ...]
    address_node: Mapping[str, int]

    @cached_property
    def resistances_at(self) -> Mapping[int, tuple[int, ...]]:
        """Node to the indices of the resistances that end on it."""
        table: dict[int, list[int]] = {}
        for index, r in enumerate(self.resistances):
            for node in {r.a, r.b} - {GROUND}:
                table.setdefault(node, []).append(index)
        return {node: tuple(found) for node, found in table.items()}

    @cached_property
    def ends(self) -> tuple[tuple[int, int, float], ...]:
        """Of each resistance, as (a, b, ohms)."""
        return tuple((r.a, r.b, r.ohms) for r in self.resistances)

    @cached_property
    def _logs(self) -> tuple[tuple[float | None, ...], tuple[float | None, ...]]:
        return (tuple(junction.log_is_red_ground for junction in self.junctions),
                tuple(junction.log_is_black_ground for junction in self.junctions))

    def logs(self, method: Method) -> tuple[float | None, ...]:
        """Of each junction, in the polarity of a method, the log of the saturation current; None where it blocks."""
        return self._logs[method is Method.DIODE_BLACK_GROUND]

    @cached_property
    def junctions_at(self) -> Mapping[int, tuple[int, ...]]:
        table: dict[int, list[int]] = {}
        for index, junction in enumerate(self.junctions):
            if junction.node != GROUND:
                table.setdefault(junction.node, []).append(index)
        return {node: tuple(found) for node, found in table.items()}

    @cached_property
    def resistances_of_part(self) -> Mapping[str, tuple[int, ...]]:
        table: dict[str, list[int]] = {}
        for index, r in enumerate(self.resistances):
            table.setdefault(r.part, []).append(index)
        return {part: tuple(found) for part, found in table.items()}

    @cached_property
    def junctions_of_part(self) -> Mapping[str, tuple[int, ...]]:
        table: dict[str, list[int]] = {}
        for index, junction in enumerate(self.junctions):
            table.setdefault(junction.part, []).append(index)
        return {part: tuple(found) for part, found in table.items()}


class _Builder:
    def __init__(self, board: Board) -> None:
        self.board = board
        self.nodes: list[str] = []
        self.address_node: dict[str, int] = {}
        self.resistances: list[Resistance] = []
        self.junctions: list[Junction] = []
        for net in board.nets:
            self.address_node[f"@{net.name}"] = GROUND if net.role == "ground" else self.node(
                f"net:{net.name}")

    def node(self, name: str) -> int:
        self.nodes.append(name)
        return len(self.nodes) - 1

    def add(self, part: Component) -> None:
        if part.kind is ComponentKind.RECEPTACLE:
            self._receptacle(part)
            return
        for terminal in part.terminals:
            address = f"{part.designator}.{terminal.name}"
            node = self.address_node[f"@{terminal.net}"]
            self.address_node[address] = node
            if node == GROUND:
                continue
            if terminal.junction_volts is not None or terminal.forward_volts is not None:
                self.junctions.append(Junction(
                    part.designator, address, node,
                    None if terminal.junction_volts is None
                    else log_saturation_current(terminal.junction_volts),
                    None if terminal.forward_volts is None
                    else log_saturation_current(terminal.forward_volts)))
            if terminal.ohms_to_ground is not None:
                self.resistances.append(Resistance(part.designator, address, node, GROUND,
                                                   terminal.ohms_to_ground))
        ohms = part.ohms if part.ohms is not None else DEFAULT_OHMS.get(part.kind, 0.02)
        for one, two in part.lines:
            a = self.address_node[f"{part.designator}.{one}"]
            b = self.address_node[f"{part.designator}.{two}"]
            if a != b:
                self.resistances.append(Resistance(part.designator, f"{part.designator}.{one}-{two}", a, b,
                                                   max(ohms, 1e-3)))

    def _receptacle(self, part: Component) -> None:
        for terminal in part.terminals:
            address = f"{part.designator}.{terminal.name}"
            contact = self.address_node[address] = self.node(address)
            tail = self.address_node[f"{address}/tail"] = self.node(f"{address}/tail")
            net = self.address_node[f"@{terminal.net}"]
            self.resistances.append(Resistance(part.designator, f"{address}/contact", contact, tail,
                                               CONTACT_OHMS))
            self.resistances.append(Resistance(part.designator, f"{address}/joint", tail, net, JOINT_OHMS))


def build_circuit(board: Board) -> Circuit:
    """The healthy network of a board, with the pack's own junction values."""
    builder = _Builder(board)
    for part in board.components:
        builder.add(part)
    return Circuit(tuple(builder.nodes), tuple(builder.resistances), tuple(builder.junctions),
                   builder.address_node)


def with_shifts(circuit: Circuit, log_is_shift: np.ndarray, log_is_shift_black: np.ndarray,
                log_ohms_shift: np.ndarray) -> Circuit:
    """The circuit with ln(Is) of junctions and ln(ohms) of resistances moved, one number each.

    Shapes: (junctions,), (junctions,), (resistances,).
    """
    junctions = tuple(
        replace(j,
                log_is_red_ground=None if j.log_is_red_ground is None else j.log_is_red_ground + float(s),
                log_is_black_ground=None if j.log_is_black_ground is None
                else j.log_is_black_ground + float(t))
        for j, s, t in zip(circuit.junctions, log_is_shift, log_is_shift_black, strict=True))
    resistances = tuple(replace(r, ohms=r.ohms * float(np.exp(s)))
                        for r, s in zip(circuit.resistances, log_ohms_shift, strict=True))
    return Circuit(circuit.nodes, resistances, junctions, circuit.address_node)
