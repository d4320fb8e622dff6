"""What is allowed in a pack and yet likely a slip, in the order in which it hurts."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher

from dextrum.core.board.kinds import ComponentKind, Method, NetRole
from dextrum.core.board.model import Board, Component
from dextrum.tongue import tr

FAR_VOLTS = 0.15
"""Known-good this far from what the pack's own junctions give: one of the two is another board's."""
FEWEST_ENDS, MOST_ON_ONE, MOST_ON_GROUND = 12, 0.35, 0.75
"""From so many ends on, the share of them that one net, or ground, holds at most: a tenth and a third on the boards at
hand."""
CROSSWISE = 0.12
"""How much better the nets' names match crosswise before a filter's order is doubted."""


@dataclass(frozen=True)
class Doubt:
    """place: which item; words: what is doubtful, and what is then wrong."""

    place: str
    words: str


def _alike(one: str, other: str) -> float:
    return SequenceMatcher(None, one, other).ratio()


def _crosswise(part: Component) -> bool:
    """Whether a filter's lines seem to run from each terminal to the wrong one."""
    names = [t.name for t in part.terminals]
    if all(n.isdigit() for n in names) and names != sorted(names, key=int):
        return True
    a, b, c, d = (t.net for t in part.terminals)
    return _alike(a, d) + _alike(c, b) > _alike(a, b) + _alike(c, d) + CROSSWISE


def net_of_everything(board: Board) -> Doubt | None:
    """One net with most of the board's ends on it: tips that touched one another make one, and so does a board whose
    rails are all on ground."""
    ends = [terminal.net for part in board.components if not part.undescribed for terminal in part.terminals]
    if len(ends) < FEWEST_ENDS:
        return None
    name, count = Counter(ends).most_common(1)[0]
    net = board.net_by_name.get(name)
    most = MOST_ON_GROUND if net is not None and net.role is NetRole.GROUND else MOST_ON_ONE
    if count <= most * len(ends):
        return None
    return Doubt(name, tr("{count} of {all} ends are on it: did the tips touch, or was the board that was probed "
                          "shorted?", count=count, all=len(ends)))


def structural_doubts(board: Board, folder: str = "") -> list[Doubt]:
    """From the board alone. folder: the name it lies under, where that is known."""
    found: list[Doubt] = []
    if not any(net.role is NetRole.GROUND for net in board.nets):
        found.append(Doubt("nets", tr("no net has the role ground: nothing can be read against it")))
    whole = net_of_everything(board)
    if whole is not None:
        found.append(whole)
    for part in board.components:
        if part.kind is ComponentKind.FILTER and len(part.terminals) == 4 and _crosswise(part):
            order = ", ".join(t.name for t in part.terminals)
            found.append(Doubt(part.designator, tr("terminals are listed as {order}, and each line runs between two "
                                                   "neighbours of the list: its lines seem to be crossed",
                                                   order=order)))
    if not board.ports:
        found.append(Doubt("ports", tr("no port: contacts can't be read, and the supply can't be told by orientation")))
    if not board.access_levels:
        found.append(Doubt("access_levels", tr("none: getting at a point is taken to cost nothing")))
    if not board.repair_rules and board.components:
        found.append(Doubt("repair_rules", tr("none: no repair can be advised")))
    if not board.checks:
        found.append(Doubt("checks", tr("none: a repair can't be proved")))
    elif board.functions and not any(check.functions for check in board.checks):
        found.append(Doubt("checks", tr("none names a function: a check that fails speaks of no part")))
    if folder and folder != board.pack_id:
        found.append(Doubt("pack_id", tr("is {pack_id!r}, and the folder is {folder!r}: jobs look for the first",
                                         pack_id=board.pack_id, folder=folder)))
    return found


def reading_doubts(board: Board, middles: Mapping[str, float], predicted: Mapping[str, float]) -> list[Doubt]:
    """Known-good far from what the pack's junctions give. middles, predicted: volts by point, inf for OL."""
    found: list[tuple[float, Doubt]] = []
    for point, read in middles.items():
        own = predicted.get(point)
        if own is None or (math.isinf(read) and math.isinf(own)):
            continue
        away = math.inf if math.isinf(read) or math.isinf(own) else abs(read - own)
        if away > FAR_VOLTS:
            shown = ["OL" if math.isinf(v) else f"{v:.3f} V" for v in (read, own)]
            found.append((away, Doubt(point, tr("known-good reads {shown}, the pack's junctions give {shown2}",
                                                shown=shown[0], shown2=shown[1]))))
    return [doubt for _, doubt in sorted(found, key=lambda one: -one[0])]


def middles_of(readings: Iterable[tuple[str, Method, float]]) -> dict[str, float]:
    """The middle of what known-good boards read, red on ground, by point."""
    taken: dict[str, list[float]] = {}
    for point, method, value in readings:
        if method is Method.DIODE_RED_GROUND:
            taken.setdefault(point, []).append(value)
    return {point: sorted(values)[len(values) // 2] for point, values in taken.items()}
