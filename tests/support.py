"""What several tests need: small boards with known answers, the shipped packs, entries."""

from __future__ import annotations

import atexit
import math
import os
import sqlite3
import tempfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Literal

from dextrum.app.bench.demo import fill_demo
from dextrum.app.bench.described_meters import shipped_meters
from dextrum.app.library.library import PackLibrary
from dextrum.app.places import cache_folder
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.board import (
    AccessLevel,
    Board,
    Component,
    ComponentKind,
    FailureRate,
    Fault,
    FaultKind,
    Method,
    Net,
    NetRole,
    Point,
    RepairRule,
    Side,
    Terminal,
)
from dextrum.core.reference.judge import judge
from dextrum.core.safety.recheck import points_of_part
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Cell,
    Entry,
    Intake,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Readings,
    Rework,
)
from dextrum.instruments.described.described_meters import AskedMeter
from dextrum.instruments.described.description import MeterDescription
from dextrum.instruments.protocols import Link
from dextrum.store.jobs import JobStore

KEPT_BY_THE_RUN = "DEXTRUM_TESTS_KEEP"
"""The variable that says that the folder of caches is the run's own."""
LONG = bool(os.environ.get("DEXTRUM_LONG_TESTS"))
"""Whether the studies run at their full length: `./dextrum test --long`."""
DUO, ORB, SLIVER, LEAF = "tarnwick-duo-c", "bramlet-orb-a", "tarnwick-sliver-a", "ondry-leaf-a"
START = datetime(2026, 3, 12, 9, 0, tzinfo=UTC)
DEMO_DAY = datetime(2026, 3, 12, 13, 10, tzinfo=UTC)


def part(name: str, kind: ComponentKind, *ends: tuple[str, str], ohms: float | None = None,
         volts: dict[str, float] | None = None, load: dict[str, float] | None = None,
         black: dict[str, float] | None = None) -> Component:
    """A part with ends (terminal, net); volts, black and load by terminal."""
    return Component(name, kind, name.lower(), tuple(
        Terminal(t, n, (volts or {}).get(t), (black or {}).get(t), (load or {}).get(t)) for t, n in ends),
        Side.TOP, 5.0, 5.0, 1.0, 1.0, ohms, price=1.0)


def line_board() -> Board:
    """A fuse between IN and OUT, a chip pin and a capacitor on OUT, a clamp on IN, a resistive core rail."""
    nets = (Net("GND", NetRole.GROUND), Net("IN", NetRole.VBUS, 5.0), Net("OUT", NetRole.RAIL, 5.0),
            Net("CORE", NetRole.CORE_RAIL, 0.9))
    components = (
        part("F1", ComponentKind.FUSE, ("1", "IN"), ("2", "OUT"), ohms=0.05),
        part("U1", ComponentKind.IC, ("IN", "OUT"), ("CORE", "CORE"), ("GND", "GND"), volts={"IN": 0.55},
             load={"CORE": 40.0}, black={"IN": 1.2}),
        part("D1", ComponentKind.ESD_ARRAY, ("1", "IN"), ("2", "GND"), volts={"1": 0.70}),
        part("C1", ComponentKind.CAPACITOR, ("1", "OUT"), ("2", "GND")),
    )
    places = (("P1", "@IN", None), ("P2", "@OUT", None), ("P3", "@CORE", None), ("F1.1-2", "F1.1", "F1.2"),
              ("U1.IN", "U1.IN", None))
    points = tuple(Point(i, at, Side.TOP, 1.0, 1.0, "open", "rail", to) for i, at, to in places)
    rates = (FailureRate(ComponentKind.FUSE, FaultKind.BLOWN_FUSE, 2.0),
             FailureRate(ComponentKind.IC, FaultKind.HARD_SHORT, 2.0),
             FailureRate(ComponentKind.IC, FaultKind.LIFTED_JOINT, 1.0),
             FailureRate(ComponentKind.CAPACITOR, FaultKind.HARD_SHORT, 1.0),
             FailureRate(ComponentKind.ESD_ARRAY, FaultKind.MISSING_PART, 0.5))
    rules = (RepairRule(ComponentKind.FUSE, "replace", (FaultKind.BLOWN_FUSE,), 8.0, "open"),
             RepairRule(ComponentKind.CAPACITOR, "replace", (FaultKind.HARD_SHORT,), 8.0, "open"),
             RepairRule(ComponentKind.IC, "replace", (FaultKind.HARD_SHORT, FaultKind.LIFTED_JOINT), 30.0, "open"))
    return Board("line", "Line", "Line", "LINE", "A", ((0.0, 0.0), (10.0, 0.0), (10.0, 10.0)), nets, components,
                 points, access_levels=(AccessLevel("closed", "closed", 0.0), AccessLevel("open", "open", 4.0)),
                 failure_rates=rates, repair_rules=rules)


