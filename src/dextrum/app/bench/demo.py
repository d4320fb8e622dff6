"""The bench of the Saltmarsh Library Service: jobs at every stage, made by playing hidden faults.

All values come from the simulated board; only complaints, names and dates are written down.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import numpy as np

from dextrum.app.bench.demo_month import fill_shop, month_makers
from dextrum.app.bench.demo_photos import put_photos
from dextrum.app.bench.demo_ready import kept_trails, moved_to
from dextrum.app.bench.simulated_technician import SimulatedTechnician, with_fault
from dextrum.app.library.library import PackLibrary
from dextrum.app.supply.circumstances import DrawCircumstances
from dextrum.app.supply.draw_import import trace_entry
from dextrum.app.supply.draw_words import computed_wait
from dextrum.core.advice.actions import Action
from dextrum.core.board import Board
from dextrum.core.board.breakout import Breakout, contact_order
from dextrum.core.reference.warm import COOLING
from dextrum.core.trail import Cell, Entry, Intake, Look, Outcome, Rework, Wait
from dextrum.instruments.loaners import known_good_of_loaners
from dextrum.instruments.simulated_board import METER_M1, METER_M2, SimulatedBoard
from dextrum.store.bench_settings import BenchMeter, set_up_breakout, set_up_meter
from dextrum.store.gear import add_gear, prove_gear
from dextrum.store.jobs import JobStore
from dextrum.store.known_good import add_readings

DUO, ORB, SLIVER, LEAF = "tarnwick-duo-c", "bramlet-orb-a", "tarnwick-sliver-a", "ondry-leaf-a"
Progress = Callable[[int, int], None]
BENCH = "Saltmarsh Library Service"
TECHNICIAN = "Ines"


@dataclass(frozen=True)
class Story:
    """One demo job. until: the first action of this kind that is not done any more ('' plays to the end).

    ending: how the technician then closes it, if so.
    """

    serial: str
    pack_id: str
    fault: str
    seed: int
    hours_ago: float
    complaint: str
    present: tuple[str, ...]
    until: str
    history: str = ""
    came_along: str = ""
    due_hours: float | None = None
    ending: str = ""


DEMO_GEAR: tuple[tuple[str, str, str, int | None], ...] = (
    ("supply", "S1", "negotiating", 3), ("supply", "S2", "default_5v", 40), ("supply", "owner's", "negotiating", None),
    ("supply", "dock supply", "dock", 12), ("supply", "bench supply", "bench", 1),
    ("cable", "C1", "", 3), ("cable", "C2", "", None), ("dock", "K1", "", 12),
)
DEMO_CHOSEN = ("S1", "C1")

STORIES = (
    Story("SLS-0295", DUO, "J1:open_contact:B5", 31, 50.0, "Charges only one way up since it was dropped.",
          ("one_way",), "", "fell from a reading table", "dock, supply", -20.0),
    Story("SLS-0340", DUO, "U7:hard_short:CORE", 34, 44.0, "Dead after rain in a tent.", ("no_start",),
          "give_up", "got wet", "none", ending="donor"),
    Story("SLS-0231", ORB, "F1:blown_fuse:1:2", 23, 26.0, "Pad does not charge on any cable.", ("no_charge",),
          "prove", "", "cable", 30.0),
    Story("SLS-0177", DUO, "U3:quiet_failure", 17, 25.0, "No picture in the dock, shows T-34.",
          ("no_dock", "code_T34"), "repair", "", "dock, supply", 44.0),
    Story("SLS-0518", DUO, "FL5:open_winding:3:4", 51, 22.0, "No picture in the dock, one way up.", ("no_dock",),
          "repair", "forced into the dock", "dock", 20.0),
    Story("SLS-0444", DUO, "C17:hard_short:1", 44, 6.0, "Does not charge, gets warm near the port.",
          ("no_charge",), "inject", "a strange charger", "none", 68.0),
    Story("SLS-0417", DUO, "U1:hard_short:CC2", 417, 2.0, "Does not charge on its own supply, nor in the dock.",
          ("no_charge", "no_dock"), "repair", "charger from a market stall", "supply, dock", 3.0),
    Story("SLS-0562", LEAF, "J1:open_contact:A1", 62, 4.0, "Charges only while the plug is held.",
          ("no_charge", "wobbles"), "repair", "in use since the first year", "its own supply", 52.0),
    Story("SLS-0253", DUO, "FL3:open_winding:1:2", 53, 5.0, "No picture in the dock since it was dropped.",
          ("no_dock",), "recheck", "fell while docked", "dock", 43.0),
    Story("SLS-0466", DUO, "J1:open_contact:A10", 46, 0.4, "The picture flickers in the dock.", (), "look", "",
          "dock", 90.0),
)


def _intake(story: Story, now: datetime) -> Intake:
    due = "" if story.due_hours is None else (
        now + timedelta(hours=story.due_hours)).replace(minute=0).strftime("%Y-%m-%dT%H:%M")
    return Intake(story.complaint, story.present, (), story.history, story.came_along,
                  "screen whole, screws complete", due)


def _play(library: PackLibrary, story: Story, now: datetime) -> tuple[Entry, ...]:
    advice = library.advice_model(story.pack_id, METER_M1.name)
    technician = SimulatedTechnician(advice, with_fault(advice, story.fault, story.seed), METER_M1, TECHNICIAN,
                                     now - timedelta(hours=story.hours_ago), COOLING)
    technician.open(story.serial, _intake(story, now))

    def stop(action: Action, _trail: tuple[Entry, ...]) -> bool:
        return action.kind == story.until

    technician.work(stop if story.until else None)
    if story.ending == "donor":
        technician.note(Outcome("donor", "The processor's rail is grounded: not worth another hour."),
                        minutes=5.0)
    return tuple(technician.trail)


def _flat_cell(library: PackLibrary, now: datetime) -> tuple[Entry, ...]:
    """A healthy unit whose cell is deeply flat: traced for a few minutes each way up, and in doubt still."""
    advice = library.advice_model(DUO, METER_M1.name)
    board = advice.model.board
    unit = _slow_to_wake(board, 388)
    technician = SimulatedTechnician(advice, unit, METER_M1, TECHNICIAN, now - timedelta(minutes=11))
    technician.open("SLS-0388", Intake("Lay in a cupboard all summer, does not start.", ("no_start",), (), "",
                                       "supply", "dusty", (now + timedelta(days=2)).strftime("%Y-%m-%dT12:00")))
    technician.note(Look(("clean",)), minutes=1.0)
    note_trace(technician, "b", 80.0, 4.0)
    note_trace(technician, "a", 150.0, 4.0)
    assessment = technician.assessment()
    wait = computed_wait(assessment.draws, technician.now.astimezone())
    if wait is not None:
        technician.note(wait)
    return tuple(technician.trail)


def _slow_to_wake(board: Board, seed: int) -> SimulatedBoard:
    """A healthy unit whose deeply flat cell takes more than five minutes to wake, either way up."""
    while True:
        unit = SimulatedBoard(board, (), np.random.default_rng(seed))
        unit.cell_begins = "small_5v"
        if all(unit.draw(o).phases[1].begins > 300.0 for o in "ab"):
            return unit
        seed += 1


def note_trace(technician: SimulatedTechnician, orientation: str, seconds: float, rate: float) -> None:
    """Plug in and log: the trace as a power meter's file gave it."""
    from dextrum.core.draw.samples import tidy
    from dextrum.store.draw_csv import DrawFile

    made = technician.unit.draw(orientation).samples(seconds, rate)
    file = DrawFile(tidy(made.seconds, made.volts, made.amps), (), 0, False)
    how = DrawCircumstances(orientation, "off", gear=technician.gear)
    technician.note(trace_entry(file, "power meter", how), minutes=seconds / 60.0 + 1.0)


