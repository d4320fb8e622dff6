"""Where labels go, so that none covers another: greedy point-feature labelling in order of weight.

Each label has candidate places around what it names, best first. The heaviest is placed first; one that finds no free
place is left out, and comes back when there is more room. (Christensen, Marks, Shieber 1995, the greedy baseline.)
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

Box = tuple[float, float, float, float]
"""Left, top, width, height, in pixels."""


@dataclass(frozen=True)
class Label:
    """width, height: of its text; around: what it names; inside: may stand on what it names; weight: more goes
    first; far: may stand further off, where nothing nearer is free."""

    text: str
    width: float
    height: float
    around: Box
    weight: float
    inside: bool = False
    far: bool = False


NEAR, FAR = 2.0, 14.0
"""Pixels between a label and what it names."""


def candidates(label: Label) -> tuple[Box, ...]:
    """Places for a label: on what it names where it fits, then right, left, above, below and at the corners."""
    own = _around(label, NEAR)
    return own + _around(label, FAR)[1 if len(own) > 8 else 0:] if label.far else own


def _around(label: Label, gap: float) -> tuple[Box, ...]:
    left, top, wide, high = label.around
    w, h = label.width, label.height
    mid_x, mid_y = left + wide / 2 - w / 2, top + high / 2 - h / 2
    places: list[Box] = [(mid_x, mid_y, w, h)] if label.inside and w <= wide and h <= high else []
    right, beyond, over, under = left + wide + gap, left - w - gap, top - h - gap, top + high + gap
    places += [(right, mid_y, w, h), (beyond, mid_y, w, h), (mid_x, over, w, h), (mid_x, under, w, h),
               (right, over, w, h), (beyond, over, w, h), (right, under, w, h), (beyond, under, w, h)]
    return tuple(places)


def within(box: Box, bounds: Box) -> bool:
    return (box[0] >= bounds[0] and box[1] >= bounds[1] and box[0] + box[2] <= bounds[0] + bounds[2]
            and box[1] + box[3] <= bounds[1] + bounds[3])


def place_labels(labels: Sequence[Label], taken: Iterable[Box], bounds: Box) -> dict[int, Box]:
    """By index of the label: where it stands. taken: boxes that are kept clear; what a label names doesn't stand in its
    own way. Those without a free place are left out."""
    places = [[box for box in candidates(label) if within(box, bounds)] for label in labels]
    owner = np.repeat(np.arange(len(labels)), [len(own) for own in places])
    boxes = np.array([box for own in places for box in own], dtype=float).reshape(-1, 4)
    kept = np.array(list(taken), dtype=float).reshape(-1, 4)
    named = np.array([label.around for label in labels], dtype=float).reshape(-1, 4)
    own = (kept[None, :, :] == named[:, None, :]).all(axis=2)
    free = ~(_meets(boxes, kept) & ~own[owner]).any(axis=1)
    used = np.empty((len(labels), 4))
    found: dict[int, Box] = {}
    for index in sorted(range(len(labels)), key=lambda i: (-labels[i].weight, i)):
        here = np.flatnonzero(free & (owner == index))
        if len(here):
            here = here[~_meets(boxes[here], used[:len(found)]).any(axis=1)]
        if len(here):
            place = boxes[here[0]]
            used[len(found)] = place
            found[index] = tuple(place.tolist())
    return found


def _meets(boxes: np.ndarray, others: np.ndarray) -> np.ndarray:
    """Which of boxes (C, 4) meets which of others (N, 4), (C, N)."""
    left, top, wide, high = boxes.T[:, :, None]
    begin, over, width, height = others.T[:, None, :]
    return np.asarray((left < begin + width) & (begin < left + wide) & (top < over + height) & (over < top + high))
