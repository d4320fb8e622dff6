"""The demo's jobs ready-made: played once, kept with the program, and moved to today when the demo is first opened.

Playing them takes half a minute; `tools/make_demo.py` does it anew after the advice or the simulated board has changed,
and a test of the long run compares.
"""

from __future__ import annotations

import gzip
import json
from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from dextrum.app.places import shipped
from dextrum.core.trail import DrawTrace, Entry, Intake, Supply, Wait
from dextrum.errors import StoreError
from dextrum.store.entries import entry_from_json, entry_to_json
from dextrum.tongue import tr

MADE_AT = datetime(2026, 3, 12, 13, 10, tzinfo=UTC)
"""The moment that the kept jobs were played for. Clock times in them are of a bench that goes by UTC."""
Trail = tuple[Entry, ...]


def kept_place() -> Path:
    return shipped() / "demo" / "jobs.json.gz"


def keep(trails: Iterable[Trail], place: Path) -> None:
    """Write trails that were played for MADE_AT; the same trails give the same bytes."""
    told = [[entry_to_json(entry) for entry in trail] for trail in trails]
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(gzip.compress(json.dumps(told, separators=(",", ":")).encode("ascii"), 9, mtime=0))


def kept_trails() -> tuple[Trail, ...]:
    """As they were played. Raises StoreError where the program's own data is damaged."""
    try:
        told = json.loads(gzip.decompress(kept_place().read_bytes()))
        return tuple(tuple(entry_from_json(entry) for entry in trail) for trail in told)
    except (OSError, EOFError, ValueError) as problem:
        raise StoreError(tr("The demo that came with the program can't be read."), "",
                         tr("Install it again.")) from problem


def moved_to(trails: Iterable[Trail], moment: datetime) -> tuple[Trail, ...]:
    """The same trails as if played for another moment: times keep their distance from it, whole hours their clock."""
    shift = moment - MADE_AT
    here = moment.astimezone().replace(tzinfo=None)

    def clock(text: str) -> str:
        """A clock time of the bench, on the corresponding day: full hours as they were, others by their distance."""
        then = datetime.fromisoformat(text)
        if then.minute == 0:
            days = (then.date() - MADE_AT.date()).days
            return (datetime.combine(here.date() + timedelta(days=days), then.time())).strftime("%Y-%m-%dT%H:%M")
        return (then - MADE_AT.replace(tzinfo=None) + here).strftime("%Y-%m-%dT%H:%M")

    def moved(entry: Entry) -> Entry:
        payload = entry.payload
        if isinstance(payload, Intake) and payload.due:
            payload = replace(payload, due=clock(payload.due))
        elif isinstance(payload, Wait) and payload.until:
            payload = replace(payload, until=clock(payload.until))
        elif isinstance(payload, Supply | DrawTrace):
            # Its gear was proved good so many days before it was used.
            payload = replace(payload, gear=tuple(
                replace(piece, proved_on=clock(f"{piece.proved_on}T00:00")[:10]) if piece.proved_on else piece
                for piece in payload.gear))
        return replace(entry, at=entry.at + shift, payload=payload)

    return tuple(tuple(moved(entry) for entry in trail) for trail in trails)
