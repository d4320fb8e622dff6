"""How far one piece of copper is off by itself: what was read on it tells what it reads next, over repairs too, and
with parts off the board that have no part in it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import AS_BEFORE_VOLTS
from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.carried_over import carried_over
from dextrum.core.diagnosis.expected import expected_apart
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.joint_predictions import parted, unchanged
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, with_reading
from dextrum.core.trail import Rework

if TYPE_CHECKING:
    from dextrum.core.diagnosis.telling import EvidenceItem

Before = tuple[tuple[str, float, int, Isolated], ...]
"""Points of one piece of copper, what they read, in which epoch, and with what off the board."""
Earlier = tuple[tuple[str, float, Isolated], ...]
"""The same without the epochs."""


def earlier_on_copper(model: DiagnosisModel, items: list[EvidenceItem], repairs: list[tuple[int, Rework]]) -> dict[
        tuple[int, Method | None, str, Isolated], Before]:
    """For every diode reading, what the same copper read before it: by epochs, the whole board before what was read
    with parts off, and in the board's order of points.

    The fixed order keeps the result the same whatever order the points were touched in. A new part on the copper brings
    junctions of its own: what was read before it tells nothing of how far the copper is off now, unless it reads off by
    as much as before, at that point or another. Then whatever it is off by lies elsewhere, and is not paid for anew.
    """
    order = model.board.point_order
    groups: dict[tuple[Method, int], list[EvidenceItem]] = {}
    for item in items:
        if item.kind == "reading" and item.method is not None and item.method.is_diode \
                and item.subject in order:
            groups.setdefault((item.method, model.copper[item.subject]), []).append(item)
    found: dict[tuple[int, Method | None, str, Isolated], Before] = {}
    for (method, copper), members in groups.items():
        if copper < 0 or len(members) < 2:
            continue
        renewed = [epoch for epoch, rework in repairs if rework.action == "replace"
                   and copper in model.junction_copper.get(rework.part, ())]
        before: Before = ()
        for item in sorted(members, key=lambda i: (i.epoch, sorted(i.isolated), order[i.subject])):
            since = max((epoch for epoch in renewed if epoch <= item.epoch), default=0)
            own = item.subject, item.value
            alike = any(isolated == item.isolated and off_alike(model, method, own, (subject, value))
                        for subject, value, _, isolated in before)
            found[item.epoch, method, item.subject, item.isolated] = tuple(
                earlier for earlier in before if (alike or earlier[2] >= since) and _one_copper(model, earlier, item))
            if item.value != float("inf"):
                before = (*before, (item.subject, item.value, item.epoch, item.isolated))
    return found


def off_alike(model: DiagnosisModel, method: Method, one: tuple[str, float], other: tuple[str, float],
              within: float = AS_BEFORE_VOLTS) -> bool:
    """Whether two readings in diode mode of one piece of copper, each a point and its volts, show numbers that are off
    a good board by the same: those of one point that read the same do. within: volts. Not what the pack can't predict.
    """
    if any(model.predicted_at(point, method) is None for point, _ in (one, other)):
        return False
    good, other_good = model.good_at(one[0], method), model.good_at(other[0], method)
    apart = 0.0 if good == other_good else good - other_good
    return abs(one[1] - other[1] - apart) <= within


def _one_copper(model: DiagnosisModel, earlier: tuple[str, float, int, Isolated], item: EvidenceItem) -> bool:
    """Whether two points of one copper hang together still, with what was off then and with what is off now."""
    views = (model.isolating(isolated).copper for isolated in {earlier[3], item.isolated})
    return all(copper[earlier[0]] == copper[item.subject] for copper in views)


@dataclass(frozen=True)
class Taught:
    """What one reading has taught N rows, or sets of rows. deviation: how far it was off, (N,); values: what they read
    at its point by the circuit, (N,) in volts, inf for OL; good: what a good board reads there. carried: how far it is
    off now, of those that read otherwise with what was off the board then; None where nothing else was."""

    deviation: SharedDeviation
    values: np.ndarray
    good: float
    carried: SharedDeviation | None = None


def deviation_at(taught: Iterable[Taught], values: np.ndarray, good: float) -> SharedDeviation:
    """How far the copper is off at a point where N rows, or sets of rows, read `values` (N,), and a good board `good`:
    those that have parted it from a point that was read learn nothing there."""
    found = elsewhere = SharedDeviation.unknown(len(values))
    for one in taught:
        together = ~parted(one.values, values, one.good, good)
        found = found.plus(one.deviation, together)
        if one.carried is not None:
            elsewhere = elsewhere.plus(one.carried, together)
    return found.or_else(elsewhere)


def shared_deviation(model: DiagnosisModel, method: Method, point: str, before: Earlier, wider: float) -> (
        SharedDeviation | None):
    """How far the copper of a point has read from each row's prediction, (R,), in the readings `before`. model: with
    what is off now; a row that reads something else at a point than it did with what was off then has learned nothing
    there.

    wider: by how much this board scatters more than others do. None where there are no readings.
    """
    here = model.predicted_at(point, method)
    if not before or here is None:
        return None
    return deviation_at((taught_by(model, method, reading, wider) for reading in before), here.values,
                        float(here.values[NOTHING_ROW]))


def taught_by(model: DiagnosisModel, method: Method, reading: tuple[str, float, Isolated], wider: float) -> Taught:
    """What one reading has taught every row, (R,); kept, since each later reading of the copper asks for it."""
    def make() -> Taught:
        point, value, isolated = reading
        then, there = model.isolating(isolated), model.predicted_at(point, method)
        assert there is not None
        apart, good = expected_apart(then, point, method, wider), float(there.values[NOTHING_ROW])
        if apart is None:
            return Taught(SharedDeviation.unknown(model.hypotheses.count), there.values, good)
        found = with_reading(apart.expected, SharedDeviation.unknown(len(apart.rows)), value).of(apart.place)
        now = None if then is model else expected_apart(model, point, method, wider)
        if now is None:
            return Taught(found, there.values, good)
        same = _reads_alike(then, model, point, method)
        carried = carried_over(value, found.count > 0, apart.expected.means[apart.place],
                               now.expected.means[now.place], (apart.expected.centre, now.expected.centre),
                               lambda: share_of_junctions(model, then, point))
        return Taught(SharedDeviation.unknown(len(apart.place)).plus(found, same), there.values, good, carried)

    return model.memory.taught.recall((method, reading, wider), make)


def share_of_junctions(one: DiagnosisModel, other: DiagnosisModel, point: str) -> float:
    """Of the parts with a junction on the copper of a point with these or those parts off the board, the share that has
    one there on one board only."""
    def make() -> np.ndarray:
        there, here = (_junctions_at(view, point) for view in (one, other))
        return np.array(len(there ^ here) / max(len(there | here), 1))

    found = (one.whole or one).remembered(("share of junctions", one.isolated, other.isolated, point), make)
    assert found is not None
    return float(found)


def _junctions_at(view: DiagnosisModel, point: str) -> frozenset[str]:
    """Parts with a junction on the copper of a point, of those that are on the board."""
    off = {address.partition(".")[0] for address in view.isolated}
    return frozenset(part for part, coppers in view.junction_copper.items()
                     if view.copper[point] in coppers and part not in off)


def _reads_alike(then: DiagnosisModel, now: DiagnosisModel, point: str, method: Method) -> np.ndarray:
    """Which rows read the same at a point with what was off then and with what is off now, (R,)."""
    one, other = then.predicted_at(point, method), now.predicted_at(point, method)
    assert one is not None and other is not None
    return unchanged(one.values, other.values)
