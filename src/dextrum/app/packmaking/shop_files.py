"""A pack made from files that a shop has: read within bounds, guessed columns told, rows that don't fit listed."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import parse_openings
from dextrum.core.board import Board
from dextrum.core.board.bounds import EXPECTED
from dextrum.core.packmaking.from_files import board_from_files
from dextrum.core.packmaking.shop_files.tables import HEADS, Guess, Row, guess_columns, read_table
from dextrum.core.packmaking.shop_files.test_netlist import Left, read_test_netlist
from dextrum.errors import EntryRefusedError, FileStandsError, ImportRefusedError
from dextrum.store.draw_csv_look import LOOKED_AT
from dextrum.store.files import read_bounded
from dextrum.store.packs.pack_files import checked_board
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from dextrum.store.table_look import SHOWN_ROWS, Role, TableLook
from dextrum.tongue import tr

MOST_BYTES = 32_000_000
MOST_TOLD = 20


def _text(path: Path) -> str:
    data = read_bounded(path, MOST_BYTES)
    for coding in ("utf-16",) if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252"):
        try:
            return data.decode(coding)
        except UnicodeDecodeError:
            continue
    raise ImportRefusedError(tr("{path} is no text.",
                                path=path.name), tr("Nothing was made."), tr("Export it as text again."))


def _refused(path: Path, problem: ValueError) -> ImportRefusedError:
    wrong, _, expected = str(problem).partition(EXPECTED)
    return ImportRefusedError(f"{path.name}: {wrong}.", tr("Nothing was made."),
                              tr("Expected {expected}.", expected=expected) if expected else "")


def _left_words(path: Path, left: Iterable[Left]) -> list[str]:
    lines = [tr("left out: {path}{if_any}: {why}", path=path.name,
                if_any=tr(", line {line}", line=one.line) if one.line else "", why=one.why) for one in left]
    return lines[:MOST_TOLD] + ([tr("left out: and {count} more",
                                    count=len(lines) - MOST_TOLD)] if len(lines) > MOST_TOLD else [])


LENGTHS = (("mm", "mm"), ("mil", "mil"), ("in", "inch"))
PLACEMENT_ROLES: tuple[Role, ...] = (
    Role("designator", tr("Part"), HEADS["designator"], needed=True),
    Role("x", "X", HEADS["x"], LENGTHS), Role("y", "Y", HEADS["y"]), Role("side", tr("Side"), HEADS["side"]),
    Role("rotation", tr("Turned"), HEADS["rotation"]), Role("value", tr("Value"), HEADS["value"]),
    Role("words", tr("What it is for"), HEADS["words"]),
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
    said = [tr("{part} is read at   {x_mm:g}, {y_mm:g} mm, {which}, turned {rotation:g}°   {row}", part=row.part,
               x_mm=row.x_mm, y_mm=row.y_mm, which=tr("bottom") if row.bottom else tr("top"), rotation=row.rotation,
               row=row.value) if row.x_mm is not None and row.y_mm is not None
            else tr("{part} is read without a place   {row}", part=row.part, row=row.value) for row in rows]
    return (*said, *(tr("line {line} would be left out: {why}", line=one.line,
                        why=one.why) for one in left))[:SHOWN_ROWS]


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
        said.append(tr("{path}: understood as {columns}", path=path.name, columns=columns))
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
    said.append(tr("{pack_id}: {count} nets, {count2} points, ", pack_id=board.pack_id, count=len(board.nets),
                   count2=len(board.points))
                + ", ".join(f"{count} {kind.replace('_', ' ')}" for kind, count in sorted(kinds.items())))
    return board, said


def pack_from_files(library: PackLibrary, model: str, revision: str, netlist: Path,
                    tables: Iterable[Path | TableLook] = (), openings: str = "") -> list[str]:
    """The pack as one of the shop's own. Raises as `read_board` and EntryRefusedError where it is here already."""
    board, said = read_board(model, revision, netlist, tables, "mm", openings)
    if board.pack_id in library.ids():
        raise EntryRefusedError(tr("A pack {pack_id} is here already.",
                                   pack_id=board.pack_id), tr("It was left as it is."),
                                tr("Give another revision."))
    library.keep(board)
    return said


def made_from_files(folder: Path, model: str, revision: str, netlist: Path, tables: Iterable[Path] = (),
                    unit: str = "mm", openings: str = "") -> list[str]:
    """The pack in a folder. Raises as `read_board`, FileStandsError where such a pack is there, StoreError."""
    board, said = read_board(model, revision, netlist, tables, unit, openings)
    if (folder / board.pack_id).exists():
        raise FileStandsError(tr("{pack_id} is in {folder} already.", pack_id=board.pack_id,
                                 folder=folder.name or tr("this folder")), tr("It was left as it is."),
                              tr("Name another folder or revision."))
    write_pack_folder(folder, board.pack_id, pack_files_of(board))
    return said
