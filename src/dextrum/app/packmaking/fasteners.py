"""A map of how a unit opens, made line by line while it is opened for the first time."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import get_args

from dextrum.core.board import Board
from dextrum.core.board.fasteners import Fastener, FastenerKind, wrong_fasteners
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

FASTENER_HINT = tr("What was undone: screw 6 mm cross 00 corner of the back; then click where, or end with at 8 8")
KINDS: tuple[FastenerKind, ...] = get_args(FastenerKind)
LETTER = {"screw": "S", "ribbon": "R", "clip": "C", "adhesive": "A", "cover": "K"}
HEADS = re.compile(r"\b((?:cross|tri-point|torx|hex|slot)\s*\S{0,4}\d+)", re.IGNORECASE)
_MM = re.compile(r"(\d+(?:[.,]\d+)?)\s*mm\b", re.IGNORECASE)
_AT = re.compile(r"\bat\s+(\d+(?:[.,]\d+)?)\s+(\d+(?:[.,]\d+)?)\s*$", re.IGNORECASE)
_DEEPEST = re.compile(r"\bat most\s+(\d+(?:[.,]\d+)?)(?:\s*mm)?\b", re.IGNORECASE)


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def says_where(text: str) -> bool:
    """Whether a line ends with a place."""
    return _AT.search(text) is not None


def with_case(board: Board, width_mm: float, height_mm: float) -> Board:
    """The pack with the true size of the case. Raises EntryRefusedError where something on its map lies beside it."""
    grown = replace(board, case_mm=((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm)))
    wrong = next(iter(wrong_fasteners(grown)), None)
    if wrong is not None:
        raise EntryRefusedError(tr("{wrong} {wrong2}: the case is larger than that.", wrong=wrong[0],
                                   wrong2=wrong[1]), tr("Nothing was changed."))
    return grown


def with_fastener(board: Board, text: str, reached: str = "") -> tuple[Board, Fastener]:
    """The pack with one fastener more, at the level that is opened next. reached: the access level the unit is opened
    to. Raises EntryRefusedError."""
    words = text.strip()
    kind = next((one for one in KINDS if words.lower().startswith(one)), None)
    if kind is None:
        raise EntryRefusedError(tr("{words!r} begins with no kind of fastener.",
                                   words=words[:20]), tr("Nothing was added."),
                                tr("One of {kinds}; such as screw 6 mm at 8 8.", kinds=", ".join(KINDS)))
    rest = words[len(kind):]
    place = _AT.search(rest)
    if place is None:
        raise EntryRefusedError(tr("It lies nowhere."), tr("Nothing was added."),
                                tr("At its end: at and millimetres from the case's left and top, such as at 8 8."))
    rest = rest[:place.start()]
    deepest = _DEEPEST.search(rest)
    rest = rest.replace(deepest[0], " ") if deepest else rest
    length = _MM.search(rest)
    rest = rest.replace(length[0], " ") if length else rest
    head = HEADS.search(rest)
    rest = rest.replace(head[0], " ") if head else rest
    levels = [level.id for level in board.access_levels[1:]] or [level.id for level in board.access_levels]
    if not levels:
        raise EntryRefusedError(tr("This pack has no access levels."), tr("Nothing was added."),
                                tr("Say how it opens: Another model…"))
    number = 1 + max((int(found[1]) for one in board.fasteners
                      if (found := re.fullmatch(rf"{LETTER[kind]}(\d+)", one.id))), default=0)
    following = levels[min(board.access_order.get(reached, 0), len(levels) - 1)]
    before = board.fasteners[-1].access if board.fasteners else following
    level = max(following, before, key=lambda one: board.access_order[one])
    try:
        made = Fastener(f"{LETTER[kind]}{number}", level, kind, _number(place[1]), _number(place[2]),
                        " ".join(rest.split())[:80], _number(length[1]) if length and kind == "screw" else 0.0,
                        head[0] if head else "", _number(deepest[1]) if deepest else 0.0)
    except ValueError as problem:
        raise EntryRefusedError(f"{problem}.".replace("; expected", ": expected"), tr("Nothing was added.")) from None
    grown = replace(board, fasteners=(*board.fasteners, made))
    wrong = next(iter(wrong_fasteners(grown)), None)
    if wrong is not None:
        raise EntryRefusedError(tr("{wrong} {wrong2}: expected {wrong3}.", wrong=wrong[0], wrong2=wrong[1],
                                   wrong3=wrong[2]), tr("Nothing was added."))
    return grown, made
