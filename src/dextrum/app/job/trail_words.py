"""An entry of the trail in two short lines."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from dextrum.app.advising.rail_words import rail_verdict
from dextrum.app.handover.results import RESULTS
from dextrum.core.board import Board
from dextrum.core.board.draws import state_called
from dextrum.core.board.value_words import value_words
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.quote import BASES
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.looks import LOOK_WORDS
from dextrum.core.money.amounts import amount_words
from dextrum.core.safety.gates import AUDIT_WORDS, few
from dextrum.core.safety.signs import SIGN_WORDS
from dextrum.core.trail import (
    Access,
    Audit,
    BoardLook,
    Cause,
    Cell,
    ComesAndGoes,
    Danger,
    DrawTrace,
    Entry,
    Fastened,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    LeftOut,
    Look,
    LotSuspect,
    Outcome,
    Override,
    OwnUnit,
    PackVersion,
    Paid,
    PartAlone,
    PartPromised,
    PartTaken,
    Photo,
    Proof,
    PutTogether,
    Quote,
    QuoteAnswer,
    RailVolts,
    Readings,
    Rework,
    ReworkPlan,
    ReworkStep,
    Strike,
    Supply,
    Swap,
    Touched,
    Wait,
    struck_ids,
)
from dextrum.tongue import tr


@dataclass(frozen=True)
class TrailCard:
    """What the strip shows: one entry, or typed readings in a row gathered. ids: the entries behind it."""

    at: datetime
    title: str
    detail: str
    ids: tuple[str, ...]
    struck: bool


CELL_WORDS = {"unplugged": tr("unplugged"), "plugged": tr("plugged in"), "known_good": tr("known-good one in"),
              "new": tr("new one fitted")}
SHOWN_WORDS = {
    "arrival": tr("as it came"),
    "port": tr("the port"),
    "board": tr("the board"),
    "before": tr("before the rework"),
    "after": tr("after the rework"),
    "proof": tr("the proof"),
    "other": tr("the unit"),
}
POSITION_WORDS = {"resting": tr("at rest"), "pushed": tr("pushed"), "hanging": tr("hanging")}
"""How the plug is held while the draw is read."""
DONE = {"replace": tr("replaced"), "reflow": tr("resoldered"), "wire": tr("wired"), "clean": tr("cleaned")}


Words = Callable[[Any, Board | None], tuple[str, str]]
"""Title and detail of an entry. board: None for a unit without a pack."""
CARDS: dict[type[EntryKind], Words] = {}


def card_of(kind: type[EntryKind]) -> Callable[[Words], Words]:
    """Registers what the card of a kind of entry says."""
    def register(words: Words) -> Words:
        CARDS[kind] = words
        return words
    return register


@card_of(JobOpened)
def _job_opened(p: JobOpened, _board: Board | None) -> tuple[str, str]:
    return tr("Came in"), p.model


@card_of(Intake)
def _intake(p: Intake, _board: Board | None) -> tuple[str, str]:
    return tr("Intake"), p.complaint or tr("no words")


@card_of(Look)
def _look(p: Look, _board: Board | None) -> tuple[str, str]:
    return tr("Look"), tr("port ") + ", ".join(LOOK_WORDS[f] for f in p.findings)


@card_of(Danger)
def _danger(p: Danger, _board: Board | None) -> tuple[str, str]:
    return (tr("Danger") if p.state == "seen" else tr("Made safe")), ", ".join(SIGN_WORDS[s] for s in p.signs)


@card_of(Audit)
def _audit(p: Audit, _board: Board | None) -> tuple[str, str]:
    checked = ", ".join(AUDIT_WORDS[step] for step in p.checked)
    return (tr("Audited round {part}: {p}", part=p.part, p=p.words) if p.part else tr("Audited")), checked


@card_of(BoardLook)
def _board_look(p: BoardLook, _board: Board | None) -> tuple[str, str]:
    if p.before_heat_on:
        return tr("Counted round {part}", part=p.before_heat_on), p.words
    return tr("Board, {side}", side=tr(p.side)), p.words


@card_of(PartAlone)
def _part_alone(p: PartAlone, _board: Board | None) -> tuple[str, str]:
    count = len(p.readings)
    off = [r.between for r in p.readings if not r.good]
    read = tr("{count} reading{s}", count=count, s="s" if count != 1 else "")
    return tr("{part} measured alone",
              part=p.part), tr("{read} as a good one", read=read) if p.good else tr("off: {off}",
                                                                                    off=", ".join(off[:3]))


@card_of(Fastened)
def _fastened(p: Fastened, board: Board | None) -> tuple[str, str]:
    of = next((one for one in board.fasteners if one.id == p.fastener), None) if board else None
    words = {"out": tr("out"), "in": tr("in again"), "missing": tr("missing"), "rounded": tr("rounded"),
             "wrong_length": tr("of a wrong length")}
    return f"{(of.kind if of else 'fastener').capitalize()} {p.fastener}", words[p.state]


@card_of(PutTogether)
def _put_together(p: PutTogether, board: Board | None) -> tuple[str, str]:
    whole = board is not None and len(p.fasteners) == len(board.fasteners)
    return tr("Put together"), tr("all of it") if whole else few(p.fasteners)


@card_of(Quote)
def _quote(p: Quote, _board: Board | None) -> tuple[str, str]:
    return tr("Quoted: {price}", price=amount_words(p.price)), BASES[p.basis]


@card_of(QuoteAnswer)
def _quote_answer(p: QuoteAnswer, _board: Board | None) -> tuple[str, str]:
    return tr("Owner {answer} the quote", answer=tr(p.answer)), p.note


@card_of(OwnUnit)
def _own_unit(p: OwnUnit, _board: Board | None) -> tuple[str, str]:
    return tr("The shop's own{if_any}",
              if_any=tr(", lot {lot}", lot=p.lot) if p.lot else ""), tr("repaired {repaired}, as a donor {as_donor}",
                                                                        repaired=p.repaired, as_donor=p.as_donor)


@card_of(Paid)
def _paid(p: Paid, _board: Board | None) -> tuple[str, str]:
    return f"{tr('Sold for') if p.what == 'sold' else tr('Paid')}: {p.amount}", p.note


@card_of(LotSuspect)
def _lot_suspect(p: LotSuspect, _board: Board | None) -> tuple[str, str]:
    return tr("{part} may be bad: lot {lot}", part=p.part, lot=p.lot), p.words


@card_of(PartPromised)
def _part_promised(p: PartPromised, _board: Board | None) -> tuple[str, str]:
    return (tr("{part} promised to {to}", part=p.part,
               to=p.to) if p.to else tr("{part} is free again", part=p.part)), ""


@card_of(PartTaken)
def _part_taken(p: PartTaken, _board: Board | None) -> tuple[str, str]:
    measured = tr("not measured by itself") if p.state == "unmeasured" else tr("measured by itself: {state}",
                                                                               state=tr(p.state))
    return tr("{part} removed{if_any}", part=p.part, if_any=tr(" for {to}", to=p.to) if p.to else ""), measured


@card_of(Photo)
def _photo(p: Photo, _board: Board | None) -> tuple[str, str]:
    return tr("Photo: {shown_words}", shown_words=SHOWN_WORDS[p.shows]), p.words or (
        tr("{count} marked", count=len(p.marks)) if p.marks else ""
    )


@card_of(Touched)
def _touched(p: Touched, _board: Board | None) -> tuple[str, str]:
    return tr("{one} and {other}", one=p.one, other=p.other), tr("beeps") if p.joined else tr("does not beep")


@card_of(PackVersion)
def _pack_version(p: PackVersion, _board: Board | None) -> tuple[str, str]:
    return (tr("Stays on its pack"), tr("as it was before another job changed it")) if p.state else (
        tr("Moved on"), tr("to the pack as it is now"))


@card_of(Swap)
def _swap(p: Swap, board: Board | None) -> tuple[str, str]:
    symptom = board.symptom_by_id.get(p.symptom) if board else None
    words = symptom.words if symptom else p.symptom
    return tr("Known-good {what}", what=tr(p.what)), f"{words}: {tr('gone') if p.gone else tr('still so')}"


@card_of(Supply)
def _supply(p: Supply, board: Board | None) -> tuple[str, str]:
    blink = tr(", blinks") if p.pattern == "blinking" else ""
    place = "" if p.position == "resting" else f", {POSITION_WORDS[p.position]}"
    seen = state_called(board.draw_states if board else (), p.named) if p.named else f"{p.volts:.1f} V {p.amps:.2f} A"
    return tr("Draw, {orientation} side up", orientation=p.orientation.upper()), f"{seen}{blink}{place}"


@card_of(DrawTrace)
def _draw_trace(p: DrawTrace, _board: Board | None) -> tuple[str, str]:
    hours = f"{p.seconds / 3600:.1f} h" if p.seconds >= 5400 else tr("{seconds:.0f} min", seconds=p.seconds / 60)
    return tr("Draw log, {orientation} side up",
              orientation=p.orientation.upper()), tr("{hours}, {count} samples", hours=hours, count=p.count)


@card_of(Cell)
def _cell(p: Cell, _board: Board | None) -> tuple[str, str]:
    return tr("Cell"), CELL_WORDS[p.state]


@card_of(Access)
def _access(p: Access, board: Board | None) -> tuple[str, str]:
    level = next((lv.words for lv in board.access_levels if lv.id == p.level), p.level) if board else p.level
    return tr("Opened to"), level


@card_of(Readings)
def _readings(p: Readings, _board: Board | None) -> tuple[str, str]:
    if len(p.readings) == 1:
        return p.readings[0].point, value_words(p.readings[0].value, p.method)
    return tr("Readings"), tr("{count} points", count=len(p.readings))


@card_of(Isolation)
def _isolation(p: Isolation, _board: Board | None) -> tuple[str, str]:
    return ", ".join(p.parts), tr("removed") if p.state == "off" else tr("put back")


@card_of(RailVolts)
def _rail_volts(p: RailVolts, board: Board | None) -> tuple[str, str]:
    check = next((c for c in board.rail_checks if c.id == p.rail), None) if board else None
    at, verdict = (tr(" at {point}", point=check.point), f", {rail_verdict(check, p.volts)}") if check else ("", "")
    seen = tr("{volts:.2f} V{verdict}", volts=p.volts, verdict=verdict) if check and not check.by_side else \
        tr("{volts:.2f} V{verdict}, {orientation} side up", volts=p.volts, verdict=verdict,
           orientation=p.orientation.upper())
    return tr("{rail}{at} under power", rail=p.rail, at=at), seen


def used_words(p: Injection) -> str:
    """'0.45 V, 2.22 A', or '1 W up to 3.30 V'."""
    if p.watts is not None:
        return tr("{watts:g}\u00a0W up to {volts:.2f}\u00a0V", watts=p.watts, volts=p.volts)
    return f"{p.volts:.2f} V, {p.amps:.2f} A"


@card_of(Injection)
def _injection(p: Injection, _board: Board | None) -> tuple[str, str]:
    used = used_words(p)
    if p.fed:
        used = tr("{used}, {fed} at its own voltage", used=used, fed=p.fed)
    return tr("Injected {net}", net=p.net), tr("{used}: {warmed} warms", used=used,
                                               warmed=p.warmed) if p.warmed else tr("{used}: nothing warms", used=used)


@card_of(Rework)
def _rework(p: Rework, _board: Board | None) -> tuple[str, str]:
    return shown_part(p.part), DONE[p.action] + (tr(", from {lot}", lot=p.lot) if p.lot else "")


@card_of(Cause)
def _cause(p: Cause, _board: Board | None) -> tuple[str, str]:
    return tr("Cause"), tr(p.what)


@card_of(Proof)
def _proof(p: Proof, board: Board | None) -> tuple[str, str]:
    words = next((c.words for c in board.checks if c.id == p.check), p.check) if board else p.check
    return tr("Passed") if p.passed else tr("Failed"), words


@card_of(ComesAndGoes)
def _comes_and_goes(p: ComesAndGoes, board: Board | None) -> tuple[str, str]:
    words = next((c.words for c in board.checks if c.id == p.check), p.check) if board else p.check
    often = tr("{shows:.0%} of tries",
               shows=p.shows) if p.shows else tr("once in {every_minutes:g} min", every_minutes=p.every_minutes)
    return tr("Comes and goes: {often}", often=often), f"{words}{f' · {p.words}' if p.words else ''}"


@card_of(LeftOut)
def _left_out(p: LeftOut, board: Board | None) -> tuple[str, str]:
    words = next((c.words for c in board.checks if c.id == p.check), p.check) if board else p.check
    return tr("Left out"), f"{words}: {p.reason}"


@card_of(Wait)
def _wait(p: Wait, _board: Board | None) -> tuple[str, str]:
    return tr("Waits"), p.words


@card_of(Outcome)
def _outcome(p: Outcome, _board: Board | None) -> tuple[str, str]:
    return tr("Closed"), RESULTS[p.result]


@card_of(Override)
def _override(p: Override, _board: Board | None) -> tuple[str, str]:
    return tr("Gate passed"), p.reason


@card_of(Strike)
def _strike(p: Strike, _board: Board | None) -> tuple[str, str]:
    return tr("Struck out"), p.reason or tr("an entry")


@card_of(ReworkPlan)
def _rework_plan(p: ReworkPlan, _board: Board | None) -> tuple[str, str]:
    return tr("Planned"), tr(", then ").join(repair.part for repair in p.repairs) or tr("nothing more")


@card_of(ReworkStep)
def _rework_step(p: ReworkStep, _board: Board | None) -> tuple[str, str]:
    return (tr("Left out, {part}", part=p.part) if p.skipped else tr("Step {number}, {part}", number=p.number,
                                                                     part=p.part)), p.skipped or p.words


def words_of(entry: Entry, board: Board | None) -> tuple[str, str]:
    """Title and detail of an entry's card."""
    return CARDS[type(entry.payload)](entry.payload, board)


def trail_cards(trail: Sequence[Entry], board: Board | None) -> tuple[TrailCard, ...]:
    """Cards in time. Single readings that follow each other are one card, as are nothing else."""
    struck = struck_ids(trail)
    cards: list[TrailCard] = []
    run: list[Entry] = []

    def close() -> None:
        if len(run) == 1:
            cards.append(TrailCard(run[0].at, *words_of(run[0], board), (run[0].id,), run[0].id in struck))
        elif run:
            last = words_of(run[-1], board)
            cards.append(TrailCard(run[0].at, tr("{count} readings",
                                                 count=len(run)), tr("last {last} {last2}", last=last[0],
                                                                     last2=last[1]),
                                   tuple(e.id for e in run), False))
        run.clear()

    for entry in trail:
        single = isinstance(entry.payload, Readings) and len(entry.payload.readings) == 1 and entry.id not in struck
        if single:
            run.append(entry)
            continue
        close()
        if not isinstance(entry.payload, Strike):
            cards.append(TrailCard(entry.at, *words_of(entry, board), (entry.id,), entry.id in struck))
    close()
    return tuple(cards)
