"""A further photo of a board's side laid over the one that is kept: closer, or of a part of it; and what tells that a
photo shows the other side, or nothing of this board.

It is laid by what both show (`app.photos.laid_over`). Seen from close by, the same corner looks larger than that method
allows for, so the further photo is tried made smaller as well. Where they meet the two fade into one another, the
further one as bright as the kept one.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dextrum.app.photos.laid_over import MOST_WIDE, Fit, Grey, fitted
from dextrum.core.board import Side
from dextrum.tongue import tr

Pixels = NDArray[np.uint8]
"""(rows, columns, channels)."""
SHRUNK = (1.0, 0.6, 0.4)
"""Of the width at which photos are compared, what a further photo is tried at: the smaller, the closer it was taken."""
COMPARED_WIDE, LEAST_LIKENESS = 400, 0.4
"""Pixels across at which two photos are held against each other once one is laid, and the correlation from which they
show the same: of drawn photos 0.86 to 0.98 where they do, 0.07 where only the copper was drawn alike."""
WHOLE_SIDE = 0.9
"""Share of the kept photo from which a further one shows all of the side."""
FADE_SHARE = 0.02
"""Of the kept photo's width, over which the two fade into one another."""
LEAST_GAIN, MOST_GAIN = 0.4, 2.5
"""How much darker or brighter a further photo is made at most, so that a lamp does not show as a patch."""


@dataclass(frozen=True)
class LiesOn:
    """Where a photo lies on the kept photo of a side. matrix: (3, 3), from its pixels to pixels of the kept one; share:
    of the kept one that it shows; closer: pixels that it has for one of the kept, along a line."""

    side: Side
    matrix: Fit
    share: float
    closer: float

    @property
    def shows_all(self) -> bool:
        return self.share >= WHOLE_SIDE


def lies_on(kept: Mapping[Side, Grey], photo: Grey) -> LiesOn | None:
    """The side whose kept photo shows the same, tried in their order; None where none does. Takes a second or so.
    Raises InstrumentError where the library that compares is missing."""
    import cv2

    wide = min(MOST_WIDE, photo.shape[1])
    for side, one in kept.items():
        for shrunk in SHRUNK:
            share = shrunk * wide / photo.shape[1]
            small = np.asarray(cv2.resize(photo, None, fx=share, fy=share, interpolation=cv2.INTER_AREA), np.uint8)
            fit = fitted(one, small)
            if fit is None:
                continue
            in_widths = np.diag([1.0 / photo.shape[1], 1.0 / photo.shape[1], 1.0])
            found = placed(side, np.diag([one.shape[1], one.shape[1], 1.0]) @ fit @ in_widths, one.shape[:2],
                           photo.shape[:2])
            if _likeness(one, photo, found) >= LEAST_LIKENESS:
                return found
    return None


