"""Changes of the network, such as faults make: cut elements, add resistances, move terminals to a node of their own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from dextrum.core.circuit.network import GROUND, Circuit


@dataclass(frozen=True)
class GainedJunction:
    """A junction from an address to ground that wasn't there; logs as in `Junction`."""

    at: str
    log_is_red_ground: float | None
    log_is_black_ground: float | None


@dataclass(frozen=True)
class Edit:
    """A change of a circuit. added: (address, address or None for ground, ohms), so that what is added to a terminal
    goes along where another fault moves that terminal. moved: address to the node it now sits on. gained: junctions
    that come to sit on other pads than their own.

    New nodes are numbered from len(circuit.nodes) on.
    """

    cut_resistances: frozenset[int] = frozenset()
    cut_junctions: frozenset[int] = frozenset()
    added: tuple[tuple[str, str | None, float], ...] = ()
    moved: Mapping[str, int] = field(default_factory=dict)
    gained: tuple[GainedJunction, ...] = ()

    def __or__(self, other: Edit) -> Edit:
        """Both faults at once. Of two moves of one address the later wins."""
        return Edit(self.cut_resistances | other.cut_resistances, self.cut_junctions | other.cut_junctions,
                    self.added + other.added, {**self.moved, **other.moved}, self.gained + other.gained)

    @property
    def conducts(self) -> bool:
        """Whether it changes a resistance or where one ends."""
        return bool(self.cut_resistances or self.added or self.moved)

    def joins(self, circuit: Circuit) -> tuple[tuple[int, int, float], ...]:
        """What is added, as (node, node, ohms), where this edit leaves its ends; GROUND for ground."""
        return tuple((place_of(circuit, self, one), GROUND if other is None else place_of(circuit, self, other), ohms)
                     for one, other, ohms in self.added)

    def touched(self, circuit: Circuit) -> set[int]:
        """Nodes of the healthy circuit, and new ones, at which it changes something."""
        nodes: set[int] = set()
        for index in self.cut_resistances:
            nodes.update((circuit.resistances[index].a, circuit.resistances[index].b))
        nodes.update(circuit.junctions[index].node for index in self.cut_junctions)
        for a, b, _ in self.joins(circuit):
            nodes.update((a, b))
        for address, new in self.moved.items():
            nodes.update((circuit.address_node[address], new))
        nodes.update(place_of(circuit, self, junction.at) for junction in self.gained)
        return nodes - {GROUND}


def place_of(circuit: Circuit, edit: Edit, address: str) -> int:
    """The node an address sits on after the edit; GROUND for ground. Raises KeyError when unknown."""
    return edit.moved.get(address, circuit.address_node[address])


NOTHING = Edit()


def cut_part(circuit: Circuit, part: str) -> Edit:
    """Everything of a part."""
    return Edit(frozenset(circuit.resistances_of_part.get(part, ())),
                frozenset(circuit.junctions_of_part.get(part, ())))


def cut_terminal(circuit: Circuit, part: str, terminal: str) -> Edit:
    """Everything of a part that hangs on one of its terminals."""
    address = f"{part}.{terminal}"
    resistances = set()
    for index in circuit.resistances_of_part.get(part, ()):
        owner = circuit.resistances[index].owner.removeprefix(f"{part}.")
        if owner == terminal or terminal in owner.split("-"):
            resistances.add(index)
    junctions = {index for index in circuit.junctions_of_part.get(part, ())
                 if circuit.junctions[index].owner == address}
    return Edit(frozenset(resistances), frozenset(junctions))


def cut_owner(circuit: Circuit, part: str, owner: str) -> Edit:
    """One resistance of a part, by what it belongs to."""
    return Edit(frozenset(index for index in circuit.resistances_of_part.get(part, ())
                          if circuit.resistances[index].owner == owner))


def short(circuit: Circuit, a: str, b: str | None, ohms: float) -> Edit:
    """A resistance from one address to another, or to ground; nothing where both sit on one node."""
    node_a = circuit.address_node[a]
    node_b = GROUND if b is None else circuit.address_node[b]
    return Edit() if node_a == node_b else Edit(added=((a, b, max(ohms, 1e-3)),))
