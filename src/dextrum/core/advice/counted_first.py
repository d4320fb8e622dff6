"""Before a chip is changed or lifted, the small parts round it are counted against the list.

The photo and the list are due before heat anyhow, since after it nobody can say what was there before. Read through
before the iron is hot, they show an empty place, a bridge or a part put in turned round, and that may be why the chip
seems dead: a chip that misses a capacitor on its supply reads well at every point.
"""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.looking import look_access, look_outcomes
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import COUNT_MINUTES
from dextrum.core.diagnosis.board_look import audit_look_shows
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.telling import LookRound
from dextrum.core.safety.gates import few
from dextrum.tongue import tr


def counted_first(weighing: Weighing, part: str) -> Action | None:
    """Counting what lies round this part; None where its side has been looked over, what lies round it was counted or
    audited, or nothing does."""
    board, facts, model = weighing.board, weighing.facts, weighing.advice.model
    place = board.component_by_designator.get(part)
    if place is None or place.side.value in (facts.board_looks or {}) or any(
            look.before_heat_on == part for _, look in facts.counted_before) or any(
            audit.part == part for _, audit in facts.audits):
        return None
    beside = looked_round(board, model.heat, part)
    if not beside:
        return None
    shows = audit_look_shows(model, LookRound(part, (), False, frozenset(), before_heat=True), beside)
    names, joint = look_outcomes(weighing, shows)
    weighing.tell("count_round", part, names, joint)
    access = look_access(board, place.side)
    minutes = board.minutes_to(access, facts.access) + COUNT_MINUTES
    softened = model.heat.softened(part)
    named = tuple(sorted(beside, key=lambda name: (-softened.get(name, 0.0), name)))
    return Action(
        "count_round", part, tr("Count the parts round {part}", part=part),
        tr("{count} parts on the {side} side: {few}", count=len(beside), side=tr(place.side.value), few=few(named)),
        tr("Photo and list are due before the heat. An empty place, a bridge or a part the wrong way round there may "
           "be why {part} seems dead.", part=part),
        minutes, weighing.minutes_cost(minutes), weighing.now)
