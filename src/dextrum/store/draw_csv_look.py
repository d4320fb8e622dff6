"""A first look at the CSV of a power meter or a bench supply: how it is written, and which column is what.

Nothing is taken for granted: delimiter, decimal comma, encoding, lines before the header, names in any order, units,
and how time is written are guessed from the file, shown, and can be corrected.
"""

from __future__ import annotations

import csv
import hashlib
import re
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

from dextrum.errors import ImportRefusedError
from dextrum.store.files import read_beginning
from dextrum.store.number_fields import A_DAY, CLOCK, STARTS_WITH_DATE, is_number, is_time, month_is_first, parse_field
from dextrum.tongue import tr

MOST_BYTES = 200_000_000
LOOKED_AT = 200_000
DELIMITERS = (";", "\t", "|", ",")
TIME_KINDS = ("s", "ms", "us", "min", "h", "days", "clock", "iso", "iso_month_first")
ZONES = ("local", "steady")
"""Of dates that say none: local time, which is put on and back by an hour, or a clock that never is."""
UNIT_SCALE = {"V": 1.0, "mV": 1e-3, "uV": 1e-6, "A": 1.0, "mA": 1e-3, "uA": 1e-6, "W": 1.0, "mW": 1e-3, "uW": 1e-6}

SERIAL_DAYS = (20_000.0, 80_000.0)
"""Days since 1900 as spreadsheets count them: 1954 to 2119."""
_COUNTS = re.compile(r"^\W*(no|nr|n|#|index|idx|row|sample|samples|count|point)\W*$", re.IGNORECASE)
"""Names of a column that counts rows and tells no time."""

_WORDS = {
    "time": ("time", "timestamp", "zeit", "uhrzeit", "elapsed", "sec", "secs", "second", "seconds", "sekunden", "t",
             "clock", "datetime", "ms", "temps", "tiempo", "tijd"),
    "volts": ("volt", "volts", "voltage", "spannung", "vbus", "u", "v", "vout", "mv", "tension", "spanning"),
    "amps": ("amp", "amps", "ampere", "current", "strom", "ibus", "i", "a", "iout", "ma", "courant", "corriente",
             "stroom"),
    "watts": ("power", "leistung", "watt", "watts", "p", "w", "pout", "mw", "puissance"),
}
_OTHER = re.compile(r"(ah\b|wh\b|temp|d\+|d-|\bdp\b|\bdm\b|cc1|cc2|capacity|energy|resist|ohm)", re.IGNORECASE)


@dataclass(frozen=True)
class CsvShape:
    """How the file is written. header: names, empty where it has none; data_from: the first line with data."""

    delimiter: str
    decimal_comma: bool
    encoding: str
    header: tuple[str, ...]
    data_from: int
    columns: int

    @property
    def source(self) -> str:
        """The same for all files of one meter: what its columns are remembered by."""
        text = self.delimiter + "|".join(" ".join(h.split()).lower() for h in self.header) + f"|{self.columns}"
        return hashlib.sha256(text.encode()).hexdigest()[:16]


@dataclass(frozen=True)
class ColumnMap:
    """Column numbers, -1 for none, with units. Amps may be missing where watts are there. every_seconds: between rows,
    where there is no time. day: of the day, where it stands apart from the clock. zone: one of ZONES."""

    time: int
    volts: int
    amps: int
    watts: int = -1
    time_kind: str = "s"
    volts_unit: str = "V"
    amps_unit: str = "A"
    watts_unit: str = "W"
    every_seconds: float = 1.0
    day: int = -1
    zone: str = "local"

    def problem(self) -> str:
        """What is missing, or nothing."""
        if self.volts < 0:
            return tr("No column is chosen for volts.")
        if self.amps < 0 and self.watts < 0:
            return tr("No column is chosen for amps, nor for watts.")
        chosen = [c for c in (self.time, self.day, self.volts, self.amps, self.watts) if c >= 0]
        if len(set(chosen)) < len(chosen):
            return tr("One column is chosen twice.")
        if self.day >= 0 and self.time < 0:
            return tr("A day is chosen, and no column for the clock time of that day.")
        return "" if self.every_seconds > 0 else tr("The time between rows must be more than nothing.")


