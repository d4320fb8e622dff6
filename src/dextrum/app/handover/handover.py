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
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.looks import BOARD_FINDING_WORDS, LOOK_WORDS
from dextrum.core.proof.tries import tries_left
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.safety.cautions import cautions_in_view
from dextrum.core.saying import Say, plain
from dextrum.core.teardown.walk import missing_words
from dextrum.core.trail import Entry
from dextrum.core.when import day_words, moment_words
from dextrum.tongue import ENGLISH, tongue

if TYPE_CHECKING:
    from dextrum.core.draw.records import DrawRecord

NOT_AGAIN = "not read again"
STATES = {Verdict.OPEN: "Open", Verdict.GROUNDED: "Grounded", Verdict.PARTIAL_SHORT: "Partly shorted",
          Verdict.LOW: "Reads low", Verdict.HIGH: "Reads high"}
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
    all_readings, method, parts, events, pictures, traces, code: for the shelf's sheet alone."""

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
    method: str = ""
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


def _draw_words(board: Board, record: DrawRecord, say: Say) -> str:
    # Traces need NumPy, which the start does without.
    from dextrum.core.draw.profile import profile_of
    from dextrum.core.draw.reading import read_draw
    from dextrum.core.draw.records import seen_words

    profile = profile_of(board, record.supply_class, record.cell == "known_good")
    seen = seen_words(record, board.draw_states, say)
    if profile is None or not record.spells:
        return seen
    return f"{seen}: {say(read_draw(profile, record.spells, record.switched_on).state_words)}"


def _found(board: Board, references: ReferenceTable, trail: tuple[Entry, ...], facts: JobFacts,
           say: Say) -> tuple[str, ...]:
    lines = []
    if facts.look is not None and facts.look.findings != ("clean",):
        seen = ", ".join(say(LOOK_WORDS[f]) for f in facts.look.findings)
        lines.append(say("Port: {seen} at {contacts}.", seen=seen, contacts=", ".join(facts.look.contacts))
                     if facts.look.contacts else say("Port: {seen}.", seen=seen))
    for side, over in sorted((facts.board_looks or {}).items(), reverse=True):
        if over.seen:
            seen = ", ".join(f"{part.part} {say(BOARD_FINDING_WORDS[part.what])}" for part in over.seen)
            lines.append(say("Looking over the board, {side} side: {seen}.", side=say(side), seen=seen))
    for _, count in facts.counted_before:
        if count.seen:
            seen = ", ".join(f"{part.part} {say(BOARD_FINDING_WORDS[part.what])}" for part in count.seen)
            lines.append(say("Counted round {part} before the heat: {seen}.", part=count.before_heat_on, seen=seen))
    lines.extend(missing_words(board, facts, say))
    lines.extend(f"{swap_words(board, swap, say)}." for swap in facts.swaps)
    from dextrum.core.draw.records import draw_records

    first: dict[str, DrawRecord] = {}
    for record in draw_records(trail):
        first.setdefault(record.orientation, record)
    lines.extend(say("On our supply, {side} side up: {draw}.", side=o.upper(), draw=_draw_words(board, first[o], say))
                 for o in sorted(first))
    points_of: dict[str, list[str]] = {}
    for point in board.points:
        for method in point.methods:
            for epoch in range(facts.epoch + 1):
                reading = facts.reading(point.id, method.value, epoch)
                if reading is None:
                    continue
                verdict = judge_reading(board, references, point.id, method, reading.value).verdict
                if verdict in STATES:
                    points_of.setdefault(STATES[verdict], []).append(contact_words(board, point))
                break
    for state, points in points_of.items():
        shown = ", ".join(points[:6])
        lines.append(say("{state}: {points} and {count} more.", state=say(state), points=shown, count=len(points) - 6)
                     if len(points) > 6 else f"{say(state)}: {shown}.")
    return tuple(lines)


def _nothing_found(board: Board, references: ReferenceTable, facts: JobFacts, say: Say) -> str:
    """What can be said where nothing was found: no more than was measured and compared."""
    judged = [r for r in judged_readings(board, references, facts).values()
              if r.judgement.verdict is not Verdict.NOT_JUDGED]
    if judged:
        return say("No fault found in 1 reading.") if len(judged) == 1 else \
            say("No fault found in {count} readings.", count=len(judged))
    if facts.shown_readings:
        return say("Measured, but there is no known-good unit to compare with yet.")
    return say("Not measured yet.")


def _stop_using(facts: JobFacts, say: Say) -> str:
    """The advice with the cause, and whatever a known-good one in its place has shown to be bad."""
    bad = [swap.what for swap in facts.swaps if swap.gone and swap.what in BROUGHT]
    words = [say(facts.cause.advice)] if facts.cause and facts.cause.advice else []
    words += [say(f"Stop using the {what} that came with it.") for what in dict.fromkeys(bad)]
    return " ".join(dict.fromkeys(words))


