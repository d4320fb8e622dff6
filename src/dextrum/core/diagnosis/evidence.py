"""From the standing trail to items of evidence, each with its log-likelihood over all rows.

Repairs divide the trail into epochs. What was seen before a repair keeps speaking about the board as it was.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from dextrum.core.assumptions.trials import FLAT_UNSEEN, LEAST_COMPLAINT
from dextrum.core.board import Method
from dextrum.core.diagnosis.as_usual import NOT_APART, SetApart, as_usual
from dextrum.core.diagnosis.board_look import audit_look_parts, board_look_parts
from dextrum.core.diagnosis.draw_evidence import draw_log_likelihood, flat_cell_chance, plug_log_likelihood
from dextrum.core.diagnosis.expected import Expected, expected_at
from dextrum.core.diagnosis.fault_pairs import FaultPairs
from dextrum.core.diagnosis.functional_evidence import FunctionalEvidence, functional_evidence
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW
from dextrum.core.diagnosis.injection import warmth_log_likelihood
from dextrum.core.diagnosis.joined_copper import Beside, held_to_joined, read_beside
from dextrum.core.diagnosis.likelihood import (
    CONTACT_FAILURE,
    OnceRead,
    ReadOnce,
    check_log_likelihood,
    look_parts,
    rail_log_likelihood,
    reading_log_likelihood,
    swap_log_likelihood,
    symptom_log_likelihood,
)
from dextrum.core.diagnosis.located import Located
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.own_deviation import Before, Earlier, earlier_on_copper, shared_deviation
from dextrum.core.diagnosis.repair_taken import taken_once
from dextrum.core.diagnosis.size_in_ohms import earlier_across, size_of_rows
from dextrum.core.diagnosis.telling import EvidenceItem, LookRound, Seen, SideLook
from dextrum.core.diagnosis.witness import (
    FunctionalWitness,
    ReadingWitness,
    SeenWitness,
    WarmthWitness,
    Witness,
    healthy_where,
    mixed_by_repair,
)
from dextrum.core.entries.intake import REPORTED
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.reference.own_scale import OwnScale
from dextrum.core.trail import (
    Entry,
    Injection,
    Look,
    RailVolts,
    Rework,
    Swap,
)

OL_SIZE, LEAST_SIZE = 1e3, 1e-9


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
    apart: SetApart = NOT_APART
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
    def key(self) -> tuple[object, ...]:
        """What the posterior depends on, beside `log_likelihood`."""
        items = tuple((item.kind, item.epoch, item.seen == REPORTED) for item in self.items)
        return (tuple(witness.memory_key for witness in self.witnesses), items, self.mended, self.mended_last,
                self.came_for_it, self.told_each, None if self.once is None else self.once.tobytes(),
                None if self.again is None else self.again.tobytes())

    @property
    def mended_ids(self) -> frozenset[str]:
        return frozenset(fault for fault, _ in self.mended)

    @cached_property
    def located(self) -> Located:
        """The witnesses that saw something at a place."""
        return Located(self.witnesses, self.once, self.again)


def faults_mended(model: DiagnosisModel, rework: Rework) -> tuple[str, ...]:
    """Ids of the faults that a piece of rework is meant to take away."""
    kinds = kinds_mended(model.board, rework.part, rework.action)
    return tuple(fault.id for fault in model.hypotheses.by_part.get(rework.part, ()) if fault.kind in kinds)


def _told_apart(source: object) -> object:
    """What a source's likelihood depends on, as a key. The samples of a trace are in its spells."""
    if isinstance(source, dict):
        return tuple((o, r.supply_class, r.cell, r.switched_on, r.bad_supply, r.named, r.spells)
                     for o, r in source.items())
    return repr(source)


def _reading_witness(model: DiagnosisModel, item: EvidenceItem, mended_by: Mapping[int, frozenset[str]],
                     earlier: Before, beside: Beside, scale: OwnScale, once: tuple[OnceRead, ...]) -> Witness | None:
    """Kept for a while, since a trail grows by one entry at a time. mended_by: faults mended, by epoch. once: what the
    point read before all that is weighed here; beside: what was read on copper that some fault would join to it."""
    if item.method is None:
        return None
    since = {item.epoch, *(epoch for _, _, epoch, _ in earlier)}
    key = (item.subject, item.method, item.value, item.touches, item.epoch, earlier, beside, scale.spread,
           _slips_of(item, scale), once, tuple(mended_by[epoch] for epoch in sorted(since)))
    method = item.method
    return model.memory.witnesses.recall(key, lambda: _new_reading_witness(
        model, item, method, {epoch: _gone(model, mended_by[epoch]) for epoch in since}, earlier, beside, scale,
        once))


def _slips_of(item: EvidenceItem, scale: OwnScale) -> float:
    """How often touches read open by mistake, for what one reading tells. A number was no such touch: that there might
    have been one takes a few hundredths from every row alike that predicts a number, and is left as it usually is, so
    that what this hand has shown so far changes nothing of readings in their place."""
    return scale.slips if item.value == float("inf") else CONTACT_FAILURE


