"""What a check of the proof needs to stand before it can be tried, and what "put together just enough" means."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.board.bounds import STRICT, require
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board.model import Board


@dataclass(frozen=True)
class SetUp:
    """Something that stands while checks are tried: the dock, one way up of the plug, a heat sink on its place.

    words: what is to be done. minutes: of a check's own, that are saved where it stands already from the check before.
    place: two of one place can't stand at a time, such as the two ways up; without a place it stays. fasteners: of the
    pack's map, that must be in for it.
    """

    __pydantic_config__ = STRICT
    id: str
    words: str
    minutes: float = 0.0
    place: str = ""
    fasteners: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        require(self.minutes, 0.0, 600.0, "minutes")


def wrong_set_ups(board: Board) -> Iterator[tuple[str, str, str]]:
    """Id, what is wrong, and what was expected."""
    known = {one.id: one for one in board.set_ups}
    if len(known) != len(board.set_ups):
        yield "set_ups", tr("name one of them twice"), tr("each id once")
    screws = {one.id for one in board.fasteners}
    for one in board.set_ups:
        for name in one.fasteners:
            if name not in screws:
                yield one.id, tr("fastener {name!r} is not listed", name=name), tr("an id from fasteners")
    for check in board.checks:
        unknown = [name for name in check.set_up if name not in known]
        if unknown:
            yield check.id, tr("set-up {unknown!r} is not listed", unknown=unknown[0]), tr("an id from set_ups")
            continue
        needs = [known[name] for name in check.set_up]
        places = [one.place for one in needs if one.place]
        if len(set(places)) != len(places):
            yield check.id, tr("needs two set-ups of one place"), tr("one of each place")
        if sum(one.minutes for one in needs) > check.minutes + 1e-9:
            yield (check.id, tr("takes {minutes:g} min, and its set-ups more than that", minutes=check.minutes),
                   tr("minutes with setting up"))
