"""Pick-and-place lists and bills of materials: columns guessed by their heads, which the technician may correct."""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from dextrum.core.packmaking.shop_files.test_netlist import Left
from dextrum.tongue import tr

HEADS: Mapping[str, tuple[str, ...]] = {
    "designator": ("designator", "refdes", "ref", "reference", "references", "component", "part", "name", "comp"),
    "x": ("x", "midx", "centerx", "centrex", "posx", "locationx", "xmm", "refx", "padx"),
    "y": ("y", "midy", "centery", "centrey", "posy", "locationy", "ymm", "refy", "pady"),
    "side": ("side", "layer", "tb", "mountside", "topbottom"),
    "rotation": ("rotation", "rot", "angle", "orientation"),
    "value": ("value", "val", "comment", "partvalue"),
    "words": ("description", "desc", "purpose", "function"),
}
"""What a column is called, letters alone, in the order of liking."""
MM_OF = {"mm": 1.0, "mil": 0.0254, "mils": 0.0254, "in": 25.4, "inch": 25.4}
DELIMITERS = (",", ";", "\t")
MOST_ROWS = 50_000
MOST_OF_A_RANGE = 200
LONGEST_CELL = 200
"""Letters of a length or of the name of a part; more is nothing that anybody wrote."""
_LENGTH = re.compile(r"^\s*([+-]?\d+(?:[.,]\d+)?)\s*(mm|mils?|in(?:ch)?)?\s*$", re.IGNORECASE)
_RANGE = re.compile(r"^([A-Za-z_]+)(\d+)\s*(?:-|–|\.\.\.?|to)\s*([A-Za-z_]*)(\d+)$")


@dataclass(frozen=True)
class Guess:
    """delimiter and head_line (counted from 1) of a table, and which column is what: field to place, counted from 0."""

    delimiter: str
    head_line: int
    columns: Mapping[str, int]
    heads: tuple[str, ...]


@dataclass(frozen=True)
class Row:
    """One part. x_mm, y_mm: None where the table has no places. bottom: on the far side."""

    part: str
    x_mm: float | None = None
    y_mm: float | None = None
    bottom: bool = False
    rotation: float = 0.0
    value: str = ""
    words: str = ""


def _plain(text: str) -> str:
    return re.sub(r"[^a-z]", "", text.lower())


def guess_columns(text: str) -> Guess:
    """Which line is the head and what each column is. Raises ValueError where no column names parts."""
    lines = text.lstrip("\ufeff").splitlines()[:60]
    best: Guess | None = None
    for delimiter in DELIMITERS:
        for number, line in enumerate(lines, start=1):
            cells = next(csv.reader([line], delimiter=delimiter), [])
            found = _columns([_plain(cell) for cell in cells])
            if "designator" in found and (best is None or len(found) > len(best.columns)):
                best = Guess(delimiter, number, found, tuple(cell.strip() for cell in cells))
    if best is None:
        raise ValueError(tr("no column names the parts; expected a head such as Designator, Ref or Reference"))
    return best


def _columns(heads: Sequence[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for field, names in HEADS.items():
        for name in names:
            if name in heads and heads.index(name) not in found.values():
                found[field] = heads.index(name)
                break
    return found


def designators(cell: str) -> tuple[str, ...]:
    """'C1, C2 C5-C7' as five names. Raises ValueError for a range that is none."""
    found: list[str] = []
    for word in filter(None, re.split(r"[,;\s]+", cell.strip())):
        if len(word) > LONGEST_CELL:
            raise ValueError(tr("{word!r}… is too long for the name of a part", word=word[:20]))
        span = _RANGE.match(word)
        if span is None:
            found.append(word)
            continue
        first, last = int(span[2]), int(span[4])
        if (span[3] and span[3] != span[1]) or not 0 <= last - first < MOST_OF_A_RANGE:
            raise ValueError(tr("{word!r} is no range of parts", word=word[:20]))
        found += [f"{span[1]}{k}" for k in range(first, last + 1)]
    return tuple(found)


def read_table(text: str, guess: Guess | None = None, unit: str = "mm") -> tuple[tuple[Row, ...], tuple[Left, ...]]:
    """Rows of a pick-and-place list or a bill of materials, and lines that don't fit, each with the reason. unit: of
    lengths that state none. Raises ValueError where it is no such table."""
    guess = guess or guess_columns(text)
    if unit not in MM_OF:
        raise ValueError(tr("unit {unit!r}; expected one of {mm_of}", unit=unit, mm_of=", ".join(MM_OF)))
    rows: list[Row] = []
    left: list[Left] = []
    seen: set[str] = set()
    reader = csv.reader(text.lstrip("\ufeff").splitlines(keepends=True), delimiter=guess.delimiter)
    for number, cells in enumerate(reader, start=1):
        if number <= guess.head_line or not any(cell.strip() for cell in cells):
            continue
        if len(rows) >= MOST_ROWS:
            left.append(Left(number, tr("more than {most_rows} parts", most_rows=MOST_ROWS)))
            break
        try:
            for row in _rows(cells, guess.columns, unit):
                if row.part in seen:
                    left.append(Left(number, tr("{part} is there twice", part=row.part)))
                    continue
                seen.add(row.part)
                rows.append(row)
        except ValueError as problem:
            left.append(Left(number, str(problem)))
    return tuple(rows), tuple(left)


def _rows(cells: Sequence[str], columns: Mapping[str, int], unit: str) -> list[Row]:
    def cell(field: str) -> str:
        place = columns.get(field, -1)
        return cells[place].strip() if 0 <= place < len(cells) else ""

    names = designators(cell("designator"))
    if not names:
        raise ValueError(tr("no part is named"))
    x, y = (_length(cell(axis), unit) if axis in columns else None for axis in "xy")
    rotation = _length(cell("rotation"), "mm") if cell("rotation") else 0.0
    side = cell("side").lower()
    return [Row(name, x, y, side.startswith(("b", "bottom")), rotation or 0.0, cell("value"), cell("words"))
            for name in names]


def _length(text: str, unit: str) -> float:
    found = _LENGTH.match(text) if len(text) <= LONGEST_CELL else None
    if found is None:
        raise ValueError(tr("{text!r} is no length", text=text[:20]))
    return round(float(found[1].replace(",", ".")) * MM_OF[(found[2] or unit).lower()], 4)
