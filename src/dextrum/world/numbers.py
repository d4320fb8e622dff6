"""Every number of the world, with unit, meaning and range. None of them is taken from the diagnosis or the advice.

They are guesses of how benches and units are, chosen to differ from what the diagnosis assumes; a world of other
numbers is read from a file (`./dextrum evaluate --world FILE`).
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import Field, asdict, dataclass, field, fields, replace
from typing import Any

import numpy as np

from dextrum.errors import ImportRefusedError

FORMAT, SCHEMA = "dextrum-world", 1
ROUGH_FACTOR = 2.0
BEYOND = 100.0
"""A file may go so many times beyond a range; chances and shares from 0 to 1."""


def _number(value: float, low: float, high: float, unit: str, meaning: str, worse: bool = False) -> Any:
    """worse: whether more of it makes the bench's life harder, so that a rough world has twice as much."""
    return field(default=value, metadata={"low": low, "high": high, "unit": unit, "meaning": meaning, "worse": worse})


@dataclass(frozen=True)
class Faults:
    none: float = _number(0.05, 0.0, 0.15, "share", "units with nothing wrong on the board")
    unlisted: float = _number(0.02, 0.0, 0.06, "share", "units whose fault no part of the pack explains", True)
    two: float = _number(0.20, 0.05, 0.35, "share", "of faulty units, those with two faults")
    three: float = _number(0.04, 0.0, 0.10, "share", "of faulty units, those with three")
    part_tilt: float = _number(0.5, 0.0, 1.0, "ln", "how far a part fails more or less often than its pack says", True)
    kind_tilt: float = _number(0.5, 0.0, 1.0, "ln", "the same of a kind of fault", True)
    near_share: float = _number(0.3, 0.0, 0.6, "share", "of further faults, those beside the first")
    near_mm: float = _number(8.0, 4.0, 15.0, "mm", "what counts as beside it")
    hard_ohms: float = _number(0.7, 0.2, 2.0, "ohm", "median of a hard short")
    hard_spread: float = _number(1.0, 0.4, 1.4, "ln", "spread of a hard short")
    partial_ohms: float = _number(60.0, 25.0, 150.0, "ohm", "median of a partial short")
    partial_spread: float = _number(1.0, 0.5, 1.4, "ln", "spread of a partial short")
    leak_ohms: float = _number(2500.0, 1000.0, 6000.0, "ohm", "median of a leak to ground")
    leak_spread: float = _number(0.8, 0.4, 1.2, "ln", "spread of a leak")
    other_ohms: float = _number(4000.0, 500.0, 20000.0, "ohm", "median of a resistor fitted in another's place")
    other_spread: float = _number(2.0, 1.0, 3.0, "ln", "spread of it")
    other_farads: float = _number(9.0, 3.0, 30.0, "times", "median of a capacitor in another's place, more or less")
    other_farads_spread: float = _number(0.8, 0.3, 1.5, "ln", "spread of it")
    intermittent: float = _number(0.02, 0.0, 0.06, "share", "of faults, those that come and go", True)
    there: float = _number(0.8, 0.5, 0.95, "share", "of the time that such a fault is there")
    changes: float = _number(0.1, 0.02, 0.3, "share", "chance per touch or trial that such a fault comes or goes")


@dataclass(frozen=True)
class Coupling:
    sure: float = _number(0.96, 0.9, 1.0, "chance", "that what is broken or shorted breaks what needs it")
    redundant_contact: float = _number(0.06, 0.0, 0.2, "chance", "the same, of one of several contacts of one net")
    capacitor: float = _number(0.12, 0.02, 0.3, "chance", "the same, of a missing capacitor")
    pull_up: float = _number(0.5, 0.2, 0.9, "chance", "the same, of a missing resistor")
    wrong_value: float = _number(0.35, 0.1, 0.8, "chance", "the same, of a small part of another value")
    crossed: float = _number(0.85, 0.6, 1.0, "chance", "the same, of what is crossed or bridged")
    half_ohms: float = _number(180.0, 60.0, 500.0, "ohm", "short to ground that breaks a function every second time; "
                               "on a rail that carries more by itself, one that takes as much as its loads")
    half_leak_ohms: float = _number(900.0, 300.0, 3000.0, "ohm", "leak that does, likewise")
    slope: float = _number(1.3, 0.7, 2.5, "per ln", "how fast that falls with ohms")
    other_pin: float = _number(0.3, 0.0, 1.0, "chance", "that a chip fails by a pin that a function isn't said to need")
    felt_ohms: float = _number(2.0, 0.5, 5.0, "ohm", "coil, fuse or filter through which a short is felt")
    together: float = _number(0.6, 0.2, 0.9, "correlation", "of the functions that one fault may break")


