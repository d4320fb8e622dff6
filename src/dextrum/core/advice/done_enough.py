"""Repairs that have been done so often in a job that they are not advised once more.

What goes on as it was after two new parts has another cause. But a filter whose second winding is open where the first
was before has been mended, and hurt anew: that repair does not count against another one.
"""

from __future__ import annotations

from collections import Counter

from dextrum.core.advice.repairs import RepairOptions
from dextrum.core.assumptions.planning import MOST_TIMES
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.reference.off_points import verdicts_at
from dextrum.core.reference.table import ReferenceTable


def done_enough(board: Board, references: ReferenceTable, options: RepairOptions, facts: JobFacts) -> tuple[int, ...]:
    """Places of the options that are not advised once more. A part that was fitted and is seen missing has come off:
    that is no reason to look elsewhere, and it is fitted again."""
    often = Counter((rework.part, rework.action) for _, rework in facts.reworks)
    enough = {(part, action) for (part, action), times in often.items()
              if times >= MOST_TIMES and facts.parts_seen.get(part) != "missing"
              and times - _changed_it(board, references, facts, part, action) >= MOST_TIMES}
    return tuple(k for k, option in enumerate(options.options) if enough and (option.part, option.verb) in enough)


def _changed_it(board: Board, references: ReferenceTable, facts: JobFacts, part: str, action: str) -> int:
    """How many of the repairs of this kind on a part changed which of its ends read off."""
    own = [point.id for point in board.points if point.to is not None and point.part == part
           and point.to.partition(".")[0] == part and not board.is_to_ground(point.id)]
    if not own:
        return 0
    is_off: list[dict[str, bool]] = []
    for epoch in range(facts.epoch + 1):
        found = verdicts_at(board, references, facts, epoch)
        is_off.append({point: any(verdict.is_off for verdict in found[point]) for point in own if point in found})
    worked_on = sorted({epoch for epoch, rework in facts.reworks if rework.part == part})
    changed = 0
    for epoch, rework in facts.reworks:
        if (rework.part, rework.action) == (part, action):
            until = next((later for later in worked_on if later > epoch), facts.epoch + 1)
            before = next((ends for ends in reversed(is_off[:epoch]) if ends), {})
            after = next((ends for ends in is_off[epoch:until] if ends), {})
            changed += any(before[point] != after[point] for point in before.keys() & after.keys())
    return changed
