"""Volts and amps as a logging instrument tells them, and the time that belongs to each.

A row carries volts and amps, and its time where the instrument has a clock, or only a running number; else the moment
it came counts. What it adds up by itself, in mAh, is held against the integral of its amps.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.errors import InstrumentError
from dextrum.instruments.described.understanding import finite_number, unit_of
from dextrum.instruments.described.wire import LONGEST_ROW, OVERLOADED, compiled
from dextrum.instruments.parse import NOT_A_NUMBER, OVERLOAD, SAME
from dextrum.instruments.protocols import Quantity
from dextrum.tongue import tr

NUMBER = r"[+-]?\s?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d{1,3})?"
PLAIN_ROW = (rf"(?P<volts>{NUMBER})\s*(?P<volts_unit>[A-Za-z\u00b5\u03bc]*)\s*[,;\s]\s*"
             rf"(?P<amps>{NUMBER})\s*(?P<amps_unit>[A-Za-z\u00b5\u03bc]*)")
"""Volts, then amps, with their units if it likes."""
MOST_AT_ONCE = 20_000
"""Rows in one answer: twenty seconds of the quickest instrument; more is no answer."""
CHARGE_OFF = 0.1
"""Share by which what it adds up may differ from the integral of its amps: rounding, and what it samples between."""
LEAST_CHARGE_MAH = 5.0
"""Below it a counter that shows whole mAh says nothing of that share."""
LONGEST_GAP_SECONDS = 5.0
"""Between two rows, over which amps are still taken as a straight line."""
MAH = 1.0 / 3.6
"""Of an ampere second."""
Sample = tuple[float, float, float]
DOUBTED = tr("its clock or its range may be off.")


@dataclass(frozen=True)
class Samples:
    """How rows look. pattern: a whole row, with 'volts' and 'amps', and where it carries them 'volts_unit',
    'amps_unit', 'time', 'index', 'charge'. between: what stands between the rows of one answer; empty for one row an
    answer. nothing: patterns of an answer without a row. skip: patterns of lines that are no row, such as a heading.
    overload: patterns of a row that is beyond what it can show. decimal: its decimal mark. volts_factor, amps_factor,
    time_factor, charge_factor: on what is sent, to volts, amps, seconds and mAh. index_seconds: from one running number
    to the next. low and high: what it can show."""

    __pydantic_config__ = STRICT
    pattern: str = PLAIN_ROW
    between: str = ""
    nothing: tuple[str, ...] = ()
    skip: tuple[str, ...] = ()
    overload: tuple[str, ...] = (OVERLOADED,)
    decimal: Literal[".", ","] = "."
    volts_factor: float = 1.0
    amps_factor: float = 1.0
    time_factor: float = 1.0
    charge_factor: float = 1.0
    index_seconds: float = 0.0
    low_volts: float = -0.5
    high_volts: float = 60.0
    low_amps: float = -6.0
    high_amps: float = 6.0

    def __post_init__(self) -> None:
        names = compiled(self.pattern, "pattern").groupindex
        if "volts" not in names or "amps" not in names:
            raise ValueError(tr("pattern names no volts or no amps; expected groups (?P<volts>…) and (?P<amps>…)"))
        if "time" in names and "index" in names:
            raise ValueError(tr("pattern names both time and index; expected one of them"))
        if ("index" in names) != (self.index_seconds > 0.0):
            raise ValueError(tr("index and index_seconds go together; expected both or neither"))
        for pattern in (*self.nothing, *self.skip, *self.overload):
            compiled(pattern, tr("nothing, skip and overload"))
        for factor in (self.volts_factor, self.amps_factor, self.time_factor, self.charge_factor):
            require(factor, 1e-9, 1e9, tr("a factor"))
        require(self.index_seconds, 0.0, 3600.0, "index_seconds")
        for low, high in ((self.low_volts, self.high_volts), (self.low_amps, self.high_amps)):
            require(low, -1000.0, high, tr("what it shows at least"))
            require(high, low, 1000.0, tr("what it shows at most"))


class SampleReader:
    """Rows of one instrument as samples, in order. doubt: why its own adding up, or its clock, is not believed; empty
    where nothing speaks against it."""

    def __init__(self, samples: Samples) -> None:
        self.samples = samples
        self.doubt = ""
        self._volts = Quantity("volts", "V", samples.low_volts, samples.high_volts)
        self._amps = Quantity("amps", "A", samples.low_amps, samples.high_amps)
        self._started: float | None = None
        self._last: Sample | None = None
        self._counted: float | None = None
        self._added = 0.0

    def answer(self, text: str, at: float) -> list[Sample]:
        """New samples of one answer. at: when it came, in seconds of any clock that only goes forward. Raises
        InstrumentError for what is no row; then nothing of the answer is taken."""
        plain = text.strip()
        if len(plain) <= LONGEST_ROW and any(compiled(one, "nothing").fullmatch(plain)
                                             for one in self.samples.nothing):
            return []
        rows = plain.split(self.samples.between) if self.samples.between else [plain]
        if len(rows) > MOST_AT_ONCE:
            raise InstrumentError("babbling", tr("{count} samples came at once.", count=len(rows)))
        told = [row.strip() for row in rows]
        read = [self._row(row) for row in told if len(row) > LONGEST_ROW or not any(
            compiled(one, "skip").fullmatch(row) for one in self.samples.skip)]
        return [sample for row in read if (sample := self._placed(row, at)) is not None]

    def _row(self, row: str) -> tuple[float | None, float, float, float | None]:
        """Time or running number, volts, amps, mAh. Raises InstrumentError."""
        if len(row) > LONGEST_ROW:
            raise InstrumentError("babbling", tr("'{row}' is not a sample.", row=row[:24]))
        if any(compiled(one, "overload").fullmatch(row) for one in self.samples.overload):
            return None, math.inf, math.inf, None
        found = compiled(self.samples.pattern, "pattern").fullmatch(row)
        if found is None:
            raise InstrumentError("babbling", tr("'{row}' is not a sample.", row=row[:24]))
        told, about = found.groupdict(), self.samples
        place = told.get("time") or told.get("index")
        charge = told.get("charge")
        return (None if place is None else self._number(place) * (about.time_factor if told.get("time") is not None
                                                                  else about.index_seconds),
                self._measured(told["volts"], told.get("volts_unit") or "", about.volts_factor, self._volts),
                self._measured(told["amps"], told.get("amps_unit") or "", about.amps_factor, self._amps),
                None if charge is None else self._number(charge) * about.charge_factor)

    def _number(self, digits: str) -> float:
        return finite_number(digits, self.samples.decimal)

    def _measured(self, digits: str, unit: str, factor: float, quantity: Quantity) -> float:
        number = self._number(digits)
        if abs(number / OVERLOAD - 1.0) < SAME:
            return math.inf
        if abs(abs(number) / OVERLOAD - 1.0) < SAME or abs(abs(number) / NOT_A_NUMBER - 1.0) < SAME:
            raise InstrumentError("range", tr("It has no reading: it sends 'not a number' or an overload below zero."))
        if unit:
            base = unit_of(unit)
            if base is None:
                raise InstrumentError("babbling", tr("'{unit}' is not a unit.", unit=unit[:12]))
            if base[0] != quantity.unit:
                raise InstrumentError("mode", tr("It shows {base} where {unit} belongs.", base=base[0],
                                                 unit=quantity.unit),
                                      tr("Take another description for it."))
            factor = base[1]
        found = number * factor
        if not quantity.low <= found <= quantity.high:
            raise InstrumentError("range", tr("{found:g} {unit} is out of its range.", found=found, unit=quantity.unit))
        return found

    def _placed(self, row: tuple[float | None, float, float, float | None], at: float) -> Sample | None:
        """The sample with its time; None for one that was told before."""
        place, volts, amps, charge = row
        if place is None:
            if self._has_clock and math.isinf(volts):
                place = self._last[0] if self._last is not None else 0.0  # beyond its range, and without a time
                return (place, volts, amps)
            if self._started is None:
                self._started = at
            place = at - self._started
            if self._last is not None and place <= self._last[0]:
                place = math.nextafter(self._last[0], math.inf)  # two rows within one tick of the clock
        if self._last is not None and place == self._last[0]:
            return None
        sample = place, volts, amps
        self._add_up(sample, charge)
        self._last = sample
        return sample

    @property
    def _has_clock(self) -> bool:
        names = compiled(self.samples.pattern, "pattern").groupindex
        return "time" in names or "index" in names

    def _add_up(self, sample: Sample, charge: float | None) -> None:
        """Its counter against the integral since the counter began."""
        before = self._last
        gap = sample[0] - before[0] if before is not None else 0.0
        sound = before is not None and 0.0 < gap <= LONGEST_GAP_SECONDS and math.isfinite(sample[2] + before[2])
        if sound and before is not None:
            self._added += abs(sample[2] + before[2]) / 2.0 * gap * MAH
        if charge is None:
            return
        if self._counted is None or (before is not None and not sound) or charge < self._counted_last:
            self._counted, self._added, self.doubt = charge, 0.0, ""
        self._counted_last = charge
        moved = charge - self._counted
        most = max(moved, self._added)
        if most >= LEAST_CHARGE_MAH:
            off = abs(moved - self._added) > CHARGE_OFF * most + 1.0
            told = tr("It counts {moved:.0f} mAh where its amps add up to {added:.0f}: {doubted}", moved=moved,
                      added=self._added, doubted=DOUBTED)
            self.doubt = told if off else ""

    _counted_last = 0.0