@dataclass(frozen=True)
class Boards:
    chip: float = _number(0.09, 0.05, 0.16, "ln A", "spread of a chip's junctions from board to board", True)
    pin: float = _number(0.11, 0.06, 0.18, "ln A", "spread of one pin beside its chip", True)
    load: float = _number(0.05, 0.02, 0.1, "ln ohm", "spread of loads")
    path: float = _number(0.08, 0.03, 0.15, "ln ohm", "spread of windings, links and contacts")
    resistor: float = _number(0.02, 0.005, 0.05, "ln ohm", "spread of resistors about what is printed on them")
    farads: float = _number(0.06, 0.02, 0.1, "share", "spread of a capacitor about what it is to be")
    tails: float = _number(6.0, 3.0, 30.0, "degrees", "freedom of the spreads: the fewer, the heavier the tails")
    other_maker: float = _number(0.004, 0.0, 0.02, "share", "of junctions, those of another maker's part", True)
    other_volts: float = _number(0.04, 0.01, 0.08, "V", "how far such a junction is off")
    left_out: float = _number(0.003, 0.0, 0.02, "share", "of capacitors, those that some boards never had", True)
    wrong_net: float = _number(0.01, 0.0, 0.04, "share", "of points, those that the pack has on another net", True)


@dataclass(frozen=True)
class Hands:
    slip: float = _number(0.01, 0.0, 0.03, "chance", "that a touch reads open though it should not", True)
    again: float = _number(0.25, 0.0, 0.6, "chance", "that the touch after a slip slips as well")
    poor: float = _number(0.004, 0.0, 0.02, "chance", "of a touch that reads high", True)
    poor_volts: float = _number(0.03, 0.01, 0.08, "V", "mean of how much")
    contact_minutes: float = _number(0.1, 0.05, 0.3, "min", "for the next contact in a walk along the port", True)
    touch_minutes: float = _number(0.33, 0.2, 0.8, "min", "for one point elsewhere on the board", True)
    farads_minutes: float = _number(0.25, 0.1, 0.6, "min", "more, for one that is read in farads", True)


@dataclass(frozen=True)
class Meters:
    gain: float = _number(0.002, 0.0, 0.006, "share", "spread of the meter's gain from the one of the references", True)
    offset: float = _number(0.001, 0.0, 0.004, "V", "spread of its offset", True)
    noise: float = _number(0.0008, 0.0003, 0.002, "V", "noise of one reading")
    ohms_noise: float = _number(0.012, 0.003, 0.03, "share", "noise of one reading of ohms")
    lead: float = _number(0.08, 0.0, 0.3, "ohm", "of the leads")
    farads_noise: float = _number(0.01, 0.003, 0.03, "share", "noise of one reading of capacitance")
    stray: float = _number(0.06, 0.02, 0.2, "nF", "that the leads have between them")
    charging_ohms: float = _number(1000.0, 300.0, 3000.0, "ohm", "across a capacitor that keep the meter from it")
    compliance: float = _number(2.6, 2.0, 3.2, "V", "from which the meter shows OL")


@dataclass(frozen=True)
class Repairs:
    replace_fails: float = _number(0.04, 0.0, 0.1, "chance", "that a new part does not take", True)
    reflow_fails: float = _number(0.12, 0.03, 0.3, "chance", "that a reflow does not mend", True)
    wire_fails: float = _number(0.06, 0.0, 0.15, "chance", "that a wire does not hold", True)
    turned: float = _number(0.004, 0.0, 0.02, "chance", "that a new chip is put in turned", True)
    harms: float = _number(0.04, 0.0, 0.1, "chance", "that heat knocks off, lifts, moves or kills a neighbour", True)
    moved: float = _number(0.15, 0.0, 0.4, "share", "of hurt neighbours, small parts that end in another's place")
    killed: float = _number(0.05, 0.0, 0.2, "share", "of hurt neighbours, chips that heat kills")
    harm_mm: float = _number(5.0, 3.0, 10.0, "mm", "how far heat reaches")


@dataclass(frozen=True)
class Checks:
    false_fail: float = _number(0.02, 0.0, 0.06, "chance", "that what works fails a trial", True)
    false_pass: float = _number(0.01, 0.0, 0.04, "chance", "that what is broken passes it", True)
    rail_slip: float = _number(0.015, 0.0, 0.05, "chance", "that a rail that is up is read as missing", True)
    rail_spread: float = _number(0.012, 0.003, 0.03, "share", "how far a rail that is up is off its volts")
    rail_left: float = _number(0.07, 0.01, 0.2, "share", "of its volts that a rail shows while it is missing")
    draw_lean: float = _number(0.4, 0.0, 1.0, "ln", "how far a unit's draws lean from what its pack says")
    odd_draw: float = _number(0.02, 0.0, 0.06, "chance", "of a draw that fits nothing", True)


