"""From the standing trail to items of evidence, each with its log-likelihood over all rows.

Repairs divide the trail into epochs. Of several readings of one point in one epoch the last counts, the more surely
the more touches in a row agreed with it. What was seen before a repair keeps speaking about the board as it was.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from dextrum.core.assumptions.trials import FLAT_UNSEEN, LEAST_COMPLAINT
from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.board_look import audit_look_parts, board_look_parts
from dextrum.core.diagnosis.draw_evidence import draw_log_likelihood, flat_cell_chance, plug_log_likelihood
from dextrum.core.diagnosis.fault_pairs import FaultPairs
from dextrum.core.diagnosis.functional_evidence import FunctionalEvidence, functional_evidence
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW
from dextrum.core.diagnosis.injection import warmth_log_likelihood
from dextrum.core.diagnosis.joined_copper import Beside, held_to_joined, read_beside
from dextrum.core.diagnosis.likelihood import (
    Expected,
    check_log_likelihood,
    expected_at,
    look_parts,
    rail_log_likelihood,
    reading_log_likelihood,
    swap_log_likelihood,
    symptom_log_likelihood,
)
from dextrum.core.diagnosis.located import Located
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.other_make import LEAST_VOLTS, OtherMake, other_makes
from dextrum.core.diagnosis.own_deviation import Before, Earlier, earlier_on_copper, shared_deviation
from dextrum.core.diagnosis.repair_taken import taken_once
from dextrum.core.diagnosis.telling import EvidenceItem, Found, LookRound, Seen, Telling, looks_told, off_words
from dextrum.core.diagnosis.witness import (
    FunctionalWitness,
    ReadingWitness,
    SeenWitness,
    WarmthWitness,
    Witness,
    healthy_where,
    mixed_by_repair,
)
from dextrum.core.draw.records import DrawRecord, comes_and_goes, draw_records, seen_words
from dextrum.core.entries.intake import REPORTED
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.job import JobFacts
from dextrum.core.reference.own_scale import AS_USUAL, NEAR, OwnScale, own_scale, slip_share
from dextrum.core.trail import (
    BoardLook,
    Entry,
    Injection,
    Isolation,
    Look,
    RailVolts,
    Readings,
    Rework,
    Swap,
    moments,
    standing,
)
from dextrum.tongue import tr

OL_SIZE, LEAST_SIZE = 1e3, 1e-9


@dataclass(frozen=True)
class SetApart:
    """What sets this board, read with this meter, apart from the known-good as a whole: its scale, and chips of another
    make. A repair changes neither the meter nor the rest of the board."""

    scale: OwnScale = AS_USUAL
    makes: tuple[OtherMake, ...] = ()


@dataclass(frozen=True)
class Evidence:
    """items: E of them; log_likelihood: (E, R). mended: fault ids that repairs took away, with the epoch of the first
    repair, and mended_last: of the last, and how many there were. witnesses: what each item says of sets of faults;
    functional: what those that speak of functions say together. once: what of log_likelihood makes each repair fail
    once for all, (E, R), see `repair_taken`; again: (R,) rows repaired more than once. apart: what sets the board and
    its meter apart; readings are weighed as if nothing did. came_for_it: ln of how much likelier a unit with nothing
    wrong makes what its owner says, since without a complaint it would not have come in. told_each: the chance of every
    row before it is among the items, each by itself."""

    items: tuple[EvidenceItem, ...]
    log_likelihood: np.ndarray
    mended: tuple[tuple[str, int], ...]
    epoch: int
    witnesses: tuple[Witness, ...] = ()
    apart: SetApart = SetApart()
    functional: FunctionalEvidence | None = None
    mended_last: tuple[tuple[str, int, int], ...] = ()
    once: np.ndarray | None = None
    again: np.ndarray | None = None
    came_for_it: float = 0.0
    told_each: bool = False

    def pairs(self, model: DiagnosisModel) -> FaultPairs:
        """How likely sets of faults are before any of it."""
        return model.pairs.each_by_itself if self.told_each else model.pairs

    @cached_property
    def of_rows(self) -> np.ndarray:
        """What each item says of each row by itself, (E, R): `log_likelihood`, and of the first complaint, that a unit
        with nothing wrong came in for it."""
        found = self.log_likelihood.copy()
        said = next((k for k, item in enumerate(self.items) if item.kind == "symptom" and item.seen == REPORTED), None)
        if said is not None:
            found[said, NOTHING_ROW] += self.came_for_it
        return found

    @property
    def mended_ids(self) -> frozenset[str]:
        return frozenset(fault for fault, _ in self.mended)

    @cached_property
    def located(self) -> Located:
        """The witnesses that saw something at a place."""
        return Located(self.witnesses, None if self.once is None else self.once.sum(axis=0), self.again)


def faults_mended(model: DiagnosisModel, rework: Rework) -> tuple[str, ...]:
    """Ids of the faults that a piece of rework is meant to take away."""
    kinds = kinds_mended(model.board, rework.part, rework.action)
    return tuple(fault.id for fault in model.hypotheses.by_part.get(rework.part, ()) if fault.kind in kinds)


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
    telling.found.update(_draw_items(draw_records(entries)))
    return telling.found, repairs


def _draw_items(records: Sequence[DrawRecord]) -> Found:
    """One item for both orientations of an epoch, supply class, cell and what was off, and one where the plug's
    position matters."""
    groups: dict[tuple[int, str, str, Isolated], dict[str, dict[str, DrawRecord]]] = {}
    for record in records:
        group = groups.setdefault((record.epoch, record.supply_class, record.cell, record.isolated), {})
        group.setdefault(record.orientation, {})[record.position] = record
    found: Found = {}
    for (epoch, supply_class, cell, isolated), ways in groups.items():
        resting = {o: places.get("resting", next(iter(places.values()))) for o, places in sorted(ways.items())}
        seen = "; ".join(f"{record.way_words} {seen_words(record)}" for record in resting.values())
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


def _told_apart(source: object) -> object:
    """What a source's likelihood depends on, as a key. The samples of a trace are in its spells."""
    if isinstance(source, dict):
        return tuple((o, r.supply_class, r.cell, r.switched_on, r.bad_supply, r.named, r.spells)
                     for o, r in source.items())
    return repr(source)


