"""The capacitors of one unit, and what a meter finds between two places: a model of its own, as all of this world."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

import numpy as np

from dextrum.core.board import Board, ComponentKind, Fault, FaultKind
from dextrum.world.numbers import Meters, World


def fitted_nanofarads(board: Board, world: World, generator: np.random.Generator) -> dict[str, float]:
    """What each capacitor of this unit really has, by its name; those whose pack says nothing are left out."""
    stated = {part.designator: part.nanofarads for part in board.components
              if part.kind is ComponentKind.CAPACITOR and part.nanofarads is not None}
    off = np.exp(world.boards.farads * generator.normal(size=len(stated)))
    return {name: nanofarads * float(factor) for (name, nanofarads), factor in zip(stated.items(), off, strict=True)}


def found_between(board: Board, one: str, other: str, fitted: Mapping[str, float],
                  there: Iterable[tuple[Fault, float]], off: Collection[str], ohms: float, meters: Meters) -> float:
    """Nanofarads between two nets; inf where what conducts there, `ohms`, keeps the meter from charging them.

    there: the unit's faults and their sizes, of a part in another's place how many times its own value it has. What
    leaks a little makes a capacitor look larger.
    """
    if ohms < meters.charging_ohms:
        return float("inf")
    gone = {fault.part for fault, _ in there if fault.kind is FaultKind.MISSING_PART} | set(off)
    times = {fault.part: size for fault, size in there if fault.kind is FaultKind.WRONG_PART}
    between = [part.designator for part in board.components if {t.net for t in part.terminals} == {one, other}]
    total = meters.stray + sum(fitted[name] * times.get(name, 1.0) for name in between
                               if name in fitted and name not in gone)
    return total * (1.0 + meters.charging_ohms / ohms)
