"""An entry of the trail in two short lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from dextrum.app.handover import RESULTS
from dextrum.app.rail_words import rail_verdict
from dextrum.core.board import Board
from dextrum.core.board.value_words import value_words
from dextrum.core.looks import LOOK_WORDS, BoardLook, Danger, Look, Swap
from dextrum.core.safety.gates import AUDIT_WORDS
from dextrum.core.safety.signs import SIGN_WORDS
from dextrum.core.trail import (
    Access,
    Audit,
    Cause,
    Cell,
    DrawTrace,
    Entry,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    Outcome,
    Override,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Strike,
    Supply,
    Wait,
    struck_ids,
)


@dataclass(frozen=True)
class TrailCard:
    """What the strip shows: one entry, or typed readings in a row gathered. ids: the entries behind it."""

    at: datetime
    title: str
    detail: str
    ids: tuple[str, ...]
    struck: bool


CELL_WORDS = {"unplugged": "unplugged", "plugged": "plugged in", "known_good": "known-good one in",
              "new": "new one fitted"}
DONE = {"replace": "replaced", "reflow": "resoldered", "wire": "wired", "clean": "cleaned"}


def _words(entry: Entry, board: Board | None) -> tuple[str, str]:
    p = entry.payload
    if isinstance(p, JobOpened):
        return "Came in", p.model
    if isinstance(p, Intake):
        return "Intake", p.complaint or "no words"
    if isinstance(p, Look):
        return "Look", "port " + ", ".join(LOOK_WORDS.get(f, f) for f in p.findings)
    if isinstance(p, Danger):
        return ("Danger" if p.state == "seen" else "Made safe"), ", ".join(SIGN_WORDS[s] for s in p.signs)
    if isinstance(p, Audit):
        return "Audited", ", ".join(AUDIT_WORDS[step] for step in p.checked)
    if isinstance(p, BoardLook):
        return f"Board, {p.side}", p.words
    if isinstance(p, Swap):
        symptom = board.symptom_by_id.get(p.symptom) if board else None
        words = symptom.words if symptom else p.symptom
        return f"Known-good {p.what}", f"{words}: {'gone' if p.gone else 'still so'}"
    if isinstance(p, Supply):
        blink = ", blinks" if p.pattern == "blinking" else ""
        place = "" if p.position == "resting" else f", {p.position}"
        seen = p.named.replace("_", " ") if p.named else f"{p.volts:.1f} V {p.amps:.2f} A"
        return f"Draw, {p.orientation.upper()} side up", f"{seen}{blink}{place}"
    if isinstance(p, DrawTrace):
        hours = f"{p.seconds / 3600:.1f} h" if p.seconds >= 5400 else f"{p.seconds / 60:.0f} min"
        return f"Draw log, {p.orientation.upper()} side up", f"{hours}, {p.count} samples"
    if isinstance(p, Cell):
        return "Cell", CELL_WORDS[p.state]
    if isinstance(p, Access):
        level = next((lv.words for lv in board.access_levels if lv.id == p.level), p.level) if board else p.level
        return "Opened to", level
    if isinstance(p, Readings):
        if len(p.readings) == 1:
            return p.readings[0].point, value_words(p.readings[0].value, p.method)
        return "Readings", f"{len(p.readings)} points"
    if isinstance(p, Isolation):
        return ", ".join(p.parts), "removed" if p.state == "off" else "put back"
    if isinstance(p, RailVolts):
        check = next((c for c in board.rail_checks if c.id == p.rail), None) if board else None
        at, verdict = (f" at {check.point}", f", {rail_verdict(check, p.volts)}") if check else ("", "")
        return f"{p.rail}{at} under power", f"{p.volts:.2f} V{verdict}, {p.orientation.upper()} side up"
    if isinstance(p, Injection):
        used = f"{p.volts:.2f} V, {p.amps:.2f} A"
        return f"Injected {p.net}", f"{used}: {p.warmed} warms" if p.warmed else f"{used}: nothing warms"
    if isinstance(p, Rework):
        return p.part, DONE[p.action]
    if isinstance(p, Cause):
        return "Cause", p.what
    if isinstance(p, Proof):
        words = next((c.words for c in board.checks if c.id == p.check), p.check) if board else p.check
        return "Passed" if p.passed else "Failed", words
    if isinstance(p, Wait):
        return "Waits", p.why
    if isinstance(p, Outcome):
        return "Closed", RESULTS[p.result]
    if isinstance(p, Override):
        return "Gate passed", p.reason
    if isinstance(p, Strike):
        return "Struck out", p.reason or "an entry"
    return "", ""


def trail_cards(trail: Sequence[Entry], board: Board | None) -> tuple[TrailCard, ...]:
    """Cards in time. Single readings that follow each other are one card, as are nothing else."""
    struck = struck_ids(trail)
    cards: list[TrailCard] = []
    run: list[Entry] = []

    def close() -> None:
        if len(run) == 1:
            cards.append(TrailCard(run[0].at, *_words(run[0], board), (run[0].id,), run[0].id in struck))
        elif run:
            last = _words(run[-1], board)
            cards.append(TrailCard(run[0].at, f"{len(run)} readings", f"last {last[0]} {last[1]}",
                                   tuple(e.id for e in run), False))
        run.clear()

    for entry in trail:
        single = isinstance(entry.payload, Readings) and len(entry.payload.readings) == 1 and entry.id not in struck
        if single:
            run.append(entry)
            continue
        close()
        if not isinstance(entry.payload, Strike):
            cards.append(TrailCard(entry.at, *_words(entry, board), (entry.id,), entry.id in struck))
    close()
    return tuple(cards)
