"""A chip of another make or lot than on the good boards: all that it lies on reads off together, and nothing is wrong.

Somebody changed it once, or the maker did. Taken one by one its lines are so many faults, and convict arrays, traces
and the chip itself. What one chip's saturation currents, all larger or smaller by one factor, would do to each piece of
copper follows from its share of the junctions there (exponential junctions in parallel: their currents add). That
factor is found by trying; how much better it explains the readings is held against the best single fault, each with
how likely it is before (Bayes' rule at the best factor, an approximation), and only what it explains plainly better
than any fault is taken off the readings. A fault is held to what was read from point to point as well, which a chip of
another make leaves as it is: two lines that are low together may be bridged, until the meter between them shows OL.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import (
    FEWEST_LINES_OF_MAKE,
    MAKE_FREEDOM,
    MOST_OF_MAKE,
    PLAINLY_BETTER,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import ComponentKind, Method
from dextrum.core.circuit.junction import IDEALITY_TIMES_THERMAL_VOLTS
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW
from dextrum.core.diagnosis.likelihood import reading_log_likelihood
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.trail import Rework

if TYPE_CHECKING:
    from dextrum.core.diagnosis.telling import EvidenceItem

METHOD = Method.DIODE_RED_GROUND
OF_JUNCTIONS = frozenset({ComponentKind.IC, ComponentKind.ESD_ARRAY})
LEAST_VOLTS = 0.2
"""Below it a line is pulled to ground, and says nothing of a junction."""
PLAIN_SPREADS = 3.0
"""From here a line is off by itself; without two such lines there is nothing to explain."""
MOST_EPOCHS = 1_000_000
STEPS = np.round(np.arange(-MOST_OF_MAKE, MOST_OF_MAKE + 0.05, 0.1), 1)
"""Natural logarithms of the factor that are tried."""


@dataclass(frozen=True)
class OtherMake:
    """A chip whose lines read off together. shift: volts that it adds, by piece of copper; since, until: the epochs in
    which the chip was on the board, both included. points: where that is read."""

    part: str
    shift: Mapping[int, float]
    since: int
    until: int
    points: frozenset[str] = frozenset()

    def on(self, copper: int, epoch: int) -> float:
        """What it adds to a reading, in volts."""
        return self.shift.get(copper, 0.0) if self.since <= epoch <= self.until else 0.0

    def always(self) -> OtherMake:
        """The same, whatever the epoch."""
        return replace(self, since=-1, until=MOST_EPOCHS)

    @property
    def largest(self) -> float:
        """The volts of the line that it moves most."""
        return max(self.shift.values(), key=abs, default=0.0)


def other_makes(model: DiagnosisModel, items: Collection[EvidenceItem], repairs: Sequence[tuple[int, Rework]]) -> (
        tuple[OtherMake, ...]):
    """Chips of another make, at most one for each time between two replacements. items: with the meter's and the
    board's own scale taken off."""
    read = [item for item in items if item.kind == "reading" and item.method is METHOD and not item.isolated
            and item.value != float("inf") and item.value > LEAST_VOLTS]
    if not read:
        return ()
    across = [item for item in items if item.kind == "reading" and item.method in (Method.RESISTANCE, Method.CONTINUITY)
              and not item.isolated]
    cuts = sorted({epoch for epoch, rework in repairs if rework.action == "replace"
                   and model.board.component_by_designator.get(rework.part) is not None
                   and model.board.component_by_designator[rework.part].kind in OF_JUNCTIONS})
    bounds = [-1, *cuts, max(item.epoch for item in read) + 1]
    found = []
    for first, last in pairwise(bounds):
        one = _other_make(model, [item for item in read if first <= item.epoch < last],
                          [item for item in across if first <= item.epoch < last], first, last - 1)
        if one is not None:
            found.append(one)
    return tuple(found)


def _other_make(model: DiagnosisModel, read: Sequence[EvidenceItem], across: Sequence[EvidenceItem], since: int,
                until: int) -> OtherMake | None:
    """across: readings from point to point, which a chip of another make leaves as they are and a fault may not."""
    lines = _lines(model, read)
    off = [copper for copper, (_, away, spread) in lines.items() if abs(away) > PLAIN_SPREADS * spread]
    if len(off) < FEWEST_LINES_OF_MAKE:
        return None
    # An array of another make with higher drops is not told from one that is missing, and then is no better than that.
    chips = [part.designator for part in model.board.components if part.kind in OF_JUNCTIONS
             and not part.undescribed and len(model.junction_copper.get(part.designator, frozenset()) & set(off))
             >= FEWEST_LINES_OF_MAKE]
    best: tuple[float, str, dict[int, float]] | None = None
    for chip in chips:
        gain, shift = _gain(model, chip, lines)
        explained = sum(abs(lines[copper][1] - shift.get(copper, 0.0)) < PLAIN_SPREADS * lines[copper][2]
                        for copper in off if copper in shift)
        if explained >= FEWEST_LINES_OF_MAKE and (best is None or gain > best[0]):
            best = gain, chip, shift
    if best is None or best[0] < PLAINLY_BETTER or best[0] < _best_faults(
            model, best[1], lines, across) + PLAINLY_BETTER:
        return None
    shift = best[2]
    return OtherMake(best[1], shift, since, until,
                     frozenset(point for point, copper in model.copper.items() if shift.get(copper, 0.0)))