def _likeness(kept: Grey, photo: Grey, lies: LiesOn) -> float:
    """How alike the two look where they meet, slow changes of light apart: their correlation, small."""
    import cv2

    share = COMPARED_WIDE / kept.shape[1]
    one = cv2.resize(kept, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    shrunk = min(1.0, share / lies.closer)
    small = cv2.resize(photo, None, fx=shrunk, fy=shrunk, interpolation=cv2.INTER_AREA)
    matrix = np.diag([share, share, 1.0]) @ lies.matrix @ np.diag(
        [photo.shape[1] / small.shape[1], photo.shape[0] / small.shape[0], 1.0])
    size = (one.shape[1], one.shape[0])
    other = cv2.warpPerspective(small, matrix, size)
    both = cv2.warpPerspective(np.full(small.shape, 255, np.uint8), matrix, size) == 255
    if not both.any():
        return 0.0

    def detail(grey: Grey) -> NDArray[np.float32]:
        plain = grey.astype(np.float32)
        slow = cv2.GaussianBlur(plain, (0, 0), COMPARED_WIDE * FADE_SHARE)
        return np.asarray((plain - slow)[both], np.float32)

    a, b = detail(np.asarray(one, np.uint8)), detail(np.asarray(other, np.uint8))
    spread = float(a.std() * b.std())
    return float(np.mean((a - a.mean()) * (b - b.mean()))) / spread if spread > 0.0 else 0.0


def placed(side: Side, matrix: Fit, kept: tuple[int, ...], photo: tuple[int, ...]) -> LiesOn:
    """A photo at a known place. matrix: as in `LiesOn`; kept, photo: rows and columns of the two."""
    rows, columns = photo[:2]
    corners = np.array([[0, 0, 1], [columns, 0, 1], [columns, rows, 1], [0, rows, 1]], float) @ matrix.T
    flat = corners[:, :2] / corners[:, 2:]
    area = _area(flat)
    inside = _area(_cut_to(flat, kept[1], kept[0]))
    return LiesOn(side, matrix, inside / (kept[0] * kept[1]), float(np.sqrt(rows * columns / max(area, 1e-9))))


def joined(kept: Pixels, photo: Pixels, lies: LiesOn) -> Pixels:
    """The kept photo with the further one over it."""
    import cv2

    matrix, high, wide = lies.matrix, kept.shape[0], kept.shape[1]
    if lies.closer > 1.0:
        # Made smaller first, by areas: a warp alone would skip pixels, and grain would become spots.
        share = 1.0 / lies.closer
        photo = np.asarray(cv2.resize(photo, None, fx=share, fy=share, interpolation=cv2.INTER_AREA), np.uint8)
        matrix = matrix @ np.diag([lies.closer, lies.closer, 1.0])
    # What the photo does not show may lie beyond the horizon of its perspective.
    inner = np.zeros(photo.shape[:2], np.uint8)
    inner[1:-1, 1:-1] = 255
    shown = cv2.warpPerspective(inner, matrix, (wide, high), flags=cv2.INTER_NEAREST)
    over = cv2.warpPerspective(photo, matrix, (wide, high), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    if not shown.any():
        return kept
    inwards = cv2.distanceTransform(shown, cv2.DIST_L2, 3)
    weight = np.clip(inwards / (FADE_SHARE * wide), 0.0, 1.0)[:, :, None]
    there = shown > 0
    bright = [np.median(one[there], axis=0) + 1.0 for one in (kept, over)]
    gain = np.clip(bright[0] / bright[1], LEAST_GAIN, MOST_GAIN)
    both = kept * (1.0 - weight) + np.clip(over * gain, 0.0, 255.0) * weight
    return np.asarray(np.rint(both), np.uint8)


def _area(places: NDArray[np.float64]) -> float:
    """Of a polygon."""
    x, y = places[:, 0], places[:, 1]
    return abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2.0


def _cut_to(places: NDArray[np.float64], wide: float, high: float) -> NDArray[np.float64]:
    """A polygon cut to a rectangle from 0 0 (I. Sutherland and G. Hodgman, CACM 17, 1974)."""
    for axis, bound, sign in ((0, 0.0, 1.0), (0, wide, -1.0), (1, 0.0, 1.0), (1, high, -1.0)):
        found = []
        for one, other in zip(places, np.roll(places, -1, axis=0), strict=True):
            a, b = sign * (one[axis] - bound), sign * (other[axis] - bound)
            if a >= 0.0:
                found.append(one)
            if (a >= 0.0) != (b >= 0.0):
                found.append(one + (other - one) * a / (a - b))
        if not found:
            return np.zeros((1, 2))
        places = np.array(found)
    return places


@dataclass(frozen=True)
class FoundOnPhoto:
    """What the photos that are kept tell of a further one. over: it can be laid over one of them; odd: it is not what
    it is meant to be."""

    words: str = ""
    over: bool = False
    odd: bool = False


def found_on_photo(lies: LiesOn | None, side: Side, kept: Collection[Side]) -> FoundOnPhoto:
    """Of a photo that is meant to show a side. Nothing is said where nothing is kept that it should be like."""
    words = tr("{side} side", side=tr(side.value))
    if lies is None:
        return FoundOnPhoto(tr(
            "Nothing on it is on the photo of the {side} that is kept: is it this board, and this side? Its four "
            "corners put it in that one's place.", side=words), odd=True) if side in kept else FoundOnPhoto()
    if lies.side is not side:
        return FoundOnPhoto(tr(
            "It shows the {other}, whose photo is kept: Lay it over puts it there. Of the {side}, choose another file.",
            other=tr("{side} side", side=tr(lies.side.value)), side=words), over=True, odd=True)
    if lies.shows_all:
        return FoundOnPhoto(tr(
            "It shows what the photo of the {side} shows that is kept: Lay it over, or its four corners put it in "
            "that one's place.", side=words), over=True)
    return FoundOnPhoto(tr(
        "It shows {percent} of the {side}, {closer:.1f} times as close as the photo that is kept: Lay it over, and the "
        "rest stays.", percent=f"{lies.share:.0%}", side=words, closer=lies.closer), over=True)