def _reading_witness(model: DiagnosisModel, item: EvidenceItem, mended_by: Mapping[int, frozenset[str]],
                     earlier: Before, beside: Beside, scale: OwnScale, once: tuple[float, ...]) -> Witness | None:
    """Kept for a while, since a trail grows by one entry at a time. mended_by: faults mended, by epoch. once: what the
    point read before all that is weighed here; beside: what was read on copper that some fault would join to it."""
    if item.method is None:
        return None
    since = {item.epoch, *(epoch for _, _, epoch, _ in earlier)}
    key = (item.subject, item.method, item.value, item.touches, item.epoch, earlier, beside, scale.spread,
           scale.slips, once, tuple(mended_by[epoch] for epoch in sorted(since)))
    method = item.method
    return model.memory.witnesses.recall(key, lambda: _new_reading_witness(
        model, item, method, {epoch: _gone(model, mended_by[epoch]) for epoch in since}, earlier, beside, scale,
        once))


def _new_reading_witness(model: DiagnosisModel, item: EvidenceItem, method: Method, gone_by: Mapping[int, np.ndarray],
                         earlier: Before, beside: Beside, scale: OwnScale, once: tuple[float, ...]) -> Witness | None:
    wider, slips = scale.spread, scale.slips
    again = tuple(value for point, value, epoch, isolated in earlier
                  if point == item.subject and epoch != item.epoch and isolated == item.isolated)

    def after(before: Earlier) -> tuple[tuple[object, ...], np.ndarray | None]:
        key = ("reading", item.subject, method, item.value, item.touches, before, wider, slips, again, once)
        shared = shared_deviation(model, method, before, wider)
        row = model.remembered(key, lambda: reading_log_likelihood(
            model, item.subject, method, item.value, item.touches, shared, wider, slips, again, once))
        if row is not None and beside:
            row = held_to_joined(model, row, item.subject, method, item.value, item.touches, shared, beside, wider,
                                 slips, again, once)
        return (*key, beside), row

    before = tuple((point, value, isolated) for point, value, _, isolated in earlier)
    key, row = after(before)
    if row is None:
        return None
    gone = gone_by[item.epoch]
    size = prediction_sizes(model, item.subject, method)
    then = tuple(None if epoch == item.epoch else gone_by[epoch] for _, _, epoch, _ in earlier)
    fresh = row
    if any(t is not None for t in then):
        fresh_row = after(tuple((point, value, isolated) for point, value, epoch, isolated in earlier
                                if epoch == item.epoch))[1]
        assert fresh_row is not None
        fresh = fresh_row
    rows = mixed_by_repair(row, gone, model.hypotheses.left)
    witness = ReadingWitness(gone, rows, row, healthy_where(row, gone), fresh, size, (*key, item.isolated),
                             item.subject, method, item.value, item.touches, before, then, model, wider, slips,
                             again, once, beside)
    if fresh is row or not gone.any():
        return witness
    mended = np.flatnonzero(gone)[:, None]
    worked = model.remembered(("worked", *witness.memory_key), lambda: witness.raw(
        model, np.full(mended.shape, NO_ROW), mended))
    return replace(witness, rows=mixed_by_repair(row, gone, model.hypotheses.left, worked),
                   worked=healthy_where(row, gone, worked))


