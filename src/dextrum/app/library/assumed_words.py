"""What a shop may state in place of what is assumed, in words, with what counts now."""

from __future__ import annotations

from collections.abc import Mapping

from dextrum.app.reading.typed import parse_number
from dextrum.core.assumptions.stated import OF_THE_SHOP, assumed_of, assumption_of
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

MOST_TYPED = 1e6

SAID: Mapping[str, str] = {
    "wrong_point": tr("a reading is of the point beside it"), "check_slips": tr("a trial comes out wrong"),
    "rail_slips": tr("a rail's volts mislead"), "swap_slips": tr("a trial with known-good gear misleads"),
    "repair_fails": tr("a repair leaves the fault it was meant for"),
    "dead_again": tr("a part put in a dead one's place is dead as well"),
    "new_part_fails": tr("a part just fitted has a fault of its own"),
    "heat_hurts": tr("heat lifts or knocks off a neighbour"),
    "inject_minutes.camera": tr("injecting, and looking with a camera"),
    "inject_minutes.spray": tr("injecting, and looking with freeze spray"),
    "inject_minutes.alcohol": tr("injecting, and looking with drying alcohol"),
    "inject_risk": tr("of a unit's value, what an injection puts at risk"),
    "rail_setup_minutes": tr("propping up and plugging in, before rails are read"),
    "safe_minutes": tr("making a unit safe"), "clean_minutes": tr("cleaning a port"),
    "audit_minutes": tr("looking round a repair"), "unplug_minutes": tr("unplugging the cell"),
    "search_minutes": tr("finding a further fault after a proof that failed"),
    "good_chip": tr("what lifting a good chip costs, beside its work")}
"""By name, in the order of OF_THE_SHOP."""
PER_CENT = frozenset({"chance", "share of the value"})
"""Units of what is said and typed in per cent."""


def number_words(name: str, value: float) -> str:
    """'3 min', '2 times', '4 %'."""
    unit = assumption_of(name).unit
    if unit in PER_CENT:
        return tr("{value:g} %", value=round(100.0 * value, 6))
    return tr("{value:g} min", value=value) if unit == "min" else tr("{value:g} times", value=value)


def as_typed(name: str, text: str) -> float | None:
    """What is typed of one of them: per cent of what is a chance, else its number; None where nothing is typed. Raises
    EntryRefusedError."""
    if not text.strip():
        return None
    of = assumption_of(name)
    value = parse_number(text.strip().removesuffix("%"), 0.0, MOST_TYPED, "")
    value = value / 100.0 if of.unit in PER_CENT else value
    if not of.low <= value <= of.high:
        raise EntryRefusedError(tr("{value} is outside {low} to {high}.", value=number_words(name, value),
                                   low=number_words(name, of.low), high=number_words(name, of.high)),
                                tr("Nothing was changed."), tr("Give a number within its range."))
    return value


def assumed_choices(stated: Mapping[str, float]) -> tuple[tuple[str, str], ...]:
    """(name, words) of all that can be stated, what is stated first, each with what counts now and its range."""
    found = []
    for name in sorted(OF_THE_SHOP, key=lambda one: one not in stated):
        of = assumption_of(name)
        now = number_words(name, stated.get(name, assumed_of(name)))
        range_of = tr("{low} to {high}", low=number_words(name, of.low), high=number_words(name, of.high))
        found.append((name, tr("{said}: {now}, stated here ({range_of})", said=SAID[name], now=now, range_of=range_of)
                      if name in stated else tr("{said}: {now} ({range_of})", said=SAID[name], now=now,
                                                range_of=range_of)))
    return tuple(found)


def stated_words(name: str, stated: Mapping[str, float]) -> str:
    """What counts after a change."""
    if name in stated:
        return tr("In this shop: {said}: {now}.", said=SAID[name], now=number_words(name, stated[name]))
    return tr("As assumed again: {said}: {now}.", said=SAID[name], now=number_words(name, assumed_of(name)))