@dataclass(frozen=True)
class Looks:
    dirt: float = _number(0.18, 0.0, 0.4, "share", "of ports packed with dirt", True)
    corroded: float = _number(0.04, 0.0, 0.12, "share", "of ports corroded", True)
    contact: float = _number(0.5, 0.2, 0.8, "chance", "that a contact that does not touch is seen bent")
    crossed: float = _number(0.8, 0.5, 0.95, "chance", "that crossed contacts are seen")
    joint: float = _number(0.25, 0.05, 0.5, "chance", "that a lifted joint of the port is seen as loose")
    missing: float = _number(0.85, 0.6, 0.98, "chance", "that a missing part is seen")
    burst: float = _number(0.2, 0.05, 0.4, "chance", "that a shorted or dead part shows it")
    askew: float = _number(0.3, 0.1, 0.6, "chance", "that a lifted joint on the board is seen as askew")
    bridged: float = _number(0.5, 0.2, 0.9, "chance", "that a bridge of solder between pins is seen")
    counted: float = _number(0.96, 0.8, 1.0, "chance", "that a missing part is seen when a few are counted")
    swapped: float = _number(0.4, 0.1, 0.8, "chance", "that a part in another's place is seen beside the photo")
    turned: float = _number(0.6, 0.3, 0.9, "chance", "that a chip put in turned is seen by its pin 1")
    torn: float = _number(0.85, 0.6, 0.97, "chance", "that a torn pad is seen while the part is off")
    photo: float = _number(0.9, 0.6, 1.0, "chance", "that the photo made before shows that a place was empty by then")
    false: float = _number(0.003, 0.0, 0.01, "chance", "that a good part is taken for a bad one", True)


@dataclass(frozen=True)
class Warmth:
    camera_watts: float = _number(0.04, 0.01, 0.2, "W", "heat that a camera shows every second time")
    spray_watts: float = _number(0.25, 0.05, 0.6, "W", "heat that freeze spray shows every second time")
    alcohol_watts: float = _number(0.12, 0.03, 0.4, "W", "heat that drying alcohol shows every second time")
    neighbour: float = _number(0.06, 0.0, 0.2, "chance", "that a neighbour is named in its place", True)
    neighbour_mm: float = _number(5.0, 2.0, 10.0, "mm", "how near such a neighbour is")
    false: float = _number(0.03, 0.0, 0.1, "chance", "that something is seen to warm that doesn't", True)


@dataclass(frozen=True)
class Histories:
    liquid: float = _number(0.03, 0.0, 0.1, "share", "of boards that liquid has been on", True)
    liquid_mm: float = _number(7.0, 4.0, 15.0, "mm", "radius of where it was")
    liquid_hits: float = _number(0.12, 0.03, 0.3, "chance", "that a part there has failed of it")
    botched: float = _number(0.05, 0.0, 0.15, "share", "of boards that somebody has worked on badly", True)
    port_changed: float = _number(0.04, 0.0, 0.12, "share", "of boards whose port somebody has changed", True)
    port_joint: float = _number(0.02, 0.0, 0.08, "chance", "that a joint of such a port did not take", True)
    swapped: float = _number(0.02, 0.0, 0.08, "share", "of boards that got an array or a chip of another kind", True)
    swapped_volts: float = _number(0.07, 0.03, 0.15, "V", "how far its junctions are off")


@dataclass(frozen=True)
class Owners:
    misses: float = _number(0.12, 0.0, 0.3, "chance", "that a symptom is not reported", True)
    invents: float = _number(0.04, 0.0, 0.12, "chance", "that one is reported that is none", True)
    bad_gear: float = _number(0.04, 0.0, 0.12, "share", "of owners with a bad supply or cable", True)
    flat_no_start: float = _number(0.8, 0.4, 1.0, "chance", "that a unit with a flat cell is said not to start")


@dataclass(frozen=True)
class Cells:
    deeply_flat: float = _number(0.12, 0.0, 0.3, "share", "of cells that come in deeply flat", True)
    flat: float = _number(0.22, 0.05, 0.4, "share", "of cells that come in flat")
    near_full: float = _number(0.12, 0.0, 0.3, "share", "of cells that are nearly full")


