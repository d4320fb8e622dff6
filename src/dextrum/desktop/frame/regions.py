"""How wide the shelf and the reasoning are, and how high the trail, by the window's size and the size of text, and when
they fold away."""

from __future__ import annotations

from dataclasses import dataclass

SHELF, REASONING = 196, 306
"""Pixels at 100 % text in a window of the usual width."""
USUAL, WIDEST_REASONING, REASONING_SHARE = 1280, 520, 0.28
"""Of what a window is wider than usual, this share goes to the reasoning, up to its widest: words in full."""
SHELF_BY_TEXT, REASONING_BY_TEXT = 0.4, 0.25
"""How much of a growth of the text each takes part in; lines wrap, so less than all of it."""
LEAST_VIEW = 560
"""Pixels that a view needs at 100 % text. Below it the shelf folds first, then the reasoning."""
VIEW_BY_TEXT = 0.5
LOW = 520
"""Pixels of a window's height at 100 % text below which an entry of the trail is a line and no card: the view comes
first."""
CARD_LINES = 3
"""Of an entry of the trail: when, what, and its detail."""


@dataclass(frozen=True)
class Regions:
    """Widths in pixels, 0 where folded away; and which ones fold at this size."""

    shelf: int
    reasoning: int
    shelf_folds: bool
    reasoning_folds: bool


def _grown(size: float, scale: int, share: float) -> int:
    return round(size * (1 + (scale / 100 - 1) * share))


def regions(width: int, scale: int, unfolded: str = "") -> Regions:
    """width: of the window, pixels; scale: of text, percent; unfolded: 'shelf' or 'reasoning', where one that folds is
    shown all the same."""
    shelf = _grown(SHELF, scale, SHELF_BY_TEXT)
    wider = min(WIDEST_REASONING - REASONING, max(0.0, (width - USUAL) * REASONING_SHARE))
    reasoning = _grown(REASONING + wider, scale, REASONING_BY_TEXT)
    view = _grown(LEAST_VIEW, scale, VIEW_BY_TEXT)
    reasoning_folds = width - reasoning < view
    shelf_folds = reasoning_folds or width - shelf - reasoning < view
    if unfolded == "shelf" and shelf_folds:
        return Regions(shelf, 0, True, True)
    if unfolded == "reasoning" and reasoning_folds:
        return Regions(0, min(reasoning, width // 2), True, True)
    return Regions(0 if shelf_folds else shelf, 0 if reasoning_folds else reasoning, shelf_folds, reasoning_folds)


def trail_lines(height: int, scale: int) -> int:
    """How many lines an entry of the trail has. height: of the window, pixels; scale: of text, percent."""
    return CARD_LINES if height * 100 >= LOW * scale else 1
