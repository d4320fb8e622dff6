"""A walk over the points that are due: which is next, what has been heard, what is recorded.

It is fed with what the meter shows and with taps of a foot switch, and answers with events. A touch is heard when the
meter leaves OL; its value is recorded once it has settled; lifting off re-arms. What never leaves OL is open.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from math import isfinite, isnan

from dextrum.core.capture.settling import DIODE_TEST, Settling, SettlingTest
from dextrum.core.capture.wrong_point import Expectation, near_hand, other_point


class Hearing(StrEnum):
    """What the walk is waiting for."""

    CONTACT = "contact"
    SETTLED = "settled"
    LIFT = "lift"
    ANSWER = "answer"
    PROBE = "probe"
    OVER = "over"


class Tap(StrEnum):
    REPEAT = "repeat"
    SKIP = "skip"
    BACK = "back"
    STRIKE = "strike"
    OTHER = "other"


@dataclass(frozen=True)
class Next:
    """This point is next."""

    point: str


@dataclass(frozen=True)
class Contact:
    """A touch has been heard."""

    point: str


@dataclass(frozen=True)
class Recorded:
    """A value stands: volts or ohms, inf for OL. held: it was recorded as open by holding."""

    point: str
    value: float
    held: bool = False


@dataclass(frozen=True)
class Asks:
    """The value fits another point that is due far better. Nothing is recorded."""

    point: str
    other: str
    value: float


@dataclass(frozen=True)
class Struck:
    """What was recorded last at this point is to be struck out."""

    point: str


@dataclass(frozen=True)
class NeedsProbe:
    """OL was held for several points in a row: is the probe there at all?"""

    point: str


@dataclass(frozen=True)
class Over:
    """Every point has been read or skipped."""


Event = Next | Contact | Recorded | Asks | Struck | NeedsProbe | Over


MOST_BETWEEN = 1.0
"""Seconds between two readings that still are the meter's speed, and no pause of the wire."""


SPREADS_ABOVE = 5.0
"""Spreads above a good board's value, up to which a value is no mean of a touch and of none."""


@dataclass(frozen=True)
class HandTimes:
    """Seconds. open_after: of OL until a point is recorded as open, once a touch has been heard, of a meter that misses
    no touch; open_readings: and so many readings more, since a short touch may fall between those of a slow one; lift:
    of OL that counts as lifting off, of a meter that is slow one reading is enough; slow: between two readings, from
    which a meter is slow; moved: volts or ohms by which a slow meter's value must change to be another touch; wavers:
    of holding
    without settling until that is said; opens: how many points in a row may be recorded as open before the probe is
    asked for."""

    open_after: float = 3.0
    wavers: float = 4.0
    lift: float = 0.15
    slow: float = 0.22
    moved: float = 0.03
    opens: int = 2
    open_readings: int = 8


