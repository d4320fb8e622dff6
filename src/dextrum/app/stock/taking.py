"""Where the part of a rework comes from: named, or taken by itself from the first lot that fits."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from dextrum.core.entries.rework import UsedUp
from dextrum.core.job import job_facts
from dextrum.core.ledger.lines import shop_of
from dextrum.core.ledger.set_aside import SetAside
from dextrum.core.rework.recipe import RETROFIT, Recipe
from dextrum.core.stock.bad_lots import LotEvidence, evidence_of
from dextrum.core.stock.donors import donor_name
from dextrum.core.stock.lots import CELL, Lot, PartUse, lot_to_take, lot_used_up, lots_now
from dextrum.core.trail import Cell, Entry, LotSuspect, PartAlone, PartPromised, PartTaken, Payload, Rework
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobRow, JobStore
from dextrum.store.ledger import add_lines, has_lines, lines
from dextrum.store.part_uses import part_uses
from dextrum.tongue import tr

FROM_STOCK = ("", "stock")
"""What a rework says of its part's origin where nobody said anything: then it comes from the first lot that fits."""
DONOR = "donor "


@dataclass(frozen=True)
class Lots:
    """All lots now, the evidence against them, and the uses they were counted from."""

    lots: dict[str, Lot]
    evidence: tuple[LotEvidence, ...]
    uses: tuple[PartUse, ...]


def lots_of(store: JobStore) -> Lots:
    """Raises StoreError."""
    uses = part_uses(store)
    lots = dict(lots_now(shop_of(lines(store)), uses))
    return Lots(lots, evidence_of(lots), uses)


def named_lot(lots: Sequence[str], source: str) -> str:
    """The lot or donor that was typed, as it is called; empty where it is neither. A lot's name may be any case."""
    plain = " ".join(source.split())
    found = next((name for name in lots if name.casefold() == plain.casefold()), "")
    if found or not plain.casefold().startswith(DONOR):
        return found
    return donor_name(plain[len(DONOR):].strip())


def with_lots(store: JobStore, pack_id: str, serial: str, payloads: Sequence[Payload],
              recipe_of: Callable[[Rework], Recipe | None] = lambda _rework: None) -> tuple[Payload, ...]:
    """Reworks and new cells of a job with the lot their part is taken from: the one named, or the first that fits and
    has some; and with the wire and alloy that they use up. recipe_of: by which a rework was done. A shop without a
    ledger keeps its own words. Raises StoreError."""
    if not any(isinstance(p, Rework | Cell) and not p.lot for p in payloads):
        return tuple(payloads)
    lots = dict(lots_now(shop_of(lines(store)), part_uses(store))) if has_lines(store) else {}
    found: list[Payload] = []
    for payload in payloads:
        if isinstance(payload, Rework) and _takes_part(payload):
            name = named_lot(tuple(lots), payload.source)
            if not name and payload.source.strip().casefold() in FROM_STOCK:
                lot = lot_to_take(lots, pack_id, payload.part, _is_kit(lots, pack_id, payload, recipe_of))
                name = lot.name if lot is not None else ""
            if name in lots:
                lots[name] = replace(lots[name], left=max(0, lots[name].left - 1))
            state = _donor_state(store, name, payload.part, serial) if name.startswith(DONOR) else ""
            note = "; ".join(words for words in (payload.note, state) if words)
            payload = replace(payload, lot=name, source=payload.source or name, note=note)
        if isinstance(payload, Rework) and not payload.used and any(lot.used_up for lot in lots.values()):
            recipe = recipe_of(payload)
            takes = recipe.takes if recipe is not None else ()
            payload = replace(payload, used=tuple(
                UsedUp(lot.name, one.amount) for one in takes
                if (lot := lot_used_up(lots, one.of, one.part)) is not None))
        if isinstance(payload, Cell) and payload.state == "new" and not payload.lot:
            cell = lot_to_take(lots, pack_id, CELL)
            payload = replace(payload, lot=cell.name if cell is not None else "")
        found.append(payload)
    return tuple(found)


