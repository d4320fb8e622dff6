"""What a model has worked out before: a trail grows by one entry at a time, so nearly all of it was weighed already.

One object per model and view of it, made with it and handed on; everything in it can be thrown away at any time.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from typing import TYPE_CHECKING, Generic, TypeVar

import numpy as np

from dextrum.core.board import Method

if TYPE_CHECKING:
    from dextrum.core.circuit.edit import Edit
    from dextrum.core.circuit.isolation import Isolated
    from dextrum.core.diagnosis.expected import ExpectedApart
    from dextrum.core.diagnosis.functional_evidence import FunctionalEvidence
    from dextrum.core.diagnosis.model import DiagnosisModel
    from dextrum.core.diagnosis.own_deviation import Taught
    from dextrum.core.diagnosis.posterior import Posterior
    from dextrum.core.diagnosis.witness import Witness

Key = TypeVar("Key", bound=Hashable)
Result = TypeVar("Result")

MOST_VECTORS = 4000
MOST_WITNESSES = 400
MOST_MEETING = 300
"""Witnesses whose say about all pairs that meet is kept: some hundred kilobytes each."""
MOST_SOLVED = 100
"""Witnesses of which is kept what they say of sets that were solved together, a megabyte each."""
MOST_JOINT = 200_000
MOST_EDITS = 4000
"""Edits of rows that stand beside another, some hundred bytes each."""
MOST_TAUGHT = 400
"""Readings of which is kept what they have taught every row, or sets that were solved: a tenth of a megabyte each."""
MOST_EXPECTED = 1000
"""Points of which is kept what every row predicts, ten kilobytes each."""
MOST_VIEWS = 4
MOST_FUNCTIONAL = 4
"""Trails of which is kept what their functional items say together, a megabyte each: the one in hand and the last."""
MOST_POSTERIORS = 8
"""Trails whose posterior is kept, a megabyte each: some entries tell nothing of the board, and after a repair it is
weighed in more than one way, some of which a new entry leaves as they were."""


class Kept(Generic[Key, Result]):
    """Results by what they depend on; the oldest goes when there are too many."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._results: dict[Key, Result] = {}

    def __len__(self) -> int:
        return len(self._results)

    def __iter__(self) -> Iterator[Key]:
        return iter(self._results)

    def __contains__(self, key: Key) -> bool:
        return key in self._results

    def get(self, key: Key) -> Result | None:
        return self._results.get(key)

    def recall(self, key: Key, make: Callable[[], Result]) -> Result:
        """The result of a key, made when it isn't there. Not to be changed by the caller."""
        if key not in self._results:
            self.keep(key, make())
        return self._results[key]

    def keep(self, key: Key, result: Result) -> Result:
        self._results.pop(key, None)
        while len(self._results) >= self.most:
            del self._results[next(iter(self._results))]
        self._results[key] = result
        return result

    def clear(self) -> None:
        self._results.clear()


class Memory:
    """vectors: row vectors by what they depend on. witnesses: the last readings as witnesses. meeting: what witnesses
    say of pairs that meet, sets: of rows that were solved together; taught: what readings have taught of their copper.
    joint: what rows read together, by method, point and rows. sizes: how far each row moves a point; expected: what
    every row predicts there; pairs_near: which of the pairs that meet both have part in a point; all three by point and
    method. views: of the board with parts off. functional: what functional witnesses say together. edits: of a row
    that is not the first of its set, by how many come before it. posteriors: by all that was seen."""

    def __init__(self) -> None:
        self.vectors: Kept[tuple[object, ...], np.ndarray | None] = Kept(MOST_VECTORS)
        self.witnesses: Kept[tuple[object, ...], Witness | None] = Kept(MOST_WITNESSES)
        self.meeting: Kept[tuple[object, ...], tuple[np.ndarray, np.ndarray, np.ndarray]] = Kept(MOST_MEETING)
        self.taught: Kept[tuple[object, ...], Taught] = Kept(MOST_TAUGHT)
        self.joint: Kept[tuple[Method, str, tuple[int, ...]], float] = Kept(MOST_JOINT)
        self.sizes: Kept[tuple[str, Method], np.ndarray] = Kept(MOST_VECTORS)
        self.expected: Kept[tuple[str, Method, float], ExpectedApart | None] = Kept(MOST_EXPECTED)
        self.pairs_near: Kept[tuple[str, Method], np.ndarray] = Kept(MOST_VECTORS)
        self.sets: Kept[tuple[object, ...], dict[tuple[int, ...], list[float]]] = Kept(MOST_SOLVED)
        self.views: Kept[Isolated, DiagnosisModel] = Kept(MOST_VIEWS)
        self.functional: Kept[tuple[object, ...], FunctionalEvidence] = Kept(MOST_FUNCTIONAL)
        self.edits: Kept[tuple[int, int], Edit] = Kept(MOST_EDITS)
        self.posteriors: Kept[tuple[object, ...], Posterior] = Kept(MOST_POSTERIORS)

    def clear(self) -> None:
        for kept in (self.vectors, self.witnesses, self.meeting, self.taught, self.joint, self.sizes, self.expected,
                     self.pairs_near, self.sets, self.views, self.functional, self.edits, self.posteriors):
            kept.clear()
