"""How a port looks from the front under a microscope: its shell, the tongue with both rows, what is amiss.

Contacts lie where the port's own order puts them; colours, scatter and grain are this file's own.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from dextrum.world.photograph import SHARP, Ink, Picture

SIZE = (960, 420)
SHELL: Ink = (176, 178, 182)
INSIDE: Ink = (22, 22, 26)
TONGUE: Ink = (54, 52, 56)
GOLD: Ink = (208, 172, 92)
BURNT: Ink = (46, 38, 32)
GREEN: Ink = (86, 150, 122)
FLUFF: Ink = (118, 112, 104)


def port_from_front(rows: Sequence[Sequence[str]], findings: Sequence[str] = (), contacts: Sequence[str] = (),
                    seed: int = 0) -> Picture:
    """rows: names of the contacts, upper row first, each from left to right as seen from the front. findings: what is
    amiss (bent, crossed, missing, burnt, dirt, corroded, loose, anchors); contacts: where, if it has a place."""
    draw = np.random.default_rng((seed, 4023))
    wide, high = SIZE
    picture = np.empty((high, wide, 3), np.float32)
    picture[:] = (40, 58, 48)
    middle = np.array([wide / 2, high / 2]) + (draw.normal(0, 14, 2) if "anchors" in findings else 0)
    lean = float(draw.normal(0, 3)) + (7.0 if "anchors" in findings else 0.0)
    for reach, ink in ((1.0, SHELL), (0.9, INSIDE)):
        _rounded(picture, middle, 780 * reach, 300 * (reach - 0.06 * (reach < 1)), lean, ink)
    _rounded(picture, middle, 640, 92, lean, TONGUE)
    placed: dict[str, np.ndarray] = {}
    for row, names in enumerate(rows):
        step = 600 / max(len(names), 1)
        for k, name in enumerate(names):
            across = (k + 0.5) * step - 300
            placed[name] = middle + _turned(np.array([across, -30.0 if row == 0 else 30.0]), lean)
    amiss = set(contacts)
    for name, at in placed.items():
        here = name in amiss
        if here and "missing" in findings:
            continue
        tilt, off, ink = lean + float(draw.normal(0, 1.2)), np.zeros(2), GOLD
        if here and "bent" in findings:
            tilt, off = lean + float(draw.choice([-28.0, 28.0])), draw.normal(0, 6, 2)
        if here and "crossed" in findings:
            tilt = lean + 52.0
        if here and "burnt" in findings:
            ink = BURNT
        if here and "loose" in findings:
            off = off + np.array([0.0, 9.0])
        ink = tuple(float(np.clip(draw.normal(1.0, 0.05), 0.8, 1.2)) * c for c in ink)  # type: ignore[assignment]
        _rounded(picture, at + off, 15, 44, tilt, ink)
    if "crossed" in findings and len(amiss) > 1:
        ends = [placed[name] for name in contacts if name in placed][:2]
        if len(ends) == 2:
            line = np.round(np.array(ends) * 2**SHARP).astype(np.int32)
            cv2.polylines(picture, [line], False, GOLD, 9, cv2.LINE_AA, SHARP)
    if "corroded" in findings:
        _crust(picture, draw, [placed[name] for name in (amiss & set(placed)) or placed], GREEN, 26)
    if "dirt" in findings:
        _crust(picture, draw, [middle + draw.normal(0, (170, 36)) for _ in range(24)], FLUFF, 34)
    if "burnt" in findings and not amiss:
        _crust(picture, draw, [middle], BURNT, 90)
    return np.clip(picture + draw.normal(0.0, 4.0, picture.shape), 0, 255).astype(np.uint8)


def _turned(of: np.ndarray, degrees: float) -> np.ndarray:
    angle = np.radians(degrees)
    return np.array([of[0] * np.cos(angle) - of[1] * np.sin(angle), of[0] * np.sin(angle) + of[1] * np.cos(angle)])


def _rounded(picture: np.ndarray, middle: np.ndarray, wide: float, high: float, degrees: float, ink: Ink) -> None:
    """A turned rectangle with round ends, filled."""
    reach = min(wide, high) / 2
    far = max(wide, high) / 2 - reach
    away = np.array([far, 0.0] if wide >= high else [0.0, far])
    one, other = (tuple(int(v) for v in np.round((middle + _turned(s * away, degrees)) * 2**SHARP)) for s in (-1, 1))
    cv2.line(picture, one, other, ink, max(round(2 * reach), 1), cv2.LINE_AA, SHARP)


def _crust(picture: np.ndarray, draw: np.random.Generator, places: Sequence[np.ndarray], ink: Ink,
           reach: float) -> None:
    """Grains round places."""
    for place in places:
        for _ in range(14):
            at = place + draw.normal(0, reach / 2, 2)
            shade = float(draw.uniform(0.7, 1.2))
            cv2.circle(picture, tuple(int(v) for v in np.round(at * 2**SHARP)), round(float(draw.uniform(2, reach / 4))
                       * 2**SHARP), tuple(shade * c for c in ink), -1, cv2.LINE_AA, SHARP)
