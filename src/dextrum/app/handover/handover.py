"""The hand-over sheet: what was found, what caused it, what was replaced, what was tested, what to stop using."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from dextrum.app.advising.looking import swap_words
from dextrum.app.handover.results import RESULTS
from dextrum.app.handover.shop_paper import ShopPaper
from dextrum.app.handover.work_minutes import minutes_of_work
from dextrum.app.places import shipped
from dextrum.app.reading.judged import judge_reading, judged_readings
from dextrum.app.reading.sentences import contact_words
from dextrum.core.advice.wording import part_words
from dextrum.core.board import Board
from dextrum.core.board.value_words import value_words
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.looks import LOOK_WORDS
from dextrum.core.proof.tries import tries_left
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.safety.cautions import cautions_in_view
from dextrum.core.teardown.walk import missing_words
from dextrum.core.trail import Entry
from dextrum.core.when import day_words, moment_words

if TYPE_CHECKING:
    from dextrum.core.draw.records import DrawRecord

NOT_AGAIN = "not read again"
BROUGHT = ("supply", "cable", "dock")
ACTIONS = {"replace": "Replaced", "reflow": "Resoldered", "wire": "Bridged with wire", "clean": "Cleaned"}
CAUSES = {"supply": "The supply it was used with.", "dock": "The dock it was used with.",
          "force": "Force on the plug or the port.", "liquid": "Liquid.",
          "unknown": "Could not be told."}


@dataclass(frozen=True)
class ReadingRow:
    point: str
    before: str
    after: str
    good: str


@dataclass(frozen=True)
class CheckRow:
    mark: str
    words: str
    note: str


@dataclass(frozen=True)
class SheetPicture:
    """words: below it; source: a data URI, so that a sheet is one file."""

    words: str
    source: str


@dataclass(frozen=True)
class Sheet:
    """Everything on the two sheets, as text. readings_words: the abnormal ones in a sentence. untested: checks that
    were not made, with why. stands_until: the day until which the shop stands for the repair. minutes: of work.
    all_readings, parts, events, pictures, traces, code: for the shelf's sheet alone."""

    bench: str
    serial: str
    model: str
    came_in: str
    outcome: str
    complaint: str
    came_along: str
    condition: str
    found: tuple[str, ...]
    nothing_found: str
    done: tuple[str, ...]
    cause: str
    stop_using: str
    readings: tuple[ReadingRow, ...]
    method: str
    readings_words: str
    checks: tuple[CheckRow, ...]
    untested: tuple[CheckRow, ...]
    note: str
    caution: str
    written: str
    who: str
    address: str = ""
    mark: str = ""
    terms: str = ""
    stands_until: str = ""
    minutes: int = 0
    all_readings: tuple[ReadingRow, ...] = ()
    parts: tuple[str, ...] = ()
    events: tuple[str, ...] = ()
    pictures: tuple[SheetPicture, ...] = ()
    traces: tuple[SheetPicture, ...] = ()
    code: str = ""


