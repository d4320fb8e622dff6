"""What the readings of one part say together: a fuse is through; a filter is through on each line and open across."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from dextrum.core.board.kinds import ComponentKind, NetRole
from dextrum.core.board.model import Board, Component, Point
from dextrum.tongue import tr

State = Literal["good", "bad", "half", "unread"]


@dataclass(frozen=True)
class PartCheck:
    """missing: points still to be measured before the part may be called good, in the pack's order."""

    part: str
    state: State
    words: str
    missing: tuple[str, ...]


def ends_words(board: Board, part: Component) -> str:
    """Where a capacitor's ends sit: 'one end on ground' or 'both ends on signals: BTST and SW_CHG'."""
    if part.kind is not ComponentKind.CAPACITOR or len(part.terminals) != 2:
        return ""
    grounded = [board.net_by_name[t.net].role is NetRole.GROUND for t in part.terminals]
    nets = [tr("a net nobody knows yet") if board.net_is_unknown(f"{part.designator}.{t.name}") else t.net
            for t in part.terminals]
    if any(grounded):
        return tr("one end on ground, the other on {nets}",
                  nets=nets[grounded.index(False)]) if not all(grounded) else ""
    return tr("both ends on signals: {nets} and {nets2}", nets=nets[0], nets2=nets[1])


PLAIN_THROUGH_OHMS = 10.0
PLAIN_ACROSS_OHMS = 1000.0


def plainly_off(board: Board, point: Point, ohms: float) -> bool:
    """Whether an end-to-end reading is wrong by itself, where no known-good board says more."""
    part = board.component_by_designator.get(point.part)
    kind = _across_or_through(part, point) if part is not None else ""
    return ohms > PLAIN_THROUGH_OHMS if kind == "through" else kind == "across" and ohms < PLAIN_ACROSS_OHMS


def points_of_part(board: Board, designator: str) -> tuple[Point, ...]:
    """Points on a part, those from end to end included."""
    return tuple(p for p in board.points if p.part == designator)


def _across_or_through(part: Component, point: Point) -> str:
    if point.to is None or not part.lines or not point.to.startswith(f"{part.designator}."):
        return ""
    ends = {point.at.partition(".")[2], point.to.partition(".")[2]}
    if any(ends == set(line) for line in part.lines):
        return "through"
    return "across" if part.kind is ComponentKind.FILTER else ""


def points_across(board: Board, designator: str) -> tuple[str, ...]:
    """Points from one line of a part to the other, one for each end of it that the pack has."""
    part = board.component_by_designator.get(designator)
    return () if part is None else tuple(
        p.id for p in points_of_part(board, designator) if _across_or_through(part, p) == "across")


def telling_only_where(board: Board, designator: str) -> frozenset[str]:
    """Points across the lines of a part but the first: lines that are joined read so at either end, and the other end
    only tells where."""
    return frozenset(points_across(board, designator)[1:])


def part_check(board: Board, designator: str, off: Mapping[str, bool]) -> PartCheck | None:
    """A fuse, link, coil or filter by its end-to-end readings; None for other parts and where the pack has no such
    points. off: by point, whether its reading is not a good board's, for those that were read."""
    part = board.component_by_designator.get(designator)
    if part is None:
        return None
    wanted = [(p, kind) for p in points_of_part(board, designator) if (kind := _across_or_through(part, p))]
    if not wanted:
        return None
    across = [p for p, kind in wanted if kind == "across"]
    asked = next((p for p in across if p.id in off), across[0] if across else None)  # either end says whether
    wanted = [(p, kind) for p, kind in wanted if kind == "through" or p.id in off or p is asked]
    bad = [(p, kind) for p, kind in wanted if off.get(p.id)]
    missing = tuple(p.id for p, _ in wanted if p.id not in off)
    if bad:
        wrong = {"through": tr("is not through"), "across": tr("is joined across")}
        said = tr(" and ").join(f"{'-'.join(_ends(p))} {wrong[kind]}" for p, kind in bad)
        return PartCheck(designator, "bad", f"{designator}: {said}.", missing)
    if len(missing) == len(wanted):
        return PartCheck(designator, "unread", f"{designator}: {_ask(wanted)}.", missing)
    if missing:
        due = _ask([(p, kind) for p, kind in wanted if p.id in missing])
        return PartCheck(designator, "half", tr("{designator} is half measured: {due}, before it is called good.",
                                                designator=designator, due=due),
                         missing)
    whole = tr("through on every line, open across") if any(k == "across" for _, k in wanted) else tr("through")
    return PartCheck(designator, "good", f"{designator}: {whole}.", ())


def _ends(point: Point) -> tuple[str, str]:
    return point.at.partition(".")[2], (point.to or "").partition(".")[2]


def _ask(due: list[tuple[Point, str]]) -> str:
    return tr("measure ") + ", ".join(f"{'-'.join(_ends(p))} {tr(kind)}" for p, kind in due)