def prediction_sizes(model: DiagnosisModel, point: str, method: Method) -> np.ndarray:
    """How far each row's prediction is from a good board's, (R,): 0 where it has no part in it, OL farthest."""
    def make() -> np.ndarray:
        expected, predicted = expected_at(model, point, method), model.predicted_at(point, method)
        assert expected is not None and predicted is not None
        near = predicted.touched if method.is_diode else model.pairs.near_ends[:, model.resistance.column[point]]
        return sizes_of(expected, near)

    return model.memory.sizes.recall((point, method), make)


def sizes_of(expected: Expected, near: np.ndarray) -> np.ndarray:
    """How far predictions (N,) are from the first, which is a good board's; 0 for those not `near`."""
    means = np.where(np.isinf(expected.means), OL_SIZE, expected.means)
    return np.asarray(np.where(near, np.abs(means - means[NOTHING_ROW]) + LEAST_SIZE, 0.0))


def _functional(model: DiagnosisModel, item: EvidenceItem, source: object, gone: np.ndarray,
                flat: float) -> Witness | None:
    """Symptoms, draw and checks: they speak of what is broken, not of where."""
    hidden = item.value if item.kind == "check" and not np.isnan(item.value) else 0.0
    key = (item.kind, item.subject, _told_apart(source), flat if item.kind == "symptom" else hidden, item.touches)

    def of_broken(broken: np.ndarray, of: str) -> np.ndarray | None:
        if item.kind == "symptom":
            return symptom_log_likelihood(model, item.subject, bool(source), flat, broken)
        if item.kind == "check":
            return check_log_likelihood(model, item.subject, bool(source), broken, item.touches, hidden)
        if isinstance(source, Swap):
            return swap_log_likelihood(model, source.symptom, source.gone, broken)
        if isinstance(source, RailVolts):
            return rail_log_likelihood(model, source.rail, source.volts, source.orientation, broken, item.touches)
        return draw_log_likelihood(model, source, broken, of) if isinstance(source, dict) else None

    def remembered(broken: np.ndarray, of: str) -> np.ndarray:
        found = model.remembered((*key, of), lambda: of_broken(broken, of)) if of else of_broken(broken, "")
        assert found is not None
        return found

    if item.kind == "symptom" and item.subject not in model.board.symptom_by_id:
        return None
    known = model.remembered((*key, "classes"), lambda: of_broken(model.classes.pair_broken, "classes"))
    # What it says of rows comes from all of them together, once they are known.
    return None if known is None else FunctionalWitness(gone, np.zeros(len(gone)), remembered, key, model)


