"""Known-good readings in a table that another program wrote: its columns once they are chosen, as rows of a library."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import islice

from dextrum.core.board import Board, Method
from dextrum.store.number_fields import A_DAY, month_is_first
from dextrum.store.packs.pack_files import LINE
from dextrum.store.table_look import SHOWN_ROWS, Role, TableLook, table_rows
from dextrum.tongue import tr

VALUE_UNITS = (("V", "V"), ("mV", "mV"), ("ohm", "\u03a9"), ("kohm", "k\u03a9"), ("nF", "nF"), ("uF", "\u00b5F"))
FACTORS = {"mV": 1e-3, "kohm": 1e3, "uF": 1e3}
"""From a unit of a table to the one that readings are kept in."""
ROLES: tuple[Role, ...] = (
    Role(
        "point",
        tr("Point"),
        ("point", "testpoint", "contact", "pin", "pad", "location", "punkt", "punto", "broche"),
        needed=True,
    ),
    Role(
        "value",
        tr("Value"),
        (
            "value",
            "reading",
            "diode",
            "drop",
            "volts",
            "voltage",
            "mv",
            "v",
            "ohms",
            "resistance",
            "wert",
            "messwert",
            "valeur",
            "valor",
            "waarde",
        ),
        VALUE_UNITS,
        True,
    ),
    Role("board_serial", tr("Board"), ("boardserial", "serial", "board", "unit", "device", "sn")),
    Role("method", tr("Method"), ("method", "mode", "function", "measurement")),
    Role("meter", tr("Meter"), ("meter", "dmm", "instrument")),
    Role("board_celsius", tr("Board °C"), ("boardcelsius", "celsius", "temperature", "temp")),
    Role("taken_on", tr("Day"), ("takenon", "date", "day", "measuredon", "datum", "fecha")),
)
METHODS: Mapping[str, Method] = {
    "diode": Method.DIODE_RED_GROUND, "redonground": Method.DIODE_RED_GROUND, "redground": Method.DIODE_RED_GROUND,
    "blackonground": Method.DIODE_BLACK_GROUND, "blackground": Method.DIODE_BLACK_GROUND,
    "ohm": Method.RESISTANCE, "ohms": Method.RESISTANCE, "resistance": Method.RESISTANCE,
    "continuity": Method.CONTINUITY, "beep": Method.CONTINUITY,
    "cap": Method.CAPACITANCE, "capacity": Method.CAPACITANCE,
    **{re.sub(r"[^a-z]", "", method.value): method for method in Method},
}
OPEN = frozenset({"ol", "o.l", "open", "inf", "1.", "over"})
"""How others write that a meter showed no value."""


@dataclass(frozen=True)
class Unsaid:
    """What stands in for columns that a table hasn't: the board it was, and the meter."""

    board_serial: str
    meter: str


def rows_of(table: TableLook, board: Board, unsaid: Unsaid, most: int | None = None) -> list[dict[str, str]]:
    """Rows as a library file has them, with their lines; what can't be understood is left as it stands, and is refused
    by the library with its line. Raises ImportRefusedError."""
    found = list(islice(table_rows(table), most))
    month_first = month_is_first(row.get("taken_on", "") for _, row in found)
    unit = table.units["value"]
    usual = (Method.RESISTANCE if unit.endswith("ohm") else Method.CAPACITANCE if unit.endswith("F")
             else Method.DIODE_RED_GROUND).value
    return [{LINE: str(line), "board_serial": row.get("board_serial", unsaid.board_serial),
             "point": _point(board, row.get("point", "")), "method": _method(row.get("method", ""), usual),
             "meter": row.get("meter", unsaid.meter), "value": _value(row.get("value", ""), unit),
             **({"board_celsius": row["board_celsius"]} if "board_celsius" in row else {}),
             **({"taken_on": _day(row["taken_on"], month_first)} if "taken_on" in row else {})} for line, row in found]


def understood_rows(table: TableLook, board: Board, unsaid: Unsaid) -> tuple[str, ...]:
    """The first rows in words."""
    said = []
    for row in rows_of(table, board, unsaid, SHOWN_ROWS):
        method = next((m for m in Method if m.value == row["method"]), None)
        unit = "" if row["value"] == "OL" else f" {'V' if method is None else method.unit}"
        known = "" if row["point"] in board.point_by_id else tr(", which is no point of this board")
        more = ", ".join(part for part in (method.words if method is not None else row["method"], row["meter"],
                                           f"{row['board_celsius']} \u00b0C" if "board_celsius" in row else "",
                                           row.get("taken_on", "")) if part)
        said.append(tr("line {row} is read as   {row2}   {row3}{known}   {row4}{unit}   {more}", row=row[LINE],
                       row2=row["board_serial"], row3=row["point"], known=known, row4=row["value"], unit=unit,
                       more=more))
    return tuple(said)


def _point(board: Board, told: str) -> str:
    """A contact alone is one of the port, where there is only one such."""
    if told in board.point_by_id:
        return told
    ends = [point for point in board.point_by_id if point.partition(".")[2].casefold() == told.casefold()]
    return ends[0] if len(ends) == 1 else told


def _method(told: str, usual: str) -> str:
    if not told:
        return usual
    known = METHODS.get(re.sub(r"[^a-z]", "", told.lower()))
    return known.value if known is not None else told


def _value(told: str, unit: str) -> str:
    if told.casefold() in OPEN:
        return "OL"
    try:
        return f"{float(told) * FACTORS.get(unit, 1.0):.6g}"
    except ValueError:
        return told


def _day(told: str, month_first: bool) -> str:
    """A day as ISO writes it."""
    if A_DAY.match(told) is None or told[4:5] == "-":
        return told
    one, two, year = re.split(r"[./]", told)
    month, day = (one, two) if month_first and "/" in told else (two, one)
    return f"{year}-{int(month):02d}-{int(day):02d}"


def is_a_library_file(heads: Iterable[str], delimiter: str) -> bool:
    """Whether a file is written as this program writes a library: then nothing need be asked."""
    return delimiter == "," and tuple(heads) == ("board_serial", "point", "method", "meter", "board_celsius", "value",
                                                 "taken_on")