@cache
def models_kept() -> Path:
    """Where what is worked out of a board is kept for the rest of a run: by all its processes, where the run has set a
    folder for that."""
    if KEPT_BY_THE_RUN in os.environ:
        return cache_folder()
    folder = tempfile.TemporaryDirectory()
    atexit.register(folder.cleanup)
    return Path(folder.name)


def library_of(*folders: Path) -> PackLibrary:
    """A library begun anew, with packs of its own in these folders."""
    return PackLibrary(folders, kept=models_kept())


@cache
def _empty_job_file() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "jobs.sqlite"
        JobStore(place).close()
        return place.read_bytes()


def empty_store(place: Path) -> JobStore:
    """A new job file, as one that was made by the steps of all versions, which take a while, and closed."""
    place.write_bytes(_empty_job_file())
    return JobStore(place)


@cache
def library() -> PackLibrary:
    return library_of()


@cache
def duo_board() -> Board:
    return library().board(DUO)


@cache
def duo_advice() -> AdviceModel:
    return library().advice_model(DUO, "M1")


def replaced(part: str, action: Literal["replace", "reflow", "wire"] = "replace") -> Rework:
    """A piece of rework with its audit ticked."""
    return Rework(action, part, audit=AUDIT_STEPS)


def board_out(*symptoms: str) -> tuple[Payload, ...]:
    """A Duo that its owner says this of, looked into, its cell unplugged and its board out."""
    return (JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("x", symptoms), Look(("clean",)),
            Cell("unplugged"), Access("board_out"))


def as_good(*points: str, but: dict[str, float] | None = None, pack: str = DUO) -> tuple[Readings, ...]:
    """Readings by the points' own methods, as a good board reads; but: those that read otherwise."""
    board, references = library().board(pack), library().advice_model(pack, "M1").model.references
    found: dict[Method, list[PointReading]] = {}
    for point in (*points, *(but or {})):
        method = board.point_by_id[point].default_method
        reference = references.get(point, method)
        value = (but or {}).get(point)
        if value is None and reference is not None:
            value = judge(0.0, reference).centre
        if value is not None:
            found.setdefault(method, []).append(PointReading(point, round(value, 3) if math.isfinite(value) else value))
    return tuple(Readings(method, tuple(taken), "M1") for method, taken in found.items())


def new_joints(part: str, access: str = "", but: dict[str, float] | None = None) -> tuple[Readings, ...]:
    """What is read after a part was soldered, as a good board reads."""
    return as_good(*(p for p in points_of_part(duo_board(), part, access) if p not in (but or {})), but=but)


def fault_named(model_faults: tuple[Fault, ...], name: str) -> Fault:
    return next(f for f in model_faults if f.id == name)


def trail_of(*payloads: Payload) -> tuple[Entry, ...]:
    """Entries a minute apart with ids e0, e1 …"""
    return tuple(Entry(f"e{i}", START + timedelta(minutes=i), "test", p) for i, p in enumerate(payloads))


@cache
def demo_file() -> Path:
    """The demo's job file as on DEMO_DAY, made once a process."""
    folder = tempfile.TemporaryDirectory()
    atexit.register(folder.cleanup)
    place = Path(folder.name) / "demo.sqlite"
    store = JobStore(place)
    fill_demo(store, library(), DEMO_DAY)
    store.close()
    return place


def fill_with_demo(store: JobStore) -> None:
    """Copy the demo into a store's own file."""
    assert store.path is not None
    with closing(sqlite3.connect(demo_file())) as demo, closing(sqlite3.connect(store.path)) as own:
        demo.backup(own)


def shipped_meter(identity: str) -> MeterDescription:
    """A description that comes with the program."""
    return next(d for d in shipped_meters() if d.id == identity)


def scpi_multimeter(link: Link) -> AskedMeter:
    """A multimeter that speaks SCPI in the usual manner."""
    return AskedMeter(link, shipped_meter("scpi-configure"))