def _is_kit(lots: Mapping[str, Lot], pack_id: str, rework: Rework,
            recipe_of: Callable[[Rework], Recipe | None]) -> bool:
    """Whether a kit went in the part's place. The recipe is looked for only where the shop keeps one that fits."""
    if not any(lot.of == "kit" and lot.fits_at(pack_id, rework.part) for lot in lots.values()):
        return False
    recipe = recipe_of(rework)
    return recipe is not None and recipe.action == RETROFIT


def _donor_of(store: JobStore, lot: str) -> JobRow | None:
    """The given-up unit that a rework names as its part's lot."""
    return next((row for row in store.of_serial(lot.removeprefix(DONOR)) if row.outcome == "donor"), None)


def _donor_state(store: JobStore, lot: str, part: str, serial: str) -> str:
    """How a donor's part measured by itself when it was taken off, for the trail of the job it goes to."""
    donor = _donor_of(store, lot)
    if donor is None:
        return ""
    facts = job_facts(store.trail(donor.id))
    off = facts.taken or {}
    taken = off.get(_part_on_donor(facts.promised or {}, off, part, serial))
    if taken is None:
        return ""
    return tr("donor's part: not measured by itself") if taken.state == "unmeasured" else (
        tr("donor's part, measured by itself: {state}", state=taken.state))


def _takes_part(payload: Payload) -> bool:
    return isinstance(payload, Rework) and payload.action == "replace" and not payload.lot


def after_parts(store: JobStore, job_id: str, serial: str, new: Sequence[Entry], who: str, now: datetime) -> tuple[
        str, ...]:
    """What follows from reworks and parts measured by themselves: donors lose what was taken, lots that ran out or
    fail are told, and what a bad lot still holds is set aside. In words. Raises StoreError."""
    said: list[str] = []
    for entry in new:
        if isinstance(entry.payload, Rework) and entry.payload.lot.startswith(DONOR):
            said += _taken_off(store, job_id, serial, entry.payload, new, who, now)
    if not has_lines(store):
        return tuple(said)
    known = lots_of(store)
    for entry in new:
        payload = entry.payload
        lot = known.lots.get(payload.lot) if isinstance(payload, Rework | Cell) else None
        if lot is not None and lot.short:
            said.append(tr("Lot {lot}: {short} more used than were counted. Count the bag.", lot=lot.name,
                           short=lot.short))
        elif lot is not None and isinstance(payload, Rework | Cell):
            what = payload.part if isinstance(payload, Rework) else tr("Cell")
            said.append(tr("{what} taken from {lot}, {left} left.", what=what, lot=lot.name, left=lot.left))
        ended = {one.lot for one in payload.used} if isinstance(payload, Rework) else set()
        said += [tr("Lot {name} is used up by the count. Look at it, and count it again.",
                    name=name) for name in sorted(ended)
                 if name in known.lots and not known.lots[name].exactly]
        if lot is not None and lot.aside and isinstance(payload, Rework):
            said.append(_from_a_lot_set_aside(store, job_id, payload.part, lot, known.evidence, who, now))
    return (*said, *tell_of_bad_lots(store, known, who, now))


def _from_a_lot_set_aside(store: JobStore, job_id: str, part: str, lot: Lot, evidence: Sequence[LotEvidence], who: str,
                          now: datetime) -> str:
    """The part is a suspect in its job like those that were fitted before the lot was set aside."""
    told = next((one for one in evidence if one.lot == lot.name and one.told), None)
    if told is None:
        return tr("Lot {lot} was set aside: {why_aside}.", lot=lot.name, why_aside=lot.why_aside)
    store.append(job_id, _suspect(part, told, who, now))
    return tr("Lot {lot} was set aside: {why_aside}. {part} is a suspect in this job.", lot=lot.name,
              why_aside=lot.why_aside, part=part)


def _suspect(part: str, evidence: LotEvidence, who: str, now: datetime) -> Entry:
    return new_entry(LotSuspect(part, evidence.lot, round(min(1.0, evidence.chance), 4), evidence_words(evidence)), who,
                     now)


