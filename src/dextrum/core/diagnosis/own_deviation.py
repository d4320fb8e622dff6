"""How far one piece of copper is off by itself: what was read on it tells what it reads next, over repairs too, and
with parts off the board that have no part in it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import AS_BEFORE_VOLTS
from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.expected import SharedDeviation, expected_at, of_these, with_reading
from dextrum.core.diagnosis.joint_predictions import parted, unchanged
from dextrum.core.diagnosis.model import DiagnosisModel
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
    junctions of its own: what was read before it tells nothing of how far the copper is off now, unless the point reads
    as before. Then whatever it is off by lies elsewhere, and is not paid for anew.
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
            alike = any(reads_as_before(item, subject, value, isolated) for subject, value, _, isolated in before)
            found[item.epoch, method, item.subject, item.isolated] = tuple(
                earlier for earlier in before if (alike or earlier[2] >= since) and _one_copper(model, earlier, item))
            if item.value != float("inf"):
                before = (*before, (item.subject, item.value, item.epoch, item.isolated))
    return found


def reads_as_before(item: EvidenceItem, point: str, value: float, isolated: Isolated) -> bool:
    """Whether a reading in diode mode shows a number, and the same one as an earlier reading of that point did."""
    return item.subject == point and item.isolated == isolated and abs(item.value - value) <= AS_BEFORE_VOLTS


def _one_copper(model: DiagnosisModel, earlier: tuple[str, float, int, Isolated], item: EvidenceItem) -> bool:
    """Whether two points of one copper hang together still, with what was off then and with what is off now."""
    views = (model.isolating(isolated).copper for isolated in {earlier[3], item.isolated})
    return all(copper[earlier[0]] == copper[item.subject] for copper in views)


def shared_deviation(model: DiagnosisModel, method: Method, before: Earlier, wider: float) -> SharedDeviation | None:
    """How far the copper has read from each row's prediction, (R,), in the readings `before`. model: with what is off
    now; a row that reads something else at a point than it did with what was off then has learned nothing there.

    wider: by how much this board scatters more than others do. None where there are no readings.
    """
    if not before:
        return None

    def make() -> np.ndarray:
        shared = shared_deviation(model, method, before[:-1], wider) or SharedDeviation.unknown(
            model.hypotheses.count)
        point, value, isolated = before[-1]
        then = model.isolating(isolated)
        expected = expected_at(then, point, method, wider)
        if expected is not None:
            shared = with_reading(expected, shared, value, _reads_alike(then, model, point, method))
        return np.stack([shared.total, shared.count, shared.leaked])

    both = model.remembered(("shared", method, before, wider), make)
    return None if both is None else SharedDeviation(both[0], both[1], both[2])


def without_parted(model: DiagnosisModel, method: Method, point: str, before: Earlier, wider: float,
                   shared: SharedDeviation | None) -> SharedDeviation | None:
    """The deviation that holds at one point of the copper: rows that have parted it from a point that was read learn
    nothing there."""
    rows = parted_rows(model, method, point, tuple(name for name, _, _ in before))
    if shared is None or not len(rows):
        return shared
    here = model.predicted_at(point, method)
    assert here is not None
    found = SharedDeviation.unknown(len(rows))
    for name, value, isolated in before:
        then, there = model.isolating(isolated), model.predicted_at(name, method)
        expected = expected_at(then, name, method, wider)
        if expected is None or there is None:
            continue
        together = ~parted(there.values[rows], here.values[rows], float(there.values[0]), float(here.values[0]))
        alike = _reads_alike(then, model, name, method)
        found = with_reading(of_these(expected, rows), found, value,
                             together if alike is None else together & alike[rows])
    return shared.put(rows, found)


def parted_rows(model: DiagnosisModel, method: Method, point: str, others: tuple[str, ...]) -> np.ndarray:
    """Rows that part a point from any other of its copper, (K,); kept."""
    def make() -> np.ndarray:
        here = model.predicted_at(point, method)
        found = np.zeros(model.hypotheses.count, dtype=bool)
        for name in others:
            there = model.predicted_at(name, method)
            if here is not None and there is not None:
                found |= parted(there.values, here.values, float(there.values[0]), float(here.values[0]))
        return np.flatnonzero(found)

    rows = model.remembered(("parted", method, point, others), make)
    assert rows is not None
    return rows


def _reads_alike(then: DiagnosisModel, now: DiagnosisModel, point: str, method: Method) -> np.ndarray | None:
    """Which rows read the same at a point with what was off then and with what is off now, (R,); None for all."""
    if then is now:
        return None
    one, other = then.predicted_at(point, method), now.predicted_at(point, method)
    assert one is not None and other is not None
    return unchanged(one.values, other.values)
