"""Two lines that a fault joins read alike.

While contacts are crossed, windings bridged or pins joined, two pieces of copper are one to a meter: what the one is
off by, the other is off by too. Weighed apart, each of them has the whole scatter of boards to hide in, and two lines
that read 30 mV apart would speak for a bridge between them wherever both happen to be near what it predicts. By the
chain rule of probability the line whose points come later on the board is weighed given what the other one read: it is
off by as much, but for the touches, under those rows alone that join the two.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import LEAST_LEVEL_VOLTS
from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.expected import Expected, again_spread, expected_apart, expected_of_sets
from dextrum.core.diagnosis.joint_predictions import joint_values, unchanged
from dextrum.core.diagnosis.likelihood import OnceRead, log_density, read_again
from dextrum.core.diagnosis.own_deviation import taught_by
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, with_reading

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel
    from dextrum.core.diagnosis.telling import EvidenceItem

Beside = tuple[tuple[int, tuple[tuple[str, float, Isolated], ...]], ...]
"""Pieces of copper that some fault would join to the one that was read, and what their points read, with what off."""


def read_beside(model: DiagnosisModel, items: Iterable[EvidenceItem]) -> Mapping[
        tuple[int, Method, str, Isolated], Beside]:
    """For every diode reading, by epoch, method, point and what was off: what was read in the same epoch on copper that
    comes before its own and that some row joins to it, in the board's order of points."""
    order = model.board.point_order
    read: dict[tuple[int, Method], list[EvidenceItem]] = {}
    for item in sorted((i for i in items if i.kind == "reading" and i.subject in order),
                       key=lambda i: (order[i.subject], sorted(i.isolated))):
        if item.method is not None and item.method.is_diode:
            read.setdefault((item.epoch, item.method), []).append(item)
    found: dict[tuple[int, Method, str, Isolated], Beside] = {}
    for (epoch, method), together in read.items():
        for isolated in {item.isolated for item in together}:
            view = model.isolating(isolated)
            by_copper: dict[int, list[tuple[str, float, Isolated]]] = {}
            for item in together:
                by_copper.setdefault(view.copper[item.subject], []).append((item.subject, item.value, item.isolated))
            for first, second in view.joined:
                if first in by_copper and second in by_copper:
                    for point, _, off in by_copper[second]:
                        if off == isolated:
                            key = epoch, method, point, isolated
                            found[key] = (*found.get(key, ()), (first, tuple(by_copper[first])))
    return found


def deviation_beside(model: DiagnosisModel, sets: np.ndarray, method: Method,
                     readings: Iterable[tuple[str, float, Isolated]], wider: float) -> SharedDeviation:
    """How far these points read from what sets of rows (N, W) predict there. model: with what is off now; sets that
    read something else with what was off then learn nothing from it."""
    found = SharedDeviation.unknown(len(sets))
    for name, value, isolated in readings:
        view = model.isolating(isolated)
        values, touched = joint_values(view, sets, name, method)
        same = None if view is model else unchanged(values, joint_values(model, sets, name, method)[0])
        found = with_reading(expected_of_sets(view, name, method, sets, values, touched, wider), found, value, same)
    return found


def given_joined(expected: Expected, deviation: SharedDeviation, method: Method) -> Expected:
    """The prediction of N boards whose copper is joined to what read so far off, (N,). It reads the same there but for
    the touches, however unsure a fault's size makes what both of them read."""
    known = deviation.count > 0
    count = np.maximum(deviation.count, 1.0)
    level = np.maximum(np.where(np.isfinite(expected.means), expected.means, 1.0), LEAST_LEVEL_VOLTS)
    return replace(expected, means=expected.means + np.where(known, deviation.total / count * level, 0.0),
                   spreads=np.where(known, again_spread(expected, method, count), expected.spreads),
                   odd_part=np.where(known, 0.0, expected.odd_part))


def held_to_joined(model: DiagnosisModel, likelihood: np.ndarray, point: str, method: Method, value: float,
                   touches: int, shared: SharedDeviation | None, beside: Beside, wider: float, slips: float,
                   again: tuple[float, ...], once: tuple[OnceRead, ...]) -> np.ndarray:
    """The ln likelihood of a reading, (R,), with each row that joins its copper to another held to what that one read.
    The rest as for `reading_log_likelihood`."""
    apart = expected_apart(model, point, method, wider)
    assert apart is not None
    joined, deviations = [], []
    for copper, readings in beside:
        rows = model.joined[copper, model.copper[point]]
        both = SharedDeviation.unknown(len(rows)) if shared is None else shared.as_it_is.of(rows)
        for reading in readings:
            both = both.plus(taught_by(model, method, reading, wider).deviation.of(rows))
        joined.append(rows)
        deviations.append(both)
    rows, found = np.concatenate(joined), likelihood.copy()
    # A row that joins it to two of them is held to what the later one read.
    expected = given_joined(read_again(apart.of(rows), method, again, once), SharedDeviation.of_all(deviations), method)
    found[rows] = log_density(expected, method, value, touches, None, slips)
    return found
