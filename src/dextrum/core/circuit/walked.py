"""What a network as it stands reads wherever it is touched: a few touches by themselves, a whole walk at once.

A batch of a board's 150 addresses takes Newton as long as eight of them one after the other, one of a port's 24 as long
as three.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from dextrum.core.board import Board, Method
from dextrum.core.circuit.edit import NOTHING, Edit, place_of
from dextrum.core.circuit.islands import Island, island_of
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.core.circuit.solve import diode_volts, resistance_ohms, solve_islands

OPEN_VOLTS = 10.0
"""What nothing leads to ground from reads far more by an ideal meter's current, and any meter shows as open."""
BY_THEMSELVES = 2
"""Touches that are solved one by one: who touches more is walking the board."""


def walks_of(board: Board) -> tuple[frozenset[str], ...]:
    """Addresses that are read to ground in one go: the port's contacts, and all points of the board."""
    alone = [point for point in board.points if point.to is None]
    return (frozenset(point.at for point in alone if point.id in board.port_points),
            frozenset(point.at for point in alone))


class WalkedNetwork:
    """A circuit after an edit. walks: addresses that are read in one go, the shorter walk first."""

    def __init__(self, circuit: Circuit, walks: Sequence[frozenset[str]], edit: Edit = NOTHING) -> None:
        self.circuit, self.edit = circuit, edit
        self._walks = walks
        self._known: dict[Method, dict[str, float]] = {}
        self._ohms: dict[tuple[str, str], float] = {}

    def volts(self, address: str, method: Method) -> float:
        """As `diode_volts`; inf where nothing conducts. Raises KeyError for an unknown address, SolveError where the
        network does not settle."""
        known = self._known.setdefault(method, {})
        if address not in known:
            walk = next((w for w in self._walks if address in w and len(known.keys() & w) >= BY_THEMSELVES), None)
            if walk is None:
                known[address] = diode_volts(self.circuit, address, method, self.edit)
            else:
                known.update(self._all(sorted(walk), method))
        return known[address] if known[address] <= OPEN_VOLTS else math.inf

    def ohms(self, one: str, two: str) -> float:
        """As `resistance_ohms`. Raises KeyError for an unknown address."""
        if (one, two) not in self._ohms:
            self._ohms[one, two] = resistance_ohms(self.circuit, one, two, self.edit)
        return self._ohms[one, two]

    def _all(self, addresses: Iterable[str], method: Method) -> dict[str, float]:
        at = {address: place_of(self.circuit, self.edit, address) for address in addresses}
        on: dict[int, tuple[Island, int]] = {}
        for node in at.values():
            if node != GROUND and node not in on:
                island = island_of(self.circuit, node, method, self.edit)
                on.update((member, (island, k)) for k, member in enumerate(island.nodes))
        nodes = [node for node in dict.fromkeys(at.values()) if node != GROUND]
        volts = solve_islands([on[node][0] for node in nodes], [on[node][1] for node in nodes])
        of_node = {GROUND: 0.0, **dict(zip(nodes, volts.tolist(), strict=True))}
        return {address: of_node[node] for address, node in at.items()}
