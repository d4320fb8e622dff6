"""Readings to lay under those in hand: an earlier scan of this unit, or one known-good board."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from dextrum.core.board import Method
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.trail import Entry, Readings, Rework, standing
from dextrum.core.when import moment_words
from dextrum.tongue import tr


@dataclass(frozen=True)
class Comparison:
    """values: by point and method, in the reading's own unit; inf for OL. name: how it is chosen and shown."""

    name: str
    values: Mapping[tuple[str, Method], float]

    def at(self, point: str, method: Method) -> float | None:
        return self.values.get((point, method))


def earlier_scans(trail: Iterable[Entry]) -> tuple[Comparison, ...]:
    """Readings gathered into scans: a repair, another day, or the tester turned over begins a new one."""
    found: list[tuple[str, dict[tuple[str, Method], float]]] = []
    repairs, key = 0, None
    for entry in standing(trail):
        payload = entry.payload
        if isinstance(payload, Rework) and payload.action != "clean":
            repairs += 1
        if not isinstance(payload, Readings):
            continue
        here = (repairs, entry.at.astimezone().date(), payload.turned)
        if here != key:
            key = here
            when = moment_words(entry.at.astimezone())
            stage = tr("before any repair") if not repairs else tr("after repair {repairs}", repairs=repairs)
            found.append((f"{when}, {stage}" + (tr(", tester turned over") if payload.turned else ""), {}))
        found[-1][1].update({(r.point, payload.method): r.value for r in payload.readings})
    return tuple(Comparison(name, values) for name, values in found)


def known_good_boards(readings: Sequence[KnownGoodReading], meter: str) -> tuple[Comparison, ...]:
    """Each known-good board by what this meter read there, else by any."""
    found: dict[str, dict[tuple[str, Method], float]] = {}
    own: set[tuple[str, str, Method]] = set()
    for r in readings:
        place = r.board_serial, r.point, r.method
        if place in own and r.meter != meter:
            continue
        if r.meter == meter:
            own.add(place)
        found.setdefault(r.board_serial, {})[r.point, r.method] = r.value
    return tuple(Comparison(tr("good board {serial}", serial=serial), values) for serial, values in found.items())
