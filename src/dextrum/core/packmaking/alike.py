"""Parts on a photo that look like a marked one: normalised cross-correlation over four turns, and the body's colour.

Method: zero-mean normalised cross-correlation (J. P. Lewis, Fast Normalized Cross-Correlation, 1995), which does not
mind how bright the light is there. Parts of one size differ in the colour of their bodies, which correlation
forgets: so the ratios of the colours in the middle are compared too, since ratios don't mind the light either.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import NDArray

from dextrum.tongue import tr

Picture = NDArray[np.uint8]
"""(rows, columns, 3), red first."""

SHORT_SIDE_PIXELS = 12.0
"""The picture is made smaller until the marked part's shorter side has so many: enough to see its ends."""
LEAST_SIDE_PIXELS = 5.0
"""Of the mark in the picture as it is: below, nothing can be told from grain."""
MARGIN = 0.2
"""How much round the part belongs to its look, as a share of its sides: the mask beside it marks its edge."""
LEAST_LIKENESS = 0.78
"""Below, a place is not proposed. Chosen on rendered boards of other seeds than those of the measured figures."""
COLOUR_TOLERANCE = 0.22
"""A difference of so much in the logarithm of a body's colour ratios lowers the likeness by 1/e."""
DARK = 24.0
"""Added to each colour before its logarithm: what is nearly black has no colour to speak of."""
CORE = 0.3
"""How much of the part's sides round its middle is looked at for colour."""
LEAST_CONTRAST = 3.0
"""Standard deviation of brightness, of 255, below which a place shows nothing: correlation means nothing there."""
SPARE, OFF_BY_HAND = 1.0 / 3.0, 0.1
"""Share of their shorter sides by which two places may lie over one another, and from which a part that was put by hand
counts as lying over a place at all."""
MOST_PROPOSED = 400


@dataclass(frozen=True)
class Alike:
    """A place that looks like the marked part. x, y: pixels of the picture given; turned: by a quarter, so that width
    and height change places; likeness: up to 1."""

    x: float
    y: float
    turned: bool
    likeness: float


def alike(picture: Picture, middle: tuple[float, float], size: tuple[float, float],
          there: Iterable[tuple[float, float]] = ()) -> tuple[Alike, ...]:
    """Places that look like the part whose middle and (width, height), in pixels, are given; likeliest first.

    there: middles of parts that are known already; what lies on one of them, or on the marked part, is left out. Raises
    ValueError for a mark that lies off the picture or is too small to be told from grain.
    """
    import cv2  # only here: it takes longer to load than to run

    wide, high = size
    if min(size) < LEAST_SIDE_PIXELS:
        raise ValueError(tr("the part is {size:.0f} pixels across; expected at least {least_side_pixels:g}: a "
                            "sharper photo, or a closer one", size=min(size), least_side_pixels=LEAST_SIDE_PIXELS))
    rows, columns = picture.shape[:2]
    if not (0 <= middle[0] < columns and 0 <= middle[1] < rows):
        raise ValueError(tr("the marked part lies off the photo; expected one that the photo shows"))
    scale = min(1.0, SHORT_SIDE_PIXELS / min(size))
    small = picture if scale == 1.0 else cast(Picture, cv2.resize(
        picture, (max(round(columns * scale), 1), max(round(rows * scale), 1)), interpolation=cv2.INTER_AREA))
    x, y, wide, high = (scale * one for one in (*middle, wide, high))
    seen = _cut(small, x, y, wide * (1 + 2 * MARGIN), high * (1 + 2 * MARGIN))
    if seen.shape[0] >= small.shape[0] or seen.shape[1] >= small.shape[1]:
        raise ValueError(tr("the marked part is as large as the photo; expected a part on a board"))
    grey = small.mean(axis=2, dtype=np.float32)
    if float(_cut(small, x, y, wide * (1 + 2 * MARGIN), high * (1 + 2 * MARGIN)).std()) < LEAST_CONTRAST:
        raise ValueError(tr("nothing stands out where the part is marked; expected a part that the photo shows"))
    colours = _colour_ratios(np.asarray(cv2.blur(small, (_odd(CORE * wide), _odd(CORE * high))), np.uint8))
    of_mark = colours[min(round(y), small.shape[0] - 1), min(round(x), small.shape[1] - 1)]
    off = np.linalg.norm(colours - of_mark, axis=2)
    likeness = {turned: _likeness(small, seen, turned) for turned in (False, True)}
    known = [(x, y), *((scale * one, scale * other) for one, other in there)]
    proposed = []
    for turned, found in likeness.items():
        found = found * np.exp(-(off / COLOUR_TOLERANCE) ** 2) * _shows_something(grey, seen.shape[1::-1], turned)
        reach = np.ones((_odd(0.8 * (wide if turned else high)), _odd(0.8 * (high if turned else wide))), np.uint8)
        peaks = (found >= LEAST_LIKENESS) & (found >= cv2.dilate(found, reach))
        proposed += [(float(found[row, column]), float(column), float(row), turned)
                     for row, column in np.argwhere(peaks)]
    kept: list[Alike] = []
    for score, column, row, turned in sorted(proposed, reverse=True):
        if not any(_overlap(column, row, turned, px, py, pt, wide, high, SPARE)
                   for px, py, pt in _in_small(kept, scale)):
            kept.append(Alike(column / scale, row / scale, turned, score))
        if len(kept) >= MOST_PROPOSED + len(known):
            break
    return tuple(_not_there(kept, known, scale, wide, high))[:MOST_PROPOSED]


