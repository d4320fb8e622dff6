"""What a repair may have done: a new part that is bad, a joint that did not take, a neighbour that heat has hurt.

The usual posterior knows only faults that came in with the unit, and that repairs take away. Where that explains badly
what was seen since the last repair, the board is weighed anew as it left that repair (assumed-density filtering: X.
Boyen and D. Koller, Tractable inference for complex stochastic processes, Uncertainty in Artificial Intelligence 1998):
the prior of each fault is its chance of having been left, and that of having been made by the repair; the evidence is
what was seen since. It takes the place of the usual posterior only if something new is wrong with a fair chance.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from dextrum.core.assumptions.auditing import ALONE_LEFT
from dextrum.core.assumptions.repairs import (
    AGAIN_SO_LIKELY,
    ASKED_FROM,
    NEW_FROM,
    NOT_SO_SURE,
    OF_JOINTS,
    REEL_PART_BAD,
    SOFTENED_LEAST,
    SOFTENED_MOST,
    SOFTENED_USUALLY,
    TOUCHED_BY_HAND,
    UNEXPLAINED_NATS,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import ComponentKind, Fault, FaultKind
from dextrum.core.diagnosis.as_usual import ReadBefore, SetApart, readings_of, set_apart
from dextrum.core.diagnosis.evidence import Evidence, faults_mended, gather_evidence
from dextrum.core.diagnosis.heat_reach import lies_near
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW
from dextrum.core.diagnosis.likelihood import ReadOnce
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import FaultSets, Posterior, weigh_sets
from dextrum.core.diagnosis.read_as_before import AsBefore, as_left_by, read_as_before
from dextrum.core.diagnosis.read_once import TakenAway, read_once
from dextrum.core.diagnosis.telling import EvidenceItem, looks_told
from dextrum.core.diagnosis.witness import SeenWitness
from dextrum.core.faults.registry import KINDS
from dextrum.core.looks import MISSING
from dextrum.core.trail import (
    HOT_ACTIONS,
    Audit,
    Cell,
    Entry,
    Isolation,
    JobOpened,
    LotSuspect,
    PartAlone,
    Readings,
    Rework,
    ReworkPlan,
    last_moment,
    moments,
    standing,
)
from dextrum.tongue import tr

TELLS = frozenset({"reading", "check", "rail", "supply", "board look", "count look", "audit look"})
PLACED = frozenset({"reading", "board look", "count look", "audit look"})
"""Of those, what speaks of one place on the board."""
FROM_REELS = frozenset({ComponentKind.CAPACITOR, ComponentKind.RESISTOR, ComponentKind.LINK, ComponentKind.INDUCTOR,
                        ComponentKind.FILTER, ComponentKind.FUSE})
MOST_LEFT, LEAST_LEFT = 0.97, 1e-7
"""Bounds of the chance that a fault was left."""


def chances_made(model: DiagnosisModel, part: str, measured_alone: bool = False, bad_lot: float = 0.0,
                 action: str = "replace", recipe: str = "") -> np.ndarray:
    """Chance of each row having been made by heat on this part, and by fitting it, (R,); kept. measured_alone: the new
    part was measured before it went on, and read well. bad_lot: chance that it is bad by the lot it came from; 0 where
    nothing is said of its lot. action, recipe: what was done, and by which recipe's id, empty where none was
    planned."""
    fitted = model.board.component_by_designator.get(part)
    from_reel = REEL_PART_BAD if fitted is not None and fitted.kind in FROM_REELS else 1.0
    usual = as_stated(model.board, "new_part_fails") * (1.0 - OF_JOINTS)
    times = max(bad_lot / usual, from_reel) * (ALONE_LEFT if measured_alone else 1.0)
    found = model.remembered(("made by heat", part, measured_alone, bad_lot, action, recipe),
                             lambda: _chances_made(model, part, times, model.heat.softened(part, action, recipe)))
    assert found is not None
    return found


def _disturbed(model: DiagnosisModel, part: str, softened: Mapping[str, float]) -> Mapping[str, float]:
    """How likely each part round a repair was loosened, by heat or by hand."""
    near = dict.fromkeys(lies_near(model.board, part), TOUCHED_BY_HAND)
    return {**near, **{name: max(chance, near.get(name, 0.0)) for name, chance in softened.items()}}


def _chances_made(model: DiagnosisModel, part: str, bad_parts: float, softened: Mapping[str, float]) -> np.ndarray:
    board, hypotheses = model.board, model.hypotheses
    found = np.zeros(hypotheses.count)
    heated = board.component_by_designator.get(part)
    rows = np.arange(FIRST_FAULT_ROW, hypotheses.count)
    faults = [hypotheses.faults[int(f)] for f in hypotheses.fault_of_row[rows]]
    share = np.exp(hypotheses.log_prior[rows])
    own = np.array([f.part == part for f in faults], dtype=bool)
    fitting = np.array([KINDS[f.kind].after_fitting for f in faults]) * own
    worn = own & (fitting == 0.0) & np.array([KINDS[f.kind].by_hands == 0.0 for f in faults], dtype=bool)
    if heated is not None:
        # Joints by how often each kind is what fitting leaves, whatever wear does; the rest as such parts fail.
        for weight, chance in ((fitting * _within_kind(faults, share), OF_JOINTS),
                               (worn * share, bad_parts * (1.0 - OF_JOINTS))):
            if weight.any():
                found[rows] += as_stated(board, "new_part_fails") * chance * weight / weight.sum()
        loosened = _disturbed(model, part, softened)
        hurt = np.array([KINDS[f.kind].by_heat if f.part in loosened else 0.0 for f in faults])
        if hurt.any():
            # Each neighbour by how likely its joints softened, however many pins it has.
            weight = hurt * _within_kind(faults, share)
            of_part = dict[str, float]()
            for fault, one in zip(faults, weight, strict=True):
                of_part[fault.part] = of_part.get(fault.part, 0.0) + float(one)
            weight = np.array([loosened[f.part] * w / of_part[f.part] if w else 0.0
                               for f, w in zip(faults, weight, strict=True)])
            times = float(np.clip(sum(softened.values()) / SOFTENED_USUALLY, SOFTENED_LEAST, SOFTENED_MOST))
            found[rows] += times * as_stated(board, "heat_hurts") * weight / weight.sum()
    return found


def _within_kind(faults: Sequence[Fault], share: np.ndarray) -> np.ndarray:
    """Of all rows of one kind on one part, the share of each, (K,)."""
    total = dict[tuple[str, str], float]()
    for fault, one in zip(faults, share, strict=True):
        key = fault.part, fault.kind
        total[key] = total.get(key, 0.0) + float(one)
    return np.array([one / total[f.part, f.kind] if one else 0.0 for f, one in zip(faults, share, strict=True)])


def weigh_trail(model: DiagnosisModel, entries: Iterable[Entry],
                left_out: frozenset[tuple[str, str]] = frozenset()) -> Posterior:
    """The posterior of a trail, by whichever of the two explains it. left_out: as for `gather_evidence`."""
    entries = _with_lots_told(tuple(standing(entries)))
    evidence, cut = gather_evidence(model, entries, left_out), _last_repair(entries)
    if cut < 0:
        return weigh_sets(model, evidence)
    was_anew = _was_anew(model, entries[:cut], left_out)
    since, as_before = _since_repair(model, entries, cut, left_out, evidence.apart)
    part = _rework_of(entries[cut]).part

    def weighed_anew() -> tuple[Posterior, float]:
        there, made = _left(model, entries, cut, left_out, as_before)
        found = weigh_sets(model, _with_prior(model, since, there, entries[cut].id, part))
        return found, float(found.rows @ (made / there))

    told = _bad_lot(part, entries[:cut]) > 0.0
    speaks, tells = _speaks_of_a_fault(since), any(item.kind in TELLS for item in since.items)
    # Where the usual posterior can't settle it alone, this one comes first: often it stands whatever that one says.
    first = weighed_anew() if was_anew or told or (speaks and tells) else None
    if first is not None and (was_anew or first[1] > NEW_FROM):
        return replace(first[0], since_repair=part, new_since=first[1])
    usual = weigh_sets(model, evidence)
    whole = bool(usual.remaining_rows()[NOTHING_ROW] >= ASKED_FROM)
    if not told and ((whole and not speaks) or not tells):
        return usual
    anew, new = first or weighed_anew()
    # A unit with one more fault than a set holds looks whole to the usual posterior, however often it fails; once it
    # has failed often enough, as if repairs had left their faults, and nothing else.
    elsewhere = _rows_elsewhere(model, entries)
    another = bool((whole and anew.remaining_rows()[NOTHING_ROW] < ASKED_FROM)
                   or usual.chance_of_any(elsewhere) <= 1.0 - ASKED_FROM < anew.chance_of_any(elsewhere))
    # What was wrong in one way before and is in another now, as a filter of which one joint did not take, is one part.
    own = model.hypotheses.rows_of_part(part)
    again = anew.chance_of_any(own) - usual.chance_of_any(own) > NEW_FROM
    return replace(anew, since_repair=part, new_since=new) if another or again or new > NEW_FROM else usual


def _rows_elsewhere(model: DiagnosisModel, entries: tuple[Entry, ...]) -> np.ndarray:
    """Boolean (R,): faults of parts that nobody has worked on with heat, those that nobody lists among them."""
    done = {e.payload.part for e in entries if isinstance(e.payload, Rework) and e.payload.action in HOT_ACTIONS}
    found = ~np.any([model.hypotheses.rows_of_part(part) for part in done], axis=0)
    found[NOTHING_ROW] = False
    return np.asarray(found)


def _speaks_of_a_fault(since: Evidence) -> bool:
    """Whether anything seen since the repair asks for an explanation, however likely the unit was whole before it: a
    check that failed, or a reading or a look that some fault would explain far better than a board with none."""
    failed = any(item.kind == "check" and item.seen == "failed" for item in since.items)
    told = [k for k, item in enumerate(since.items) if item.kind in PLACED]
    if failed or not told:
        return failed
    by_row = since.log_likelihood[told]
    return bool((by_row.max(axis=1) - by_row[:, NOTHING_ROW] >= UNEXPLAINED_NATS).any())


def _last_repair(entries: tuple[Entry, ...]) -> int:
    """Where the last repair with heat stands; -1 where there is none."""
    return max((k for k, e in enumerate(entries) if isinstance(e.payload, Rework) and e.payload.action in HOT_ACTIONS),
               default=-1)


def _was_anew(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> bool:
    """Whether these entries were weighed as the board left a repair; kept."""
    if _last_repair(entries) < 0:
        return False
    found = model.remembered(("weighed anew", entries, left_out), lambda: np.array(
        bool(weigh_trail(model, entries, left_out).since_repair)))
    return bool(found)


def _measured_alone(rework: Rework, before: tuple[Entry, ...]) -> bool:
    """Whether the part that was fitted had been measured by itself, and read well; the last time counts, and not for a
    part that was fitted earlier."""
    for entry in reversed(before):
        payload = entry.payload
        if isinstance(payload, Rework) and payload.part == rework.part and payload.action == "replace":
            return False
        if isinstance(payload, PartAlone) and payload.part == rework.part:
            return payload.good and rework.action == "replace"
    return False


def _recipe_planned(part: str, before: tuple[Entry, ...]) -> str:
    """Id of the recipe by which the part was to be worked on; empty where no plan says."""
    for entry in reversed(before):
        if isinstance(entry.payload, ReworkPlan):
            return next((one.recipe for one in entry.payload.repairs if one.part == part), "")
    return ""


def _with_lots_told(entries: tuple[Entry, ...]) -> tuple[Entry, ...]:
    """The trail with what was told of a lot just before the rework that fitted its part: it was so all along."""
    told = [e for e in entries if isinstance(e.payload, LotSuspect)]
    if not told:
        return entries
    found: list[Entry] = []
    for entry in entries:
        if isinstance(entry.payload, Rework) and entry.payload.lot:
            found += [e for e in told if isinstance(e.payload, LotSuspect) and (e.payload.part, e.payload.lot) ==
                      (entry.payload.part, entry.payload.lot)]
        if not isinstance(entry.payload, LotSuspect):
            found.append(entry)
    return tuple(found)


def _bad_lot(part: str, before: tuple[Entry, ...]) -> float:
    """Chance that the part just fitted is bad by its lot; 0 where nothing is said of it."""
    for entry in reversed(before):
        if isinstance(entry.payload, Rework) and entry.payload.part == part:
            return 0.0
        if isinstance(entry.payload, LotSuspect) and entry.payload.part == part:
            return entry.payload.chance
    return 0.0


def _rework_of(entry: Entry) -> Rework:
    assert isinstance(entry.payload, Rework)
    return entry.payload


def _since_repair(model: DiagnosisModel, entries: tuple[Entry, ...], cut: int, left_out: frozenset[tuple[str, str]],
                  apart: SetApart | None = None) -> tuple[Evidence, tuple[AsBefore, ...]]:
    """What was seen since the last repair, without what reads as it did before, and what does. apart: what sets the
    board and its meter apart, where all of the trail has told it already: the few readings since tell it badly."""
    apart = set_apart(model, entries, left_out) if apart is None else apart
    read = readings_of(model, entries[:cut], left_out, apart)
    once = _read_once(model, entries, cut, left_out, read)
    since = _since(model, entries, cut, left_out, apart, once)
    as_before = read_as_before(model, {key: values[-1][1] for key, values in read.items()}, since.items)
    if as_before:
        since = _since(model, entries, cut, left_out | _readings_at(entries, cut, as_before), apart, once)
    return since, as_before


def _read_once(model: DiagnosisModel, entries: tuple[Entry, ...], cut: int, left_out: frozenset[tuple[str, str]],
               read: ReadBefore) -> ReadOnce:
    """Of the points that have been read since the last repair, what they read before, and whether a repair has taken
    away what explained it."""
    since = {(reading.point, e.payload.method) for e in entries[cut + 1:] if isinstance(e.payload, Readings)
             for reading in e.payload.readings}
    known = {key: values for key, values in read.items() if key in since}
    if not known:
        return {}
    repairs = [TakenAway(last_moment(entries[:k + 1]).epoch, _sets_before(model, entries[:k], left_out),
                         model.hypotheses.rows_mended(frozenset(faults_mended(model, rework))))
               for k, rework in ((k, e.payload) for k, e in enumerate(entries[:cut + 1]))
               if isinstance(rework, Rework) and rework.action in HOT_ACTIONS]
    return read_once(model, known, repairs)


def _left(model: DiagnosisModel, entries: tuple[Entry, ...], cut: int, left_out: frozenset[tuple[str, str]],
          as_before: tuple[AsBefore, ...]) -> tuple[np.ndarray, np.ndarray]:
    """As the last repair left the unit: the chance of each row, and of that the part that repairs have made, (R,) each,
    with what the photo made before the work and what reads as before tell of it."""
    there, made, new = _as_left(model, entries[:cut + 1], left_out)
    there, made = _not_of_heat(model, entries[cut:], there, made)
    if as_before:
        new = np.minimum(new, made)
        stood, older = there - new, made - new  # what an earlier repair has made was there before this one
        mended = model.hypotheses.rows_mended(frozenset(faults_mended(model, _rework_of(entries[cut]))))
        before = _sets_before(model, entries[:cut], left_out)
        there, new = as_left_by(as_before, model.copper, before, mended, there, new,
                                as_stated(model.board, "repair_fails"))
        made = new + older * np.divide(there - new, stood, out=np.zeros_like(stood), where=stood > 0.0)
        there = np.clip(there, LEAST_LEFT, MOST_LEFT)
    return there, np.minimum(made, there)


def _readings_at(entries: tuple[Entry, ...], cut: int, points: Iterable[AsBefore]) -> frozenset[tuple[str, str]]:
    """Entry and point of the readings of these points since the repair. What was read there with something off the
    board stays: nothing like it was read before."""
    told = {(one.point, one.method) for one in points}
    return frozenset((entry.id, reading.point) for k, (entry, moment) in enumerate(moments(entries))
                     if k > cut and isinstance(entry.payload, Readings) and not moment.isolated
                     for reading in entry.payload.readings if (reading.point, entry.payload.method) in told)


def _since(model: DiagnosisModel, entries: tuple[Entry, ...], cut: int, left_out: frozenset[tuple[str, str]],
           apart: SetApart, read_before: ReadOnce) -> Evidence:
    """What was seen since the repair, with no repair in it, in the epoch in which it was seen; what the cell was, what
    was off, and whether the pack has a point right is known from before."""
    before = _standing_from(entries[:cut + 1])
    epoch = last_moment(entries[:cut + 1]).epoch
    makes = tuple(make.always() for make in apart.makes if make.since <= epoch <= make.until)
    found = gather_evidence(model, (*before, *entries[cut + 1:]), left_out, read_before, replace(apart, makes=makes),
                            looks_told(entries[:cut + 1]))
    return replace(found, items=tuple(replace(item, epoch=epoch) for item in found.items), epoch=epoch)


def _standing_from(entries: tuple[Entry, ...]) -> tuple[Entry, ...]:
    """Of these entries, what still holds once their readings and repairs are left out. A repair of a part that was off
    the board puts it back."""
    return tuple(replace(e, payload=Isolation((e.payload.part,), "back")) if isinstance(e.payload, Rework) else e
                 for e in entries if isinstance(e.payload, JobOpened | Cell | Isolation | Rework) and (
                     not isinstance(e.payload, Rework) or e.payload.part))


def _as_left(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> tuple[
        np.ndarray, np.ndarray, np.ndarray]:
    """As the unit leaves the repair that these entries end with: the chance of each row being there, (R,), of that the
    part that this repair or one before it has made, and of that the part that this one has. Carried from repair to
    repair; kept, since a trail only grows.
    """

    def make() -> np.ndarray:
        rework, before = _rework_of(entries[-1]), entries[:-1]
        there, made = _filtered(model, before, left_out)
        mended = model.hypotheses.rows_mended(frozenset(faults_mended(model, rework)))
        first = NOT_SO_SURE * np.exp(model.hypotheses.log_prior)
        fails = np.exp(model.hypotheses.left.log_fails)
        there = np.where(mended, fails * there, (1.0 - NOT_SO_SURE) * there + first)
        made = np.where(mended, fails * made, (1.0 - NOT_SO_SURE) * made)
        fitted = sum(isinstance(e.payload, Rework) and e.payload.part == rework.part and e.payload.action == "replace"
                     for e in before)
        new = chances_made(model, rework.part, _measured_alone(rework, before), _bad_lot(rework.part, before),
                           rework.action, _recipe_planned(rework.part, before)) * AGAIN_SO_LIKELY ** fitted
        there[NOTHING_ROW] = made[NOTHING_ROW] = 0.0
        return np.stack([np.clip(there + new, LEAST_LEFT, MOST_LEFT), np.minimum(made + new, MOST_LEFT), new])

    kept = model.remembered(("as left by repair", entries, left_out), make)
    assert kept is not None
    made = np.minimum(kept[1], kept[0])
    return kept[0], made, np.minimum(kept[2], made)


def _not_of_heat(model: DiagnosisModel, since: tuple[Entry, ...], there: np.ndarray, made: np.ndarray) -> tuple[
        np.ndarray, np.ndarray]:
    """The same chances, (R,) each, once the photo made before the work has told what was missing by then: no heat did
    that."""
    empty = {one.part for entry in since if isinstance(entry.payload, Audit) for one in entry.payload.seen
             if one.what == MISSING and one.before}
    if not empty:
        return there, made
    faults = model.hypotheses.faults
    gone = np.array([f.kind is FaultKind.MISSING_PART and f.part in empty for f in faults] + [False], dtype=bool)
    rows = gone[model.hypotheses.fault_of_row]
    return np.where(rows, np.maximum(there - made, LEAST_LEFT), there), np.where(rows, 0.0, made)


def _filtered(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> tuple[
        np.ndarray, np.ndarray]:
    """Chance of each row being there after all these entries, (R,), and of that the part that repairs have made."""
    posterior, there, made = _carried(model, entries, left_out)
    if made.any() and all(item.kind == "left" for item in posterior.evidence.items):
        return there, made  # nothing was seen since
    found = posterior.rows.copy()
    return found, found * made / there


def _carried(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> tuple[
        Posterior, np.ndarray, np.ndarray]:
    """The posterior after all these entries, as far as the last repair left the unit; and the chances of rows being
    there, and of having been made by repairs, that it began with, (R,) each."""
    cut = _last_repair(entries)
    if cut < 0:
        found = weigh_sets(model, gather_evidence(model, entries, left_out))
        return found, np.ones(len(found.rows)), np.zeros(len(found.rows))
    since, as_before = _since_repair(model, entries, cut, left_out)
    there, made = _left(model, entries, cut, left_out, as_before)
    part = _rework_of(entries[cut]).part
    return weigh_sets(model, _with_prior(model, since, there, entries[cut].id, part)), there, made


def _sets_before(model: DiagnosisModel, entries: tuple[Entry, ...], left_out: frozenset[tuple[str, str]]) -> FaultSets:
    """What was wrong before a repair that these entries lead to; kept."""
    def make() -> np.ndarray:
        sets = _carried(model, entries, left_out)[0].sets
        return np.column_stack([sets.rows, sets.weight])

    kept = model.remembered(("sets before a repair", entries, left_out), make)
    assert kept is not None
    return FaultSets(kept[:, :3].astype(int), kept[:, 3])


def _with_prior(model: DiagnosisModel, evidence: Evidence, chance: np.ndarray, entry_id: str, part: str) -> Evidence:
    """The evidence with one more item: that rows are there with these chances (R,) before it, each by itself."""
    one = model.pairs.log_prior_one
    shift = np.log(chance) - np.log1p(-chance) - (one - one[NOTHING_ROW])
    shift[NOTHING_ROW] = 0.0
    shift = np.where(np.isfinite(shift), shift, 0.0)
    gone = np.zeros(len(shift), dtype=bool)
    witness = SeenWitness(gone, shift, np.zeros((0, len(shift))))
    item = EvidenceItem(entry_id, evidence.epoch, "left", part, tr("as {part} was done", part=part))
    once = None if evidence.once is None else np.vstack([np.zeros((1, len(shift))), evidence.once])
    return replace(evidence, items=(item, *evidence.items), witnesses=(witness, *evidence.witnesses), once=once,
                   told_each=True,
                   log_likelihood=np.vstack([shift[None, :], evidence.log_likelihood]))
