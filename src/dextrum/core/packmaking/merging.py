"""Two shops' packs of one board made one: what only one of them has is taken, what differs is decided item by item.

Items are matched by their own names. A part that the other shop calls otherwise is matched by its place, its side and
its kind, and takes our name wherever the other pack speaks of it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Any

from dextrum.core.board import Board
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.tongue import tr

SAME_PLACE_MM = 0.8
"""How far two hands may have placed the middle of one part apart."""
NAME_OF: Mapping[str, Callable[[Any], str]] = {
    "nets": lambda one: one.name, "components": lambda one: one.designator, "points": lambda one: one.id,
    "ports": lambda one: one.component, "access_levels": lambda one: one.id,
    "failure_rates": lambda one: f"{one.kind.value} {one.mode.value}", "traces": lambda one: one.id,
    "functions": lambda one: one.id, "symptoms": lambda one: one.id,
    "draw_states": lambda one: f"{one.id} {one.supply_class}",
    "repair_rules": lambda one: f"{one.kind.value} {one.action}",
    "checks": lambda one: one.id, "set_ups": lambda one: one.id, "rail_checks": lambda one: one.id,
    "sources": lambda one: one.of,
    "kits": lambda one: one.id, "cautions": lambda one: one.id, "fasteners": lambda one: one.id}
"""How the items of each section are told apart."""
WHOLE = ("outline_mm", "draw_outcomes", "cell", "case_mm", "prior_nothing", "prior_something_else", "unit_value",
         "donor_value", "supply_class_default", "kind_spreads", "spread_boards", "share_of_two", "share_of_three",
         "sisters", "circuit", "assumed")
"""Sections that are taken whole, from one of the two."""


@dataclass(frozen=True)
class Difference:
    """section and name of what differs. ours, theirs: what each says of it, in words."""

    section: str
    name: str
    ours: str
    theirs: str

    @property
    def id(self) -> str:
        """'components C14', by which it is decided."""
        return f"{self.section} {self.name}".strip()


@dataclass(frozen=True)
class MergedPack:
    """added: what only the other had, by section and name. renamed: the other's designators, and ours for them.
    differences: what both have and say otherwise; decided as asked, ours where nothing was."""

    board: Board
    known_good: tuple[KnownGoodReading, ...]
    added: tuple[str, ...]
    renamed: tuple[tuple[str, str], ...]
    differences: tuple[Difference, ...]


def renamed_parts(ours: Board, theirs: Board) -> dict[str, str]:
    """Their designators that are ours under another name: the one part of a kind at a place where we have one too. A
    designator that both have is one part, wherever it lies."""
    mine = [part for part in ours.components if part.designator not in theirs.component_by_designator]
    found: dict[str, str] = {}
    for part in theirs.components:
        if part.designator in ours.component_by_designator:
            continue
        near = [one for one in mine if one.kind is part.kind and one.side is part.side
                and (one.x_mm - part.x_mm) ** 2 + (one.y_mm - part.y_mm) ** 2 <= SAME_PLACE_MM ** 2]
        if len(near) == 1 and near[0].designator not in found.values() and \
                [t.name for t in near[0].terminals] == [t.name for t in part.terminals]:
            found[part.designator] = near[0].designator
    return found


def _called(value: object, names: Mapping[str, str]) -> object:
    """A value with every address and designator under its new name."""
    if isinstance(value, str):
        part, dot, end = value.partition(".")
        return f"{names[part]}{dot}{end}" if part in names else value
    if isinstance(value, tuple):
        return tuple(_called(one, names) for one in value)
    return value


NAMES_PARTS = {"components": ("designator",), "points": ("id", "at", "to"), "ports": ("component",),
               "traces": ("far_terminals",), "functions": ("parts",), "rail_checks": ("point",), "kits": ("part",)}
"""Fields in which a pack speaks of parts."""


def _with_our_names(board: Board, names: Mapping[str, str]) -> Board:
    changed: dict[str, object] = {}
    for section, speaking in NAMES_PARTS.items():
        changed[section] = tuple(replace(one, **{name: _called(getattr(one, name), names) for name in speaking})
                                 for one in getattr(board, section))
    return replace(board, **changed)  # type: ignore[arg-type]


def _said(item: object, other: object) -> str:
    """What an item says where it differs from the other."""
    found = [f"{one.name} {getattr(item, one.name)!s}" for one in fields(item)  # type: ignore[arg-type]
             if getattr(item, one.name) != getattr(other, one.name)]
    return ", ".join(found)[:160]


def merged_packs(ours: Board, theirs: Board, our_known: tuple[KnownGoodReading, ...] = (),
                 their_known: tuple[KnownGoodReading, ...] = (),
                 theirs_wins: frozenset[str] = frozenset()) -> MergedPack:
    """Both as one, under our id. theirs_wins: ids of differences that are decided for them. Raises ValueError where the
    two are packs of different boards."""
    for name in ("model", "revision"):
        if getattr(ours, name).casefold() != getattr(theirs, name).casefold():
            raise ValueError(tr("{name} is {getattr!r} in one and {getattr2!r} in the other; expected two packs of "
                                "one board", name=name, getattr=getattr(ours, name), getattr2=getattr(theirs, name)))
    names = renamed_parts(ours, theirs)
    theirs = _with_our_names(theirs, names)
    sections: dict[str, object] = {}
    added: list[str] = []
    differences: list[Difference] = []
    for section, name_of in NAME_OF.items():
        own = {name_of(one): one for one in getattr(ours, section)}
        other = {name_of(one): one for one in getattr(theirs, section)}
        for name in own.keys() & other.keys():
            if own[name] != other[name]:
                found = Difference(section, name, _said(own[name], other[name]), _said(other[name], own[name]))
                differences.append(found)
                if found.id in theirs_wins:
                    own[name] = other[name]
        fresh = [name for name in other if name not in own]
        added += [f"{section} {name}" for name in fresh]
        sections[section] = (*own.values(), *(other[name] for name in fresh))
    for section in WHOLE:
        mine, other_one = getattr(ours, section), getattr(theirs, section)
        if mine == other_one:
            continue
        if not mine and other_one:
            sections[section] = other_one
            added.append(section)
        elif other_one:
            found = Difference(section, "", f"{mine!s}"[:160], f"{other_one!s}"[:160])
            differences.append(found)
            if found.id in theirs_wins:
                sections[section] = other_one
    board = replace(ours, **sections)  # type: ignore[arg-type]
    depth = board.access_order
    # What the other shop undoes of a level comes after ours of that level, and before all that lies deeper.
    board = replace(board, fasteners=tuple(sorted(board.fasteners, key=lambda one: depth.get(one.access, len(depth)))))
    points = {point.id for point in board.points}
    known = {(one.board_serial, one.point, one.method, one.meter): one for one in (
        *(replace(one, point=str(_called(one.point, names))) for one in their_known), *our_known) if one.point in points
        or str(_called(one.point, names)) in points}
    ordered = sorted(differences, key=lambda one: ([*NAME_OF, *WHOLE].index(one.section), one.name))
    return MergedPack(board, tuple(known.values()), tuple(added), tuple(sorted(names.items())), tuple(ordered))
