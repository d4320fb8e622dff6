"""Read and check a board pack: strict, naming file, place, what is wrong, and what was expected.

The core's own frozen dataclasses are the model; Pydantic checks the files against them and publishes the
JSON Schema, so there is one description of a pack.
"""

from __future__ import annotations

import csv
import io
import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import TypeAdapter, ValidationError

from dextrum.core.board import Board
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.errors import PackError, PackProblem
from dextrum.progress import Told, go_on, unheard
from dextrum.store.files import FORMULA, plain_cell
from dextrum.store.packs.pack_source import read_pack_files
from dextrum.store.strict_words import wrong_and_expected, wrong_words
from dextrum.tongue import in_words_of_here, tr

if TYPE_CHECKING:
    from pydantic_core import ErrorDetails

FORMAT = "dextrum-pack"
SCHEMA = 1
KNOWN_GOOD = "known_good.csv"
CSV_SECTIONS = {"nets": "nets.csv", "points": "points.csv"}
FILE_OF = {"nets": "nets.csv", "points": "points.csv", "components": "components.json"}


@dataclass(frozen=True)
class Pack:
    """A board and its known-good readings. left_out: rows that don't fit, each with the reason."""

    board: Board
    known_good: tuple[KnownGoodReading, ...]
    left_out: tuple[str, ...] = ()


@cache
def board_adapter() -> TypeAdapter[Board]:
    """What reads and writes a board; made once, since that takes longer than to write one."""
    return TypeAdapter(Board)


@cache
def _reading_adapter() -> TypeAdapter[KnownGoodReading]:
    return TypeAdapter(KnownGoodReading)


def _parse_json(name: str, data: bytes, problems: list[PackProblem]) -> dict[str, Any]:
    try:
        value = json.loads(data.decode("utf-8-sig"), parse_constant=lambda c: float("nan"))
    except UnicodeDecodeError as bad:
        problems.append(PackProblem(name, tr("byte {start}", start=bad.start), tr("is not UTF-8 text"), "UTF-8"))
        return {}
    except RecursionError:
        problems.append(PackProblem(name, tr("whole file"), tr("is nested too deeply"), tr("a flat pack")))
        return {}
    except json.JSONDecodeError as bad:
        problems.append(PackProblem(name, tr("line {lineno}, column {colno}", lineno=bad.lineno,
                                             colno=bad.colno), bad.msg.lower(), "JSON"))
        return {}
    if not isinstance(value, dict):
        problems.append(PackProblem(name, tr("whole file"), tr("is a {name__}",
                                                               name__=type(value).__name__), tr("an object")))
        return {}
    return value


TOLD_EVERY = 2000
"""Rows between two words of progress."""
LINE = "\0line"
"""Key under which a row keeps the number of its line."""


def _parse_csv(name: str, data: bytes, problems: list[PackProblem], with_lines: bool = False) -> list[dict[str, str]]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as bad:
        problems.append(PackProblem(name, tr("byte {start}", start=bad.start), tr("is not UTF-8 text"), "UTF-8"))
        return []
    reader = csv.DictReader(io.StringIO(text), strict=True)
    rows: list[dict[str, str]] = []
    try:
        if len(reader.fieldnames or ()) == 1 and ";" in (reader.fieldnames or ("",))[0]:
            problems.append(
                PackProblem(name, tr("line {number}", number=1), tr("is separated by semicolons"),
                            tr("commas between the cells"))
            )
            return []
        for row in reader:
            if None in row or None in row.values():
                problems.append(PackProblem(name, tr("line {line_num}",
                                                     line_num=reader.line_num), tr("has the wrong number of cells"),
                                            tr("{count} cells", count=len(reader.fieldnames or ()))))
                continue
            rows.append({key: value for key, value in row.items() if value != ""} | (
                {LINE: str(reader.line_num)} if with_lines else {}))
    except csv.Error as bad:
        problems.append(PackProblem(name, tr("line {line_num}",
                                             line_num=reader.line_num), str(bad), tr("comma-separated values")))
    return rows


def known_good_table(name: str, data: bytes) -> tuple[list[dict[str, str]], tuple[str, ...]]:
    """The rows of a known_good.csv, and in words the lines that are no rows."""
    problems: list[PackProblem] = []
    rows = _parse_csv(name, data, problems, with_lines=True)
    return rows, tuple(f"{p.file}, {p.place}: {p.wrong}" for p in problems)


def _place(sections: dict[str, Any], location: tuple[int | str, ...]) -> tuple[str, str]:
    """File and readable place of a Pydantic error location."""
    section = str(location[0]) if location else "pack"
    file = FILE_OF.get(section, "pack.json")
    words = [section]
    item: Any = sections
    for step in location:
        try:
            item = item[step]
        except (KeyError, IndexError, TypeError):
            item = None
        if isinstance(step, int):
            name = next((item[k] for k in ("designator", "id", "name", "state") if k in item), None) \
                if isinstance(item, dict) else None
            words.append(str(name) if name is not None else tr("item {step}", step=step + 1))
        elif step is not location[0]:
            words.append(str(step))
    if file.endswith(".csv") and len(location) > 1 and isinstance(location[1], int):
        words.insert(1, tr("line {location}", location=location[1] + 2))
    return file, " · ".join(words)


