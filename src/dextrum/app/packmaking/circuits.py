"""A circuit laid over a pack: which templates are at hand, which part has which role, and what came of it."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.app.places import shipped
from dextrum.core.board import Board, SourceKind
from dextrum.core.board.bounds import EXPECTED
from dextrum.core.packmaking.circuit_template import (
    CircuitTemplate,
    Role,
    misfit,
    suggested,
    with_circuit,
    with_filter_in_pair,
)
from dextrum.errors import EntryRefusedError, ImportRefusedError
from dextrum.store.circuits import circuits_in
from dextrum.store.packs.pack_files import load_pack
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from dextrum.tongue import capital, tr

CIRCUITS = "circuits"
"""Folder of templates, beside the shop's packs and in what ships."""
NONE = "-"
"""Typed where no part has a role."""


def _refused(problem: ValueError) -> EntryRefusedError:
    wrong, _, expected = str(problem).partition(EXPECTED)
    return EntryRefusedError(f"{capital(wrong)}.", tr("Nothing was changed."),
                             tr("Expected {expected}.", expected=expected) if expected else "")


def circuits(own: Path | None = None) -> tuple[dict[str, CircuitTemplate], tuple[str, ...]]:
    """Templates by id, and what is wrong with files that can't be used. own: the shop's folder of templates."""
    return circuits_in([shipped() / CIRCUITS, *([own] if own is not None else [])])


def own_folder(library: PackLibrary) -> Path | None:
    """Where the shop keeps templates of its own, beside its recipes."""
    return library.recipes.with_name(CIRCUITS) if library.recipes is not None else None


def that_fit(board: Board, templates: Mapping[str, CircuitTemplate]) -> tuple[CircuitTemplate, ...]:
    """Those that can be laid over this pack, those that ask for most of its port first."""
    return tuple(sorted((one for one in templates.values() if not misfit(one, board)),
                        key=lambda one: -len(one.needs)))


def parts_typed(role: Role, typed: str) -> tuple[str, ...]:
    """'U1', 'FL1 FL2', or none. Raises EntryRefusedError for several where one is meant."""
    names = tuple(dict.fromkeys(typed.replace(",", " ").upper().split()))
    names = () if names == (NONE,) else names
    if len(names) > 1 and not role.many:
        raise EntryRefusedError(tr("The {role}: one part.", role=role.words), tr("Nothing was changed."), "")
    return names


def question(role: Role) -> str:
    """What is asked of a role."""
    return tr("The {role}: which part{s}? {none} for none", role=role.words, s="s" if role.many else "",
              none=NONE)


def laid(board: Board, template: CircuitTemplate, chosen: Mapping[str, tuple[str, ...]]) -> Board:
    """The pack with the circuit. Raises EntryRefusedError."""
    try:
        return with_circuit(board, template, chosen)
    except ValueError as problem:
        raise _refused(problem) from None


def in_pair(board: Board, typed: str) -> Board:
    """'FL1 A2 A3': its first line beeps from contact A2, its second from A3. Raises EntryRefusedError."""
    words = typed.upper().split()
    if len(words) != 3:
        raise EntryRefusedError(
            tr("A filter and two contacts are wanted."), tr("Nothing was changed."), tr("Such as FL1 A2 A3.")
        )
    try:
        return with_filter_in_pair(board, words[0], (words[1], words[2]))
    except ValueError as problem:
        raise _refused(problem) from None


def laid_words(board: Board, template: CircuitTemplate) -> str:
    """What is in the pack now, and which roles are open."""
    parts = board.circuit.parts if board.circuit is not None else {}
    open_roles = [role.words for role in template.role if not role.optional and not parts.get(role.id)]
    proposed = sum(1 for one in board.sources if one.end and one.source is SourceKind.TEMPLATE)
    said = (tr("{title}: {count} functions, {count2} symptoms, {count3} checks.", title=template.title,
               count=len(board.functions), count2=len(board.symptoms),
               count3=len([c for c in board.checks if c.functions])))
    if proposed:
        said += tr(" The nets of {proposed} ends are only proposed: probing makes them sure.", proposed=proposed)
    if open_roles:
        said += tr(" Still open: {open_roles}.", open_roles="; ".join(open_roles))
    return said


def lay_on_folder(folder: Path, template_id: str, roles: Mapping[str, str],
                  pairs: Mapping[str, str]) -> tuple[str, ...]:
    """Lay a template over the pack in a folder and write it anew, the step before beside it; in lines what came of it.
    Without a template, those that fit. roles: designators by role; pairs: 'A2,A3' by filter.

    Raises EntryRefusedError, ImportRefusedError, PackError, StoreError.
    """
    pack = load_pack(folder)
    board = pack.board
    templates, troubles = circuits()
    if not template_id:
        return (*troubles, *(f"{one.id}: {one.title}" for one in that_fit(board, templates)))
    if template_id not in templates:
        raise ImportRefusedError(tr("There is no template {template_id!r}.",
                                    template_id=template_id[:40]), tr("Nothing was written."),
                                 tr("One of {templates}.", templates=", ".join(templates)))
    if not folder.is_dir():
        raise ImportRefusedError(tr("{folder} is no folder.",
                                    folder=folder.name), tr("Nothing was written."), tr("Unpack the zip first."))
    template = templates[template_id]
    for part, contacts in pairs.items():
        board = in_pair(board, f"{part} {contacts.replace(',', ' ')}")
    chosen = suggested(template, board)
    by_id = {role.id: role for role in template.role}
    for name, typed in roles.items():
        if name not in by_id:
            raise EntryRefusedError(tr("{name!r} is no role of {id}.", name=name[:20],
                                       id=template.id), tr("Nothing was written."),
                                    tr("One of {by_id}.", by_id=", ".join(by_id)))
        chosen = {role: tuple(n for n in names if n not in parts_typed(by_id[name], typed))
                  for role, names in chosen.items()} | {name: parts_typed(by_id[name], typed)}
    board = laid(board, template, chosen)
    write_pack_folder(folder.parent, folder.name, pack_files_of(board, pack.known_good))
    return (*troubles, *(f"{role}: {' '.join(names) or NONE}" for role, names in chosen.items()),
            laid_words(board, template))
