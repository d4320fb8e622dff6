"""What advice needs of a board, made once, and what it remembers of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from dextrum.core.advice.outcomes import OutcomeTable
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairs import RepairOptions
from dextrum.core.board import ComponentKind
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.board_look import shown_as
from dextrum.core.diagnosis.functions import Needs, closed_needs
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW, SOMETHING_ELSE_ROW
from dextrum.core.diagnosis.memory import Kept
from dextrum.core.diagnosis.model import DiagnosisModel

MOST_APART, MOST_COSTS = 1000, 200
MOST_WHOLE = 4
"""Trails of which the whole answer is kept, some megabytes each: the units that lie on one bench."""


@dataclass(frozen=True)
class Apart:
    """One point with parts off the board, row by row as it is solved. solved: (R,) boolean; values: (R,) volts, inf for
    OL; means and spreads: (R,) on the comparing scale, as `Expected` has them; sizes: (R,), how far each row moves
    it. freedom: of all of them."""

    solved: np.ndarray
    values: np.ndarray
    means: np.ndarray
    spreads: np.ndarray
    sizes: np.ndarray
    freedom: float


class AdviceMemory:
    """What advice has worked out before. apart: what points read with parts off, by what is off and the point. costs:
    of each repair from an access level, (K,). cheapest: of the cheapest repair of each row, (R,), by access level,
    what is off, and the repairs that are not done once more. whole: the whole answers to the last trails, by the
    ids of their entries; what they are is for the layer above to say."""

    def __init__(self) -> None:
        self.apart: Kept[tuple[Isolated, str], Apart] = Kept(MOST_APART)
        self.costs: Kept[str, np.ndarray] = Kept(MOST_COSTS)
        self.cheapest: Kept[tuple[str, Isolated, tuple[int, ...]], np.ndarray] = Kept(MOST_COSTS)
        self.whole: Kept[tuple[object, ...], object] = Kept(MOST_WHOLE)


@dataclass(frozen=True)
class AdviceModel:
    """What advice needs of a board, made once: outcomes of every point, and all repairs. sizes: (P, R), how far each
    row moves a point of the outcome table. without: names of rules that are left out, to measure what they earn."""

    model: DiagnosisModel
    rates: ShopRates
    outcomes: OutcomeTable
    repairs: RepairOptions
    sizes: np.ndarray
    without: frozenset[str] = frozenset()
    memory: AdviceMemory = field(default_factory=AdviceMemory, compare=False, repr=False)

    @cached_property
    def harm(self) -> np.ndarray:
        """Whether each state of each row breaks anything that a check of the proof would show, (R, S); 1 without
        checks."""
        board, broken = self.model.board, self.model.states.broken
        tested = {name for check in board.checks for name in check.functions}
        columns = [i for i, function in enumerate(board.functions) if function.id in tested]
        found = 1.0 - (1.0 - broken[:, :, columns]).prod(axis=2) if columns else np.ones(broken.shape[:2])
        found[:, NOTHING_ROW], found[:, SOMETHING_ELSE_ROW] = 0.0, 1.0
        return np.ascontiguousarray(found.T)

    @cached_property
    def of_chip(self) -> np.ndarray:
        """Rows whose fault is one of a chip's, (R,)."""
        chips = {c.designator for c in self.model.board.components if c.kind is ComponentKind.IC}
        of = np.array([fault.part in chips for fault in self.model.hypotheses.faults] + [False], dtype=bool)
        return np.asarray(of[self.model.hypotheses.fault_of_row])

    @cached_property
    def function_needs(self) -> dict[str, Needs]:
        """What each function needs, with what the functions need that it needs."""
        board = self.model.board
        return dict(zip((function.id for function in board.functions), closed_needs(board), strict=True))

    @cached_property
    def check_needs(self) -> dict[str, Needs]:
        """What each check of the proof needs, all told."""
        board, every = self.model.board, self.function_needs
        return {check.id: Needs.together(every[f] for f in check.functions if f in every) for check in board.checks}

    @cached_property
    def what_shows(self) -> tuple[tuple[str, ...], np.ndarray]:
        """All that can be seen on the board, in words ('C62 missing'), and which of it each row's fault shows, (R,); -1
        for what can't be seen."""
        hypotheses = self.model.hypotheses
        words = [" ".join((fault.part, what)) if (what := shown_as(self.model.board, fault)[0]) else ""
                 for fault in hypotheses.faults]
        known = tuple(sorted({word for word in words if word}))
        place = {word: k for k, word in enumerate(known)}
        return known, np.array([place.get(word, -1) for word in words] + [-1])[hypotheses.fault_of_row]

    @cached_property
    def parts(self) -> tuple[tuple[str, ...], np.ndarray]:
        """The parts that can fail, and which one each row is of, (R,); -1 where it is of none."""
        hypotheses = self.model.hypotheses
        names, of_fault = hypotheses.parts
        return names, np.append(of_fault, -1)[hypotheses.fault_of_row]
