"""A pack made from files that a shop has: read within bounds, guessed columns told, rows that don't fit listed."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import parse_openings
from dextrum.core.board import Board
from dextrum.core.packmaking.from_files import board_from_files
from dextrum.core.packmaking.shop_files.tables import HEADS, Guess, Row, guess_columns, read_table
from dextrum.core.packmaking.shop_files.test_netlist import Left, read_test_netlist
from dextrum.errors import EntryRefusedError, FileStandsError, ImportRefusedError
from dextrum.store.draw_csv_look import LOOKED_AT
from dextrum.store.files import read_bounded
from dextrum.store.packs.pack_files import checked_board
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from dextrum.store.table_look import SHOWN_ROWS, Role, TableLook

MOST_BYTES = 32_000_000
MOST_TOLD = 20


def _text(path: Path) -> str:
    data = read_bounded(path, MOST_BYTES)
    for coding in ("utf-16",) if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252"):
        try:
            return data.decode(coding)
        except UnicodeDecodeError:
            continue
    raise ImportRefusedError(f"{path.name} is no text.", "Nothing was made.", "Export it as text again.")


def _refused(path: Path, problem: ValueError) -> ImportRefusedError:
    wrong, _, expected = str(problem).partition("; expected ")
    return ImportRefusedError(f"{path.name}: {wrong}.", "Nothing was made.",
                              f"Expected {expected}." if expected else "")


def _left_words(path: Path, left: Iterable[Left]) -> list[str]:
    lines = [f"left out: {path.name}{f', line {one.line}' if one.line else ''}: {one.why}" for one in left]
    return lines[:MOST_TOLD] + ([f"left out: and {len(lines) - MOST_TOLD} more"] if len(lines) > MOST_TOLD else [])


LENGTHS = (("mm", "mm"), ("mil", "mil"), ("in", "inch"))
PLACEMENT_ROLES: tuple[Role, ...] = (
    Role("designator", "Part", HEADS["designator"], needed=True),
    Role("x", "X", HEADS["x"], LENGTHS), Role("y", "Y", HEADS["y"]), Role("side", "Side", HEADS["side"]),
    Role("rotation", "Turned", HEADS["rotation"]), Role("value", "Value", HEADS["value"]),
    Role("words", "What it is for", HEADS["words"]),
)


def guess_of(table: TableLook) -> Guess:
    """Columns as they were chosen."""
    return Guess(table.shape.delimiter, table.shape.data_from,
                 {role: place for role, place in table.columns.items() if place >= 0}, table.shape.header)


def understood_parts(table: TableLook) -> tuple[str, ...]:
    """The first rows of a table of parts in words."""
    head = "\n".join(table.text[:LOOKED_AT].splitlines()[:table.shape.data_from + SHOWN_ROWS])
    try:
        rows, left = read_table(head, guess_of(table), table.units["x"])
    except ValueError as problem:
        return (str(problem),)
    said = [f"{row.part} is read at   {row.x_mm:g}, {row.y_mm:g} mm, {'bottom' if row.bottom else 'top'}, turned "
            f"{row.rotation:g}\u00b0   {row.value}" if row.x_mm is not None and row.y_mm is not None
            else f"{row.part} is read without a place   {row.value}" for row in rows]
    return (*said, *(f"line {one.line} would be left out: {one.why}" for one in left))[:SHOWN_ROWS]


def read_board(model: str, revision: str, netlist: Path, tables: Iterable[Path | TableLook] = (), unit: str = "mm",
               openings: str = "") -> tuple[Board, list[str]]:
    """The board of these files, and what was guessed and left out, in lines. A table may come with its columns as they
    were chosen. Raises ImportRefusedError,
    EntryRefusedError with what is wrong, PackError."""
    said: list[str] = []
    try:
        points, left = read_test_netlist(_text(netlist))
    except ValueError as problem:
        raise _refused(netlist, problem) from None
    said += _left_words(netlist, left)
    rows: list[Row] = []
    for table in tables:
        path = table.path if isinstance(table, TableLook) else table
        text = table.text if isinstance(table, TableLook) else _text(path)
        try:
            guess = guess_of(table) if isinstance(table, TableLook) else guess_columns(text)
            found, left = read_table(text, guess, table.units["x"] if isinstance(table, TableLook) else unit)
        except ValueError as problem:
            raise _refused(path, problem) from None
        columns = ", ".join(f"{field} = {guess.heads[place]!r}" for field, place in guess.columns.items())
        said.append(f"{path.name}: understood as {columns}")
        said += _left_words(path, left)
        rows += found
    try:
        board, missing = board_from_files(model, revision, points, rows, parse_openings(openings))
    except ValueError as problem:
        raise _refused(netlist, problem) from None
    said += _left_words(netlist, missing)
    checked_board(pack_files_of(board))
    kinds: dict[str, int] = {}
    for part in board.components:
        kinds[part.kind.value] = kinds.get(part.kind.value, 0) + 1
    said.append(f"{board.pack_id}: {len(board.nets)} nets, {len(board.points)} points, "
                + ", ".join(f"{count} {kind.replace('_', ' ')}" for kind, count in sorted(kinds.items())))
    return board, said


def pack_from_files(library: PackLibrary, model: str, revision: str, netlist: Path,
                    tables: Iterable[Path | TableLook] = (), openings: str = "") -> list[str]:
    """The pack as one of the shop's own. Raises as `read_board` and EntryRefusedError where it is here already."""
    board, said = read_board(model, revision, netlist, tables, "mm", openings)
    if board.pack_id in library.ids():
        raise EntryRefusedError(f"A pack {board.pack_id} is here already.", "It was left as it is.",
                                "Give another revision.")
    library.keep(board)
    return said


def made_from_files(folder: Path, model: str, revision: str, netlist: Path, tables: Iterable[Path] = (),
                    unit: str = "mm", openings: str = "") -> list[str]:
    """The pack in a folder. Raises as `read_board`, FileStandsError where such a pack is there, StoreError."""
    board, said = read_board(model, revision, netlist, tables, unit, openings)
    if (folder / board.pack_id).exists():
        raise FileStandsError(f"{board.pack_id} is in {folder.name or 'this folder'} already.", "It was left as it is.",
                              "Name another folder or revision.")
    write_pack_folder(folder, board.pack_id, pack_files_of(board))
    return said
