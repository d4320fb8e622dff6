"""How far one piece of copper is off by itself: what was read on it tells what it reads next, over repairs too."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.likelihood import SharedDeviation, expected_at, with_reading
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.trail import Rework

if TYPE_CHECKING:
    from dextrum.core.diagnosis.evidence import EvidenceItem

Before = tuple[tuple[str, float, int], ...]
"""Points of one piece of copper, what they read, and in which epoch."""


def earlier_on_copper(model: DiagnosisModel, items: list[EvidenceItem], repairs: list[tuple[int, Rework]]) -> dict[
        tuple[int, Method | None, str, Isolated], Before]:
    """For every diode reading, what the same copper read before it, by epochs, and in the board's order of points.

    The fixed order keeps the result the same whatever order the points were touched in. A new part on the copper brings
    junctions of its own: what was read before it tells nothing of how far the copper is off now.
    """
    order = model.board.point_order
    groups: dict[tuple[Method, Isolated, int], list[EvidenceItem]] = {}
    for item in items:
        if item.kind == "reading" and item.method is not None and item.method.is_diode \
                and item.subject in order:
            copper = model.isolating(item.isolated).copper[item.subject]
            groups.setdefault((item.method, item.isolated, copper), []).append(item)
    found: dict[tuple[int, Method | None, str, Isolated], Before] = {}
    for (method, isolated, copper), members in groups.items():
        if copper < 0 or len(members) < 2:
            continue
        renewed = [epoch for epoch, rework in repairs if rework.action == "replace"
                   and copper in model.isolating(isolated).junction_copper.get(rework.part, ())]
        before: Before = ()
        for item in sorted(members, key=lambda i: (i.epoch, order[i.subject])):
            since = max((epoch for epoch in renewed if epoch <= item.epoch), default=0)
            before = tuple(earlier for earlier in before if earlier[2] >= since)
            found[item.epoch, method, item.subject, isolated] = before
            if item.value != float("inf"):
                before = (*before, (item.subject, item.value, item.epoch))
    return found


def shared_deviation(model: DiagnosisModel, method: Method, before: tuple[tuple[str, float], ...],
                     wider: float) -> SharedDeviation | None:
    """How far the copper has read from each row's prediction, (R,), in the readings `before`: points and volts.

    wider: by how much this board scatters more than others do. None where there are no readings.
    """
    if not before:
        return None

    def make() -> np.ndarray:
        none = np.zeros(model.hypotheses.count)
        shared = shared_deviation(model, method, before[:-1], wider) or SharedDeviation(none, none)
        expected = expected_at(model, before[-1][0], method, wider)
        if expected is not None:
            shared = with_reading(expected, shared, before[-1][1])
        return np.stack([shared.total, shared.count])

    both = model.remembered(("shared", method, before, wider), make)
    return None if both is None else SharedDeviation(both[0], both[1])