def _before_and_after(library: PackLibrary, now: datetime) -> tuple[Entry, ...]:
    """A blown fuse: nothing was drawn either way up; since it was replaced a flat cell comes back."""
    advice = library.advice_model(DUO, METER_M1.name)
    unit = with_fault(advice, "F1:blown_fuse:1:2", 333)
    unit.cell_begins = "precharge"
    technician = SimulatedTechnician(advice, unit, METER_M1, TECHNICIAN, now - timedelta(hours=5), COOLING)
    technician.open("SLS-0333", Intake("Dead since the charger of the car.", ("no_charge",), (), "", "supply",
                                       "clean", (now + timedelta(days=1)).strftime("%Y-%m-%dT16:00")))
    technician.note(Look(("clean",)), minutes=1.0)
    note_trace(technician, "a", 120.0, 4.0)
    note_trace(technician, "b", 90.0, 4.0)

    def stop(action: Action, trail: tuple[Entry, ...]) -> bool:
        return action.kind in ("supply", "prove") and any(isinstance(e.payload, Rework) for e in trail)

    technician.work(stop)
    technician.note(Cell("plugged"), minutes=2.0)
    note_trace(technician, "a", 3600.0, 4.0)
    return tuple(technician.trail)


def _sparse(library: PackLibrary, now: datetime) -> tuple[Entry, ...]:
    """A model of which only the port is known: a crushed port, and the new one is in the post."""
    advice = library.advice_model(SLIVER, METER_M1.name)
    technician = SimulatedTechnician(advice, SimulatedBoard(advice.model.board, (), np.random.default_rng(502)),
                                     METER_M1, TECHNICIAN, now - timedelta(hours=28))
    technician.open("SLS-0502", Intake("Plug does not go in any more.", (), (), "stood on", "none", "port crushed",
                                       (now + timedelta(days=4)).strftime("%Y-%m-%dT12:00")))
    technician.note(Look(("bent", "crossed"), ("A5", "A6")), minutes=1.0)
    technician.note(Wait("Port in the post", (now + timedelta(days=1)).strftime("%Y-%m-%dT09:00")), minutes=2.0)
    return tuple(technician.trail)


