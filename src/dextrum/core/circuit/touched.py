"""What a network as it stands reads wherever it is touched: a few touches by themselves, a whole walk at once.

A batch of all of a board's addresses takes Newton as long as eight of them one after the other.
"""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.board import Method
from dextrum.core.circuit.edit import NOTHING, Edit, place_of
from dextrum.core.circuit.islands import Island, island_of
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.core.circuit.solve import diode_volts, resistance_ohms, solve_islands

BY_THEMSELVES = 2
"""Touches that are solved one by one: who touches more is walking the board."""


class Touched:
    """Of a circuit after an edit. addresses: those that a walk may touch."""

    def __init__(self, circuit: Circuit, addresses: Iterable[str], edit: Edit = NOTHING) -> None:
        self.circuit, self.edit = circuit, edit
        self._addresses = tuple(dict.fromkeys(addresses))
        self._known: dict[Method, dict[str, float]] = {}
        self._ohms: dict[tuple[str, str], float] = {}

    def volts(self, address: str, method: Method) -> float:
        """As `diode_volts`. Raises KeyError for an unknown address, SolveError where the network does not settle."""
        known = self._known.setdefault(method, {})
        if address not in known:
            if len(known) == BY_THEMSELVES and address in self._addresses:
                known.update(self._all(method))
            else:
                known[address] = diode_volts(self.circuit, address, method, self.edit)
        return known[address]

    def ohms(self, one: str, two: str) -> float:
        """As `resistance_ohms`. Raises KeyError for an unknown address."""
        if (one, two) not in self._ohms:
            self._ohms[one, two] = resistance_ohms(self.circuit, one, two, self.edit)
        return self._ohms[one, two]

    def _all(self, method: Method) -> dict[str, float]:
        at = {address: place_of(self.circuit, self.edit, address) for address in self._addresses}
        on: dict[int, tuple[Island, int]] = {}
        for node in at.values():
            if node != GROUND and node not in on:
                island = island_of(self.circuit, node, method, self.edit)
                on.update((member, (island, k)) for k, member in enumerate(island.nodes))
        nodes = [node for node in dict.fromkeys(at.values()) if node != GROUND]
        volts = solve_islands([on[node][0] for node in nodes], [on[node][1] for node in nodes])
        of_node = {GROUND: 0.0, **dict(zip(nodes, volts.tolist(), strict=True))}
        return {address: of_node[node] for address, node in at.items()}
