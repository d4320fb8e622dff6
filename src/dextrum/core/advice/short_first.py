"""A rail that is shorted for sure is searched before a chip elsewhere is changed that is not sure.

The short has to be found anyhow, so that the order costs nothing; and once it is mended, what the owner said and what
failed may turn out to have been its doing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.elimination import shorted_points
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import AS_GOOD_AS_FOUND
from dextrum.core.diagnosis.injection import rail_group, rail_shorts
from dextrum.tongue import tr


def short_first(weighing: Weighing, part: str, ranked: Sequence[Action]) -> Action | None:
    """The best step that searches a rail which something other than `part` shorts, as good as surely; None where there
    is no such rail, or nothing to search it by."""
    board, model = weighing.board, weighing.advice.model.isolating(weighing.facts.isolated)
    own = model.hypotheses.rows_of_part(part)
    for point in shorted_points(weighing.advice, weighing.facts):
        net = board.net_of_point[point]
        by_others = (rail_shorts(model, net) > 0.0) & ~own
        if float(weighing.weight @ by_others[weighing.sets].any(axis=1)) < AS_GOOD_AS_FOUND:
            continue
        group = rail_group(model, net)
        step = next((action for action in ranked if (
            action.kind == "inject" and rail_group(model, action.target) == group)
            or (action.kind == "isolate" and point in action.points)), None)
        if step is not None:
            return replace(step, why=tr("{net} is shorted, and that has to be found anyhow; whether {part} is at fault "
                                        "as well shows after it. {why}", net=net, part=part, why=step.why))
    return None
