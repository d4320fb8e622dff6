"""What a draw means, what it does not say, what is in doubt, and what the cell still needs, in a technician's words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING

from dextrum.core.advice.wording import percent
from dextrum.core.board import Board
from dextrum.core.board.draws import CELL_CONDITIONS, state_called
from dextrum.core.draw.records import PROVED, WAY_WORDS, comes_and_goes
from dextrum.core.job import JobFacts
from dextrum.core.trail import Wait
from dextrum.core.when import clock_words, dated_words, moment_words
from dextrum.tongue import capital, english, tr, within

if TYPE_CHECKING:
    from dextrum.app.supply.draws import DrawAssessment, SeenDraw
    from dextrum.core.draw.cell import ChargeForecast, Span
    from dextrum.core.draw.reading import DrawReading

DRAWS_AMPS = 0.03
WEAK_SUPPLY = 0.02
CLASS_WORDS = {"negotiating": tr("negotiating supply"), "default_5v": tr("5 V only"), "dock": tr("dock's own supply"),
               "bench": tr("bench supply in place of the cell")}


@dataclass(frozen=True)
class DrawWords:
    """sentence: what it means. silent: what it does not say. doubt, cell: empty where there is nothing to say."""

    sentence: str
    silent: str
    doubt: str = ""
    cell: str = ""

HOURS_FROM = 100.0
"""Minutes from which a time is said in hours; from one hour on beside another that is."""


def minutes_words(minutes: float, hours_from: float = HOURS_FROM) -> str:
    """'under a minute', '12 min', '2 h 40 min'."""
    if minutes < 1.0:
        return tr("under a minute")
    if minutes < hours_from:
        return tr("{minutes:.0f} min", minutes=minutes)
    hours, rest = divmod(round(minutes / 5) * 5, 60)
    return tr("{hours} h {rest:02d} min", hours=hours, rest=rest) if rest else f"{hours} h"


def span_words(span: Span) -> str:
    """'12 min (5 min to 24 min)', '1 h 55 min (1 h 15 min to 2 h 55 min)'."""
    hours_from = 60.0 if span.high >= HOURS_FROM else HOURS_FROM
    middle, low, high = (minutes_words(one, hours_from) for one in (span.middle, span.low, span.high))
    return tr("{minutes_words} ({minutes_words2} to {minutes_words3})", minutes_words=middle, minutes_words2=low,
              minutes_words3=high)


def _does_not_say(reading: DrawReading) -> str:
    if reading.state == reading.profile.unknown:
        return (tr("It does not say what is wrong: check supply, cable and meter, and read again; then the board "
                   "readings decide."))
    state = reading.profile.states[reading.state]
    if state.cell == "part_charged" or (state.cell in ("near_full", "full") and reading.verdict == "healthy"):
        return tr("It does not say that docking, data, or charging from the rails work.")
    if state.cell == "flat":
        return tr("It does not say yet that the unit charges: that shows when the pre-charge ends.")
    if state.pattern == "blinking":
        return tr("It does not say where the short sits, or whether it is the negotiation that restarts.")
    if state.cell == "deeply_flat":
        return tr("This does not show that a chip is faulty, or which.")
    return tr("This does not show which part of the path is at fault: the readings must.")


def _one_way(board: Board, one: SeenDraw) -> str:
    if one.reading is not None:
        return one.reading.state_words
    if one.record.named:
        return tr("called {named}", named=state_called(board.draw_states, one.record.named))
    return tr("recorded, not interpreted")


def _cc_contact(board: Board, orientation: str) -> str:
    """' (A5 CC1)' for the contact that this way up uses, nothing where the port has none."""
    signal = "CC1" if orientation == "a" else "CC2"
    return next((f" ({c.name} {signal})" for port in board.ports for c in port.contacts if c.signal == signal), "")


def _cell_order(reading: DrawReading) -> int:
    """How far the cell is by the draw, -1 where it doesn't say."""
    cell = reading.profile.states[reading.state].cell if reading.state != reading.profile.unknown else ""
    return CELL_CONDITIONS.index(cell) if cell else -1


