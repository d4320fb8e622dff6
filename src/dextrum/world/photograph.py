"""How a board looks: a made-up picture of its true layout, straight from above, or as a hand holds a camera over it.

Only sizes, places and kinds come from the layout; colours, scatter, grain and light are this file's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from dextrum.core.board import Board, Component, ComponentKind, Side

Picture = NDArray[np.uint8]
"""(rows, columns, 3), red first."""
Ink = tuple[float, float, float]

PIXELS_A_MM = 30.0
MASK: Ink = (28, 74, 52)
COPPER: Ink = (44, 98, 66)
"""Copper under the mask is the mask, a little lighter."""
METAL: Ink = (196, 198, 196)
PRINT: Ink = (214, 218, 208)
BENCH: Ink = (92, 88, 84)
BODIES: Mapping[ComponentKind, Ink] = {
    ComponentKind.CAPACITOR: (168, 128, 88), ComponentKind.RESISTOR: (36, 36, 42), ComponentKind.LINK: (40, 40, 46),
    ComponentKind.INDUCTOR: (84, 84, 92), ComponentKind.FUSE: (188, 182, 164), ComponentKind.FILTER: (52, 50, 56),
    ComponentKind.ESD_ARRAY: (30, 30, 32), ComponentKind.IC: (34, 34, 36), ComponentKind.CONNECTOR: (206, 200, 182),
    ComponentKind.RECEPTACLE: (150, 152, 156)}
PLACE_MM, TURN_DEGREES, SHADE = 0.04, 1.5, 0.06
"""How far parts lie from where they are meant, how much they are turned, and how much their colours differ: a standard
deviation each."""
PAD_SHARE = 0.24
"""How much of a small part's length each of its ends takes."""
TRACES, VIAS = 90, 160
ROWS_AT_ONCE = 64
"""Of a picture that get their light and noise together: what is written next is still at hand."""
SHARP = 8
"""Places below a pixel are drawn to 1/2**SHARP of it."""


@dataclass(frozen=True)
class Holding:
    """How the camera was held. tilt: how far corners move, as a share of the side; noise: standard deviation of a
    pixel's value; shade: how much darker the far corner is; blur_px: of the lens."""

    tilt: float = 0.06
    noise: float = 5.0
    shade: float = 0.35
    blur_px: float = 0.7


def from_above(board: Board, side: Side, seed: int, missing: frozenset[str] = frozenset(),
               burst: frozenset[str] = frozenset(), askew: frozenset[str] = frozenset(),
               bridged: frozenset[str] = frozenset(), pixels_a_mm: float = PIXELS_A_MM) -> Picture:
    """One side as it is, straight from above; the bottom as it is seen with the board turned over.

    What is missing leaves its bare pads, what burst a crater, what lies askew is turned, what is bridged has solder
    over its ends.
    """
    draw = np.random.default_rng((seed, 4021))
    xs, ys = zip(*board.outline_mm, strict=True)
    left, top, wide, high = min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)
    picture = np.empty((round(high * pixels_a_mm), round(wide * pixels_a_mm), 3), np.float32)
    picture[:] = BENCH
    flip = side is Side.BOTTOM

    def at(x_mm: float, y_mm: float) -> tuple[float, float]:
        return ((left + wide - x_mm if flip else x_mm - left) * pixels_a_mm, (y_mm - top) * pixels_a_mm)

    _fill(picture, np.array([at(x, y) for x, y in board.outline_mm]), MASK)
    _copper(picture, draw, wide, high, pixels_a_mm)
    for part in board.components:
        if part.side is side and not part.undescribed:
            _part(picture, part, at(part.x_mm, part.y_mm), pixels_a_mm, draw, part.designator in missing,
                  part.designator in burst, part.designator in askew, part.designator in bridged)
    outside = np.ones(picture.shape[:2], np.uint8)
    cv2.fillPoly(outside, [np.round(np.array([at(x, y) for x, y in board.outline_mm])).astype(np.int32)], (0,))
    picture[outside.astype(bool)] = BENCH
    return np.clip(picture, 0, 255).astype(np.uint8)