def _taken_off(store: JobStore, job_id: str, serial: str, rework: Rework, new: Sequence[Entry], who: str,
               now: datetime) -> list[str]:
    """The donor loses the part; a promise to another job is told."""
    donor = _donor_of(store, rework.lot)
    if donor is None:
        return [tr("There is no {lot}: only the source was recorded.", lot=rework.lot)]
    facts = job_facts(store.trail(donor.id))
    part = _part_on_donor(facts.promised or {}, facts.taken or {}, rework.part, serial)
    gone = (facts.taken or {}).get(part)
    if gone is not None and gone.to and gone.to != serial:
        return [tr("{part} of {serial} went to {to} already. Check which donor it was.", part=part, serial=donor.serial,
                   to=gone.to)]
    promised = (facts.promised or {}).get(part)
    state = next(("good" if e.payload.good else "bad" for e in new if isinstance(e.payload, PartAlone)), "")
    before = gone.state if gone is not None else "unmeasured"
    store.append(donor.id, new_entry(PartTaken(part, serial, job_id, state or before),  # type: ignore[arg-type]
                                     who, now))
    if promised is not None and promised.to != serial:
        return [tr("{part} of {serial} was promised to {to}: that job needs another now.", part=part,
                   serial=donor.serial, to=promised.to)]
    return []


def _part_on_donor(promised: Mapping[str, PartPromised], taken: Mapping[str, PartTaken], part: str,
                   serial: str) -> str:
    """Which of the donor's parts it was: one promised to this job or taken off for it, else that of the same name."""
    for own in ([name for name, p in promised.items() if p.to == serial],
                [name for name, p in taken.items() if p.to == serial]):
        if part in own or len(own) == 1:
            return part if part in own else own[0]
    return part


def tell_of_bad_lots(store: JobStore, known: Lots, who: str, now: datetime) -> tuple[str, ...]:
    """Lots that fail more than they should and were not set aside yet: set aside now, and told in every open job that
    holds one of their parts. In words, with the evidence. Raises StoreError."""
    said = []
    decided = {line.payload.lot for line in lines(store) if isinstance(line.payload, SetAside)}
    for evidence in known.evidence:
        lot = known.lots[evidence.lot]
        if not evidence.told or lot.aside or lot.name in decided:
            continue
        words = evidence_words(evidence)
        add_lines(store, (SetAside(lot.name, True, words[:200]),), who, now)
        jobs, gone = _tell_jobs(store, known.uses, evidence, who, now)
        said.append(" ".join((tr("Lot {lot} is set aside: {words}.", lot=lot.name, words=words),
                              *([tr("Its parts are suspects in {jobs}.", jobs=", ".join(jobs))] if jobs else ()),
                              *([tr("Closed jobs hold one too: {gone}.", gone=", ".join(gone))] if gone else ()))))
    return tuple(said)


def evidence_words(evidence: LotEvidence) -> str:
    """'3 of 5 failed; usual are 5 %; a bad lot explains it 240 times better'."""
    times = f"{evidence.factor:.0f}" if evidence.factor < 10_000 else tr("over 10 000")
    return (tr("{failed} of {used} failed; usual are {usual:.0f} %; a bad lot explains it {times} times better",
               failed=evidence.failed, used=evidence.used, usual=100 * evidence.usual, times=times))


def _tell_jobs(store: JobStore, uses: Sequence[PartUse], evidence: LotEvidence, who: str, now: datetime) -> tuple[
        tuple[str, ...], tuple[str, ...]]:
    """Serials of open jobs that hold a part of the lot, in which it is a suspect now, and of closed ones."""
    open_ids = {row.id for row in store.shelf(closed=False, most=10_000)}
    held = [use for use in uses if use.lot.casefold() == evidence.lot.casefold() and not use.failed]
    for use in held:
        if use.job_id in open_ids:
            store.append(use.job_id, _suspect(use.part, evidence, who, now))
    serials = {use.serial: use.job_id in open_ids for use in held}
    return (tuple(s for s, is_open in serials.items() if is_open),
            tuple(s for s, is_open in serials.items() if not is_open))