def _witness(model: DiagnosisModel, item: EvidenceItem, source: object, mended_by: Mapping[int, frozenset[str]],
             flat: float, before: Before, beside: Beside, scale: OwnScale, once: tuple[float, ...]) -> Witness | None:
    """mended_by: faults mended, by epoch. once: what the point of a reading read before all that is weighed here;
    beside: what was read on copper that some fault would join to its own."""
    model = model.isolating(item.isolated)
    if item.kind == "reading":
        return _reading_witness(model, item, mended_by, before, beside, scale, once)
    gone = _gone(model, mended_by[item.epoch])
    if isinstance(source, Injection):
        key = "warmth", repr(source)
        both = model.remembered(key, lambda: _stacked(warmth_log_likelihood(
            model, source.net, source.volts, source.amps, source.warmed, source.seen_by)))
        return None if both is None else WarmthWitness(
            gone, mixed_by_repair(both[0], gone, model.hypotheses.left), both[0], healthy_where(both[0], gone), both[0],
            both[1], (*key, item.isolated))
    if item.kind == "look" and isinstance(source, Look):
        both = model.remembered(("look", repr(source)), lambda: np.vstack(look_parts(model, source)))
        assert both is not None
        return SeenWitness(gone, mixed_by_repair(both[0], gone, model.hypotheses.left), both[1:])
    if isinstance(source, BoardLook):
        both = model.remembered(("board look", source.side, source.seen), lambda: np.vstack(
            board_look_parts(model, source)))
        assert both is not None
        return SeenWitness(gone, mixed_by_repair(both[0], gone, model.hypotheses.left), both[1:])
    if isinstance(source, LookRound):
        both = model.remembered(("audit look", source), lambda: np.vstack(audit_look_parts(
            model, source, looked_round(model.board, model.heat, source.part))))
        assert both is not None
        return SeenWitness(gone, mixed_by_repair(both[0], gone, model.hypotheses.left), both[1:])
    if item.kind == "plug":
        row = plug_log_likelihood(model, bool(source))
        return SeenWitness(gone, mixed_by_repair(row, gone, model.hypotheses.left), (row - row[NOTHING_ROW])[None, :])
    return _functional(model, item, source, gone, flat)


def _stacked(both: tuple[np.ndarray, np.ndarray] | None) -> np.ndarray | None:
    return None if both is None else np.stack(both)


def _flat_cell(model: DiagnosisModel, found: Mapping[tuple[int, str, str], tuple[EvidenceItem, object]]) -> float:
    """Chance that the unit came in with a flat cell, rounded so that it is a key."""
    records = [record for item, source in found.values() if item.kind == "supply" and isinstance(source, dict)
               for record in source.values()]
    if not any(symptom.flat_cell for symptom in model.board.symptoms):
        return 0.0
    # Only draws before any repair speak of the cell as it came in.
    key = "flat cell", tuple((record.epoch, _told_apart({"": record})) for record in records)
    chance = model.remembered(key, lambda: np.array(round(flat_cell_chance(model.board, records), 3)))
    assert chance is not None
    return float(chance)


def _came_for_it(model: DiagnosisModel, items: Iterable[EvidenceItem]) -> float:
    """−ln of the chance that the owner of a unit with nothing wrong complains of anything; 0 where nothing was said.

    `prior_nothing` is a share of the units that come in, and they come in for a complaint: given that, each symptom is
    so much likelier than it shows by itself. What the rates of faults say is of all units, so theirs stay as they are.
    """
    if not any(item.kind == "symptom" and item.seen == REPORTED for item in items):
        return 0.0
    silent = [(1.0 - symptom.leak) * (1.0 - symptom.flat_cell * FLAT_UNSEEN) for symptom in model.board.symptoms]
    return float(-np.log(max(1.0 - float(np.prod(silent)), LEAST_COMPLAINT)))


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


def _gone(model: DiagnosisModel, mended: frozenset[str]) -> np.ndarray:
    found = model.remembered(("gone", mended), lambda: model.hypotheses.rows_mended(mended))
    assert found is not None
    return found


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


