"""Touches that slipped on a good board, found by what else was touched of the same copper.

Points of one net read one copper, so that on one board they differ by what a hand and a meter leave. With one or two
good boards no other board contradicts a slip; the rest of the copper does.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from dextrum.core.board import Board

if TYPE_CHECKING:
    import numpy as np

FEWEST_BESIDE = 2
"""So many other points of one piece of copper that read a number, on the same board, make another answer at one a slip.
The port's ground is four contacts: one that reads open on the only good board would hold every job for ever."""
SURE_OF_NET = 0.99
"""Of an end whose net is less sure, what is read there may say that the pack is wrong."""
OFF_ON_COPPER_VOLTS = 0.03
"""From the middle of the others: beyond what one hand leaves from touch to touch (6 mV) five times over."""


def slips_on_copper(board: Board, points: Sequence[str], volts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Which of the readings (B, P) in diode mode, inf for OL and nan where there is none, are OL or a number by a slip;
    two masks (B, P). OL where the same copper, or the contact that does the same the other way up, reads a number on
    that board; a number where the others of the copper agree on another."""
    import numpy as np

    opens, off = np.zeros(volts.shape, dtype=bool), np.zeros(volts.shape, dtype=bool)
    by_net: dict[str, list[int]] = {}
    for column, point in enumerate(points):
        end = board.point_by_id[point].at
        if board.sureness.get(end, 1.0) >= SURE_OF_NET and not board.net_is_unknown(end):
            by_net.setdefault(board.net_of(end), []).append(column)
    for columns in by_net.values():
        if len(columns) > FEWEST_BESIDE:
            here = volts[:, columns]
            numbers = np.isfinite(here)
            count, open_here = numbers.sum(axis=1), np.isinf(here)
            opens[:, columns] = open_here & ((count >= FEWEST_BESIDE) & (count > open_here.sum(axis=1)))[:, None]
            off[:, columns] = _off(here, numbers)
    column_of = {point: column for column, point in enumerate(points)}
    for port in board.ports:
        for pair in port.twins:
            one, other = (column_of.get(f"{port.component}.{name}") for name in pair)
            if one is not None and other is not None:
                opens[:, [one, other]] |= np.isinf(volts[:, [one, other]]) & np.isfinite(volts[:, [other, one]])
    return opens, off


def _off(here: np.ndarray, numbers: np.ndarray) -> np.ndarray:
    """Of the readings of one copper, (B, P): which lie apart from all others, which agree."""
    import numpy as np

    off = np.zeros(here.shape, dtype=bool)
    for k in range(here.shape[1]):
        others = np.where(numbers, here, np.nan)[:, np.arange(here.shape[1]) != k]
        enough = np.isfinite(others).sum(axis=1) >= FEWEST_BESIDE
        if enough.any():
            seen = others[enough]
            low, high = np.nanmin(seen, axis=1), np.nanmax(seen, axis=1)
            own = here[enough, k]
            away = np.maximum(low - own, own - high)
            off[enough, k] = numbers[enough, k] & (high - low < OFF_ON_COPPER_VOLTS) & (away > OFF_ON_COPPER_VOLTS)
    return off