def _readings_words(rows: tuple[ReadingRow, ...], say: Say) -> str:
    """'3 readings were unlike a good unit's; all of them were read again after the work.' """
    if not rows:
        return ""
    again = sum(row.after != NOT_AGAIN for row in rows)
    if len(rows) == 1:
        return say("One reading was unlike a good unit's; it was read again after the work." if again else
                   "One reading was unlike a good unit's; it was not read again after the work.")
    if again == len(rows):
        return say("{count} readings were unlike a good unit's; all of them were read again after the work.",
                   count=len(rows))
    if not again:
        return say("{count} readings were unlike a good unit's; none of them were read again after the work.",
                   count=len(rows))
    return say("{count} readings were unlike a good unit's; {again} of them were read again after the work.",
               count=len(rows), again=again)


def _often(facts: JobFacts, check: str, say: Say) -> str:
    """How often what came and went was tried."""
    left = tries_left(facts, check)
    if left is None:
        return ""
    return say("it came and went: tried {count} times since the repair", count=left.passed) if left.wanted_tries else \
        say("it came and went: tried for {minutes} min since the repair", minutes=round(left.minutes))


def _stands_until(facts: JobFacts, days: int, written: datetime, say: Say) -> str:
    if not days or facts.outcome is None or facts.outcome.result != "repaired":
        return ""
    return day_words((written + timedelta(days=days)).date(), say=say)


def make_sheet(board: Board, references: ReferenceTable, trail: tuple[Entry, ...], bench: str, who: str,
               written: datetime, shop: ShopPaper | None = None, say: Say = plain) -> Sheet:
    """The sheet of a job as it stands now; an open job gives one marked as still open. say: in the owner's language."""
    facts = facts_as_judged(board, references, job_facts(trail))
    intake = facts.intake
    done = tuple(f"{say(ACTIONS[rework.action])}: {shown_part(rework.part, say)}, {say(part_words(board, rework.part))}"
                 + (f" ({rework.source})" if rework.source else "") + (f". {rework.note}" if rework.note else "")
                 for _, rework in facts.reworks)
    proofs = facts.proofs or {}
    checks = tuple(CheckRow("✓" if proofs[c.id].passed else "✗", say(c.words),
                            proofs[c.id].note or (_often(facts, c.id, say) if proofs[c.id].passed else ""))
                   for c in board.checks if c.id in proofs)
    left_out = facts.left_out or {}
    untested = tuple(CheckRow("–", say(c.words), say("left out: {reason}", reason=left_out[c.id])
                              if c.id in left_out else say("not tested"))
                     for c in board.checks if c.id not in proofs)
    rows = _off_rows(board, references, facts)
    paper = shop or ShopPaper(bench)
    caution = " ".join(say(one) for one in cautions_in_view(board, facts, "handover"))
    result = facts.outcome.result if facts.outcome else ""
    return Sheet(
        bench=paper.name, serial=facts.serial, model=facts.model,
        came_in=day_words(facts.opened_at.astimezone().date(), say=say) if facts.opened_at else "",
        outcome=say("not repaired, kept for parts with the owner's consent" if result == "donor" else RESULTS[result]),
        complaint=intake.complaint if intake else "", came_along=intake.came_along if intake else "",
        condition=intake.condition if intake else "",
        found=_found(board, references, trail, facts, say),
        nothing_found=_nothing_found(board, references, facts, say),
        done=done,
        cause=say(CAUSES[facts.cause.what] if facts.cause else "Cause not determined."),
        stop_using=_stop_using(facts, say),
        readings=rows, readings_words=_readings_words(rows, say),
        checks=checks, untested=untested, note=facts.outcome.note if facts.outcome else "", caution=caution,
        written=moment_words(written, say=say), who=who, address=paper.address, mark=paper.mark, terms=paper.terms,
        stands_until=_stands_until(facts, paper.days, written, say), minutes=round(minutes_of_work(trail)))


def sheet_html(sheet: object, template: str = "handover.html", language: str = ENGLISH) -> str:
    """HTML with everything escaped; safe to open anywhere. sheet: what the template names as its fields. template:
    handover.html for the owner, shelf.html for the shelf. Raises ImportRefusedError where a language is damaged."""
    from jinja2 import Environment, FileSystemLoader

    environment = Environment(loader=FileSystemLoader(shipped() / "templates"), autoescape=True,
                              keep_trailing_newline=True)
    spoken = tongue(language)
    return environment.get_template(template).render(sheet=sheet, say=spoken.say, language=spoken.language)
