"""Which parts a job took from the shop's lots and donors, and which of them were found bad."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dextrum.core.stock.lots import CELL, PartUse
from dextrum.core.trail import Cell, Entry, JobOpened, PartAlone, Rework, standing


def uses_of(job_id: str, trail: Sequence[Entry]) -> tuple[PartUse, ...]:
    """In the order of time. A part failed if it was replaced again in the same job, or if it was measured by itself
    before it went on and was not as a good one: then it was taken, and never fitted.

    Measured again before anything was fitted, it may be the same part or the next: it counts once, as it read last.
    """
    serial = pack = ""
    found: list[PartUse] = []
    unfit: dict[tuple[str, str], PartUse] = {}
    for entry in standing(trail):
        payload = entry.payload
        if isinstance(payload, JobOpened):
            serial, pack = payload.serial, payload.pack_id
        elif isinstance(payload, Rework) and payload.action == "replace":
            found = [replace(use, failed=True) if use.part == payload.part else use for use in found]
            for key in [key for key in unfit if key[0] == payload.part]:
                found.append(unfit.pop(key))
            found.append(PartUse(entry.id, job_id, serial, pack, payload.part, payload.lot, entry.at, False))
            found += _used_up(entry, payload, job_id, serial, pack)
        elif isinstance(payload, Rework):
            found += _used_up(entry, payload, job_id, serial, pack)
        elif isinstance(payload, Cell) and payload.state == "new":
            found = [replace(use, failed=True) if use.part == CELL else use for use in found]
            found.append(PartUse(entry.id, job_id, serial, pack, CELL, payload.lot, entry.at, False))
        elif isinstance(payload, PartAlone) and payload.source:
            key = payload.part, payload.source.casefold()
            unfit.pop(key, None)
            if not payload.good:
                unfit[key] = PartUse(entry.id, job_id, serial, pack, payload.part, payload.source, entry.at, True)
    return (*found, *unfit.values())


def _used_up(entry: Entry, rework: Rework, job_id: str, serial: str, pack: str) -> list[PartUse]:
    """Wire and alloy of a rework. Each has an id of its own beside the entry's."""
    return [PartUse(f"{entry.id}/{k}", job_id, serial, pack, "", one.lot, entry.at, False, one.amount)
            for k, one in enumerate(rework.used, 1)]


def failed_by_return(trail: Sequence[Entry]) -> tuple[str, frozenset[str]]:
    """The earlier job after which this unit came back, and the parts that were replaced again here."""
    before = next((e.payload.comes_back for e in trail if isinstance(e.payload, JobOpened)), "")
    again = frozenset(e.payload.part for e in standing(trail)
                      if isinstance(e.payload, Rework) and e.payload.action == "replace")
    return before, again if before else frozenset()