@dataclass(frozen=True)
class World:
    """All numbers of one world, in sections."""

    name: str = "default"
    faults: Faults = Faults()
    coupling: Coupling = Coupling()
    boards: Boards = Boards()
    hands: Hands = Hands()
    meters: Meters = Meters()
    repairs: Repairs = Repairs()
    checks: Checks = Checks()
    looks: Looks = Looks()
    warmth: Warmth = Warmth()
    histories: Histories = Histories()
    owners: Owners = Owners()
    cells: Cells = Cells()


DEFAULT = World()
SECTIONS = tuple(f.name for f in fields(World) if f.name != "name")


def numbers_of(section: str) -> tuple[Field[float], ...]:
    """The numbers of a section, with `low`, `high`, `unit`, `meaning` and `worse` in their metadata."""
    return fields(getattr(DEFAULT, section))


def _each(world: World, change: Any) -> World:
    found = world
    for section in SECTIONS:
        values = {f.name: change(f, float(getattr(getattr(world, section), f.name))) for f in numbers_of(section)}
        found = replace(found, **{section: replace(getattr(world, section), **values)})
    return found


def rough_world(world: World = DEFAULT) -> World:
    """Everything that makes life harder twice as bad; what is a chance stays one."""

    def worse(number: Field[float], value: float) -> float:
        is_chance = number.metadata["unit"] in ("chance", "share")
        return min(ROUGH_FACTOR * value, 0.9 if is_chance else math.inf) if number.metadata["worse"] else value

    return replace(_each(world, worse), name="rough")


def drawn_world(seed: int) -> World:
    """Each number by itself from its range: evenly, or by its logarithm where the range spans a factor of three."""
    generator = np.random.default_rng(seed)

    def draw(number: Field[float], _value: float) -> float:
        low, high = number.metadata["low"], number.metadata["high"]
        if low > 0 and high / low > 3.0:
            return float(np.exp(generator.uniform(np.log(low), np.log(high))))
        return float(generator.uniform(low, high))

    return replace(_each(DEFAULT, draw), name=f"drawn {seed}")


def world_as_json(world: World) -> str:
    return json.dumps({"format": FORMAT, "schema": SCHEMA, **asdict(world)}, indent=2)


def world_of_json(text: str) -> World:
    """What is left out is as in the default world. Raises ImportRefusedError with the place of what is wrong."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as problem:
        raise ImportRefusedError(f"The world is not JSON: {problem}.") from None
    if not isinstance(data, dict) or data.get("format") != FORMAT or data.get("schema") != SCHEMA:
        raise ImportRefusedError(f'The file is no world: expected "format": "{FORMAT}" and "schema": {SCHEMA}.')
    found = replace(DEFAULT, name=str(data.get("name", "from a file"))[:80])
    for key, values in data.items():
        if key in ("format", "schema", "name"):
            continue
        if key not in SECTIONS or not isinstance(values, Mapping):
            raise ImportRefusedError(f"The world has no section '{key}'; expected {', '.join(SECTIONS)}.")
        known = {f.name: f for f in numbers_of(key)}
        for name, value in values.items():
            if name not in known:
                raise ImportRefusedError(f"{key} has no number '{name}'; expected {', '.join(known)}.")
            _check(key, known[name], value)
        found = replace(found, **{key: replace(getattr(found, key), **{n: float(v) for n, v in values.items()})})
    _check_sums(found)
    return found


SHARES = (("faults.none", "faults.unlisted"), ("faults.two", "faults.three"),
          ("cells.deeply_flat", "cells.flat", "cells.near_full"))
"""Shares of one whole."""


def _check_sums(world: World) -> None:
    for names in SHARES:
        whole = sum(float(getattr(getattr(world, section), number)) for section, _, number in (
            name.partition(".") for name in names))
        if whole > 1.0:
            raise ImportRefusedError(f"{' and '.join(names)} are {whole:g} together; expected at most 1.")


def _check(section: str, number: Field[float], value: object) -> None:
    about = number.metadata
    high = 1.0 if about["unit"] in ("chance", "share", "correlation") else BEYOND * about["high"]
    # What has no zero in its range divides, or is a size: so far below it nothing would be meant any more.
    low = 0.0 if about["low"] == 0.0 or high == 1.0 else about["low"] / BEYOND
    fits = not isinstance(value, bool) and isinstance(value, int | float) and low <= value <= high
    if not fits:
        raise ImportRefusedError(f"{section}.{number.name} is {repr(value)[:40]}; expected a number from {low:g} to "
                                 f"{high:g} ({about['unit']}).")