def standardised(model: DiagnosisModel, facts: JobFacts, evidence: Evidence) -> JobFacts:
    """The facts with each diode reading as an ordinary board would read with a meter that has not drifted and with no
    chip of another make, so that what is off is off beyond what all of this board's readings are."""
    scale, makes = evidence.apart.scale, evidence.apart.makes
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


ReadBefore = Mapping[tuple[str, Method], tuple[float, ...]]
"""What points read, by point and method, in the order of the repairs after which they did."""


def _as_usual(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]],
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
    found: dict[tuple[str, Method], tuple[float, ...]] = {}
    for item, _ in sorted(_as_usual(model, entries, left_out, apart)[0].values(), key=lambda pair: pair[0].epoch):
        if item.kind == "reading" and item.method is not None and not item.isolated and item.value != float("inf"):
            found[item.subject, item.method] = (*found.get((item.subject, item.method), ()), item.value)
    return found


def set_apart(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> SetApart:
    """What sets the board and its meter apart, by all that stands in a trail."""
    return _as_usual(model, entries, left_out)[2]


def gather_evidence(model: DiagnosisModel, entries: Iterable[Entry],
                    left_out: frozenset[tuple[str, str]] = frozenset(), read_before: ReadBefore | None = None,
                    apart: SetApart | None = None, seen: Seen = frozenset()) -> Evidence:
    """All that stands in the trail. Items the pack knows nothing about are left out.

    left_out: entry and point of readings that say nothing of the board, such as a tester's own fault. read_before: what
    points read before all of it; seen: what looks had told. apart: what sets the board and its meter apart, where more
    than these entries has told it; None to tell it by them.
    """
    entries = tuple(entries)
    found, repairs, apart = _as_usual(model, entries, left_out, apart, seen)
    mended: dict[str, int] = {}
    mended_last: dict[str, tuple[str, int, int]] = {}
    for epoch, rework in repairs:
        for fault in faults_mended(model, rework):
            mended.setdefault(fault, epoch)
            mended_last[fault] = fault, epoch, mended_last.get(fault, (fault, 0, 0))[2] + 1
    items: list[EvidenceItem] = []
    witnesses: list[Witness] = []
    earlier = earlier_on_copper(model, [item for item, _ in found.values()], repairs)
    alike = read_beside(model, [item for item, _ in found.values()])
    flat = _flat_cell(model, found)
    mended_by = {epoch: frozenset(f for f, since in mended.items() if since <= epoch)
                 for epoch in {item.epoch for item, _ in found.values()}}
    for item, source in found.values():
        before = earlier.get((item.epoch, item.method, item.subject, item.isolated), ())
        known = (read_before or {}).get((item.subject, item.method), ()) if item.method and not item.isolated else ()
        beside = alike.get((item.epoch, item.method, item.subject), ()) if item.method and not item.isolated else ()
        witness = _witness(model, item, source, mended_by, flat, before, beside, apart.scale, known)
        if witness is not None:
            items.append(item)
            witnesses.append(witness)
    functional = functional_evidence(model, [w for w in witnesses if isinstance(w, FunctionalWitness)])
    together = iter(functional.rows)
    witnesses = [replace(w, rows=next(together)) if isinstance(w, FunctionalWitness) else w for w in witnesses]
    matrix = np.stack([w.rows for w in witnesses]) if witnesses else np.zeros((0, model.hypotheses.count))
    repairs_of: list[np.ndarray] = [np.zeros(model.hypotheses.count, dtype=int)]
    for _, rework in repairs:
        repairs_of.append(repairs_of[-1] + _gone(model, frozenset(faults_mended(model, rework))))
    once = taken_once(witnesses, [item.epoch for item in items], repairs_of, model.hypotheses.left)
    if once is not None:
        matrix = matrix + once
    return Evidence(tuple(items), matrix, tuple(mended.items()), len(repairs), tuple(witnesses), apart, functional,
                    tuple(mended_last.values()), once, repairs_of[-1] > 1, _came_for_it(model, items))
