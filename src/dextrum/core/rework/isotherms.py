"""Lines of equal temperature over a board: marching squares between the middles of the grid's cells.

W. E. Lorensen, H. E. Cline, Computer Graphics 21 (1987) in two dimensions, by the contourpy library.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from dextrum.core.rework.heat import Grid


def over_the_rectangle(grid: Grid, celsius: np.ndarray) -> np.ndarray:
    """Degrees of the cells inside, (cells,), as (rows, columns) with NaN where there is no board."""
    whole = np.full(grid.inside.shape, np.nan)
    whole[grid.inside] = celsius
    return whole


def isotherms(grid: Grid, celsius: np.ndarray, levels: Iterable[float]) -> dict[float, tuple[np.ndarray, ...]]:
    """For each level its lines, each (N, 2) of x and y in millimetres; none where no place of the board has it.

    celsius: of the cells inside, (cells,). A line ends where the board does.
    """
    rows, columns = grid.inside.shape
    if rows < 2 or columns < 2:
        return dict.fromkeys(levels, ())
    from contourpy import contour_generator

    x, y = _middles(columns, grid.left_mm, grid.step_mm), _middles(rows, grid.top_mm, grid.step_mm)
    found = contour_generator(x, y, np.ma.masked_invalid(over_the_rectangle(grid, celsius)), corner_mask=True)
    return {level: tuple(np.asarray(line) for line in found.lines(level)) for level in levels}


def _middles(count: int, begin_mm: float, step_mm: float) -> np.ndarray:
    return np.asarray(begin_mm + (np.arange(count) + 0.5) * step_mm)
