"""What instruments say on the proof: whether a way up draws full power, or why the cell doesn't let it yet, and what
was read after the repair."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.app.reading.before_after import before_after_words
from dextrum.app.reading.judged import JudgedReading
from dextrum.app.supply.draw_words import minutes_words
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.reference.table import ReferenceTable
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.supply.draws import DrawAssessment
    from dextrum.core.draw.reading import DrawReading

FULL_POWER = "part_charged"
"""The condition of a cell in which the model draws all it may."""


@dataclass(frozen=True)
class Measured:
    """words: what the meter showed since the last repair. passes: whether that is the model's full power; None where
    it says neither."""

    words: str
    passes: bool | None


def _why_not_yet(reading: DrawReading, cell: str) -> str:
    if cell in ("near_full", "full"):
        return tr("the cell is near full, so it can't show full power. Try it again with the cell lower.")
    charge = reading.charge
    if charge is not None and charge.overdue:
        return tr("the cell should have come up by now: look at Supply.")
    starts = charge.to_boot if charge is not None else None
    soon = tr(" It starts up in about {minutes_words}.",
              minutes_words=minutes_words(starts.middle)) if starts is not None else ""
    return tr("the cell is flat, so it draws little yet.{soon} Measure it again then.", soon=soon)


def measured(draws: DrawAssessment, orientation: str) -> Measured | None:
    """What the draw of one way up proves; None where it was not read since the last repair."""
    seen = draws.now.get(orientation)
    if seen is None or seen.reading is None:
        return None
    reading = seen.reading
    last = reading.spells[-1]
    figures = f"{last.volts:.2f} V, {last.mean_amps:.2f} A"
    if reading.verdict == "unknown":
        return Measured(tr("{figures}: not known of this model. Check supply, cable and meter, and measure again.",
                           figures=figures), None)
    state = reading.profile.states[reading.state]
    if reading.verdict == "faulty":
        return Measured(tr("{figures}: {state}. F fails it.", figures=figures, state=state.words), False)
    if reading.verdict == "doubt":
        return Measured(tr("{figures}: {state}. That may be the cell or a fault: look at Supply.", figures=figures,
                           state=state.words), None)
    if state.cell == FULL_POWER:
        return Measured(tr("{figures}: full power for this model. P passes it.", figures=figures), True)
    return Measured(tr("{figures}: charges; {why_not_yet}", figures=figures,
                       why_not_yet=_why_not_yet(reading, state.cell)), None)


def after_words(board: Board, facts: JobFacts, references: ReferenceTable,
                judged: Mapping[str, JudgedReading]) -> str:
    """What was read since the last repair, against a good board and against before; empty without a repair."""
    contacts = board.port_point_ids()
    if not facts.epoch or not contacts:
        return ""
    read = [judged[point] for point in judged if judged[point].reading.epoch == facts.epoch]
    in_port = sum(one.point in board.port_points for one in read)
    off = [one.point for one in read if one.judgement.verdict.is_off]
    said = tr("Read after the repair: {in_port} of {count} port contacts", in_port=in_port, count=len(contacts))
    if len(read) > in_port:
        said += tr(" and {count} other point{s}", count=len(read) - in_port,
                   s="s" if len(read) > in_port + 1 else "")
    if not read:
        return f"{said}."
    said += tr("; not as a good board: {off}{if_any}.", off=", ".join(off[:3]),
               if_any=tr(" and more") if len(off) > 3 else "") if off else \
        tr(", all as on a good board.")
    changed = before_after_words(board, references, judged, [one.point for one in read])
    return f"{said} {changed}".strip()
