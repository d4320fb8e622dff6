"""What the heat of a recipe does on a board, as an answer to show: words, parts at risk at a time, and the temperatures
that mean something. The computing is in `heating`, which needs the sparse solver; this does not.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.board import Board, Component
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.rework.heat import Warming

LONGEST_SECONDS = 180.0
"""So long the heat is followed: longer on one place no recipe holds it."""
PLASTIC_CELSIUS = 220.0
"""From here connectors' plastic softens (220 to 260 by kind)."""
PLASTIC_MARGIN = 20.0
"""Kelvin below it from where it is named: what a handheld's board and a bench's flow differ by, at least."""
MOST_NAMED = 8
APART_KELVIN = 8.0
"""Lines nearer than this are one line on a plan of a hand's breadth."""
SHIELDED_MM = 25.0
"""Shields go over what is tender within this distance of the part: beyond, the air has cooled. Range 15 to 40."""
HEATER_CELSIUS = 150.0
"""Of the heater below that is tried: the board comes to about 100. Range 120 to 200."""


@dataclass(frozen=True)
class Protection:
    """What is put around the heat besides the recipe: the board warmed from below first, metal over what is tender."""

    warmed_first: bool = False
    shields: bool = False

    @property
    def words(self) -> str:
        said = [words for on, words in (
            (self.warmed_first, tr("the board warmed first by a heater of {heater_celsius:.0f} °C below",
                                   heater_celsius=HEATER_CELSIUS)),
            (self.shields, tr("shields over what is tender"))) if on]
        return tr(" and ").join(said)


@dataclass(frozen=True)
class HeatAnswer:
    """floats_at: °C from which the joints float; seconds: until they do, and its range over the numbers' ranges, inf
    where they don't; softened: parts whose joints melt by the time it is lifted; plastic: connectors that get too hot;
    hottest: °C at the part; melts_at: °C from which other joints melt; warming: degrees of each cell of the grid over
    time, (times, cells); cells: by designator, the cell in which its middle lies."""

    part: str
    floats_at: float
    seconds: float
    least_seconds: float
    most_seconds: float
    softened: tuple[str, ...]
    plastic: tuple[tuple[str, float], ...]
    hottest: float
    melts_at: float
    protection: Protection = Protection()
    warming: Warming | None = field(default=None, repr=False, compare=False)
    cells: Mapping[str, int] = field(default_factory=dict, repr=False, compare=False)

    def celsius_at(self, parts: Iterable[Component], seconds: float) -> dict[str, float]:
        """°C at the middle of each part so long after the heat began; asked at every step of the slider."""
        if self.warming is None:
            return {}
        now = self.warming.celsius[frame_at(self.warming, seconds)]
        return {part.designator: float(now[self.cells[part.designator]]) for part in parts}


def frame_at(warming: Warming, seconds: float) -> int:
    """Which of the times computed is nearest."""
    return int(np.argmin(np.abs(warming.seconds - seconds)))


def tender_near(board: Board, place: Component) -> tuple[Component, ...]:
    """What a shield goes over: tender, near the part, on its side."""
    return tuple(one for one in board.components
                 if one.heat_sensitive and one is not place and one.side is place.side
                 and np.hypot(one.x_mm - place.x_mm, one.y_mm - place.y_mm) <= SHIELDED_MM)


@dataclass(frozen=True)
class PartAtRisk:
    """celsius: by the time asked about. why: 'softens' where its joints melt, 'plastic' near its limit."""

    part: str
    celsius: float
    why: str


def parts_at_risk(board: Board, answer: HeatAnswer, seconds: float) -> tuple[PartAtRisk, ...]:
    """What softens or suffers so long after the heat began, hottest first; the part in hand is meant to."""
    found = []
    for name, degrees in answer.celsius_at(board.components, seconds).items():
        if name == answer.part:
            continue
        if degrees >= answer.melts_at:
            found.append(PartAtRisk(name, degrees, "softens"))
        elif degrees >= PLASTIC_CELSIUS - PLASTIC_MARGIN and board.component_by_designator[name].heat_sensitive:
            found.append(PartAtRisk(name, degrees, "plastic"))
    return tuple(sorted(found, key=lambda risk: -risk.celsius))


def risk_words(board: Board, answer: HeatAnswer, seconds: float) -> str:
    """What the slider shows, in a line."""
    part = board.component_by_designator[answer.part]
    here = answer.celsius_at((part,), seconds).get(answer.part, float("nan"))
    risks = parts_at_risk(board, answer, seconds)
    named = ", ".join(f"{risk.part} {risk.celsius:.0f}\N{NO-BREAK SPACE}°C" for risk in risks[:MOST_NAMED])
    more = tr(" and {count} more", count=len(risks) - MOST_NAMED) if len(risks) > MOST_NAMED else ""
    return tr("After {seconds:.0f} s: {part} {here:.0f} °C. ", seconds=seconds, part=answer.part, here=here) + (
        tr("At risk: {named}{more}.", named=named, more=more) if risks else tr("Nothing beside it at risk yet."))


def levels_of(answer: HeatAnswer) -> dict[float, str]:
    """Temperatures that mean something here, with what each means; none so near to where the part floats that their
    lines run into one another."""
    known = {60.0: tr("60 °C: cells and films suffer"), 138.0: tr("138 °C: bismuth solder melts"),
             183.0: tr("183 °C: leaded solder melts"),
             answer.melts_at: tr("{melts_at:.0f} °C: lead-free solder melts", melts_at=answer.melts_at)}
    apart = {level: words for level, words in known.items() if abs(level - answer.floats_at) >= APART_KELVIN}
    return apart | {answer.floats_at: tr("{floats_at:.0f} °C: {part} floats", floats_at=answer.floats_at,
                                         part=answer.part)}


def heat_words(answer: HeatAnswer) -> str:
    """What it means at the bench, and that it is no thermometer."""
    if answer.seconds == float("inf"):
        first = (tr("{part}: by this recipe's middle settings the joints do not float within {longest_seconds:.0f} "
                    "s ({hottest:.0f} °C at most, {floats_at:.0f} °C needed): warm from below, or use a larger "
                    "nozzle.", part=answer.part, longest_seconds=LONGEST_SECONDS, hottest=answer.hottest,
                    floats_at=answer.floats_at))
    else:
        most = f"{answer.most_seconds:.0f} s" if answer.most_seconds != float("inf") else tr("not at all")
        first = (tr("{part}: joints float from {floats_at:.0f} °C, after about {seconds:.0f} s ({least_seconds:.0f} "
                    "s to {most}, by the board's copper and the air).", part=answer.part, floats_at=answer.floats_at,
                    seconds=answer.seconds, least_seconds=answer.least_seconds, most=most))
    if answer.protection.words:
        first = tr("With {protection}. {first}", protection=answer.protection.words, first=first)
    said = [first]
    if answer.softened:
        more = tr(" and {count} more",
                  count=len(answer.softened) - MOST_NAMED) if len(answer.softened) > MOST_NAMED else ""
        said.append(tr("Joints beside it that soften by the time it is lifted: {softened}{more}: photograph and "
                       "count.", softened=", ".join(answer.softened[:MOST_NAMED]), more=more))
    if answer.plastic:
        named = ", ".join(f"{name} {degrees:.0f} °C" for name, degrees in answer.plastic)
        said.append(tr("Plastic near its limit: {named}: shield it.", named=named))
    said.append(tr("A planning aid, not a thermometer."))
    return " ".join(said)