def photographed(flat: Picture, seed: int, holding: Holding | None = None) -> tuple[Picture, NDArray[np.float64]]:
    """A photo of a board that lies on the bench, and where its corners are, (4, 2) pixels, clockwise from top left."""
    held = holding or Holding()
    draw = np.random.default_rng((seed, 4022))
    high, wide = flat.shape[:2]
    edge = round(0.08 * max(high, wide))
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], float)
    placed = corners + edge + draw.uniform(-held.tilt, held.tilt, (4, 2)) * max(high, wide) / 2
    size = (wide + 2 * edge, high + 2 * edge)
    turn = cv2.getPerspectiveTransform(corners.astype(np.float32), placed.astype(np.float32))
    photo = cv2.warpPerspective(flat.astype(np.float32), turn, size, flags=cv2.INTER_AREA,
                                borderMode=cv2.BORDER_CONSTANT, borderValue=BENCH)
    if held.blur_px:
        photo = cv2.GaussianBlur(photo, (0, 0), held.blur_px)
    across, down = np.meshgrid(np.linspace(0, 1, size[0]), np.linspace(0, 1, size[1]))
    way = draw.uniform(0, 2 * np.pi)
    far = (across - 0.5) * np.cos(way) + (down - 0.5) * np.sin(way)
    light = 1.0 - held.shade * (far + 0.5)
    tint = draw.normal(1.0, 0.03, 3)
    taken = np.empty(photo.shape, np.uint8)
    for first in range(0, size[1], ROWS_AT_ONCE):
        band = slice(first, first + ROWS_AT_ONCE)
        lit = photo[band] * light[band, :, None] * tint
        taken[band] = np.clip(lit + draw.normal(0.0, held.noise, lit.shape), 0, 255)
    return taken, placed


def _fill(picture: NDArray[np.float32], corners: NDArray[np.float64], ink: Ink) -> None:
    cv2.fillPoly(picture, [np.round(corners * 2**SHARP).astype(np.int32)], ink, cv2.LINE_AA, SHARP)


def _box(middle: tuple[float, float], wide: float, high: float, degrees: float,
         shift: tuple[float, float] = (0.0, 0.0)) -> NDArray[np.float64]:
    """Corners of a turned rectangle whose middle lies `shift` off, before turning."""
    angle = np.radians(degrees)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    flat = np.array([[-wide, -high], [wide, -high], [wide, high], [-wide, high]]) / 2 + shift
    return np.asarray(flat @ turn.T + middle)


def _copper(picture: NDArray[np.float32], draw: np.random.Generator, wide: float, high: float, scale: float) -> None:
    """Lines and holes under the mask, as a board has them between its parts."""
    for _ in range(TRACES):
        here = draw.uniform((0, 0), (wide, high))
        bends = [here]
        for _ in range(3):
            step = draw.choice(np.array([(1, 0), (0, 1), (0.7, 0.7), (0.7, -0.7)])) * draw.uniform(-9, 9)
            bends.append(bends[-1] + step)
        line = np.round(np.array(bends) * scale * 2**SHARP).astype(np.int32)
        cv2.polylines(picture, [line], False, COPPER, max(round(0.18 * scale), 1), cv2.LINE_AA, SHARP)
    for x, y in draw.uniform((0, 0), (wide, high), (VIAS, 2)):
        place = (round(x * scale * 2**SHARP), round(y * scale * 2**SHARP))
        cv2.circle(picture, place, round(0.22 * scale * 2**SHARP), (120, 132, 112), -1, cv2.LINE_AA, SHARP)
        cv2.circle(picture, place, round(0.1 * scale * 2**SHARP), (20, 30, 26), -1, cv2.LINE_AA, SHARP)