def _difference(board: Board, now: Mapping[str, SeenDraw]) -> str:
    """What it means that the orientations differ."""
    readings = {o: s.reading for o, s in now.items() if s.reading is not None and o != "bench"}
    if len(readings) < 2 or readings["a"].state == readings["b"].state:
        return ""
    verdicts = {o: r.verdict for o, r in readings.items()}
    first, later = sorted(readings, key=lambda o: now[o].record.at)
    cells = [_cell_order(readings[o]) for o in (first, later)]
    if -1 < cells[0] < cells[1]:
        return tr("The cell recovered between the two measurements: measure the {first} side again.",
                  first=first.upper())
    dead = [o for o, r in readings.items() if r.spells[-1].mean_amps < DRAWS_AMPS]
    live = [o for o in readings if o not in dead]
    if len(dead) == 1 and verdicts[live[0]] in ("healthy", "doubt"):
        return (tr("Only the {live} side draws: one CC contact or its joint{cc_contact}, or one row of the port.",
                   live=live[0].upper(), cc_contact=_cc_contact(board, dead[0])))
    if "unknown" in verdicts.values():
        return ""
    return tr("One orientation works, so shared parts are good: check parts only the other uses.")


def _plug_moves(assessment: DrawAssessment, epoch: int) -> str:
    groups: dict[tuple[str, str], list[SeenDraw]] = {}
    for one in assessment.seen:
        if one.record.epoch == epoch:
            groups.setdefault((one.record.orientation, one.record.cell), []).append(one)
    for members in groups.values():
        records = [one.record for one in members]
        if len({r.position for r in records}) > 1:
            if comes_and_goes(records):
                return tr("The draw comes and goes with the plug: joints or anchors torn, or a contact lifted.")
            return tr("Pushing and hanging change nothing.")
    return ""


def doubt_words(assessment: DrawAssessment, now: datetime) -> str:
    """Two explanations, their chances, when they separate, and what a known-good cell would tell."""
    found = assessment.doubt
    if found is None:
        return ""
    doubt = found.doubt
    clear = clear_at(assessment, now)
    assert clear is not None
    at = clear.astimezone(now.tzinfo)
    record = assessment.now[found.orientation].record
    cell = tr("a cell that needs longer") if record.cell == "known_good" else tr("a flat cell")
    when = (tr("If the draw has not risen by {clock_words}, {cell} is less than 5 % likely.",
               clock_words=clock_words(at), cell=cell) if at > now
            else tr("It should be clear by now ({clock_words}): measure it again.", clock_words=clock_words(at)))
    swap = "" if record.cell == "known_good" else (
        tr(" A known-good cell tells at once, for about {swap_minutes:.0f} min of work.",
           swap_minutes=assessment.swap_minutes))
    if doubt.faulty >= doubt.healthy:
        first = tr("A fault is likelier ({percent}), but {cell} ({percent2}) would draw the same.",
                   percent=percent(doubt.faulty), cell=cell, percent2=percent(doubt.healthy))
    else:
        first = tr("{cell} is likelier ({percent}), but a fault ({percent2}) would draw the same.",
                   cell=capital(cell), percent=percent(doubt.healthy),
                   percent2=percent(doubt.faulty))
    return f"{first} {when}{swap}"


def clear_at(assessment: DrawAssessment, now: datetime) -> datetime | None:
    """When the two explanations separate; None without a doubt."""
    found = assessment.doubt
    if found is None:
        return None
    record = assessment.now[found.orientation].record
    return record.at.astimezone(now.tzinfo) + timedelta(seconds=found.doubt.more)


def starts_at(assessment: DrawAssessment, now: datetime) -> datetime | None:
    """When the cell should let the unit start, by the middle of the range; None where it can, or isn't known."""
    if assessment.starts is None:
        return None
    return assessment.seen[-1].record.at.astimezone(now.tzinfo) + timedelta(minutes=assessment.starts.middle)


def computed_wait(assessment: DrawAssessment, now: datetime) -> Wait | None:
    """The wait that the draw asks for: until two explanations separate, or until the unit can start. The minute is
    rounded up. None where there is nothing to wait for, or where its time has passed: then it is read again."""
    for at, why in ((clear_at(assessment, now), tr("Is the draw growing?")),
                    (starts_at(assessment, now), tr("Charging: does it start?"))):
        if at is not None and at > now:
            until = (at + timedelta(seconds=59)).replace(second=0, microsecond=0)
            return Wait(english(why), until.strftime("%Y-%m-%dT%H:%M"))
    return None


