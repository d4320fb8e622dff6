"""The usual cautions: each is shown where it bites, and is gone once it no longer does.

They belong to the program and to what is done, not to a pack, so a board that nobody has described shows them too. A
pack adds its own, and may word one of these in its own way by giving it the same id.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.tongue import tr


def _always(_facts: JobFacts) -> bool:
    return True


def _cell_is_in(facts: JobFacts) -> bool:
    return facts.cell != "unplugged"


def _swollen(facts: JobFacts) -> bool:
    return facts.own_cell_swollen


def _open(facts: JobFacts) -> bool:
    return bool(facts.access)


@dataclass(frozen=True)
class GeneralCaution:
    """views and actions: where it bites. bites: whether it still does, by what stands on the job."""

    id: str
    words: str
    views: tuple[str, ...] = ()
    actions: tuple[str, ...] = ()
    bites: Callable[[JobFacts], bool] = _always


HOT, LIVE = ("repair", "isolate"), ("supply", "wait_draw", "wait_charge", "swap_cell", "try", "prove", "rail")
CAUTIONS: tuple[GeneralCaution, ...] = (
    GeneralCaution("licence", tr("Where local law asks for a licence or an authorised repairer, that comes first. "
                                 "Dextrum advises; it does not certify."), ("intake", "handover")),
    GeneralCaution("swollen", tr("A swollen cell is never pressed, pierced or charged: set it apart, hand it to a "
                                 "licensed recycler. Posting it is restricted; carrier and local rules decide."),
                   ("intake", "supply", "port", "board", "rework", "proof", "handover"), ("make_safe",), _swollen),
    GeneralCaution("cell", tr("Cell out before probes, heat or injection; never bend, pierce or heat it."),
                   ("port", "board", "rework"), (*HOT, "inject", "measure", "scan", "unplug_cell"), _cell_is_in),
    GeneralCaution("esd", tr("Wear the wrist strap: a touch can kill a chip."), ("board", "rework"), HOT, _open),
    GeneralCaution("heat", tr("Hot air and irons burn: keep alcohol away from hot tools."), ("rework",), HOT),
    GeneralCaution("fumes", tr("Run the fume extraction."), ("rework",), HOT),
    GeneralCaution("lead", tr("Leaded solder: wash hands, keep its waste apart, follow local rules."), ("rework",),
                   ("repair",)),
    GeneralCaution("uv", tr("Do not look into the UV lamp."), ("rework",), ("wire",)),
    GeneralCaution("injection", tr("Start at the lowest voltage and raise it, current-limited; never above the "
                                   "rail's own voltage, never with the cell in or near."), (), ("inject",)),
    GeneralCaution("mains", tr("Supplies are not opened here: mains is for qualified people."), ("supply",)),
    GeneralCaution("unattended", tr("Stay near while it charges; unplug it if it gets warm or swells."),
                   ("supply", "proof"), LIVE),
    GeneralCaution("isolate", tr("Set it apart on something that does not burn; no charging, no plugging in."), (),
                   ("make_safe",)),
)


def cautions_in_view(board: Board | None, facts: JobFacts, view: str) -> tuple[str, ...]:
    """What to show in a view, the program's own first; a pack's own words for one of them win."""
    own = {caution.id: caution for caution in (board.cautions if board is not None else ())}
    general = [own[c.id].words if c.id in own else c.words for c in CAUTIONS if view in c.views and c.bites(facts)]
    known = {c.id for c in CAUTIONS}
    return (*general, *(c.words for c in own.values() if c.id not in known and view in c.views))


def cautions_of_action(facts: JobFacts, kind: str, detail: str = "") -> tuple[str, ...]:
    """What to show beside a step. detail: of a repair, what is done."""
    return tuple(c.words for c in CAUTIONS if (kind in c.actions or detail in c.actions) and c.bites(facts))