@dataclass(frozen=True)
class CsvLook:
    """A first look: shape, guessed columns, and some rows to show."""

    path: Path
    shape: CsvShape
    columns: ColumnMap
    rows: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class AskedShape:
    """What a technician says of how a file is written; what isn't said is guessed. data_from: lines before the data."""

    delimiter: str = ""
    decimal_comma: bool | None = None
    data_from: int | None = None


AS_GUESSED = AskedShape()


def refused_import(what: str, then: str = tr("Check where the file comes from.")) -> ImportRefusedError:
    """The error of an import that took nothing in."""
    return ImportRefusedError(what, tr("Nothing was taken in."), then)


def decoded(raw: bytes) -> tuple[str, str]:
    """Text and encoding of what a program wrote: UTF-8, UTF-16 with or without its mark, else Latin-1."""
    for mark, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"\xef\xbb\xbf", "utf-8-sig")):
        if raw.startswith(mark):
            return raw.decode(encoding, errors="replace"), encoding
    even, odd = raw[:2000:2].count(0), raw[1:2000:2].count(0)
    if max(even, odd) > len(raw[:2000]) // 5:
        encoding = "utf-16-le" if odd > even else "utf-16-be"
        return raw[:len(raw) // 2 * 2].decode(encoding, errors="replace"), encoding
    try:
        return raw.decode("utf-8"), "utf-8"
    except UnicodeDecodeError as bad:
        # The last character may be cut by the end of what was looked at.
        if bad.start > len(raw) - 4:
            return raw[:bad.start].decode("utf-8"), "utf-8"
        return raw.decode("latin-1"), "latin-1"


def _rows(lines: list[str], delimiter: str) -> list[list[str]]:
    return [next(csv.reader([line], delimiter=delimiter), []) for line in lines]


def _data_fields(row: list[str]) -> int:
    return sum(is_number(field) or is_time(field) for field in row)


def _shape(lines: list[str], encoding: str, asked: AskedShape) -> tuple[CsvShape, list[list[str]]]:
    best: tuple[int, CsvShape, list[list[str]]] | None = None
    for delimiter in (asked.delimiter,) if asked.delimiter else DELIMITERS:
        rows = _rows(lines, delimiter)
        first = next((i for i, row in enumerate(rows) if _data_fields(row) >= 2), len(rows))
        if asked.data_from is not None:
            first = asked.data_from
        filled = [row for row in rows[first:] if row][-40:]
        counts = [len(row) for row in filled]
        if not counts:
            continue
        columns = max(set(counts), key=counts.count)
        good = sum(len(row) == columns and _data_fields(row) >= 2 for row in filled)
        if columns < 2 or good < 0.6 * len(filled):
            continue
        before = [i for i in range(first) if len(rows[i]) >= 2]
        names = rows[before[-1]] if before else []
        header = tuple(name.strip() for name in names) if names and not any(is_number(n) for n in names) else ()
        fields = [f.strip() for row in filled for f in row if is_number(f)]
        commas = sum("," in f for f in fields)
        decimal_comma = delimiter != "," and commas > sum("." in f for f in fields)
        shape = CsvShape(delimiter, decimal_comma if asked.decimal_comma is None else asked.decimal_comma, encoding,
                         header, first, columns)
        # Semicolon and tab are tried first: where they split the rows, a comma is a decimal one.
        if best is None or (best[1].delimiter == "," and good > best[0]):
            best = (good, shape, rows)
        if delimiter != ",":
            break
    if best is None:
        raise refused_import(tr("The file has no rows of numbers in columns."))
    return best[1], best[2]


def _named(header: tuple[str, ...], kind: str) -> int:
    """The first column whose name says the kind."""
    for exact in (True, False):
        for i, name in enumerate(header):
            if _OTHER.search(name):
                continue
            words = [w for w in re.split(r"[^a-z\u00e4\u00f6\u00fc]+", name.lower()) if w]
            if exact and words and words[0] in _WORDS[kind]:
                return i
            if not exact and any(w in _WORDS[kind] for w in words if len(w) > 1):
                return i
    return -1


def _unit(name: str, kind: str) -> str:
    """The unit in a column's name, or nothing."""
    letter = {"volts": "v", "amps": "a", "watts": "w"}[kind]
    words = re.split(r"[^A-Za-z]+", name)
    if any(w.lower() == f"m{letter}" for w in words):
        return f"m{letter.upper()}"
    return letter.upper() if any(w.lower() == letter for w in words[1:] or words) else ""


def _column(rows: list[list[str]], place: int, decimal_comma: bool) -> list[float]:
    found = []
    for row in rows:
        if 0 <= place < len(row) and is_number(row[place]):
            try:
                found.append(parse_field(row[place], decimal_comma))
            except ValueError:
                continue
    return found


def _by_size(values: list[float], unit: str, kind: str) -> str:
    """The unit by the size of the values, where the name doesn't say."""
    if unit or not values:
        return unit or {"volts": "V", "amps": "A", "watts": "W"}[kind]
    # Not the largest: one row of nonsense would decide.
    top = sorted(abs(v) for v in values)[4 * (len(values) - 1) // 5]
    limit = {"volts": 100.0, "amps": 20.0, "watts": 250.0}[kind]
    return ("m" if top > limit else "") + {"volts": "V", "amps": "A", "watts": "W"}[kind]


def _time_kind(rows: list[list[str]], place: int, name: str, decimal_comma: bool) -> str:
    texts = [row[place].strip() for row in rows if 0 <= place < len(row) and row[place].strip()]
    if not texts:
        return "s"
    for kind, looks_so in (("iso", STARTS_WITH_DATE.match), ("clock", CLOCK.match)):
        if 2 * sum(bool(looks_so(text)) for text in texts) > len(texts):
            return kind
    words = re.split(r"[^a-z]+", name.lower())
    for kind, marks in (("us", ("us", "usec", "micros", "microseconds")),
                        ("ms", ("ms", "msec", "millis", "milliseconds")), ("min", ("min", "minutes", "minuten")),
                        ("h", ("h", "hours", "hour"))):
        if any(mark in words for mark in marks):
            return kind
    values = _column(rows, place, decimal_comma)
    if values and abs(values[-1]) > 1e11:
        return "ms" if abs(values[-1]) < 1e14 else "us"
    steps = sorted(b - a for a, b in pairwise(values) if b > a)
    if steps and SERIAL_DAYS[0] < values[0] < SERIAL_DAYS[1] and steps[len(steps) // 2] < 0.05 and any(
            v != int(v) for v in values):
        return "days"
    return "ms" if steps and steps[len(steps) // 2] >= 20 and "s" not in words[1:] else "s"


def guess_columns(shape: CsvShape, rows: list[list[str]]) -> ColumnMap:
    """By the names in the header, and by the numbers where there are none."""
    places = {kind: _named(shape.header, kind) for kind in _WORDS}
    data = rows[-40:]
    if places["volts"] < 0 or (places["amps"] < 0 and places["watts"] < 0):
        places = _by_numbers(shape, data, places)
    time = places["time"]
    if time < 0:
        time = next((i for i in range(shape.columns)
                     if i not in places.values() and data and i < len(data[-1]) and is_time(data[-1][i])), -1)
    if time < 0:
        # A column that rises all the way and is nothing else is offered as time, unless it merely counts the rows.
        time = next((i for i in range(shape.columns) if i not in places.values() and _rises(
            _column(data, i, shape.decimal_comma), len(data)) and not (
                i < len(shape.header) and _COUNTS.match(shape.header[i]))), -1)
    name = {kind: shape.header[i] if 0 <= i < len(shape.header) else "" for kind, i in places.items()}
    units = {kind: _by_size(_column(data, places[kind], shape.decimal_comma), _unit(name[kind], kind), kind)
             for kind in ("volts", "amps", "watts")}
    kind, day = _time_kind(data, time, name["time"], shape.decimal_comma), -1
    if time >= 0 and kind in ("clock", "s") and _is_day(data, time):
        # The first column that says time is a day alone; the clock stands beside it.
        clock = next((i for i in range(shape.columns) if i != time and _is_clock(data, i)), -1)
        day, time, kind = (time, clock, "iso") if clock >= 0 else (-1, time, kind)
    elif kind == "clock":
        day = next((i for i in range(shape.columns) if i != time and _is_day(data, i)), -1)
    days = day if day >= 0 else time
    if day >= 0 or kind == "iso":
        months = month_is_first(row[days] for row in rows if 0 <= days < len(row))
        kind = "iso_month_first" if months else "iso"
    return ColumnMap(time, places["volts"], places["amps"], places["watts"], kind, units["volts"], units["amps"],
                     units["watts"], day=day)


def _is_day(rows: list[list[str]], place: int) -> bool:
    return _most(rows, place, A_DAY)


def _is_clock(rows: list[list[str]], place: int) -> bool:
    return _most(rows, place, CLOCK) and not _most(rows, place, STARTS_WITH_DATE)


def _most(rows: list[list[str]], place: int, looks_so: re.Pattern[str]) -> bool:
    """Whether most fields of a column look so."""
    texts = [row[place].strip() for row in rows if 0 <= place < len(row) and row[place].strip()]
    return 2 * sum(bool(looks_so.match(text)) for text in texts) > len(texts)


def _rises(values: list[float], rows: int) -> bool:
    return len(values) > 2 and len(values) == rows and all(b > a for a, b in pairwise(values))


def _by_numbers(shape: CsvShape, rows: list[list[str]], places: dict[str, int]) -> dict[str, int]:
    taken = {i for i in places.values() if i >= 0}
    columns = {i: _column(rows, i, shape.decimal_comma) for i in range(shape.columns) if i not in taken}
    places = dict(places)
    if places["time"] < 0:
        for i, values in columns.items():
            if len(values) > 2 and all(b > a for a, b in pairwise(values)):
                places["time"] = i
                columns = {k: v for k, v in columns.items() if k != i}
                break
    for kind, low, high in (("volts", 2.5, 60.0), ("amps", -20.0, 20.0)):
        if places[kind] < 0:
            for i, values in columns.items():
                middle = sorted(values)[len(values) // 2] if values else float("nan")
                if low <= middle <= high or (kind == "volts" and 2500 <= middle <= 60_000):
                    places[kind] = i
                    columns = {k: v for k, v in columns.items() if k != i}
                    break
    return places


def look_at_csv(path: Path, asked: AskedShape = AS_GUESSED) -> CsvLook:
    """A first look at a file. Raises ImportRefusedError when it is no table of numbers, or too large."""
    raw = read_beginning(path, LOOKED_AT, MOST_BYTES)
    if not raw.strip():
        raise refused_import(tr("{path} is empty.", path=path.name))
    text, encoding = decoded(raw)
    if "\0" in text[:1000]:
        raise refused_import(tr("{path} is not a text file.", path=path.name))
    lines = text.splitlines()
    if len(raw) == LOOKED_AT and len(lines) > 1:
        lines = lines[:-1]
    try:
        shape, rows = _shape(lines[:400], encoding, asked)
    except csv.Error as bad:
        raise refused_import(tr("{path} is no table of numbers ({bad}).", path=path.name, bad=bad)) from None
    shown = tuple(tuple(row) for row in rows[shape.data_from:shape.data_from + 4])
    return CsvLook(path, shape, guess_columns(shape, rows[shape.data_from:]), shown)


def columns_to_text(columns: ColumnMap) -> str:
    """For the settings."""
    return ",".join(str(getattr(columns, name)) for name in ColumnMap.__dataclass_fields__)


def columns_from_text(text: str, shape: CsvShape) -> ColumnMap | None:
    """What was remembered, or None where it doesn't fit the file."""
    try:
        time, volts, amps, watts, kind, v, a, w, every, *more = text.split(",")
        found = ColumnMap(int(time), int(volts), int(amps), int(watts), kind, v, a, w, float(every),
                          *([int(more[0]), more[1]] if more else []))  # type: ignore[arg-type]
    except (ValueError, IndexError):
        return None
    places = (found.time, found.day, found.volts, found.amps, found.watts)
    fits = all(-1 <= p < shape.columns for p in places) and kind in TIME_KINDS and {v, a, w} <= set(UNIT_SCALE) and \
        found.zone in ZONES
    return found if fits and not found.problem() else None


def with_columns(look: CsvLook, remembered: ColumnMap | None) -> CsvLook:
    return look if remembered is None else replace(look, columns=remembered)