def _problem(sections: dict[str, Any], error: ErrorDetails) -> PackProblem:
    file, place = _place(sections, error["loc"])
    wrong, expected = wrong_and_expected(error)
    return PackProblem(file, place, wrong, expected or tr("a value in range"))


def load_board(path: Path) -> Board:
    """The board of the pack at a folder or zip, without its readings.

    Raises PackError (every problem named) or ImportRefusedError.
    """
    return checked_board(read_pack_files(path))


def load_known_good(path: Path, board: Board) -> tuple[tuple[KnownGoodReading, ...], tuple[str, ...]]:
    """The readings that came with the pack, and why rows that don't fit were left out."""
    problems: list[PackProblem] = []
    rows = _parse_csv(KNOWN_GOOD, read_pack_files(path).get(KNOWN_GOOD, b""), problems, with_lines=True)
    if problems:
        raise PackError(tuple(problems))
    return known_good_rows(board, rows, KNOWN_GOOD)


def load_pack(path: Path) -> Pack:
    """Board and readings together. Raises PackError or ImportRefusedError."""
    board = load_board(path)
    return Pack(board, *load_known_good(path, board))


def checked_board(files: dict[str, bytes]) -> Board:
    """The board of a pack's files. Raises PackError with every problem."""
    problems: list[PackProblem] = []
    if "pack.json" not in files:
        raise PackError((PackProblem("pack.json", "folder", tr("is missing"), tr("a file pack.json")),))
    sections = _parse_json("pack.json", files["pack.json"], problems)
    head = {key: sections.pop(key, None) for key in ("format", "schema")}
    if not problems and head["format"] != FORMAT:
        problems.append(PackProblem("pack.json", "format", tr("is {head!r}", head=head["format"]), repr(FORMAT)))
    if not problems and head["schema"] != SCHEMA:
        problems.append(PackProblem("pack.json", "schema", tr("is {head!r}", head=head["schema"]), f"{SCHEMA}"))
    if "components.json" in files:
        extra = _parse_json("components.json", files["components.json"], problems)
        sections["components"] = extra.get("components", [])
    for section, name in CSV_SECTIONS.items():
        if name in files:
            sections[section] = _parse_csv(name, files[name], problems)
    if problems:
        raise PackError(tuple(problems))
    try:
        board = board_adapter().validate_python(in_words_of_here(sections))
    except ValidationError as bad:
        raise PackError(tuple(_problem(sections, e) for e in bad.errors(include_url=False))) from None
    wrong = inconsistencies(board)
    if wrong:
        raise PackError(tuple(PackProblem(FILE_OF.get(w.section.partition(",")[0], "pack.json"),
                                          f"{w.section} · {w.place}", w.wrong, w.expected) for w in wrong))
    return board


def known_good_rows(board: Board, rows: list[dict[str, str]], name: str,
                    told: Told = unheard) -> tuple[tuple[KnownGoodReading, ...], tuple[str, ...]]:
    """Readings that fit the board, and a reason for each that doesn't. Raises StoppedError where `told` says so."""
    kept: list[KnownGoodReading] = []
    left_out: list[str] = []
    for place, row in enumerate(rows):
        if place % TOLD_EVERY == 0:
            go_on(told, place / len(rows))
        filled = {key: value[1:] if value[:1] == "'" and value[1:2] in FORMULA else value for key, value in row.items()}
        number = filled.pop(LINE, "?")
        if filled.get("value", "").upper() == "OL":
            filled["value"] = "inf"
        try:
            reading = _reading_adapter().validate_python(filled)
        except ValidationError as bad:
            error = bad.errors(include_url=False)[0]
            left_out.append(tr("{name}, line {number}: {wrong}", name=name, number=number,
                               wrong=wrong_words(error, ".".join(str(step) for step in error["loc"]))))
            continue
        point = board.point_by_id.get(reading.point)
        if point is None:
            left_out.append(tr("{name}, line {number}: point {point!r} is not on this board", name=name, number=number,
                               point=reading.point))
        elif reading.method not in point.methods:
            left_out.append(tr("{name}, line {number}: {method} can't be taken at {id}", name=name, number=number,
                               method=reading.method.value, id=point.id))
        else:
            kept.append(reading)
    return tuple(kept), tuple(left_out)


def known_good_csv(readings: tuple[KnownGoodReading, ...]) -> str:
    """One reading a row, in the format that `load_pack` reads."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(("board_serial", "point", "method", "meter", "board_celsius", "value", "taken_on"))
    for r in readings:
        value = "OL" if r.value == float("inf") else f"{r.value:.4g}"
        celsius = "" if r.board_celsius is None else f"{r.board_celsius:g}"
        writer.writerow((plain_cell(r.board_serial), plain_cell(r.point), r.method.value, plain_cell(r.meter), celsius,
                         value, r.taken_on))
    return out.getvalue()
