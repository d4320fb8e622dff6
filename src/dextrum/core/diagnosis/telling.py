"""What a trail tells of faults: the latest item of each kind and subject in each epoch, as its entries say it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from operator import eq

from dextrum.core.board import Board, Method, Side
from dextrum.core.circuit.capacitance import compared_value
from dextrum.core.circuit.isolation import WHOLE_BOARD, Isolated
from dextrum.core.entries.moment import BEGINNING, Moment
from dextrum.core.reference.columns import reading_at_compared_temperature
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.trail import Audit, BoardLook, Entry, PartSeen, Rework


@dataclass(frozen=True)
class EvidenceItem:
    """One observation, seen in words. subject: point, symptom, check, rail or net, orientations read ('ab'), or 'port'.
    isolated: what was off the board then. unlike: what the touch before read, where it read otherwise. stood: values
    that two touches or more had agreed on before it read otherwise, in order."""

    entry_id: str
    epoch: int
    kind: str
    subject: str
    seen: str
    value: float = float("nan")
    method: Method | None = None
    touches: int = 1
    isolated: Isolated = WHOLE_BOARD
    unlike: float | None = None
    stood: tuple[float, ...] = ()


Found = dict[tuple[int, str, str], tuple[EvidenceItem, object]]
"""By epoch, kind with how it was seen, and subject, in the order in which subjects first came: the item and its source.
"""


Seen = frozenset[tuple[str, str]]
"""Parts with what they look like."""


@dataclass(frozen=True)
class LookRound:
    """What was seen round a part, as evidence: by an audit after heat, or when the parts were counted before it. pads:
    those under it were looked at. known: what had been seen before: a place that is empty is as empty the next time,
    and tells nothing more. before_heat: there was no photo made before to compare with, only the list of parts."""

    part: str
    seen: tuple[PartSeen, ...]
    pads: bool
    known: Seen
    before_heat: bool = False


@dataclass(frozen=True)
class SideLook:
    """What was seen on a whole side looked over, as evidence. known: of it, what another look had shown before."""

    side: Side
    seen: tuple[PartSeen, ...]
    known: Seen = frozenset()


@dataclass
class Telling:
    """Listens to the entries of a trail, one by one. left_out: entry and point of readings that tell nothing. seen:
    what looks over the board have told so far of parts that nothing was done to since."""

    board: Board
    references: ReferenceTable
    left_out: frozenset[tuple[str, str]]
    found: Found = field(default_factory=dict)
    entry_id: str = ""
    moment: Moment = BEGINNING
    seen: Seen = frozenset()
    hidden: dict[str, float] = field(default_factory=dict)
    """Of checks whose fault comes and goes: the chance that one try does not show it."""

    def hides(self, check: str, chance: float) -> None:
        """The fault that a check shows comes and goes, and did so before it was said."""
        self.hidden[check] = chance
        for key, (item, source) in self.found.items():
            if item.kind == "check" and item.subject == check:
                self.found[key] = replace(item, value=chance), source

    def sees_side(self, side: Side, words: str, seen: tuple[PartSeen, ...]) -> None:
        """A whole side looked over. It takes the place of an earlier look of the side in this epoch: what that one
        alone had shown is told by this one now, or no longer."""
        _, replaced = self.found.get((self.moment.epoch, "board look", side.value), (None, None))
        if isinstance(replaced, SideLook):
            self.seen = (self.seen - _as_seen(replaced.seen)) | replaced.known
        self.say("board look", side.value, words, SideLook(side, seen, _as_seen(seen) & self.seen))

    def sees_round(self, part: str, words: str, seen: tuple[PartSeen, ...], pads: bool) -> None:
        """An audit's look round a part, and at the pads under it where it was off."""
        known = _as_seen(seen) & self.seen
        self.say("audit look", part, words, LookRound(part, seen, pads, known))

    def sees_before_heat(self, part: str, words: str, seen: tuple[PartSeen, ...]) -> None:
        """The parts round one that is to be worked on, counted against the list."""
        self.say("count look", part, words, LookRound(part, seen, False, _as_seen(seen) & self.seen, before_heat=True))

    def leaves_out(self, point: str) -> bool:
        """Whether the reading of this point by the present entry is left out."""
        return (self.entry_id, point) in self.left_out

    def as_compared(self, value: float, meter: str, method: Method, celsius: float | None) -> float:
        """A reading as the reference meter would have read it, on a board as cool as known-good ones were; nanofarads
        as the ohms that they impede."""
        read = self.references.as_this_meter(value, meter, method)
        return compared_value(reading_at_compared_temperature(read, method, celsius), method)

    def forget(self, kind: str) -> None:
        """All of a kind that was told before."""
        for key in [key for key in self.found if key[1] == kind]:
            del self.found[key]

    def say(self, kind: str, subject: str, seen: str, source: object, *, value: float = float("nan"),
            method: Method | None = None, how: str = "", apart: bool = False, from_the_first: bool = False,
            again: Callable[[float, float], bool] | None = None, same: bool = False) -> None:
        """One observation; it takes the place of an earlier one of the same kind and subject in this epoch.

        how: with what the kind is told apart; apart: by what is off the board as well. from_the_first: it holds from
        before any repair. again: whether a value bears out the one before, as `same` sources do: such touches add up,
        and so do two of three that agree.
        """
        epoch = 0 if from_the_first else self.moment.epoch
        isolated = self.moment.isolated if apart else WHOLE_BOARD
        key = epoch, f"{how or kind} {off_words(isolated)}" if apart else how or kind, subject
        before = self.found.get(key)
        bears_out = before is not None and (
            (again is not None and again(before[0].value, value)) or (same and eq(before[1], source)))
        touches, unlike = before[0].touches + 1 if before is not None and bears_out else 1, None
        stood = before[0].stood if before is not None else ()
        if before is not None and again is not None and not bears_out:
            unlike = before[0].value
            touches += before[0].unlike is not None and again(before[0].unlike, value)
            stood = (*stood, before[0].value) if before[0].touches > 1 else stood
        self.found[key] = (EvidenceItem(self.entry_id, epoch, kind, subject, seen, value, method, touches, isolated,
                                        unlike, stood), source)


def off_words(isolated: Isolated) -> str:
    """What is off, as part of a key."""
    return " ".join(sorted(isolated))


def looks_told(entries: Iterable[Entry], before: Seen = frozenset()) -> Seen:
    """What looks over the board have told of parts that nothing was done to since. before: what had been told. A side
    looked over again shows what is so now: what it showed the last time alone was a mistake, or was put right."""
    found, of_side = before, dict[str, Seen]()
    for entry in entries:
        payload = entry.payload
        if isinstance(payload, BoardLook) and not payload.before_heat_on:
            found = (found - of_side.get(payload.side, frozenset())) | _as_seen(payload.seen)
            of_side[payload.side] = _as_seen(payload.seen)
        elif isinstance(payload, BoardLook | Audit):
            found |= _as_seen(payload.seen)
        elif isinstance(payload, Rework) and payload.action != "clean":
            found = frozenset(one for one in found if one[0] != payload.part)
    return found


def _as_seen(parts: Iterable[PartSeen]) -> Seen:
    return frozenset((one.part, one.what) for one in parts)