def _new_reading_witness(model: DiagnosisModel, item: EvidenceItem, method: Method, gone_by: Mapping[int, np.ndarray],
                         earlier: Before, beside: Beside, scale: OwnScale,
                         once: tuple[OnceRead, ...]) -> Witness | None:
    wider, slips = scale.spread, _slips_of(item, scale)
    again = tuple(value for point, value, epoch, isolated in earlier
                  if point == item.subject and epoch != item.epoch and isolated == item.isolated)

    def after(before: Earlier) -> tuple[tuple[object, ...], np.ndarray | None]:
        key = ("reading", item.subject, method, item.value, item.touches, before, wider, slips, again, once, beside)

        def make() -> np.ndarray | None:
            shared = shared_deviation(model, method, item.subject, before, wider) if method.is_diode \
                else size_of_rows(model, before, wider)
            row = reading_log_likelihood(model, item.subject, method, item.value, item.touches, shared, wider, slips,
                                         again, once)
            return row if row is None or not beside else held_to_joined(
                model, row, item.subject, method, item.value, item.touches, shared, beside, wider, slips, again, once)

        return key, model.remembered(key, make)

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
        expected = expected_at(model, point, method)
        assert expected is not None
        return sizes_of(expected, model.near_at(point, method))

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
             flat: float, before: Before, beside: Beside, scale: OwnScale,
             once: tuple[OnceRead, ...]) -> Witness | None:
    """mended_by: faults mended, by epoch. once: what the point of a reading read before all that is weighed here;
    beside: what was read on copper that some fault would join to its own."""
    model = model.isolating(item.isolated)
    if item.kind == "reading":
        return _reading_witness(model, item, mended_by, before, beside, scale, once)
    gone = _gone(model, mended_by[item.epoch])
    if isinstance(source, Injection):
        key = "warmth", repr(source)
        both = model.remembered(key, lambda: _stacked(warmth_log_likelihood(
            model, source.net, source.volts, source.amps, source.warmed, source.seen_by, source.watts or np.inf)))
        return None if both is None else WarmthWitness(
            gone, mixed_by_repair(both[0], gone, model.hypotheses.left), both[0], healthy_where(both[0], gone), both[0],
            both[1], (*key, item.isolated))
    if item.kind == "look" and isinstance(source, Look):
        both = model.remembered(("look", repr(source)), lambda: np.vstack(look_parts(model, source)))
        assert both is not None
        return SeenWitness(gone, mixed_by_repair(both[0], gone, model.hypotheses.left), both[1:])
    if isinstance(source, SideLook):
        both = model.remembered(("board look", source), lambda: np.vstack(board_look_parts(model, source)))
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


def _gone(model: DiagnosisModel, mended: frozenset[str]) -> np.ndarray:
    found = model.remembered(("gone", mended), lambda: model.hypotheses.rows_mended(mended))
    assert found is not None
    return found


def gather_evidence(model: DiagnosisModel, entries: Iterable[Entry],
                    left_out: frozenset[tuple[str, str]] = frozenset(), read_before: ReadOnce | None = None,
                    apart: SetApart | None = None, seen: Seen = frozenset()) -> Evidence:
    """All that stands in the trail. Items the pack knows nothing about are left out.

    left_out: entry and point of readings that say nothing of the board, such as a tester's own fault. read_before: what
    points read before all of it; seen: what looks had told. apart: what sets the board and its meter apart, where more
    than these entries has told it; None to tell it by them.
    """
    entries = tuple(entries)
    found, repairs, apart = as_usual(model, entries, left_out, apart, seen)
    mended: dict[str, int] = {}
    mended_last: dict[str, tuple[str, int, int]] = {}
    for epoch, rework in repairs:
        for fault in faults_mended(model, rework):
            mended.setdefault(fault, epoch)
            mended_last[fault] = fault, epoch, mended_last.get(fault, (fault, 0, 0))[2] + 1
    items: list[EvidenceItem] = []
    witnesses: list[Witness] = []
    earlier = earlier_on_copper(model, [item for item, _ in found.values()], repairs) | earlier_across(
        model, [item for item, _ in found.values()])
    alike = read_beside(model, [item for item, _ in found.values()])
    flat = _flat_cell(model, found)
    mended_by = {epoch: frozenset(f for f, since in mended.items() if since <= epoch)
                 for epoch in {item.epoch for item, _ in found.values()}}
    for item, source in found.values():
        before = earlier.get((item.epoch, item.method, item.subject, item.isolated), ())
        known = (read_before or {}).get((item.subject, item.method), ()) if item.method and not item.isolated else ()
        beside = alike.get((item.epoch, item.method, item.subject, item.isolated), ()) if item.method else ()
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
