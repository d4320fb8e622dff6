"""Merging a pack that another shop has sent into one of the shop's own, or two folders on the command line."""

from __future__ import annotations

from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.core.packmaking.merging import MergedPack, merged_packs
from dextrum.errors import ImportRefusedError
from dextrum.store.packs.pack_files import Pack, checked_board, load_pack
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from dextrum.tongue import tr


def merged(ours: Pack, theirs: Pack, theirs_wins: frozenset[str] = frozenset()) -> MergedPack:
    """Both as one, checked whole. Raises ImportRefusedError where they are packs of different boards, PackError where
    the two don't fit together as decided."""
    try:
        found = merged_packs(ours.board, theirs.board, ours.known_good, theirs.known_good, theirs_wins)
    except ValueError as problem:
        raise ImportRefusedError(
            f"{problem}.".replace("; expected", ": expected"), tr("Nothing was changed.")
        ) from None
    checked_board(pack_files_of(found.board, found.known_good))
    return found


def merge_folders(ours: Path, theirs: Path, out: Path, theirs_wins: frozenset[str]) -> tuple[str, ...]:
    """Write both as one folder; what was taken, renamed, and decided how, in lines. Raises ImportRefusedError,
    PackError, StoreError."""
    found = merged(load_pack(ours), load_pack(theirs), theirs_wins)
    unknown = theirs_wins - {one.id for one in found.differences}
    if unknown:
        raise ImportRefusedError(tr("Nothing differs at {sorted!r}.",
                                    sorted=sorted(unknown)[0]), tr("Nothing was written."),
                                 tr("Leave --theirs out once, and see what does."))
    if out.exists():
        raise ImportRefusedError(tr("{out} is there already.",
                                    out=out.name), tr("Nothing was written."), tr("Name another folder."))
    write_pack_folder(out.parent, out.name, pack_files_of(found.board, found.known_good))
    return (*(tr("taken from theirs: {one}", one=one) for one in found.added),
            *(tr("their {old} is our {new}", old=old, new=new) for old, new in found.renamed),
            *(tr("{id}: {which} kept; ours: {ours}; theirs: {theirs}", id=one.id,
                 which=tr("theirs") if one.id in theirs_wins else tr("ours"), ours=one.ours, theirs=one.theirs)
              for one in found.differences))


def merge_into_own(library: PackLibrary, pack_id: str, theirs: Pack, theirs_wins: frozenset[str]) -> MergedPack:
    """Into a pack of the shop's own, whose photos stay; the step before stays beside it. Raises as `merged`, and where
    the pack is none of the shop's own."""
    if not library.is_own(pack_id):
        raise ImportRefusedError(tr("{pack_id} is no pack of this shop's own.",
                                    pack_id=pack_id), tr("It was left as it is."),
                                 tr("Make one of your own under another revision."))
    found = merged(library.pack(pack_id), theirs, theirs_wins)
    library.keep(found.board, known_good=found.known_good)
    return found
