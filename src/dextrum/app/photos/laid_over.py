"""One photo laid over another of the same thing, so that what is in both lies on itself.

Method: corners that look alike in both (ORB, E. Rublee et al., ICCV 2011), matched both ways, and the perspective of a
plane that most of them agree with (a homography by RANSAC, M. Fischler and R. Bolles, CACM 24, 1981). A board is a
plane, so two hands that hold the microscope differently are made one. The library is loaded only when two photos are
fitted.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dextrum.errors import InstrumentError
from dextrum.tongue import tr

Grey = NDArray[np.uint8]
Fit = NDArray[np.float64]
"""(3, 3): from places on the second photo to places on the first, each in widths of its own photo."""
MOST_WIDE = 1100
"""Pixels to which photos are made smaller before they are compared: enough for pads, and quick."""
FEATURES, RATIO = 3000, 0.8
"""Corners sought in each; a match counts where the second best is clearly worse (D. Lowe, IJCV 60, 2004)."""
NEAR_PIXELS = 4.0
LEAST_AGREEING, LEAST_SHARE = 45, 0.5
"""Matches that must agree, and their share of all: of 80 pairs of different boards at most 24 agreed; of 40 rough pairs
of one board at least 78, and 0.83 of all (drawn photos, docs/photos.md)."""
MOST_GROWN = 4.0
"""A fit that makes the second more than so much larger or smaller is none."""


def _features(grey: Grey) -> tuple[NDArray[np.float64], NDArray[np.uint8] | None]:
    """Places in widths of the photo, (N, 2), and what they look like, (N, 32)."""
    import cv2

    share = min(1.0, MOST_WIDE / grey.shape[1])
    small = cv2.resize(grey, None, fx=share, fy=share, interpolation=cv2.INTER_AREA) if share < 1.0 else grey
    found, looks = cv2.ORB_create(FEATURES).detectAndCompute(small, None)  # type: ignore[attr-defined]
    places = np.array([one.pt for one in found], dtype=float).reshape(-1, 2) / small.shape[1]
    return places, looks


def _matched(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Pairs of rows that are each other's best, and clearly so, (M, 2)."""
    import cv2

    both = []
    for first, second in ((one, other), (other, one)):
        pairs = cv2.BFMatcher(cv2.NORM_HAMMING).knnMatch(first, second, k=2)
        both.append({p[0].queryIdx: p[0].trainIdx for p in pairs
                     if len(p) == 2 and p[0].distance < RATIO * p[1].distance})
    return np.array([(a, b) for a, b in both[0].items() if both[1].get(b) == a], dtype=np.int64).reshape(-1, 2)


def fitted(first: Grey, second: Grey) -> Fit | None:
    """How the second lies on the first; None where they don't show enough of the same. Takes some tenths of a second.
    Raises InstrumentError where the library is missing."""
    try:
        import cv2
    except ImportError:
        raise InstrumentError("missing", tr("The library that compares photos is not installed."),
                              tr("Shift and arrows move the second by hand.")) from None
    (at_first, one), (at_second, other) = _features(first), _features(second)
    if one is None or other is None or min(len(one), len(other)) < LEAST_AGREEING:
        return None
    pairs = _matched(other, one)
    if len(pairs) < LEAST_AGREEING:
        return None
    cv2.setRNGSeed(1)  # the same photos are fitted alike each time
    found, agree = cv2.findHomography(at_second[pairs[:, 0]], at_first[pairs[:, 1]], cv2.RANSAC,
                                      NEAR_PIXELS / MOST_WIDE)
    if found is None or int(agree.sum()) < max(LEAST_AGREEING, LEAST_SHARE * len(pairs)):
        return None
    return _sound(np.asarray(found, dtype=float), second.shape[0] / second.shape[1])


def _sound(fit: Fit, high: float) -> Fit | None:
    """The fit, unless it turns the photo inside out or blows it up. high: of the second, in its widths."""
    corners = np.array([[0, 0, 1], [1, 0, 1], [1, high, 1], [0, high, 1]], dtype=float) @ fit.T
    if (corners[:, 2] <= 0.0).any():
        return None
    flat = corners[:, :2] / corners[:, 2:]
    along, following = np.roll(flat, -1, axis=0) - flat, np.roll(flat, -2, axis=0) - np.roll(flat, -1, axis=0)
    turns = along[:, 0] * following[:, 1] - along[:, 1] * following[:, 0]
    area = 0.5 * abs(np.sum(flat[:, 0] * np.roll(flat[:, 1], -1) - np.roll(flat[:, 0], -1) * flat[:, 1])) / high
    return fit if (turns > 0.0).all() and MOST_GROWN ** -2 < area < MOST_GROWN ** 2 else None


def moved(fit: Fit, right: float = 0.0, down: float = 0.0, degrees: float = 0.0, larger: float = 1.0,
          middle: tuple[float, float] = (0.5, 0.35)) -> Fit:
    """The fit changed by hand: shifted by widths of the first, turned and made larger round a place on it."""
    turn = np.radians(degrees)
    cos, sin = larger * np.cos(turn), larger * np.sin(turn)
    x, y = middle
    by_hand = np.array([[cos, -sin, x - cos * x + sin * y + right], [sin, cos, y - sin * x - cos * y + down],
                        [0.0, 0.0, 1.0]])
    return np.asarray(by_hand @ fit)