@dataclass
class CaptureWalk:
    """points: in their order. expected: what good boards read, where known. tests: of points that are read in another
    way than the others. before: what a walk has read that this one goes on from, in its order; the probes are where it
    has ended, and what was read last can still be struck out or repeated."""

    points: Sequence[str]
    expected: Mapping[str, Expectation] = field(default_factory=dict)
    test: SettlingTest = DIODE_TEST
    times: HandTimes = HandTimes()
    tests: Mapping[str, SettlingTest] = field(default_factory=dict)
    before: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        self._place = 0
        self._settling = Settling(self._test_here())
        self._open_since: float | None = None
        self._opens = 0
        self._heard = False
        self._stood = False
        self._sampled: float | None = None
        self._between = 0.0
        self._last: float | None = None
        self._touched_at = 0.0
        self._asked: Asks | None = None
        self._done: list[str] = list(self.before)
        self._skipped: set[str] = set()
        self._over = not self.points
        self.hearing = Hearing.OVER if self._over else Hearing.LIFT if self.before else Hearing.CONTACT

    @property
    def point(self) -> str:
        """The point that is next; empty once the walk is over."""
        return "" if self._over else self.points[self._place]

    @property
    def heard(self) -> bool:
        """Whether a touch has been heard in this walk."""
        return self._heard

    @property
    def read(self) -> tuple[str, ...]:
        """Points that were recorded and stand, in their order, those of the walk before as well."""
        return tuple(self._done)

    @property
    def skipped(self) -> frozenset[str]:
        """Points that this walk was told to leave out, and that were not recorded in it after all."""
        return frozenset(self._skipped)

    @property
    def asked(self) -> Asks | None:
        return self._asked

    def open_in(self, seconds: float) -> float:
        """Seconds until OL that is held on is recorded as open. Before a touch of this walk has been heard it never is:
        probes in the air read OL as well."""
        if self._open_since is None or not self._heard:
            return float("inf")
        # A second open point in a row is rarer than a hand that has not arrived yet.
        held = self.times.open_after * (1 + self._opens) + self.times.open_readings * min(self._between, MOST_BETWEEN)
        return held - (seconds - self._open_since)

    def wavers(self, seconds: float) -> bool:
        """Whether a touch has been held for long without settling."""
        return self.hearing is Hearing.SETTLED and seconds - self._touched_at > self.times.wavers

    def left(self) -> int:
        return 0 if self._over else len(self.points) - self._place

    def sample(self, seconds: float, value: float) -> list[Event]:
        """What the meter shows at a time."""
        if self._over:
            return []
        conducts = isfinite(value)
        between = seconds - self._sampled if self._sampled is not None else 0.0
        self._sampled, self._between = seconds, between
        if conducts:
            self._open_since = None
        elif self._open_since is None:
            self._open_since = seconds
        # A slow meter may show OL for one reading only, or go straight from one touch to the next.
        slow = between >= self.times.slow
        lifted = self._open_since is not None and (slow or seconds - self._open_since >= self.times.lift - 1e-9)
        if self.hearing in (Hearing.LIFT, Hearing.ANSWER):
            moved = slow and conducts and self._last is not None and abs(value - self._last) > (
                self.times.moved + 0.05 * abs(self._last))
            if lifted or moved:
                # The touch is over: what was asked about is dropped, and the same or the next point is armed.
                self._asked = None
                self._arm(None if moved else seconds)
            if not moved:
                return []
        if not conducts:
            return self._no_contact(seconds, lifted)
        events: list[Event] = []
        if self.hearing is not Hearing.SETTLED:
            self.hearing, self._heard, self._touched_at = Hearing.SETTLED, True, seconds
            events.append(Contact(self.point))
        settled = self._settling.add(seconds, value)
        if isnan(settled):
            self._stood = False
            return events
        if not self._borne_out(settled):
            self._stood = True
            return events
        other = other_point(self.point, settled, self._due(), near_hand(self.point, self._due()))
        if other:
            self._asked, self.hearing = Asks(self.point, other, settled), Hearing.ANSWER
            return [*events, self._asked]
        return [*events, *self._record(settled, False)]

    def _borne_out(self, settled: float) -> bool:
        """Two readings of a slow meter may both be the mean of a touch and of none, and agree by chance. With nothing
        touched it shows what it drives, so such a mean lies above the point's own value: what is above a good board's
        waits for a third reading."""
        expected = self.expected.get(self.point)
        no_mean = expected is not None and settled - expected.centre <= SPREADS_ABOVE * expected.spread
        return no_mean or self._stood or not self._settling.few

    def _due(self) -> dict[str, Expectation]:
        return {p: self.expected[p] for p in self.points if p in self.expected}

    def _test_here(self) -> SettlingTest:
        return self.tests.get(self.points[self._place], self.test) if self.points else self.test

    def _arm(self, seconds: float | None) -> None:
        self._stood = False
        self._settling = Settling(self._test_here())
        self.hearing = Hearing.CONTACT
        self._open_since = seconds

    def _no_contact(self, seconds: float, lifted: bool) -> list[Event]:
        if self.hearing is Hearing.SETTLED:
            self._settling.clear()
            self._stood = False
            if lifted:
                self.hearing = Hearing.CONTACT  # lifted before it had settled: nothing is recorded
            return []
        if self.hearing is Hearing.PROBE or self.open_in(seconds) > 1e-9:
            return []
        if self._opens >= self.times.opens:
            self.hearing = Hearing.PROBE
            return [NeedsProbe(self.point)]
        events = self._record(float("inf"), True)
        self._opens += 1
        if not self._over:
            self._arm(seconds)
        return events

    def _record(self, value: float, held: bool) -> list[Event]:
        point = self.point
        self._asked = None
        self._last = value if isfinite(value) else None
        if not held:
            self._opens = 0
        self._done.append(point)
        self._skipped.discard(point)
        return [Recorded(point, value, held), *self._advance()]

    def _advance(self) -> list[Event]:
        self._stood = False
        self._settling.clear()
        self._place += 1
        if self._place >= len(self.points):
            self._over = True
            self.hearing = Hearing.OVER
            return [Over()]
        self.hearing = Hearing.LIFT
        self._settling = Settling(self._test_here())
        return [Next(self.point)]

    def typed(self, value: float) -> list[Event]:
        """A value typed for the point that is next; it needs no probe."""
        if self._over:
            return []
        events = self._record(value, False)
        if not self._over:
            self._arm(None)
        return events

    def tap(self, tap: Tap) -> list[Event]:
        """A tap of the foot switch."""
        if not self.points:
            return []
        if tap is Tap.OTHER or (tap is Tap.REPEAT and self._asked is not None):
            return self._answer(tap)
        self._asked = None
        if tap is Tap.STRIKE:
            if not self._done:
                return []
            point = self._done.pop()
            self._go_to(self._place_of(point))
            return [Struck(point), Next(point)]
        if tap is Tap.REPEAT:
            last = self.points[self._place - 1] if self._place else "".join(self.before[-1:])
            just = bool(self._done) and (self._over or last == self._done[-1])
            if just and self.hearing in (Hearing.LIFT, Hearing.OVER, Hearing.CONTACT):
                self._go_to(self._place_of(self._done[-1]))
            else:
                self._go_to(self._place)
            return [Next(self.point)]
        if tap is Tap.BACK:
            if self._over or self._place:
                self._go_to(len(self.points) - 1 if self._over else self._place - 1)
            return [Next(self.point)] if not self._over else []
        if self._over:
            return []
        self._skipped.add(self.point)
        events = self._advance()
        if not self._over and self._open_since is not None:
            self._arm(self._open_since)
        return events

    def _answer(self, tap: Tap) -> list[Event]:
        """'Yes, that other point', or 'no, it is this one all the same'."""
        asked = self._asked
        if asked is None:
            return []
        if tap is Tap.REPEAT:
            return self._record(asked.value, False)
        self._asked = None
        self._done.append(asked.other)
        self._skipped.discard(asked.other)
        self.hearing = Hearing.LIFT
        self.points = [p for p in self.points if p != asked.other or p == asked.point]
        self._place = self.points.index(asked.point)
        return [Recorded(asked.other, asked.value), Next(asked.point)]

    def _place_of(self, point: str) -> int:
        """Where a point that was recorded stands; one that was recorded in another's turn comes back before it."""
        if point not in self.points:
            self.points = [*self.points[:self._place], point, *self.points[self._place:]]
        return self.points.index(point)

    def _go_to(self, place: int) -> None:
        self._over = False
        self._place = place
        self._opens = 0
        self._settling = Settling(self._test_here())
        self.hearing = Hearing.LIFT if self._open_since is None else Hearing.CONTACT