def _not_there(found: Sequence[Alike], known: Sequence[tuple[float, float]], scale: float, wide: float,
               high: float) -> list[Alike]:
    """Those that lie on no known part. A part put by hand may be off by a good share of its own width: it stands for
    the nearest place that it lies over at all, and for any that it lies over by more than `SPARE`."""
    left = list(found)
    for kx, ky in known:
        over = [one for one in left if _overlap(one.x * scale, one.y * scale, one.turned, kx, ky, False, wide, high,
                                                OFF_BY_HAND)]
        away = [(one.x * scale - kx) ** 2 + (one.y * scale - ky) ** 2 for one in over]
        meant = over[int(np.argmin(away))] if over else None
        left = [one for one in left if one is not meant and not _overlap(
            one.x * scale, one.y * scale, one.turned, kx, ky, False, wide, high, SPARE)]
    return left


def _shows_something(grey: NDArray[np.float32], size: tuple[int, ...], turned: bool) -> NDArray[np.bool_]:
    """(rows, columns): where the window round a pixel has any contrast."""
    import cv2

    window = (size[1], size[0]) if turned else (size[0], size[1])
    mean = cv2.blur(grey, window)
    return np.asarray(cv2.blur(grey * grey, window) - mean * mean > LEAST_CONTRAST**2)


def _in_small(found: Sequence[Alike], scale: float) -> list[tuple[float, float, bool]]:
    return [(one.x * scale, one.y * scale, one.turned) for one in found]


def _odd(pixels: float) -> int:
    return 2 * max(int(pixels / 2), 0) + 1


def _cut(picture: Picture, x: float, y: float, wide: float, high: float) -> Picture:
    rows, columns = picture.shape[:2]
    left, top = max(round(x - wide / 2), 0), max(round(y - high / 2), 0)
    right, bottom = min(round(x + wide / 2), columns), min(round(y + high / 2), rows)
    return picture[top:max(bottom, top + 2), left:max(right, left + 2)]


def _colour_ratios(picture: Picture) -> NDArray[np.float32]:
    """(rows, columns, 2): logarithms of red and blue against green."""
    logs = np.log(picture.astype(np.float32) + DARK)
    return np.stack([logs[:, :, 0] - logs[:, :, 1], logs[:, :, 2] - logs[:, :, 1]], axis=2)


def _likeness(picture: Picture, seen: Picture, turned: bool) -> NDArray[np.float32]:
    """(rows, columns): the better of the two ways up, at the pixel where the part's middle would be."""
    import cv2

    whole = np.full(picture.shape[:2], -1.0, np.float32)
    for quarter in (1, 3) if turned else (0, 2):
        pattern = np.ascontiguousarray(np.rot90(seen, quarter))
        found = cv2.matchTemplate(picture, pattern, cv2.TM_CCOEFF_NORMED)
        top, left = pattern.shape[0] // 2, pattern.shape[1] // 2
        place = whole[top:top + found.shape[0], left:left + found.shape[1]]
        np.maximum(place, np.nan_to_num(found, nan=-1.0, posinf=-1.0, neginf=-1.0), out=place)
    return whole


def _overlap(xa: float, ya: float, ta: bool, xb: float, yb: float, tb: bool, wide: float, high: float,
             spare_share: float) -> bool:
    """Whether two such parts would lie on one another by more than this share of their shorter sides."""
    wa, ha = (high, wide) if ta else (wide, high)
    wb, hb = (high, wide) if tb else (wide, high)
    spare = spare_share * min(wide, high)
    return abs(xa - xb) < (wa + wb) / 2 - spare and abs(ya - yb) < (ha + hb) / 2 - spare
