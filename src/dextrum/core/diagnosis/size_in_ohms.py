"""How large a fault between two lines is: what it reads at one place says what it reads at the next.

A bridge of contacts, of windings or of pins lies in series with what is between it and the tips, so that two readings
across the same two lines differ by those windings and traces, whatever the bridge itself has. What a first one was off
by from a row's prediction, in ohms, the next is off by as well; what is left then is what tips and a meter's last
digits make of either.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import SAME_OHMS, TOUCH_OHMS, UNREFERENCED_FREEDOM
from dextrum.core.board import Method
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.expected import Expected, expected_apart, expected_of_sets
from dextrum.core.diagnosis.joint_predictions import joint_values
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.shared_deviation import SharedDeviation
from dextrum.core.reference.table import LEAST_OHMS, to_scale

if TYPE_CHECKING:
    from dextrum.core.circuit.isolation import Isolated
    from dextrum.core.diagnosis.telling import EvidenceItem

MOST_SPREADS = 5.0
"""A reading farther than that from what a row predicts was made by something else, and tells the row no size."""
READ_SHARE = SAME_OHMS / 3.0
"""What a meter's last digits and its leads make of some hundred ohms: `same_ohms` is three times that."""


def earlier_across(model: DiagnosisModel, items: list[EvidenceItem]) -> dict[
        tuple[int, Method | None, str, Isolated], tuple[tuple[str, float, int, Isolated], ...]]:
    """For every reading in ohms between two lines, what was read between the same two before it, in the board's order
    of points: with the same parts off, and with no repair between them. A line goes on through windings and links."""
    order, places = model.board.point_order, model.board.point_by_id
    groups: dict[tuple[int, Isolated, frozenset[int]], list[EvidenceItem]] = {}
    for item in items:
        if item.kind != "reading" or item.method is not Method.RESISTANCE or item.subject not in order:
            continue
        to = places[item.subject].to
        if to is None or model.board.is_to_ground(item.subject):
            continue
        nodes = [model.circuit.address_node.get(end, GROUND) for end in (places[item.subject].at, to)]
        lines = frozenset(model.copper_of_node[node] for node in nodes if node != GROUND)
        if len(lines) == 2:
            groups.setdefault((item.epoch, item.isolated, lines), []).append(item)
    found: dict[tuple[int, Method | None, str, Isolated], tuple[tuple[str, float, int, Isolated], ...]] = {}
    for members in groups.values():
        before: tuple[tuple[str, float, int, Isolated], ...] = ()
        for item in sorted(members, key=lambda i: order[i.subject]):
            if before:
                found[item.epoch, item.method, item.subject, item.isolated] = before
            if np.isfinite(item.value):
                before = (*before, (item.subject, item.value, item.epoch, item.isolated))
    return found


def size_of_rows(model: DiagnosisModel, before: tuple[tuple[str, float, Isolated], ...],
                 wider: float) -> SharedDeviation | None:
    """How far readings in ohms were from each row's prediction, (R,) in ohms. None where there are none."""
    found = None
    for point, value, _ in before:
        apart = expected_apart(model, point, Method.RESISTANCE, wider)
        if apart is not None:
            told = _told(apart.expected, value).of(apart.place)
            found = told if found is None else found.plus(told)
    return found


def size_of_sets(model: DiagnosisModel, sets: np.ndarray, before: tuple[tuple[str, float, Isolated], ...],
                 wider: float) -> SharedDeviation:
    """The same of sets of rows (N, W), (N,)."""
    found = SharedDeviation.unknown(len(sets))
    for point, value, _ in before:
        values, touched = joint_values(model, sets, point, Method.RESISTANCE)
        expected = expected_of_sets(model, point, Method.RESISTANCE, sets, values, touched, wider)
        found = found.plus(_told(expected, value))
    return found


def _told(expected: Expected, value: float) -> SharedDeviation:
    away = np.full(len(expected.means), np.inf)
    finite = np.isfinite(expected.means)
    away[finite] = to_scale(value, Method.RESISTANCE) - expected.means[finite]
    fits = np.abs(away) < MOST_SPREADS * expected.spreads
    ohms = np.where(fits, value - _ohms(np.where(finite, expected.means, 0.0)), 0.0)
    return SharedDeviation(ohms, fits.astype(float), np.full(len(ohms), np.nan))


def given_size(expected: Expected, size: SharedDeviation) -> Expected:
    """The prediction across the same two lines once more. Good boards, which read OL there, say nothing of how far it
    scatters."""
    known = (size.count > 0) & np.isfinite(expected.means)
    if not known.any():
        return expected
    ohms = np.maximum(_ohms(np.where(known, expected.means, 0.0)) + size.total / np.maximum(size.count, 1.0), 0.0)
    spread = np.hypot(np.sqrt(1.0 + 1.0 / np.maximum(size.count, 1.0)) * TOUCH_OHMS, READ_SHARE * ohms)
    return replace(expected, freedom=UNREFERENCED_FREEDOM,
                   means=np.where(known, np.log10(ohms + LEAST_OHMS), expected.means),
                   spreads=np.where(known, spread / ((ohms + LEAST_OHMS) * np.log(10.0)), expected.spreads))


def _ohms(scaled: np.ndarray) -> np.ndarray:
    return np.asarray(10.0 ** scaled - LEAST_OHMS)