def charge_words(charge: ChargeForecast | None) -> str:
    """Charge so far, and the three times."""
    if charge is None:
        return ""
    parts = []
    if charge.charge_in_mah.middle >= 1:
        c = charge.charge_in_mah
        parts.append(tr("About {middle:.0f} mAh put in ({low:.0f} to {high:.0f}).", middle=c.middle, low=c.low,
                        high=c.high))
    if charge.overdue and charge.should_have_ended_after is not None:
        what = tr("The pre-charge") if charge.phase == "flat" else tr("This phase")
        parts.append(tr("{what} should have ended within {minutes_words} and has not.", what=what,
                        minutes_words=minutes_words(charge.should_have_ended_after)))
        return " ".join(parts)
    times = [
        tr("{words} in {span_words}", words=words, span_words=span_words(span))
        for words, span in (
            (tr("starts up"), charge.to_boot),
            (tr("at the shop's minimum charge"), charge.to_floor),
            (tr("full"), charge.to_full),
        )
        if span is not None
    ]
    if times:
        parts.append(f"{capital(', '.join(times))}.")
    elif charge.phase == "full":
        parts.append(tr("The cell is full."))
    return " ".join(parts)


def floor_words(assessment: DrawAssessment, now: datetime) -> str:
    """When the cell is at the shop's minimum charge, if it goes on charging as it was last seen; empty where that is
    not known. now: with the bench's zone."""
    for one in reversed(assessment.seen):
        charge = one.reading.charge if one.reading is not None else None
        if charge is None:
            continue
        if charge.to_floor is None or charge.overdue:
            return ""
        times = [one.record.at.astimezone(now.tzinfo) + timedelta(minutes=minutes)
                 for minutes in (charge.to_floor.middle, charge.to_floor.low, charge.to_floor.high)]
        if times[2] <= now:
            return tr("By its last draw it should be at the shop's minimum charge.")
        middle = moment_words(times[0], now.date())
        low, high = (clock_words(at) if at.date() == times[0].date() else moment_words(at, now.date())
                     for at in times[1:])
        return tr("At the shop's minimum charge at about {middle} ({low} to {high}), if it goes on charging.",
                  middle=middle, low=low, high=high)
    return ""


def supply_doubt(assessment: DrawAssessment) -> str:
    """What is weak about what it hung on."""
    for one in assessment.now.values():
        never = [g for g in one.record.gear if not g.proved_on]
        if never:
            names = tr(" and ").join(f"{tr(g.kind)} {g.name}" for g in never)
            return tr("{names} never proved good: weaker evidence. Read again on known-good ones.",
                      names=capital(names))
        if one.record.bad_supply > max(WEAK_SUPPLY, PROVED):
            old = min((g for g in one.record.gear if g.proved_on), key=lambda g: g.proved_on, default=None)
            if old is not None:
                return tr("{kind} {old} last proved good on {proved_on}: prove it again.", kind=capital(tr(old.kind)),
                          old=old.name, proved_on=dated_words(date.fromisoformat(old.proved_on[:10])))
            return tr("The supply was never proved good: weaker evidence. Read again on a known-good one.")
    return ""


def draw_words(board: Board, facts: JobFacts, assessment: DrawAssessment, now: datetime) -> DrawWords | None:
    """None where nothing was drawn since the last repair."""
    seen = assessment.now
    if not seen:
        return None
    words = {o: _one_way(board, one) for o, one in seen.items()}
    if set(words) == {"a", "b"} and words["a"] == words["b"]:
        sentence = tr("{words}, both ways up.", words=capital(words["a"]))
    else:
        said = "; ".join(text if o == "bench" else f"{WAY_WORDS[o]}: {text}" for o, text in words.items())
        sentence = f"{capital(said)}."
    difference = _difference(board, seen)
    last = max(seen.values(), key=lambda s: s.record.at)
    readings = [s.reading for s in seen.values() if s.reading is not None]
    plug = _plug_moves(assessment, facts.epoch)
    weak = supply_doubt(assessment)
    silent = plug or difference or (_does_not_say(last.reading) if last.reading is not None else
                                    tr("This pack knows nothing about this supply: recorded, not interpreted."))
    if weak:
        silent = f"{silent} {weak}"
    charge = next((r.charge for r in reversed(readings) if r.charge is not None and r.verdict != "faulty"), None)
    overdue = next((r.charge for r in readings if r.charge is not None and r.charge.overdue), None)
    doubt = doubt_words(assessment, now)
    cell = charge_words(overdue or charge)
    if doubt and cell and not overdue:
        cell = tr("If it is the cell: {cell}", cell=within(cell))
    return DrawWords(sentence, silent, doubt, cell)
