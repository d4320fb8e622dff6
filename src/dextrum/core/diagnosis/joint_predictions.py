"""What two or three faults together read at a point, solved from the network with all their edits, and remembered."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import permutations
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import AS_BEFORE_VOLTS, COMPLIANCE_VOLTS, OL_OHMS, UNCHANGED_VOLTS
from dextrum.core.board import Method, Point
from dextrum.core.circuit.capacitance import LEAST_OHMS_TO_CHARGE, impeding_ohms, nanofarads_of
from dextrum.core.circuit.edit import Edit, place_of
from dextrum.core.circuit.islands import Island, island_of
from dextrum.core.circuit.network import GROUND
from dextrum.core.circuit.solve import resistance_ohms, solve_islands
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel

Rows = tuple[int, ...]


def edit_of(model: DiagnosisModel, rows: Rows) -> Edit:
    """All the rows' faults at once, on the board as it is with what was isolated."""
    edit = model.base_edit
    for before, row in enumerate(rows):
        edit = edit | model.edit_beside(row, before)
    return edit


def unchanged(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Where two predictions (N,) are the same, for all a meter can tell; OL is the same as OL."""
    with np.errstate(invalid="ignore"):
        return np.asarray((one == other) | (np.abs(one - other) < UNCHANGED_VOLTS))


def parted(one: np.ndarray, other: np.ndarray, good_one: float, good_other: float) -> np.ndarray:
    """Of boards that would read these at two points of one copper (N,), those on which something has parted the two, so
    that they share no deviation. good_one, good_other: what they read on a good board; where that is OL, none is told.
    """
    if not (np.isfinite(good_one) and np.isfinite(good_other)):
        return np.zeros(len(one), dtype=bool)
    with np.errstate(invalid="ignore"):
        return np.asarray((one != other) & ~(np.abs(one - other - (good_one - good_other)) < AS_BEFORE_VOLTS))


def joint_values(model: DiagnosisModel, sets: np.ndarray, point: str, method: Method) -> tuple[
        np.ndarray, np.ndarray]:
    """Of sets of rows (N, W), filled up with NO_ROW: (N,) values in volts or ohms, inf for OL, and whether any of the
    faults touches the point (N,).

    Sets of one row, or of rows that do not meet at the point, are taken from the model's own predictions.
    """
    predicted = model.predicted_at(point, method)
    assert predicted is not None
    single, touched = predicted.values, model.near_at(point, method)
    member: np.ndarray = np.not_equal(sets, NO_ROW)
    near = member & touched[sets]
    part = near.any(axis=1)
    first = np.take_along_axis(sets, near.argmax(axis=1)[:, None], axis=1)[:, 0]
    values = np.where(part, single[first], float(single[NOTHING_ROW]))
    joined = _joined(model, sets, member, near)
    joint = np.flatnonzero(joined.sum(axis=1) > 1)
    missing: dict[Rows, list[int]] = {}
    filled = np.sort(np.where(joined, sets, NO_ROW)[joint], axis=1).tolist()
    for k, rows in zip(joint.tolist(), filled, strict=True):
        together = tuple(row for row in rows if row != NO_ROW)
        known = model.memory.joint.get((method, point, together))
        if known is None:
            missing.setdefault(together, []).append(k)
        else:
            values[k] = known
    if missing:
        solved = _solve(model, list(missing), point, method)
        for (rows, places), value in zip(missing.items(), solved, strict=True):
            values[places] = model.memory.joint.keep((method, point, rows), value)
    if not method.is_diode:
        # As in the single predictions: what changes nothing has no part in it.
        healthy = float(single[NOTHING_ROW])
        with np.errstate(invalid="ignore"):
            part = (values != healthy) & ~(np.abs(values - healthy) <= 1e-9)
    return values, part


def _joined(model: DiagnosisModel, sets: np.ndarray, member: np.ndarray, near: np.ndarray) -> np.ndarray:
    """Which rows of sets (N, W) reach the point together, (N, W): those `near` it, and those that meet them, straight
    or through one another."""
    wide = sets.shape[1]
    found = near.copy()
    for _ in range(wide - 1):
        for one, other in permutations(range(wide), 2):
            found[:, other] |= found[:, one] & member[:, other] & model.pairs.meets[sets[:, one], sets[:, other]]
    return found


def _solve(model: DiagnosisModel, sets: Sequence[Rows], point: str, method: Method) -> list[float]:
    where = model.board.point_by_id[point]
    edits = [edit_of(model, rows) for rows in sets]
    if method is Method.CAPACITANCE:
        return [_impeding(model, rows, edit, where) for rows, edit in zip(sets, edits, strict=True)]
    if not method.is_diode:
        ohms = [resistance_ohms(model.circuit, where.at, where.to or where.at, edit) for edit in edits]
        return [float("inf") if value > OL_OHMS else value for value in ohms]
    islands: list[Island] = []
    found = [0.0] * len(sets)
    solved: list[int] = []
    for k, edit in enumerate(edits):
        node = place_of(model.circuit, edit, where.at)
        if node != GROUND:
            islands.append(island_of(model.circuit, node, method, edit))
            solved.append(k)
    if islands:
        for k, volts in zip(solved, solve_islands(islands, [0] * len(islands)).tolist(), strict=True):
            found[k] = float("inf") if volts > COMPLIANCE_VOLTS else volts
    return found


def _impeding(model: DiagnosisModel, rows: Rows, edit: Edit, where: Point) -> float:
    """What several faults leave of the capacitance at a point, as the ohms it impedes: each takes what it takes alone,
    unless they conduct together what keeps a meter from charging it."""
    if resistance_ohms(model.circuit, where.at, where.to or where.at, edit) < LEAST_OHMS_TO_CHARGE:
        return 0.0
    values = model.capacitance.values[:, model.capacitance.column[where.id]]
    good = nanofarads_of(float(values[NOTHING_ROW]))
    if not math.isfinite(good):
        return 0.0
    alone = [nanofarads_of(float(values[row])) for row in rows]
    return impeding_ohms(good + sum(held - good for held in alone if math.isfinite(held)))