def _off_rows(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[ReadingRow, ...]:
    """Points that were off at any time, with their first off reading and their last reading."""
    rows = []
    for point in board.points:
        for method in point.methods:
            read = [r for epoch in range(facts.epoch + 1)
                    if (r := facts.reading(point.id, method.value, epoch)) is not None]
            off = [r for r in read if judge_reading(board, references, point.id, method, r.value,
                                                    r.wavering).verdict.is_off]
            if not off:
                continue
            centre = judge_reading(board, references, point.id, method, off[0].value).centre
            after = read[-1] if read[-1].epoch > off[0].epoch else None
            rows.append(ReadingRow(contact_words(board, point), value_words(off[0].shown, method),
                                   value_words(after.shown, method) if after else NOT_AGAIN,
                                   value_words(centre, method)))
    return tuple(rows)


def _draw_words(board: Board, record: DrawRecord) -> str:
    # Traces need NumPy, which the start does without.
    from dextrum.core.draw.profile import profile_of
    from dextrum.core.draw.reading import read_draw
    from dextrum.core.draw.records import seen_words

    profile = profile_of(board, record.supply_class, record.cell == "known_good")
    if profile is None or not record.spells:
        return seen_words(record)
    return f"{seen_words(record)}: {read_draw(profile, record.spells, record.switched_on).state_words}"


def _found(board: Board, references: ReferenceTable, trail: tuple[Entry, ...], facts: JobFacts) -> tuple[str, ...]:
    lines = []
    if facts.look is not None and facts.look.findings != ("clean",):
        where = f" at {', '.join(facts.look.contacts)}" if facts.look.contacts else ""
        lines.append(f"Port: {', '.join(LOOK_WORDS.get(f, f) for f in facts.look.findings)}{where}.")
    for side, over in sorted((facts.board_looks or {}).items(), reverse=True):
        if over.seen:
            lines.append(f"Looking over the board, {side} side: {over.words}.")
    lines.extend(missing_words(board, facts))
    lines.extend(f"{swap_words(board, swap)}." for swap in facts.swaps)
    from dextrum.core.draw.records import draw_records

    first: dict[str, DrawRecord] = {}
    for record in draw_records(trail):
        first.setdefault(record.orientation, record)
    lines.extend(f"On our supply, {o.upper()} side up: {_draw_words(board, first[o])}." for o in sorted(first))
    words_of = {Verdict.OPEN: "open", Verdict.GROUNDED: "grounded", Verdict.PARTIAL_SHORT: "partly shorted",
                Verdict.LOW: "reads low", Verdict.HIGH: "reads high"}
    plain: dict[str, list[str]] = {}
    for point in board.points:
        for method in point.methods:
            for epoch in range(facts.epoch + 1):
                reading = facts.reading(point.id, method.value, epoch)
                if reading is None:
                    continue
                verdict = judge_reading(board, references, point.id, method, reading.value).verdict
                if verdict in words_of:
                    plain.setdefault(words_of[verdict], []).append(contact_words(board, point))
                break
    for state, points in plain.items():
        shown = ", ".join(points[:6]) + (f" and {len(points) - 6} more" if len(points) > 6 else "")
        lines.append(f"{state.capitalize()}: {shown}.")
    return tuple(lines)


def _nothing_found(board: Board, references: ReferenceTable, facts: JobFacts) -> str:
    """What can be said where nothing was found: no more than was measured and compared."""
    judged = [r for r in judged_readings(board, references, facts).values()
              if r.judgement.verdict is not Verdict.NOT_JUDGED]
    if judged:
        return f"No fault found in {len(judged)} reading{'' if len(judged) == 1 else 's'}."
    if facts.shown_readings:
        return "Measured, but there is no known-good unit to compare with yet."
    return "Not measured yet."


def _stop_using(facts: JobFacts) -> str:
    """The advice with the cause, and whatever a known-good one in its place has shown to be bad."""
    bad = [swap.what for swap in facts.swaps if swap.gone and swap.what in BROUGHT]
    words = [facts.cause.advice] if facts.cause and facts.cause.advice else []
    words += [f"Stop using the {what} that came with it." for what in dict.fromkeys(bad)]
    return " ".join(dict.fromkeys(words))


def _readings_words(rows: tuple[ReadingRow, ...]) -> str:
    """'3 readings were unlike a good unit's; all of them were read again after the work.' """
    if not rows:
        return ""
    again = sum(row.after != NOT_AGAIN for row in rows)
    if len(rows) == 1:
        return f"One reading was unlike a good unit's; it was {'' if again else 'not '}read again after the work."
    after = "all" if again == len(rows) else again or "none"
    return f"{len(rows)} readings were unlike a good unit's; {after} of them were read again after the work."


def _often(facts: JobFacts, check: str) -> str:
    """How often what came and went was tried."""
    left = tries_left(facts, check)
    if left is None:
        return ""
    tried = f"{left.passed} times" if left.wanted_tries else f"for {left.minutes:.0f} min"
    return f"it came and went: tried {tried} since the repair"


def _stands_until(facts: JobFacts, days: int, written: datetime) -> str:
    if not days or facts.outcome is None or facts.outcome.result != "repaired":
        return ""
    return day_words((written + timedelta(days=days)).date())


def make_sheet(board: Board, references: ReferenceTable, trail: tuple[Entry, ...], bench: str, who: str,
               written: datetime, shop: ShopPaper | None = None) -> Sheet:
    """The sheet of a job as it stands now; an open job gives one marked as still open."""
    facts = facts_as_judged(board, references, job_facts(trail))
    intake = facts.intake
    done = tuple(f"{ACTIONS[rework.action]}: {rework.part}, {part_words(board, rework.part)}"
                 + (f" ({rework.source})" if rework.source else "") + (f". {rework.note}" if rework.note else "")
                 for _, rework in facts.reworks)
    proofs = facts.proofs or {}
    checks = tuple(CheckRow("✓" if proofs[c.id].passed else "✗", c.words,
                            proofs[c.id].note or (_often(facts, c.id) if proofs[c.id].passed else ""))
                   for c in board.checks if c.id in proofs)
    left_out = facts.left_out or {}
    untested = tuple(CheckRow("–", c.words, f"left out: {left_out[c.id]}" if c.id in left_out else "not tested")
                     for c in board.checks if c.id not in proofs)
    rows = _off_rows(board, references, facts)
    paper = shop or ShopPaper(bench)
    caution = " ".join(cautions_in_view(board, facts, "handover"))
    return Sheet(
        bench=paper.name, serial=facts.serial, model=facts.model,
        came_in=day_words(facts.opened_at.astimezone().date()) if facts.opened_at else "",
        outcome=RESULTS[facts.outcome.result if facts.outcome else ""]
        + (" with the owner's consent" if facts.outcome and facts.outcome.result == "donor" else ""),
        complaint=intake.complaint if intake else "", came_along=intake.came_along if intake else "",
        condition=intake.condition if intake else "",
        found=_found(board, references, trail, facts), nothing_found=_nothing_found(board, references, facts),
        done=done,
        cause=CAUSES[facts.cause.what] if facts.cause else "Cause not determined.",
        stop_using=_stop_using(facts),
        readings=rows, readings_words=_readings_words(rows),
        method="Diode mode with red on ground, in volts; point to point in ohms; board unpowered.",
        checks=checks, untested=untested, note=facts.outcome.note if facts.outcome else "", caution=caution,
        written=moment_words(written), who=who, address=paper.address, mark=paper.mark, terms=paper.terms,
        stands_until=_stands_until(facts, paper.days, written), minutes=round(minutes_of_work(trail)))


def sheet_html(sheet: object, template: str = "handover.html") -> str:
    """HTML with everything escaped; safe to open anywhere. sheet: what the template names as its fields. template:
    handover.html for the owner, shelf.html for the shelf."""
    from jinja2 import Environment, FileSystemLoader

    environment = Environment(loader=FileSystemLoader(shipped() / "templates"), autoescape=True,
                              keep_trailing_newline=True)
    return environment.get_template(template).render(sheet=sheet)
