"""Merging a pack that another shop has sent into one of the shop's own, or two folders on the command line."""

from __future__ import annotations

from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.core.packmaking.merging import MergedPack, merged_packs
from dextrum.errors import ImportRefusedError
from dextrum.store.packs.pack_files import Pack, checked_board, load_pack
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder


def merged(ours: Pack, theirs: Pack, theirs_wins: frozenset[str] = frozenset()) -> MergedPack:
    """Both as one, checked whole. Raises ImportRefusedError where they are packs of different boards, PackError where
    the two don't fit together as decided."""
    try:
        found = merged_packs(ours.board, theirs.board, ours.known_good, theirs.known_good, theirs_wins)
    except ValueError as problem:
        raise ImportRefusedError(f"{problem}.".replace("; expected", ": expected"), "Nothing was changed.") from None
    checked_board(pack_files_of(found.board, found.known_good))
    return found


def merge_folders(ours: Path, theirs: Path, out: Path, theirs_wins: frozenset[str]) -> tuple[str, ...]:
    """Write both as one folder; what was taken, renamed, and decided how, in lines. Raises ImportRefusedError,
    PackError, StoreError."""
    found = merged(load_pack(ours), load_pack(theirs), theirs_wins)
    unknown = theirs_wins - {one.id for one in found.differences}
    if unknown:
        raise ImportRefusedError(f"Nothing differs at {sorted(unknown)[0]!r}.", "Nothing was written.",
                                 "Leave --theirs out once, and see what does.")
    if out.exists():
        raise ImportRefusedError(f"{out.name} is there already.", "Nothing was written.", "Name another folder.")
    write_pack_folder(out.parent, out.name, pack_files_of(found.board, found.known_good))
    return (*(f"taken from theirs: {one}" for one in found.added),
            *(f"their {old} is our {new}" for old, new in found.renamed),
            *(f"{one.id}: {'theirs' if one.id in theirs_wins else 'ours'} kept; ours: {one.ours}; theirs: {one.theirs}"
              for one in found.differences))


def merge_into_own(library: PackLibrary, pack_id: str, theirs: Pack, theirs_wins: frozenset[str]) -> MergedPack:
    """Into a pack of the shop's own, whose photos stay; the step before stays beside it. Raises as `merged`, and where
    the pack is none of the shop's own."""
    if not library.is_own(pack_id):
        raise ImportRefusedError(f"{pack_id} is no pack of this shop's own.", "It was left as it is.",
                                 "Make one of your own under another revision.")
    found = merged(library.pack(pack_id), theirs, theirs_wins)
    library.keep(found.board, known_good=found.known_good)
    return found
