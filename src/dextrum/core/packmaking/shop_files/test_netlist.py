"""Bare-board test netlists as IPC-D-356A (1998) has them: fixed columns, one test point a line.

Columns, counted from 1: 1-3 operation (317 through hole, 327 surface), 4-17 net, 21-26 designator, 27 a dash, 28-31
pin, 32 M for a point in the middle of a net, 42-49 X, 50-57 Y with their signs. A parameter line 'P  UNITS CUST 1'
means 0.001 mm, otherwise 0.0001 inch. 'P  NNAMEn' lines give names longer than fourteen letters. Vias have no
designator of their own.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dextrum.tongue import tr

MM_PER_UNIT = {"0": 0.00254, "1": 0.001, "2": 0.00254}
"""By the figure after UNITS CUST."""
POINTS = ("317", "327", "367")
SURFACE, HOLE = "327", "317"
NOT_CONNECTED = "N/C"
MOST_LINES = 200_000
_COORDINATE = re.compile(r"X([+\- ]?)\s*(\d{1,6})Y([+\- ]?)\s*(\d{1,6})")
_UNITS = re.compile(r"^P\s+UNITS\s+CUST\s+(\d)")
_LONG_NAME = re.compile(r"^P\s+(NNAME\S+)\s+(\S.*?)\s*$")


@dataclass(frozen=True)
class TestPoint:
    """One pin: its net, empty where it is not connected, and its place in millimetres."""

    net: str
    part: str
    pin: str
    x_mm: float
    y_mm: float
    surface: bool


@dataclass(frozen=True)
class Left:
    """A line that was left out, by its number and why."""

    line: int
    why: str


def read_test_netlist(text: str) -> tuple[tuple[TestPoint, ...], tuple[Left, ...]]:
    """Test points in their order, and lines that don't fit. Raises ValueError where none is of the kind."""
    points: list[TestPoint] = []
    left: list[Left] = []
    names: dict[str, str] = {}
    unit = MM_PER_UNIT["0"]
    lines = text.splitlines()
    if len(lines) > MOST_LINES:
        raise ValueError(tr("{count} lines; expected at most {most_lines}", count=len(lines), most_lines=MOST_LINES))
    for number, raw in enumerate(lines, start=1):
        line = raw.rstrip("\n\r")
        if units := _UNITS.match(line):
            unit = MM_PER_UNIT.get(units[1], unit)
        elif named := _LONG_NAME.match(line):
            names[named[1]] = named[2]
        elif line[:3] in POINTS:
            found = _point(line, unit, names)
            if isinstance(found, TestPoint):
                points.append(found)
            elif found:
                left.append(Left(number, found))
        elif line[:3] == "999":
            break
    if not points:
        raise ValueError(tr("no test point is in it; expected lines that begin with 317 or 327, as IPC-D-356A has "
                            "them"))
    return tuple(points), tuple(left)


def _point(line: str, unit: float, names: dict[str, str]) -> TestPoint | str:
    """The point, or why it is left out; empty for a via, which has no part."""
    padded = line.ljust(80)
    net, part, pin = padded[3:17].strip(), padded[20:26].strip(), padded[27:31].strip()
    if part.upper() == "VIA" or (not part and padded[31:32] == "M"):
        return ""
    if not part or not pin:
        return tr("names no part and pin")
    place = _COORDINATE.search(padded, 41)
    if place is None:
        return tr("has no place X and Y")
    x, y = (int(f"{sign.strip()}{digits}") * unit for sign, digits in ((place[1], place[2]), (place[3], place[4])))
    return TestPoint("" if net.upper() == NOT_CONNECTED else names.get(net, net), part, pin, round(x, 4), round(y, 4),
                     line[:3] == SURFACE)


def write_test_netlist(points: Iterable[TestPoint], title: str) -> str:
    """The same in millimetres. Names of more than fourteen letters are given as NNAME lines."""
    points = tuple(points)
    long: dict[str, str] = {}
    for point in points:
        if len(point.net) > 14 and point.net not in long:
            long[point.net] = f"NNAME{len(long) + 1:05d}"
    lines = [f"P  JOB   {title}", "P  CODE  00", "P  UNITS CUST 1", "P  VER   IPC-D-356A",
             *(f"P  {alias} {name}" for name, alias in long.items())]
    lines += [_written(point, long.get(point.net, point.net or NOT_CONNECTED)) for point in points]
    return "\n".join((*lines, "999", ""))


def _written(point: TestPoint, net: str) -> str:
    def place(axis: str, value: float) -> str:
        return f"{axis}{'-' if value < 0 else '+'}{min(abs(round(value * 1000)), 999_999):06d}"

    head = f"{SURFACE if point.surface else HOLE}{net[:14]:<14}   {point.part[:6]:<6}-{point.pin[:4]:<4}"
    return f"{head:<38}A01{place('X', point.x_mm)}{place('Y', point.y_mm)}X0000Y0000R000S0"


def by_part(points: Sequence[TestPoint]) -> dict[str, list[TestPoint]]:
    """Points of each part, in the order of the file."""
    found: dict[str, list[TestPoint]] = {}
    for point in points:
        found.setdefault(point.part, []).append(point)
    return found
