"""The trail of a job: typed entries that are never edited, only struck out by a later entry.

What a kind of entry is stands in its file of `core/entries`; here are all of them together, and what holds for a trail.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import get_args

from dextrum.core.entries.access import Access
from dextrum.core.entries.audit import Audit
from dextrum.core.entries.board_look import BoardLook, PartSeen
from dextrum.core.entries.cause import Cause
from dextrum.core.entries.cell import Cell
from dextrum.core.entries.comes_and_goes import ComesAndGoes
from dextrum.core.entries.danger import Danger
from dextrum.core.entries.draw_trace import DrawTrace
from dextrum.core.entries.fastened import Fastened
from dextrum.core.entries.injection import Injection
from dextrum.core.entries.intake import Intake
from dextrum.core.entries.isolation import Isolation, with_isolation
from dextrum.core.entries.job_opened import JobOpened
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.left_out import LeftOut
from dextrum.core.entries.look import Look
from dextrum.core.entries.lot_suspect import LotSuspect
from dextrum.core.entries.moment import BEGINNING, Moment, put_back
from dextrum.core.entries.outcome import Outcome
from dextrum.core.entries.override import Override
from dextrum.core.entries.own_unit import OwnUnit
from dextrum.core.entries.pack_version import PackVersion
from dextrum.core.entries.paid import Paid
from dextrum.core.entries.part_alone import PartAlone, ReadAlone
from dextrum.core.entries.part_promised import PartPromised
from dextrum.core.entries.part_taken import PartTaken
from dextrum.core.entries.photo import Photo, PhotoMark
from dextrum.core.entries.proof import Proof
from dextrum.core.entries.put_together import PutTogether
from dextrum.core.entries.quote import Quote
from dextrum.core.entries.quote_answer import QuoteAnswer
from dextrum.core.entries.rail_volts import RailVolts
from dextrum.core.entries.readings import MOST_OHMS, MOST_VOLTS_DIODE, PointReading, Readings
from dextrum.core.entries.rework import AUDIT_STEPS, HOT_ACTIONS, PADS, Rework, UsedUp
from dextrum.core.entries.rework_plan import PlannedRepair, ReworkPlan
from dextrum.core.entries.rework_step import ReworkStep
from dextrum.core.entries.strike import Strike
from dextrum.core.entries.supply import Gear, Orientation, PlugPosition, Supply, SwitchedOn
from dextrum.core.entries.swap import SWAPS, Swap
from dextrum.core.entries.touched import Touched
from dextrum.core.entries.wait import Wait

Payload = (JobOpened | Intake | Look | BoardLook | Danger | Swap | Supply | DrawTrace | Cell | Access | Fastened
           | Readings | Touched | Isolation | RailVolts | Injection | PartAlone | Rework | ReworkPlan | ReworkStep
           | Audit | Cause | Proof | ComesAndGoes | LeftOut | PutTogether | PackVersion | Photo | Quote | QuoteAnswer
           | OwnUnit | Paid | LotSuspect | PartPromised | PartTaken | Wait | Outcome | Override | Strike)
ENTRY_KINDS: dict[str, type[EntryKind]] = {kind.kind: kind for kind in get_args(Payload)}
"""By the word that stands in files."""


@dataclass(frozen=True)
class Entry:
    """A payload with who and when. id is unique over all benches; at is UTC."""

    id: str
    at: datetime
    who: str
    payload: Payload


def struck_ids(entries: Iterable[Entry]) -> frozenset[str]:
    """Ids of entries that no longer count. A struck strike counts no more itself."""
    struck: set[str] = set()
    for entry in reversed(tuple(entries)):
        if isinstance(entry.payload, Strike) and entry.id not in struck:
            struck.add(entry.payload.entry)
    return frozenset(struck)


def standing(entries: Iterable[Entry]) -> tuple[Entry, ...]:
    """Entries that count, in order, without the strikes themselves."""
    entries = tuple(entries)
    struck = struck_ids(entries)
    return tuple(e for e in entries if e.id not in struck and not isinstance(e.payload, Strike))


def moments(entries: Iterable[Entry]) -> Iterator[tuple[Entry, Moment]]:
    """Entries that count, each with where the trail stands after it."""
    moment = BEGINNING
    for entry in standing(entries):
        moment = entry.payload.moves(moment)
        yield entry, moment


def last_moment(entries: Iterable[Entry]) -> Moment:
    """Where the trail stands at its end."""
    return next(reversed([moment for _, moment in moments(entries)]), BEGINNING)


def local_time(text: str) -> datetime | None:
    """A time as written, in the bench's own clock and without a zone; None for none, or for what is no time."""
    try:
        found = datetime.fromisoformat(text) if text else None
        return found.astimezone().replace(tzinfo=None) if found is not None and found.tzinfo is not None else found
    except (ValueError, OverflowError, OSError):
        return None


__all__ = [
    "AUDIT_STEPS",
    "BEGINNING",
    "ENTRY_KINDS",
    "HOT_ACTIONS",
    "MOST_OHMS",
    "MOST_VOLTS_DIODE",
    "PADS",
    "SWAPS",
    "Access",
    "Audit",
    "BoardLook",
    "Cause",
    "Cell",
    "ComesAndGoes",
    "Danger",
    "DrawTrace",
    "Entry",
    "Fastened",
    "Gear",
    "Injection",
    "Intake",
    "Isolation",
    "JobOpened",
    "LeftOut",
    "Look",
    "LotSuspect",
    "Moment",
    "Orientation",
    "Outcome",
    "Override",
    "OwnUnit", "PackVersion",
    "Paid",
    "PartAlone",
    "PartPromised",
    "PartSeen",
    "PartTaken",
    "Payload",
    "Photo",
    "PhotoMark",
    "PlannedRepair",
    "PlugPosition",
    "PointReading",
    "Proof",
    "PutTogether",
    "Quote",
    "QuoteAnswer",
    "RailVolts",
    "ReadAlone",
    "Readings",
    "Rework",
    "ReworkPlan",
    "ReworkStep",
    "Strike",
    "Supply",
    "Swap",
    "SwitchedOn",
    "Touched", "UsedUp",
    "Wait",
    "last_moment",
    "local_time",
    "moments",
    "put_back",
    "standing",
    "struck_ids",
    "with_isolation",
]
