"""Where labels go, so that none covers another: greedy point-feature labelling in order of weight.

Each label has candidate places around what it names, best first. The heaviest is placed first; one that finds no free
place is left out, and comes back when there is more room. (Christensen, Marks, Shieber 1995, the greedy baseline.)
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

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


def meet(one: Box, other: Box) -> bool:
    return (one[0] < other[0] + other[2] and other[0] < one[0] + one[2]
            and one[1] < other[1] + other[3] and other[1] < one[1] + one[3])


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
    kept, used = list(taken), list[Box]()
    found: dict[int, Box] = {}
    for index in sorted(range(len(labels)), key=lambda i: (-labels[i].weight, i)):
        place = next((box for box in candidates(labels[index])
                      if within(box, bounds)
                      and not any(meet(box, other) for other in used)
                      and not any(meet(box, other) for other in kept if other != labels[index].around)), None)
        if place is not None:
            found[index] = place
            used.append(place)
    return found