def _silent(_done: int, _of: int) -> None:
    """No progress wanted."""


def _add_gear(store: JobStore, moment: datetime) -> None:
    """The bench's supplies, cables and docks; one of them never proved good."""
    for kind, name, supply_class, days in DEMO_GEAR:
        record = add_gear(store, kind, name, supply_class, moment - timedelta(days=200))
        if days is not None:
            prove_gear(store, record.id, True, "charged a known-good loaner", TECHNICIAN, moment - timedelta(days=days))
        if name in DEMO_CHOSEN:
            store.set_setting(f"gear.{kind}", record.id)


def _add_known_good(store: JobStore, library: PackLibrary, moment: datetime) -> None:
    """A loaner that was read later, by a meter that has drifted since, and with one touch that slipped."""
    board = library.board(DUO)
    day = (moment - timedelta(days=10)).date().isoformat()
    drifted = replace(METER_M2, offset_volts=METER_M2.offset_volts + 0.009)
    readings = known_good_of_loaners(board, ("SLS-0140",), 140, (METER_M1, drifted), day)
    slip = "J1.B11"
    add_readings(store, DUO, [replace(r, value=float("inf")) if r.point == slip and r.meter == METER_M1.name else r
                              for r in readings], moment)
    set_up_meter(store, BenchMeter(METER_M1.name, 1.0, METER_M1.compliance_volts))
    set_up_meter(store, BenchMeter(METER_M2.name, 0.8, METER_M2.compliance_volts))
    set_up_breakout(store, Breakout("blue breakout", contact_order("A1-A12 B12-B1", (c.name for c in
                                                                                 board.ports[0].contacts))))


def play_demo(library: PackLibrary, now: datetime, progress: Progress = _silent) -> tuple[tuple[Entry, ...], ...]:
    """The demo's jobs, played on the simulated board. Same `now`, same jobs; half a minute."""
    makers: list[Callable[[], tuple[Entry, ...]]] = [partial(_play, library, story, now) for story in STORIES]
    makers += month_makers(library, now)
    makers += [partial(_flat_cell, library, now), partial(_sparse, library, now),
               partial(_before_and_after, library, now)]
    trails = []
    for done, make in enumerate(makers, start=1):
        trails.append(make())
        progress(done, len(makers))
    return tuple(trails)


def fill_demo(store: JobStore, library: PackLibrary, now: datetime | None = None) -> int:
    """Fill an empty store with the demo: gear, known-good, and the jobs that came with the program, moved to `now`.
    Returns how many jobs."""
    moment = (now or datetime.now(UTC)).astimezone(UTC).replace(second=0, microsecond=0)
    if library.has_shop:
        library.leave_shop()
    _add_gear(store, moment)
    _add_known_good(store, library, moment)
    trails = moved_to(kept_trails(), moment)
    for trail in trails:
        store.add_trail(trail)
    fill_shop(store, moment)
    store.set_setting("bench", BENCH)
    store.set_setting("who", TECHNICIAN)
    return len(trails)


def ensure_demo(folder: Path, library: PackLibrary, fresh: bool = False) -> Path:
    """The demo's job file, made on the first call and kept afterwards."""
    path = folder / "jobs.sqlite"
    if fresh:
        for leftover in folder.glob("jobs.sqlite*"):
            leftover.unlink()
    if not path.exists():
        making = folder / "making.sqlite"
        for leftover in folder.glob("making.sqlite*"):
            leftover.unlink()
        store = JobStore(making)
        try:
            fill_demo(store, library)
        finally:
            store.close()
        making.replace(path)
        put_photos(folder)
    return path
