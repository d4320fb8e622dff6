"""Points that were touched once and not again, so that what they read may be a slip of the hand."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cache, partial

import numpy as np

from dextrum.core.advice.weighing import Weighing
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.evidence import faults_mended
from dextrum.core.diagnosis.injection import rail_group
from dextrum.core.diagnosis.telling import EvidenceItem
from dextrum.core.entries.readings import agree
from dextrum.core.reference.judge import SHORTED
from dextrum.core.reference.off_points import judge_at
from dextrum.tongue import tr


def single_touches(weighing: Weighing) -> frozenset[str]:
    """Points read at a single touch since the last repair, with what is off the board off as now, and not borne out: by
    the same reading before a repair that has no part in it, or for a short, by a current that has warmed something."""
    facts = weighing.facts
    readings = [item for item in weighing.evidence.items if item.kind == "reading" and item.isolated == facts.isolated]
    once = [item for item in readings if item.touches == 1 and item.epoch == facts.epoch]
    before: dict[str, list[EvidenceItem]] = {}
    for item in readings:
        if item.epoch < facts.epoch:
            before.setdefault(item.subject, []).append(item)
    warmed = _warmed_nodes(weighing)
    mended = cache(partial(_rows_mended, weighing))
    return frozenset(item.subject for item in once if not any(
        _bears_out(weighing, mended, earlier, item) for earlier in before.get(item.subject, ())) and not (
            _node_of(weighing, item.subject) in warmed and _is_shorted(weighing, item)))


def changed_by_lifting(weighing: Weighing) -> tuple[str, ...]:
    """Points that read otherwise than with less off the board, at a single touch: what came off is convicted or cleared
    by that touch alone. In the order in which they were read."""
    facts, once = weighing.facts, single_touches(weighing)
    if not facts.isolated:
        return ()
    seen: dict[str, list[EvidenceItem]] = {}
    points = {name: weighing.board.point_by_id[name] for name in once if name in weighing.board.point_by_id}
    for item in weighing.evidence.items:
        if item.kind == "reading" and item.subject in points and item.epoch == facts.epoch and (
                item.method is points[item.subject].default_method):
            seen.setdefault(item.subject, []).append(item)
    found = []
    for point, items in seen.items():
        now = [item for item in items if item.isolated == facts.isolated]
        fewer = [item for item in items if item.isolated < facts.isolated]
        if now and fewer and not agree(now[-1].value, max(fewer, key=lambda item: len(item.isolated)).value):
            found.append(point)
    return tuple(found)


def slip_words(weighing: Weighing, points: Iterable[str]) -> str:
    """How a single touch of these points may mislead."""
    facts, wanted = weighing.facts, set(points)
    is_open = {reading.value == float("inf") for (epoch, point, _), reading in facts.shown_readings.items()
               if epoch == facts.epoch and point in wanted}
    ways = [tr("flux or lacquer reads open")] if True in is_open else []
    if False in is_open:
        ways.append(tr("a slipped probe reads the next point"))
    return ", ".join(ways)


def _warmed_nodes(weighing: Weighing) -> frozenset[int]:
    """Nodes of the rails through which a current has warmed something since the last repair."""
    model = weighing.advice.model.isolating(weighing.facts.isolated)
    nets = {injection.net for injection in weighing.facts.injections if injection.warmed}
    return frozenset(node for net in nets for node in rail_group(model, net))


def _node_of(weighing: Weighing, point: str) -> int:
    place = weighing.board.point_by_id.get(point)
    return weighing.advice.model.circuit.address_node[place.at] if place is not None and place.to is None else GROUND


def _is_shorted(weighing: Weighing, item: EvidenceItem) -> bool:
    point = weighing.board.point_by_id.get(item.subject)
    return point is not None and item.method is not None and item.method.is_diode and judge_at(
        weighing.board, weighing.advice.model.references, point, item.method, item.value).verdict in SHORTED


def _rows_mended(weighing: Weighing, since: int, until: int) -> np.ndarray:
    """Boolean (R,): what the repairs between two epochs have mended."""
    model = weighing.advice.model
    return model.hypotheses.rows_mended(frozenset(fault for epoch, rework in weighing.facts.reworks
                                                  if since < epoch <= until for fault in faults_mended(model, rework)))


def _bears_out(weighing: Weighing, mended: Callable[[int, int], np.ndarray], earlier: EvidenceItem,
               item: EvidenceItem) -> bool:
    """Whether a reading of the same point before a repair read the same, and no repair since has part in what it
    reads. mended: rows mended between two epochs."""
    if earlier.method != item.method or not agree(earlier.value, item.value):
        return False
    place = weighing.advice.outcomes.place.get(item.subject)
    return place is not None and not bool(np.any(weighing.advice.sizes[place, mended(earlier.epoch, item.epoch)]))
