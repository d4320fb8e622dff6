"""A table that somebody else's program wrote, before it is read: how it is written, and which column is what.

Delimiter, encoding, the line with the heads and the columns are guessed from the heads, shown, and can be corrected;
what was chosen is remembered by the shape of the file. For tables of texts; the log of a power meter is looked at by
its numbers, see `draw_csv_look`.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from dextrum.store.draw_csv_look import AS_GUESSED, DELIMITERS, LOOKED_AT, AskedShape, CsvShape, decoded, refused_import
from dextrum.store.files import read_bounded
from dextrum.store.number_fields import is_number
from dextrum.tongue import tr

MOST_BYTES = 64_000_000
HEADS_WITHIN = 60
"""Lines in which the heads are looked for."""
SHOWN_ROWS = 3


@dataclass(frozen=True)
class Role:
    """What a column can be. words: on screen; heads: what such a column is called, its letters alone, in the order of
    liking; units: (value, shown) of its numbers, the usual one first; needed: without it nothing can be read."""

    name: str
    words: str
    heads: tuple[str, ...]
    units: tuple[tuple[str, str], ...] = ()
    needed: bool = False


@dataclass(frozen=True)
class TableLook:
    """columns: role to place, -1 for none; units: role to unit. text: the whole file."""

    path: Path
    shape: CsvShape
    columns: Mapping[str, int]
    units: Mapping[str, str]
    text: str

    def problem(self, roles: Sequence[Role]) -> str:
        """What is missing, or nothing."""
        for role in roles:
            if role.needed and self.columns.get(role.name, -1) < 0:
                return tr("No column is chosen for {role}.", role=role.words.lower())
        chosen = [place for place in self.columns.values() if place >= 0]
        return tr("One column is chosen twice.") if len(set(chosen)) < len(chosen) else ""


def _plain(text: str) -> str:
    return re.sub(r"[^a-z]", "", text.lower())


def guessed_columns(heads: Sequence[str], roles: Sequence[Role]) -> dict[str, int]:
    """By what the columns are called, whole or in their first word: role to place, -1 for none."""
    whole = [_plain(head) for head in heads]
    first = [_plain((re.split(r"[^A-Za-z\u00c0-\u024f]+", head.strip()) or [""])[0]) for head in heads]
    found: dict[str, int] = {}
    for names in (whole, first):
        for role in roles:
            places = (names.index(name) for name in role.heads if name in names)
            if found.get(role.name, -1) < 0:
                found[role.name] = next((place for place in places if place not in found.values()), -1)
    return {role.name: found[role.name] for role in roles}


def _unit_of(role: Role, place: int, heads: Sequence[str]) -> str:
    """The unit that a column's name says, else the usual one."""
    words = re.split(r"[^a-z\u03c9\u2126]+", heads[place].lower()) if 0 <= place < len(heads) else []
    return next((value for value, shown in role.units if {value.lower(), shown.lower()} & set(words)),
                role.units[0][0])


def look_at_table(path: Path, roles: Sequence[Role], asked: AskedShape = AS_GUESSED) -> TableLook:
    """Raises ImportRefusedError for what is empty, too large or no text."""
    raw = read_bounded(path, MOST_BYTES)
    text, encoding = decoded(raw)
    text = text.lstrip("\ufeff")
    if not text.strip():
        raise refused_import(tr("{path} is empty.", path=path.name))
    if "\0" in text[:1000]:
        raise refused_import(tr("{path} is not a text file.", path=path.name))
    lines = text[:LOOKED_AT].splitlines()
    best: tuple[int, int, CsvShape] | None = None
    for delimiter in (asked.delimiter,) if asked.delimiter else DELIMITERS:
        rows = [_cells(line, delimiter) for line in lines[:HEADS_WITHIN + SHOWN_ROWS]]
        # Where it was said how many lines stand before the data, the last of them holds the heads.
        told = asked.data_from
        heads = range(min(len(rows), HEADS_WITHIN)) if told is None else range(max(0, told - 1), max(1, told))
        for number in heads:
            cells = rows[number] if number < len(rows) else []
            named = sum(place >= 0 for place in guessed_columns(cells, roles).values())
            head = tuple(cell.strip() for cell in cells)
            first = number + 1 if named or told else 0
            shape = CsvShape(delimiter, _decimal_comma(rows[first:], delimiter, asked), encoding, head if first else (),
                             first if told is None else told, max((len(row) for row in rows), default=0))
            if best is None or (named, shape.columns) > best[:2]:
                best = named, shape.columns, shape
    assert best is not None
    shape = best[2]
    if shape.columns < 2 and not asked.delimiter:
        raise refused_import(tr("{path} is no table: every line has one column.", path=path.name))
    columns = guessed_columns(shape.header, roles)
    return TableLook(path, shape, columns, {role.name: _unit_of(role, columns[role.name], shape.header)
                                            for role in roles if role.units}, text)


def _cells(line: str, delimiter: str) -> list[str]:
    try:
        return next(csv.reader([line], delimiter=delimiter), [])
    except csv.Error:
        return []


def _decimal_comma(rows: Sequence[Sequence[str]], delimiter: str, asked: AskedShape) -> bool:
    if asked.decimal_comma is not None:
        return asked.decimal_comma
    numbers = [cell.strip() for row in rows for cell in row if is_number(cell)]
    return delimiter != "," and sum("," in n for n in numbers) > sum("." in n for n in numbers)


def table_rows(look: TableLook) -> Iterator[tuple[int, dict[str, str]]]:
    """Line, counted from 1, and what stands in each chosen column; empty fields are left out. A decimal comma becomes a
    point in fields that are numbers. Raises ImportRefusedError where the file is broken."""
    try:
        reader = csv.reader(io.StringIO(look.text, newline=""), delimiter=look.shape.delimiter)
        for number, cells in enumerate(reader, start=1):
            if number <= look.shape.data_from or not any(cell.strip() for cell in cells):
                continue
            yield reader.line_num, {role: _field(cells[place], look.shape.decimal_comma)
                                    for role, place in look.columns.items()
                                    if 0 <= place < len(cells) and cells[place].strip()}
    except csv.Error as problem:
        raise refused_import(tr("{path} can't be read ({problem}).", path=look.path.name, problem=problem)) from problem


def _field(text: str, comma: bool) -> str:
    plain = text.strip()
    return plain.replace(".", "").replace(",", ".") if comma and "," in plain and is_number(plain) else plain


def shown_rows(look: TableLook) -> tuple[str, ...]:
    """The first rows as they stand in the file."""
    lines = look.text[:LOOKED_AT].splitlines()[look.shape.data_from:look.shape.data_from + SHOWN_ROWS]
    return tuple("   ".join(cell.strip() for cell in _cells(line, look.shape.delimiter))[:110] for line in lines)


def choice_text(look: TableLook) -> str:
    """What was chosen, for the settings."""
    return json.dumps({"columns": dict(look.columns), "units": dict(look.units)})


def with_choice(look: TableLook, kept: str, roles: Sequence[Role]) -> TableLook:
    """What was chosen for this shape of file before; the look as it is where nothing was, or it doesn't fit."""
    try:
        told = json.loads(kept)
        columns = {role.name: int(told["columns"][role.name]) for role in roles}
        units = {role.name: str(told["units"][role.name]) for role in roles if role.units}
    except (ValueError, KeyError, TypeError, RecursionError):
        return look
    known = all(units[role.name] in dict(role.units) for role in roles if role.units)
    found = replace(look, columns=columns, units=units)
    fits = known and all(-1 <= place < look.shape.columns for place in columns.values()) and not found.problem(roles)
    return found if fits else look

