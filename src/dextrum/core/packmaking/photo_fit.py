"""A photo of a board laid straight by known points: the perspective that fits them best, and how well.

Direct linear transformation on normalised places: R. Hartley, In Defense of the Eight-Point Algorithm, IEEE Trans.
Pattern Analysis 19, 1997; least squares over all points by the smallest singular vector.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.tongue import tr

FEWEST = 4
MOST_RESIDUAL_MM = 1.5
"""A point that fits worse than this was clicked or typed wrongly: a hand on a photo is off by a tenth or two."""
LENGTHS = "lengths"
PLACES = "places"
"""What begins a line with the places of all points, of a photo that shows a part of the board."""
LEAST_LENGTH_MM, MOST_LENGTH_MM = 1.0, 400.0
FEWEST_PIXELS = 20.0
LEAST_SINE = 0.7
"""Of the angle between the two lengths on the photo: 45 to 135 degrees."""
MOST_MARKS = 40
"""Names that a pack's two sides share: holes, slots, edges."""
_PLACE = re.compile(r"^(?:([A-Za-z]\w{0,11})\s*)?(?:(\?)|(-?\d+(?:[.,]\d+)?)\s+(-?\d+(?:[.,]\d+)?))?$")


@dataclass(frozen=True)
class KnownPoint:
    """A point of a photo beyond its corners. name: of a mark that both sides share, such as a hole; empty for none.
    place: in millimetres; None where the photo is to tell it."""

    name: str
    place: tuple[float, float] | None


def parse_known(text: str, count: int, marks: Mapping[str, tuple[float, float]]) -> tuple[KnownPoint, ...]:
    """'12.5 8; hole ?; slot': one for each point that was clicked: its place, a name whose place is to be found, or a
    name whose place the other side's photo has told. marks: those.

    Raises ValueError with what is wrong and what was expected.
    """
    parts = [part.strip() for part in text.split(";") if part.strip()]
    if len(parts) != count:
        raise ValueError(tr("{count} places for {count2} further point{s}; expected one for each, such as 12.5 "
                            "8; hole ?", count=len(parts), count2=count, s="s" if count != 1 else ""))
    found = []
    for part in parts:
        match = _PLACE.match(part)
        if match is None or not part:
            raise ValueError(tr("{part!r} is no place; expected millimetres such as 12.5 8, or a name with ?",
                                part=part[:20]))
        name, asks, x, y = match[1] or "", match[2], match[3], match[4]
        if x is not None:
            found.append(KnownPoint(name, (float(x.replace(",", ".")), float(y.replace(",", ".")))))
        elif asks and name:
            found.append(KnownPoint(name, None))
        elif name in marks:
            found.append(KnownPoint(name, marks[name]))
        else:
            raise ValueError(tr("nobody has told where {part!r} lies; expected {part} ? on the photo of one side "
                                "first", part=part[:12]))
    return tuple(found)


def parse_lengths(text: str) -> tuple[float, float] | None:
    """'lengths 40 22': the millimetres between the first two points, and between the next two; None for anything else.
    Raises ValueError for a length that is none."""
    words = text.replace(",", ".").split()
    if not words or words[0].casefold() not in (LENGTHS, tr("lengths").casefold()):
        return None
    try:
        found = tuple(float(word) for word in words[1:] if word.casefold() != "mm")
    except ValueError:
        found = ()
    if len(found) != 2 or not all(LEAST_LENGTH_MM <= one <= MOST_LENGTH_MM for one in found):
        raise ValueError(tr("{text!r} are no two lengths; expected millimetres such as lengths 40 22", text=text[:24]))
    return found[0], found[1]


def parse_places(text: str) -> str | None:
    """'places 3 2; 12 2; hole; 3 9': what stands after the word, see `parse_known`; None for anything else."""
    word, _, rest = text.strip().partition(" ")
    return rest if word.casefold() in (PLACES, tr("places").casefold()) else None