Lines = dict[int, tuple["EvidenceItem", float, float]]
"""By piece of copper: the reading in the middle of those since the last repair, how far it is off, and the spread."""


def _lines(model: DiagnosisModel, read: Sequence[EvidenceItem]) -> Lines:
    by_copper: dict[int, list[tuple[float, EvidenceItem, float]]] = {}
    newest: dict[int, int] = {}
    for item in read:
        reference = model.references.get(item.subject, METHOD)
        copper = model.copper.get(item.subject, GROUND)
        if reference is None or not np.isfinite(reference.centre) or copper == GROUND \
                or item.subject in model.board.unknown_points:
            continue
        if item.epoch > newest.get(copper, -1):
            newest[copper], by_copper[copper] = item.epoch, []
        if item.epoch == newest[copper]:
            by_copper[copper].append((item.value - reference.centre, item, reference.spread))
    found: Lines = {}
    for copper, several in by_copper.items():
        away, item, spread = sorted(several, key=lambda one: (one[0], one[1].subject))[(len(several) - 1) // 2]
        found[copper] = item, away, spread
    return found


def _gain(model: DiagnosisModel, chip: str, lines: Lines) -> tuple[float, dict[int, float]]:
    """ln of how much likelier the lines are with this chip of another make, its prior included, and the volts that it
    adds to each piece of copper it lies on."""
    share = _shares(model, chip)
    coppers = [copper for copper in lines if copper in share]
    away = np.array([lines[copper][1] for copper in coppers])
    spread = np.array([lines[copper][2] for copper in coppers])
    parts = np.array([share[copper] for copper in coppers])
    # The same factor on each of its junctions: a share of the current on that copper grows by it.
    moved = -IDEALITY_TIMES_THERMAL_VOLTS * np.log1p(parts[None, :] * np.expm1(STEPS)[:, None])

    def log_t(z: np.ndarray) -> np.ndarray:
        return np.asarray(-(MAKE_FREEDOM + 1.0) / 2.0 * np.log1p(z * z / MAKE_FREEDOM))

    gains = (log_t((away - moved) / spread) - log_t(away / spread)).sum(axis=1)
    step = int(gains.argmax())
    every = {} if model.board.shares_are_guessed else {
        copper: float(-IDEALITY_TIMES_THERMAL_VOLTS * np.log1p(part * np.expm1(STEPS[step])))
        for copper, part in share.items()}
    # A line that was read speaks for itself: where it is as on a good board, the chip has little part in it.
    for copper, own, expected in zip(coppers, away, moved[step], strict=True):
        every[copper] = float(expected) if abs(own - expected) < abs(own) else 0.0
    prior = float(np.log(as_stated(model.board, "other_make")))
    return float(gains[step]) + prior - 0.5 * float(np.log(len(coppers))), every


def _shares(model: DiagnosisModel, chip: str) -> dict[int, float]:
    """Of the current into each piece of copper, what goes through this chip's junctions on a healthy board; all of it
    where nobody knows the shares."""
    whole: dict[int, float] = {}
    own: dict[int, float] = {}
    copper_of = model.copper_of_node
    for junction in model.circuit.junctions:
        if junction.node == GROUND or junction.log_is_red_ground is None:
            continue
        copper, current = copper_of[junction.node], float(np.exp(junction.log_is_red_ground))
        whole[copper] = whole.get(copper, 0.0) + current
        if junction.part == chip:
            own[copper] = own.get(copper, 0.0) + current
    guessed = model.board.shares_are_guessed
    return {copper: 1.0 if guessed else current / whole[copper] for copper, current in own.items()}


def _best_faults(model: DiagnosisModel, chip: str, lines: Lines, across: Iterable[EvidenceItem]) -> float:
    """The same of the best single fault, over all lines and what was read from point to point, there the newest; and of
    the best two of the chip itself, since two of its lines may leak, of which no single fault is told."""
    total = np.zeros(model.hypotheses.count)
    newest = {item.subject: item for item in sorted(across, key=lambda item: item.epoch)}
    for item in (*(item for item, _, _ in lines.values()), *newest.values()):
        assert item.method is not None
        key = ("line by itself", item.subject, item.method, item.value, item.touches)
        row = model.remembered(key, lambda item=item: reading_log_likelihood(  # type: ignore[misc]
            model, item.subject, item.method, item.value, item.touches))
        if row is not None:
            total += row - row[NOTHING_ROW]
    pairs, nothing = model.pairs, float(model.pairs.log_prior_one[NOTHING_ROW])
    single = float((total + pairs.log_prior_one - nothing)[FIRST_FAULT_ROW:].max(initial=-np.inf))
    own = np.flatnonzero(model.hypotheses.rows_of_part(chip))
    two = total[own][:, None] + total[own][None, :] + pairs.log_prior[np.ix_(own, own)] - nothing
    return max(single, float(two.max(initial=-np.inf)))
