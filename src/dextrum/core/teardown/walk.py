"""Where the way in or the way back stands: what is next, what is missing, which screw would reach the board."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from dextrum.core.board import Board
from dextrum.core.board.fasteners import Fastener
from dextrum.core.job import JobFacts
from dextrum.core.saying import Say, plain
from dextrum.tongue import capital, tr

Way = Literal["in", "back"]
OUT_STATES = frozenset({"out", "rounded", "wrong_length", "missing"})
"""Not in its place any more, or never was."""
SPARE_MM = 0.05
"""Two screws whose lengths differ by less are of one length."""


@dataclass(frozen=True)
class TeardownState:
    """way: in while something is still to be undone there, back once the technician turned round. next: the fastener in
    hand, None at the end. out: undone by now; back: done up again; missing: not there, none in its place."""

    way: Way
    next: Fastener | None
    out: tuple[str, ...]
    back: tuple[str, ...]
    missing: tuple[str, ...]
    amiss: tuple[str, ...]


def states_of(facts: JobFacts) -> Mapping[str, str]:
    """Fastener to its latest state."""
    return {name: one.state for name, one in (facts.fasteners or {}).items()}


def teardown_state(board: Board, facts: JobFacts, way: Way) -> TeardownState:
    """The way in goes by the pack's order, the way back by its reverse."""
    state = states_of(facts)
    order = board.fasteners if way == "in" else tuple(reversed(board.fasteners))
    if way == "in":
        following = next((one for one in order if state.get(one.id) not in OUT_STATES), None)
    else:
        following = next((one for one in order if state.get(one.id) in OUT_STATES - {"missing"}), None)
    return TeardownState(
        way, following, tuple(one.id for one in board.fasteners if state.get(one.id) in OUT_STATES),
        tuple(one.id for one in board.fasteners if state.get(one.id) == "in"),
        tuple(one.id for one in board.fasteners if state.get(one.id) == "missing"),
        tuple(facts.fasteners_amiss or {}))


def too_long_for(board: Board, facts: JobFacts, one: Fastener) -> float:
    """Length of the longest screw among those that are out that would reach the board in this hole; 0 for none."""
    if one.kind != "screw" or not one.deepest_mm:
        return 0.0
    found = facts.fasteners or {}
    state = states_of(facts)
    lengths = [found[other.id].length_mm or other.length_mm for other in board.fasteners
               if other.kind == "screw" and state.get(other.id) in OUT_STATES - {"missing"}]
    return max((length for length in lengths if length > one.deepest_mm + SPARE_MM), default=0.0)


def level_reached(board: Board, facts: JobFacts) -> str:
    """The deepest access level all of whose fasteners, and those above, are undone; empty for none."""
    state, reached = states_of(facts), ""
    for level in board.access_levels:
        of_level = [one for one in board.fasteners if one.access == level.id]
        if any(state.get(one.id) not in OUT_STATES for one in of_level):
            break
        reached = level.id if of_level else reached
    return reached


def missing_words(board: Board, facts: JobFacts, say: Say = plain) -> tuple[str, ...]:
    """What the owner is told: which are missing, rounded, or were of a wrong length."""
    words = {"missing": "missing", "rounded": tr("its head is rounded"), "wrong_length": tr("a wrong one was in it")}
    by_id = {one.id: one for one in board.fasteners}
    found = []
    for name, one in (facts.fasteners_amiss or {}).items():
        fastener = by_id.get(name)
        what = name
        if fastener is not None:
            what = f"{say(fastener.kind)} {name}" + (f", {say(fastener.words)}" if fastener.words else "")
        length = tr(" ({length_mm:g} mm)",
                    length_mm=one.length_mm) if one.state == "wrong_length" and one.length_mm else ""
        found.append(f"{capital(what)}: {say(words[one.state])}{length}.")
    return tuple(found)
