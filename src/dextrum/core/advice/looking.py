"""Looking over a side of the board: what it costs, and what it would mean to see a part missing, burst or crooked."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.repairs import deeper
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Board, Side
from dextrum.core.diagnosis.board_look import shown_as, shows_on, sides_to_look_at
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW

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
        names, joint = _outcomes(weighing, side)
        access = look_access(board, side)
        minutes = board.minutes_to(access, facts.access) + rates.board_look_minutes
        cost = weighing.minutes_cost(minutes)
        weighing.tell("look_board", side.value, names, joint)
        level = next((lv.words for lv in board.access_levels if lv.id == access), access)
        actions.append(Action(
            "look_board", side.value, f"Look over the board, {side.value} side", f"{level} · under magnification",
            "Missing, burst or crooked parts, corrosion, flux from earlier work; no reading tells a missing capacitor.",
            minutes, cost, float(joint.sum(axis=1) @ weighing.expect(joint, access)) + cost))
    return actions


def _outcomes(weighing: Weighing, side: Side) -> tuple[list[str], np.ndarray]:
    """What may be seen, and the weight of it under each set, (outcomes, L): each part of which anything shows with what
    it shows, in the end nothing. Of several that would show the first of a set counts."""
    model = weighing.advice.model
    hypotheses, shows = model.hypotheses, shows_on(model, side)
    sets = weighing.sets
    left = weighing.weight.astype(float)
    seen: dict[str, np.ndarray] = {}
    for k in range(sets.shape[1]):
        rows = sets[:, k]
        new = (sets[:, :k] != rows[:, None]).all(axis=1) & (rows >= FIRST_FAULT_ROW)
        chance = np.where(new, shows[rows], 0.0)
        part = left * chance
        left = left - part
        for index in np.unique(hypotheses.fault_of_row[rows[part > 0]]).tolist():
            fault = hypotheses.faults[index]
            name = f"{fault.part} {shown_as(weighing.board, fault)[0]}"
            here = np.where(hypotheses.fault_of_row[rows] == index, part, 0.0)
            seen[name] = seen[name] + here if name in seen else here
    ranked = sorted(seen, key=lambda name: -float(seen[name].sum()))
    told, rest = ranked[:MOST_SHOWN], ranked[MOST_SHOWN:]
    parts = [seen[name] for name in told]
    if rest:
        parts.append(np.sum([seen[name] for name in rest], axis=0))
    names = [*told, *(["another part"] if rest else []), "nothing amiss"]
    return names, np.stack([*parts, left]).astype(np.float32)
