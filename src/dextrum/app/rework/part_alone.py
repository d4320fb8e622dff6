"""A part measured by itself: what is to be read, and what was typed against it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from dextrum.app.reading.typed import parse_number, parse_reading
from dextrum.core.board.value_words import value_words
from dextrum.core.trail import PartAlone, ReadAlone
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.rework.alone import AloneReading


MOST_VOLTS = 60.0


def expected_words(reading: AloneReading) -> str:
    """'0.512 V in diode mode' or 'OL in ohms'."""
    if reading.powered:
        return tr("{expected:.2f} V, from a supply with its current limited", expected=reading.expected)
    if reading.within is not None and reading.expected != float("inf"):
        return tr("{value_words} within {within:.0f} %", value_words=value_words(reading.expected, reading.method),
                  within=100 * reading.within)
    return tr("{value_words} in {which}", value_words=value_words(reading.expected, reading.method),
              which=tr("diode mode") if reading.method.is_diode else tr("ohms"))


def taken_alone(part: str, source: str, wanted: Sequence[AloneReading], typed: Sequence[str]) -> PartAlone:
    """What was typed, in the order of what is read; an empty field was not read. Raises EntryRefusedError with the
    place that is wrong."""
    found = []
    for reading, text in zip(wanted, typed, strict=True):
        if not text.strip():
            continue
        try:
            value = parse_number(text, 0.0, MOST_VOLTS, "V") if reading.powered else parse_reading(
                text, reading.between, reading.method).value
        except EntryRefusedError as problem:
            raise EntryRefusedError(f"{reading.between}: {problem.happened}", problem.kept, problem.next_step) from None
        found.append(ReadAlone(reading.between, value, reading.expected, reading.judged(value)))
    if not found:
        raise EntryRefusedError(
            tr("Nothing is typed yet."), tr("Nothing was recorded."), tr("Type what the meter shows.")
        )
    return PartAlone(part, source, tuple(found))


def verdict_words(taken: PartAlone, wanted: Sequence[AloneReading] = ()) -> str:
    """What it means for fitting it."""
    off = [r.between for r in taken.readings if not r.good]
    if off:
        means = dict.fromkeys(r.off for r in wanted if r.between in off and r.off)
        return " ".join((tr("Off: {off}.",
                            off=", ".join(off)), *means, tr("Take another part, or read again with clean tips.")))
    return tr("Reads as a good part. Read it again once it is on: heat can kill what was good.")
