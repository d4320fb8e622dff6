"""What a trail tells, its readings as an ordinary board of the usual make would read with a meter that has not drifted.

Of several readings of one point in one epoch the last counts, the more surely the more touches in a row agreed with it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.board import Board, Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.other_make import LEAST_VOLTS, OtherMake, other_makes
from dextrum.core.diagnosis.telling import EvidenceItem, Found, Seen, Telling, looks_told, off_words
from dextrum.core.draw.records import DrawRecord, comes_and_goes, draw_records, seen_words
from dextrum.core.job import JobFacts
from dextrum.core.reference.own_scale import AS_USUAL, NEAR, OwnScale, own_scale, slip_share
from dextrum.core.trail import Entry, Isolation, Readings, Rework, moments, standing
from dextrum.tongue import tr


@dataclass(frozen=True)
class SetApart:
    """What sets this board, read with this meter, apart from the known-good as a whole: its scale, and chips of another
    make. A repair changes neither the meter nor the rest of the board."""

    scale: OwnScale = AS_USUAL
    makes: tuple[OtherMake, ...] = ()


NOT_APART = SetApart()


def _items(model: DiagnosisModel, entries: Iterable[Entry], left_out: frozenset[tuple[str, str]],
           seen: Seen = frozenset()) -> tuple[Found, list[tuple[int, Rework]]]:
    """Latest item per epoch, kind and subject, and the repairs. seen: what looks had told before."""
    entries = tuple(entries)
    telling = Telling(model.board, model.references, left_out, seen=seen)
    repairs: list[tuple[int, Rework]] = []
    for entry, moment in moments(entries):
        telling.entry_id, telling.moment = entry.id, moment
        entry.payload.tells(telling)
        if isinstance(entry.payload, Rework) and entry.payload.action != "clean":
            repairs.append((moment.epoch, entry.payload))
        telling.seen = looks_told((entry,), telling.seen)
    telling.found.update(_draw_items(model.board, draw_records(entries)))
    return telling.found, repairs


def _draw_items(board: Board, records: Sequence[DrawRecord]) -> Found:
    """One item for both orientations of an epoch, supply class, cell and what was off, and one where the plug's
    position matters."""
    groups: dict[tuple[int, str, str, Isolated], dict[str, dict[str, DrawRecord]]] = {}
    for record in records:
        group = groups.setdefault((record.epoch, record.supply_class, record.cell, record.isolated), {})
        group.setdefault(record.orientation, {})[record.position] = record
    found: Found = {}
    for (epoch, supply_class, cell, isolated), ways in groups.items():
        resting = {o: places.get("resting", next(iter(places.values()))) for o, places in sorted(ways.items())}
        seen = "; ".join(f"{record.way_words} {seen_words(record, board.draw_states)}" for record in resting.values())
        last = max(resting.values(), key=lambda r: r.at)
        subject = f"{supply_class} {cell} {off_words(isolated)}"
        found[epoch, "supply", subject] = (EvidenceItem(last.entry_ids[-1], epoch, "supply", "".join(resting), seen,
                                                        isolated=isolated), resting)
        places = [p for p in ways.values() if len(p) > 1]
        if places:
            moves = any(comes_and_goes(list(p.values())) for p in places)
            seen = tr("comes and goes with the plug") if moves else tr("stays when the plug is pushed or hangs")
            found[epoch, "plug", subject] = (
                EvidenceItem(last.entry_ids[-1], epoch, "plug", "".join(resting), seen), moves)
    return found


def _own_scale(model: DiagnosisModel, items: Iterable[EvidenceItem]) -> OwnScale:
    """From each piece of copper, red on ground: of its points, read since the last repair if any was, the one in the
    middle. In whatever order they were read."""
    method = Method.DIODE_RED_GROUND
    by_copper: dict[int, list[tuple[int, float, str, tuple[float, float, float]]]] = {}  # newest repair first
    for item in items:
        reference = model.references.get(item.subject, method)
        if item.kind == "reading" and item.method is method and not item.isolated and reference is not None:
            away = item.value - reference.centre if np.isfinite(reference.centre) else 0.0
            by_copper.setdefault(model.copper.get(item.subject, GROUND), []).append(
                (-item.epoch, away, item.subject, (item.value, reference.centre, reference.spread)))
    by_copper.pop(GROUND, None)
    newest = ([one for one in found if one[0] == min(found)[0]] for found in by_copper.values())
    volts, centre, spread = np.array([sorted(found)[(len(found) - 1) // 2][3] for found in newest]).reshape(-1, 3).T
    return own_scale(volts, centre, spread)


def _slips(entries: Iterable[Entry], left_out: frozenset[tuple[str, str]]) -> float:
    """How often touches on this job read open by mistake: a point that read OL, and a number at the next touch with
    nothing done between."""
    last: dict[tuple[str, Method], float] = {}
    slips = touches = 0
    for entry in standing(entries):
        if isinstance(entry.payload, Rework | Isolation):
            last.clear()
        elif isinstance(entry.payload, Readings):
            for reading in entry.payload.readings:
                if reading.wavering or (entry.id, reading.point) in left_out:
                    continue
                key = (reading.point, entry.payload.method)
                touches += 1
                slips += last.get(key) == float("inf") and reading.value != float("inf")
                last[key] = reading.value
    return slip_share(slips, touches)


def _on_the_usual_scale(item: EvidenceItem, scale: OwnScale) -> EvidenceItem:
    if item.kind != "reading" or item.method is not Method.DIODE_RED_GROUND:
        return item
    return replace(item, value=scale.corrected(item.value))


def _of_the_usual_make(model: DiagnosisModel, item: EvidenceItem, makes: Sequence[OtherMake]) -> EvidenceItem:
    if item.kind != "reading" or item.method is not Method.DIODE_RED_GROUND:
        return item
    added = sum(make.on(model.copper.get(item.subject, GROUND), item.epoch) for make in makes)
    # What a short pulls down has no junction's drop in it; OL stays.
    return replace(item, value=item.value - added) if added and LEAST_VOLTS < item.value < float("inf") else item


def standardised(model: DiagnosisModel, facts: JobFacts, apart: SetApart) -> JobFacts:
    """The facts with each diode reading as an ordinary board would read with a meter that has not drifted and with no
    chip of another make, so that what is off is off beyond what all of this board's readings are."""
    scale, makes = apart.scale, apart.makes
    if scale.is_usual and not makes:
        return facts
    method = Method.DIODE_RED_GROUND
    readings = dict(facts.readings or {})
    for key, reading in readings.items():
        reference = model.references.get(key[1], method)
        if key[2] != method or reference is None or not np.isfinite(reference.centre):
            continue
        value = scale.corrected(reading.value)
        if LEAST_VOLTS < value < float("inf"):
            value -= sum(make.on(model.copper.get(key[1], GROUND), key[0]) for make in makes)
        if abs(value - reference.centre) < NEAR * reference.centre:
            value = reference.centre + (value - reference.centre) / scale.spread
        readings[key] = replace(reading, value=value)
    return replace(facts, readings=readings)