def by_two_lengths(ends: Sequence[tuple[float, float]], lengths_mm: tuple[float, float],
                   photo: tuple[float, float]) -> tuple[tuple[tuple[float, float], ...], tuple[float, float]]:
    """A photo from straight above, by two lengths on the board that are known: one across it between the first two
    ends, one down it between the next two. photo: width and height in pixels.

    Gives the corners, in pixels and clockwise from the top left, of the smallest piece of the board that holds the
    whole photo, and its width and height in millimetres: the affine map that takes both lengths to what they are.
    Two lengths tell nothing of a perspective. Raises ValueError where they run nearly the same way, or have none.
    """
    seen = np.asarray(ends, float)
    across, down = seen[1] - seen[0], seen[3] - seen[2]
    reach = float(np.hypot(*across)), float(np.hypot(*down))
    if min(reach) < FEWEST_PIXELS:
        raise ValueError(tr("a length of {reach:.0f} pixels tells nothing; expected ends further apart",
                            reach=min(reach)))
    across, down = across * np.sign(across[0] or 1.0), down * np.sign(down[1] or 1.0)
    sine = float(across[0] * down[1] - across[1] * down[0]) / (reach[0] * reach[1])
    if sine < LEAST_SINE:
        raise ValueError(tr("both lengths run nearly the same way; expected one across the board, and one down it"))
    to_pixels = np.column_stack([across / lengths_mm[0], down / lengths_mm[1]])
    wide, high = photo
    corners = np.linalg.solve(to_pixels, np.array([(0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high)]).T)
    low, most = corners.min(axis=1), corners.max(axis=1)
    size = most - low
    rectangle = low[:, None] + np.array([(0.0, 0.0), (size[0], 0.0), (size[0], size[1]), (0.0, size[1])]).T
    placed = (to_pixels @ rectangle).T
    return tuple((float(x), float(y)) for x, y in placed), (float(size[0]), float(size[1]))


def marks_written(marks: Mapping[str, tuple[float, float]]) -> str:
    """As one line: 'hole 12.5 8; slot 3 4.25', the latest MOST_MARKS."""
    return "; ".join(f"{name} {x:.3f} {y:.3f}" for name, (x, y) in tuple(marks.items())[-MOST_MARKS:])


def marks_read(line: str) -> dict[str, tuple[float, float]]:
    """What `marks_written` wrote; what is none is left out."""
    found = {}
    for part in line.split(";")[:MOST_MARKS]:
        match = _PLACE.match(part.strip())
        if match is not None and match[1] and match[3] is not None:
            found[match[1]] = (float(match[3].replace(",", ".")), float(match[4].replace(",", ".")))
    return found


def homography(seen: Sequence[tuple[float, float]], places: Sequence[tuple[float, float]]) -> np.ndarray:
    """(3, 3): from places on a photo to places on the board. Raises ValueError for fewer than four, or all in a
    line."""
    if len(seen) != len(places) or len(seen) < FEWEST:
        raise ValueError(tr("{count} points; expected at least {fewest}", count=len(seen), fewest=FEWEST))
    (one, from_one), (other, from_other) = _normalised(np.asarray(seen, float)), _normalised(np.asarray(places, float))
    rows = []
    for (x, y), (u, v) in zip(one, other, strict=True):
        rows.append([-x, -y, -1, 0, 0, 0, u * x, u * y, u])
        rows.append([0, 0, 0, -x, -y, -1, v * x, v * y, v])
    _, sizes, vectors = np.linalg.svd(np.asarray(rows))
    if sizes[7] < 1e-9 * sizes[0]:
        raise ValueError(tr("the points lie in a line; expected some on both sides of it"))
    found = np.linalg.inv(from_other) @ vectors[8].reshape(3, 3) @ from_one
    return np.asarray(found / found[2, 2])


def _normalised(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Places about their middle at a mean distance of the root of two, and the (3, 3) that brings them there."""
    middle = places.mean(axis=0)
    reach = float(np.mean(np.hypot(*(places - middle).T))) or 1.0
    scale = np.sqrt(2.0) / reach
    bring = np.array([[scale, 0.0, -scale * middle[0]], [0.0, scale, -scale * middle[1]], [0.0, 0.0, 1.0]])
    return (places - middle) * scale, bring


def carried(matrix: np.ndarray, seen: Sequence[tuple[float, float]]) -> np.ndarray:
    """Where points of the photo lie on the board, (N, 2)."""
    places = np.asarray(seen, float)
    found = np.column_stack([places, np.ones(len(places))]) @ matrix.T
    return np.asarray(found[:, :2] / found[:, 2:])


def residuals(matrix: np.ndarray, seen: Sequence[tuple[float, float]],
              places: Sequence[tuple[float, float]]) -> np.ndarray:
    """How far each point lies from where it should, (N,), in the unit of the places."""
    return np.asarray(np.hypot(*(carried(matrix, seen) - np.asarray(places, float)).T))
