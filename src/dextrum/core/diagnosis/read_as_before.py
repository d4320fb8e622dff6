"""What a point tells that reads off after a repair, by just as much as it did before.

Weighed by itself it would speak for every fault that explains it as loudly as it did the first time, after each repair
anew. All it tells is that the repair has not changed it. So it was not the repair that took away what explained it: by
Bayes' rule every fault that does, and the odd board that needs none, gain by 1 / (1 - taken), with `taken` the chance
that all that explained it was taken away. What the repair may have made would have moved the point, unless it reads so
itself, in place of what was taken away: a filter that was missing, and whose new one has a joint open. That gains by
taken / (1 - taken).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from dextrum.core.assumptions.readings import AS_BEFORE_VOLTS, EXPLAINS_NATS, ODD_VOLTS
from dextrum.core.assumptions.repairs import REPAIR_FAILS
from dextrum.core.board import Method
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.likelihood import reading_log_likelihood
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.own_deviation import off_alike
from dextrum.core.diagnosis.posterior import FaultSets
from dextrum.core.diagnosis.telling import EvidenceItem

LEAST_KEPT = 0.01
"""Chance that a repair leaves a reading as it was, at least: boards and packs are odd more often than anything is sure.
"""
MOST_ODD_VOLTS = 2.0 * ODD_VOLTS
"""By which a board's copper may be off with nothing wrong: twice how far another maker's part is."""
PARTED_VOLTS = 3.0 * AS_BEFORE_VOLTS
"""By which points of one copper differ that no longer hang together: beyond what two touches and a contact do."""
MOVES_BY = 2.0 * AS_BEFORE_VOLTS
"""Volts by which a fault must move a point to have changed it for sure."""

ReadLast = Mapping[tuple[str, Method], float]
"""What points read last before a repair, with nothing off the board."""


@dataclass(frozen=True)
class AsBefore:
    """point, method, value: what reads as before. explains: which rows explain that it is off, (R,); moves: which would
    have moved it, (R,)."""

    point: str
    method: Method
    value: float
    explains: np.ndarray
    moves: np.ndarray


def read_as_before(model: DiagnosisModel, before: ReadLast, since: Iterable[EvidenceItem]) -> tuple[AsBefore, ...]:
    """Readings since a repair that are off as they were before it and that some row explains, in the order of `since`.

    before: volts by point and method; since: what has been read since the repair. A point that was not read before
    counts by others of its copper that were. Left out are copper without a reading from before, what was read with
    something off the board, what is off by more than boards may differ (a fault is there, or the pack is mistaken,
    which `read_once` tells), and copper that reads one thing here and another there: it is parted, whatever it read
    before.
    """
    earlier, now = _by_copper(model, before.items()), [
        item for item in since if item.kind == "reading" and item.method is not None and item.method.is_diode
        and not item.isolated]
    here = _by_copper(model, (((item.subject, item.method), item.value) for item in now if item.method is not None))
    parted = {key for key, read in here.items()
              if not all(off_alike(model, key[1], read[0], other, PARTED_VOLTS) for other in read[1:])}

    def is_as_before(item: EvidenceItem) -> bool:
        assert item.method is not None
        method, read = item.method, (item.subject, item.value)
        key, own = (model.copper.get(item.subject, GROUND), method), before.get((item.subject, method))
        known = earlier.get(key, []) if own is None else [(item.subject, own)]
        return key not in parted and _as_boards_differ(model, item) and any(
            off_alike(model, method, read, one) for one in known)

    found = [_as_before(model, item) for item in now if is_as_before(item)]
    return tuple(one for one in found if one is not None and one.explains.any())


def _as_boards_differ(model: DiagnosisModel, item: EvidenceItem) -> bool:
    """Whether a reading is off by no more than another maker's part may be."""
    assert item.method is not None
    return model.predicted_at(item.subject, item.method) is not None and abs(
        item.value - model.good_at(item.subject, item.method)) <= MOST_ODD_VOLTS


def _by_copper(model: DiagnosisModel, read: Iterable[tuple[tuple[str, Method], float]]) -> dict[
        tuple[int, Method], list[tuple[str, float]]]:
    """Points and what they read, by their copper and the way of measuring."""
    found: dict[tuple[int, Method], list[tuple[str, float]]] = {}
    for (point, method), value in read:
        if model.copper.get(point, GROUND) >= 0:
            found.setdefault((model.copper[point], method), []).append((point, value))
    return found


def _as_before(model: DiagnosisModel, item: EvidenceItem) -> AsBefore | None:
    method = item.method
    assert method is not None

    def make() -> np.ndarray | None:
        likelihood = reading_log_likelihood(model, item.subject, method, item.value)
        expected = expected_at(model, item.subject, method)
        if likelihood is None or expected is None:
            return None
        explains = likelihood - likelihood[NOTHING_ROW] >= EXPLAINS_NATS
        good = expected.means[NOTHING_ROW]
        with np.errstate(invalid="ignore"):  # OL beside OL
            moves = ~(np.abs(expected.means - good) < MOVES_BY) & (expected.means != good)
        return np.stack([explains, moves])

    both = model.remembered(("read as before", item.subject, method, item.value), make)
    return None if both is None else AsBefore(item.subject, method, item.value, both[0], both[1])


def as_left_by(found: Iterable[AsBefore], copper: Mapping[str, int], before: FaultSets, mended: np.ndarray,
               there: np.ndarray, made: np.ndarray, fails: float = REPAIR_FAILS) -> tuple[np.ndarray, np.ndarray]:
    """Chance of each row being there, and of that what the repair has made, (R,) each, once these readings are known.

    copper: the piece of copper of each point; points on one piece tell the same, so that the first of them counts.
    before: what was wrong before the repair; mended: rows that it was to take away, (R,). there, made: chances of each
    row as the repair leaves them, (R,) each; fails: how often it leaves a row.
    """
    known: set[int] = set()
    for one in found:
        moved = one.moves & ~one.explains
        there, made = np.where(moved, np.maximum(there - made, 0.0), there), np.where(moved, 0.0, made)
        if copper.get(one.point, -1) in known:
            continue
        known.add(copper.get(one.point, -1))
        by_repaired = before.chance_of_any(one.explains) - before.chance_of_any(one.explains & ~mended)
        taken = (1.0 - fails) * by_repaired
        kept = max(1.0 - taken, LEAST_KEPT)
        in_its_place = np.where(one.explains & one.moves, made * taken, made)
        there = np.where(one.explains, (np.maximum(there - made, 0.0) + in_its_place) / kept, there)
        made = np.where(one.explains, in_its_place / kept, made)
    return there, made
