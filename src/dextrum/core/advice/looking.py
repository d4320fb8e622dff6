"""Looking over a side of the board: what it costs, and what it would mean to see a part missing, burst or askew."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.repairs import deeper
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Board, Side
from dextrum.core.diagnosis.board_look import shows_on, sides_to_look_at
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW
from dextrum.core.looks import BOARD_FINDING_WORDS
from dextrum.tongue import tr

MOST_SHOWN = 24
"""Parts of which it is told apart whether they are seen; all others count as one."""


def look_access(board: Board, side: Side) -> str:
    """How far the unit must be open for a side of the board to be seen."""
    return deeper(board, board.access_levels[1].id if len(board.access_levels) > 1 else "", side)


def board_look_actions(weighing: Weighing) -> list[Action]:
    """Each side that nobody has looked over on this job."""
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    actions = []
    for side in sides_to_look_at(board):
        if side.value in (facts.board_looks or {}):
            continue
        names, joint = look_outcomes(weighing, shows_on(weighing.advice.model, side))
        access = look_access(board, side)
        minutes = board.minutes_to(access, facts.access) + rates.board_look_minutes
        cost = weighing.minutes_cost(minutes)
        weighing.tell("look_board", side.value, names, joint)
        level = next((lv.words for lv in board.access_levels if lv.id == access), access)
        actions.append(Action(
            "look_board", side.value, tr("Look over the board, {side} side",
                                         side=tr(side.value)), tr("{level} · under magnification", level=level),
            tr("Missing, burst or askew parts, corrosion, flux from earlier work; no reading tells a missing "
               "capacitor."),
            minutes, cost, float(joint.sum(axis=1) @ weighing.expect(joint, access)) + cost))
    return actions


def look_outcomes(weighing: Weighing, shows: np.ndarray) -> tuple[list[str], np.ndarray]:
    """What may be seen, and the weight of it under each set, (outcomes, L): each part of which anything shows with what
    it shows, in the end nothing. shows: chance that each row's fault shows, (R,). Of several that would show the first
    of a set counts. What is known to be so from an earlier look is no news: it tells nothing the next time."""
    known, of = weighing.advice.what_shows
    before = weighing.showing(weighing.facts.parts_seen.items())
    shows = np.where(before, 0.0, shows)
    sets = weighing.sets
    every = np.arange(len(sets))
    left = weighing.weight.copy()
    seen = np.zeros((len(known) + 1, len(sets)), dtype=np.float32)
    for k in range(sets.shape[1]):
        rows = sets[:, k]
        new = (sets[:, :k] != rows[:, None]).all(axis=1) & (rows >= FIRST_FAULT_ROW)
        part = left * np.where(new, shows[rows], 0.0).astype(np.float32)
        left -= part
        seen[of[rows], every] += part
    seen = seen[:-1]
    chance = seen.sum(axis=1)
    ranked = np.argsort(-chance, kind="stable")
    ranked = ranked[chance[ranked] > 0]
    told, rest = ranked[:MOST_SHOWN], ranked[MOST_SHOWN:]
    names = [*(_in_words(known[n]) for n in told), *([tr("another part")] if len(rest) else []),
             tr("nothing more amiss") if before.any() else tr("nothing amiss")]
    others = [seen[rest].sum(axis=0)] if len(rest) else []
    return names, np.stack([*seen[told], *others, left])


def _in_words(shown: str) -> str:
    """'C62 missing', in the window's language."""
    part, _, what = shown.rpartition(" ")
    return f"{part} {BOARD_FINDING_WORDS[what]}"
