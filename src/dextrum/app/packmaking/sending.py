"""A pack handed on: as one file that another shop takes in, as a folder, or as what other tools read.

The ending of the name says which. To add a form, write one function and one line in `FORMS`.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping
from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.core.board import Board, Side
from dextrum.core.packmaking.from_files import test_points_of
from dextrum.core.packmaking.shop_files.test_netlist import write_test_netlist
from dextrum.errors import FileStandsError, ImportRefusedError
from dextrum.store.files import plain_cell, write_beside
from dextrum.store.packs.pack_writer import CASE, pack_files_of, pack_zip, write_pack_folder
from dextrum.tongue import tr

HEADS = ("Designator", "Description", "Kind", "Side", "X (mm)", "Y (mm)", "Width (mm)", "Height (mm)", "Nets")
"""Of the table of parts; the names that a pick-and-place list has, so that it can be read again."""


def _files(library: PackLibrary, pack_id: str) -> dict[str, bytes]:
    """All that is kept of a pack, its readings and photos too."""
    pack = library.pack(pack_id)
    photos = {f"photo-{shows}.jpg": data for shows in (*Side, CASE) if (data := library.photo(pack_id, shows))}
    return {**pack_files_of(pack.board, pack.known_good), **photos}


def as_zip(library: PackLibrary, pack_id: str, place: Path, over: bool) -> None:
    write_beside(place, pack_zip(_files(library, pack_id)), over)


def as_folder(library: PackLibrary, pack_id: str, place: Path, over: bool) -> None:
    """The pack's own folder, in the folder that is named."""
    there = place / pack_id
    if there.exists() and not over:
        raise FileStandsError(tr("{name} is there already.", name=there.name), tr("Nothing was written."))
    if place.exists() and not place.is_dir():
        raise ImportRefusedError(tr("{name} is a file, and not a folder.", name=place.name), tr("Nothing was written."))
    write_pack_folder(place, pack_id, _files(library, pack_id))


def as_netlist(library: PackLibrary, pack_id: str, place: Path, over: bool) -> None:
    board = library.board(pack_id)
    write_beside(place, write_test_netlist(test_points_of(board), board.pack_id).encode(), over)


def as_table(library: PackLibrary, pack_id: str, place: Path, over: bool) -> None:
    write_beside(place, parts_table(library.board(pack_id)).encode(), over)


FORMS: Mapping[str, Callable[[PackLibrary, str, Path, bool], None]] = {
    ".zip": as_zip, "": as_folder, ".ipc": as_netlist, ".csv": as_table}
"""By the ending of the name. Each raises FileStandsError where something stands there and may not be replaced,
ImportRefusedError and StoreError where it can't be written."""


def send(library: PackLibrary, pack_id: str, place: Path, over: bool = False) -> None:
    """The pack as the ending of `place` says. Raises as `FORMS`, and ImportRefusedError for an unknown ending."""
    form = FORMS.get(place.suffix.lower())
    if form is None:
        raise ImportRefusedError(tr("{ending} is no form that a pack is written in.", ending=place.suffix[:12]),
                                 tr("Nothing was written."),
                                 tr(".zip for another shop, .ipc for a test netlist (IPC-D-356A), .csv for a table of "
                                    "parts, or a folder."))
    form(library, pack_id, place, over)


def parts_table(board: Board) -> str:
    """Parts that were placed, one a line, with the nets of their pins; an end whose net nobody knows has a '?'."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(HEADS)
    for part in board.components:
        if part.undescribed:
            continue
        nets = " ".join(f"{t.name}={'?' if board.net_is_unknown(f'{part.designator}.{t.name}') else t.net}"
                        for t in part.terminals)
        table.writerow([plain_cell(part.designator), plain_cell(part.purpose), part.kind.value, part.side.value,
                        *(f"{number:g}" for number in (part.x_mm, part.y_mm, part.width_mm, part.height_mm)),
                        plain_cell(nets)])
    return out.getvalue()