ReadBefore = Mapping[tuple[str, Method], tuple[tuple[int, float], ...]]
"""What points read, by point and method: the epoch and the number, in the order of the epochs."""


def as_usual(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]],
              apart: SetApart | None = None, seen: Seen = frozenset()) -> (
        tuple[Found, list[tuple[int, Rework]], SetApart]):
    """What a trail tells, its readings as an ordinary board of the usual make would read with a meter that has not
    drifted; the repairs, and what was taken off. apart: as for `gather_evidence`."""
    found, repairs = _items(model, entries, left_out, seen)
    scale = apart.scale if apart is not None else replace(
        _own_scale(model, [item for item, _ in found.values()]), slips=_slips(entries, left_out))
    if not scale.is_usual:
        found = {key: (_on_the_usual_scale(item, scale), source) for key, (item, source) in found.items()}
    if apart is None:
        apart = SetApart(scale, other_makes(model, [item for item, _ in found.values()], repairs))
    if apart.makes:
        found = {key: (_of_the_usual_make(model, item, apart.makes), source) for key, (item, source) in found.items()}
    return found, repairs, apart


def readings_of(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]],
                apart: SetApart) -> ReadBefore:
    """Numbers that stand in a trail, with nothing off the board, as they are weighed: what a point read tells whether
    the pack has it right long after. apart: as for `gather_evidence`."""
    found: dict[tuple[str, Method], tuple[tuple[int, float], ...]] = {}
    for item, _ in sorted(as_usual(model, entries, left_out, apart)[0].values(), key=lambda pair: pair[0].epoch):
        if item.kind == "reading" and item.method is not None and not item.isolated and item.value != float("inf"):
            found[item.subject, item.method] = (
                *found.get((item.subject, item.method), ()), (item.epoch, item.value))
    return found


def set_apart(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> SetApart:
    """What sets the board and its meter apart, by all that stands in a trail."""
    return as_usual(model, entries, left_out)[2]
