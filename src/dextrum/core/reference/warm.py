"""Readings of a board that is still warm from rework: set aside where warmth explains them.

A junction drops about 2 mV less for every kelvin (S. M. Sze, Physics of Semiconductor Devices: -2 mV/K for silicon at
about a milliampere), so a warm board reads low everywhere, and what is left of it looks like a fault nobody knows. A
reading that was taken soon after heat, without the board's temperature, and that is low by no more than that, says
nothing yet. What warmth can't do stands: OL, a short, ohms, and what reads as a good board.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta

from dextrum.core.board import Board, Method
from dextrum.core.entries.draft import StandingReading
from dextrum.core.job import JobFacts
from dextrum.core.reference.columns import VOLTS_PER_KELVIN
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.off_points import judge_at
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.reference.tester import tester_judged

COOLING = timedelta(minutes=10)
"""How long a board stays too warm to be compared after heat: a bare handheld board loses half of its excess in two to
three minutes in still air (10 to 15 W/m2K a side), so 50 K are down to 3 K by then."""
MOST_KELVIN = 70.0
"""The warmest a board is touched with probes, above room temperature."""


def is_warm(facts: JobFacts, at: datetime, celsius: float | None) -> bool:
    """Whether something was read so soon after heat that the board's temperature has to be known, and isn't."""
    return celsius is None and any(timedelta(0) <= at - heated < COOLING for heated in facts.heated)


def _by_warmth(board: Board, references: ReferenceTable, point: str, method: str, reading: StandingReading) -> bool:
    place, way = board.point_by_id.get(point), Method(method)
    if place is None or not way.is_diode or reading.value == float("inf"):
        return False
    judged = judge_at(board, references, place, way, reading.value, reading.wavering)
    return judged.verdict in (Verdict.LOW, Verdict.PARTIAL_SHORT) and \
        judged.centre - reading.value <= abs(VOLTS_PER_KELVIN) * MOST_KELVIN


def by_one_meter(references: ReferenceTable, facts: JobFacts) -> JobFacts:
    """The facts with every reading as the references' meter would have read it, whichever meter was in hand."""
    def moved(reading: StandingReading, method: str) -> StandingReading:
        value = references.as_this_meter(reading.shown, reading.meter, Method(method))
        return reading if value == reading.value else replace(reading, value=value, as_read=reading.shown)

    if not references.corrections:
        return facts
    return replace(
        facts, readings={key: moved(r, key[2]) for key, r in (facts.readings or {}).items()},
        either_way_up={key: moved(r, key[2]) for key, r in (facts.either_way_up or {}).items()},
        apart={key: moved(r, key[2]) for key, r in (facts.apart or {}).items()})


def facts_as_judged(board: Board, references: ReferenceTable, facts: JobFacts) -> JobFacts:
    """The facts with every reading on one meter's scale, and with what says nothing of the board named: the tester's
    own faults, and what a warm board reads."""
    facts = tester_judged(board, references, by_one_meter(references, facts))
    if not facts.heated:
        return facts
    tables = (dict(facts.readings or {}), {key[:3]: r for key, r in (facts.apart or {}).items()})
    warm = frozenset((reading.entry_id, point) for table in tables for (_, point, method), reading in table.items()
                     if is_warm(facts, reading.at, reading.board_celsius)
                     and _by_warmth(board, references, point, method, reading))
    return replace(facts, warm=warm)