def _part(picture: NDArray[np.float32], part: Component, middle: tuple[float, float], scale: float,
          draw: np.random.Generator, gone: bool, burst: bool, askew: bool, bridged: bool) -> None:
    wide, high = part.width_mm * scale, part.height_mm * scale
    x_off, y_off = draw.normal(0.0, PLACE_MM * scale, 2)
    where = (middle[0] + float(x_off), middle[1] + float(y_off))
    turn = float(draw.normal(0.0, TURN_DEGREES)) + (float(draw.choice([-25.0, 25.0])) if askew else 0.0)
    shade = float(np.clip(draw.normal(1.0, SHADE), 0.7, 1.3))
    ends = _ends(part)
    for x, y, w, h in ends:
        # Pads lie where they are meant, a little wider than what is soldered to them.
        _fill(picture, _box(middle, w * wide * 1.15, h * high * 1.15, 0.0, (x * wide, y * high)),
              (168, 170, 150) if gone else METAL)
    if gone:
        return
    body = tuple(shade * c for c in BODIES.get(part.kind, (60, 60, 60)))
    assert len(body) == 3
    _fill(picture, _box(where, wide, high, turn), body)
    if part.kind not in (ComponentKind.IC, ComponentKind.ESD_ARRAY, ComponentKind.CONNECTOR, ComponentKind.RECEPTACLE):
        for x, y, w, h in ends:
            _fill(picture, _box(where, w * wide, h * high, turn, (x * wide, y * high)),
                  tuple(shade * c for c in METAL))  # type: ignore[arg-type]
    _marks(picture, part, where, wide, high, turn)
    if burst:
        reach = 0.3 * min(wide, high) * 2**SHARP
        place = (round(where[0] * 2**SHARP), round(where[1] * 2**SHARP))
        cv2.circle(picture, place, round(1.5 * reach), (24, 20, 18), -1, cv2.LINE_AA, SHARP)
        cv2.circle(picture, place, round(0.6 * reach), (120, 92, 62), -1, cv2.LINE_AA, SHARP)
    if bridged and len(ends) > 1:
        (xa, ya, wa, ha), (xb, yb, _, _) = ends[0], ends[1]
        _fill(picture, _box(where, (abs(xa - xb) + wa) * wide, (abs(ya - yb) + ha) * high, turn,
                            ((xa + xb) / 2 * wide, (ya + yb) / 2 * high)), METAL)


def _ends(part: Component) -> list[tuple[float, float, float, float]]:
    """Middle, width and height of each soldered end, as shares of the part's own."""
    count = len(part.terminals)
    if count <= 2:
        long = part.width_mm >= part.height_mm
        far = 0.5 - PAD_SHARE / 2
        return [(s * far, 0.0, PAD_SHARE, 1.0) if long else (0.0, s * far, 1.0, PAD_SHARE) for s in (-1, 1)]
    if part.kind is ComponentKind.IC:
        side = max(count // 4, 2)
        along = [(k + 0.5) / side - 0.5 for k in range(side)]
        thin = 0.5 / side
        return [*((x, s * 0.5, thin, 0.1) for s in (-1, 1) for x in along),
                *((s * 0.5, y, 0.1, thin) for s in (-1, 1) for y in along)]
    half = (count + 1) // 2
    thin = 0.6 / half
    return [((k % half + 0.5) / half - 0.5, -0.42 if k < half else 0.42, thin, 0.22) for k in range(count)]


def _marks(picture: NDArray[np.float32], part: Component, where: tuple[float, float], wide: float, high: float,
           turn: float) -> None:
    """What is printed on a body: the dot at pin 1 of a chip, the bar on a resistor, the shell of a port."""
    if part.kind in (ComponentKind.IC, ComponentKind.ESD_ARRAY):
        corner = _box(where, 0.7 * wide, 0.7 * high, turn)[0]
        cv2.circle(picture, (round(corner[0] * 2**SHARP), round(corner[1] * 2**SHARP)),
                   max(round(0.05 * min(wide, high) * 2**SHARP), 2**SHARP), (150, 150, 150), -1, cv2.LINE_AA, SHARP)
    elif part.kind in (ComponentKind.RESISTOR, ComponentKind.LINK):
        _fill(picture, _box(where, 0.22 * wide, 0.12 * high, turn), PRINT)
    elif part.kind is ComponentKind.RECEPTACLE:
        _fill(picture, _box(where, 0.86 * wide, 0.7 * high, turn), (178, 180, 184))
    elif part.kind is ComponentKind.INDUCTOR:
        _fill(picture, _box(where, 0.4 * wide, 0.4 * high, turn), (104, 104, 112))
