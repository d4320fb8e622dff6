"""The simulated bench as a process: what lies on it, its state file, and how a job on it is graded."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np

from dextrum.app.library.library import PackLibrary
from dextrum.app.places import cache_folder, shipped
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.board import UNLISTED_PART
from dextrum.core.trail import Isolation
from dextrum.errors import ImportRefusedError, StoreError
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.instruments.simbench.server import CAME_IN, HANDS_PORT, BenchServer, UnitBeside
from dextrum.instruments.simulated_board import METER_M1
from dextrum.instruments.simulated_look import look_at_port
from dextrum.store.files import read_bounded
from dextrum.tongue import tr

STATE_EVERY_SECONDS = 1.0
UNDESCRIBED = "tarnwick-grip-a"
GRIP_FAULTS = ("F1:blown_fuse:1:2",)
"""What is wrong with the demo's unit of the board that nobody described."""


def unit_with(advice: AdviceModel, faults: Sequence[tuple[str, float | None]], seed: int) -> DecidedUnit:
    """A unit with named faults, each of the given ohms or of its first size. Raises StoreError for an unknown one."""
    model = advice.model
    by_id = {fault.id: fault for fault in model.hypotheses.faults}
    unknown = [name for name, _ in faults if name not in by_id]
    if unknown:
        near = [name for name in by_id if name.startswith(unknown[0].partition(":")[0] + ":")][:4]
        raise StoreError(tr("The pack knows no fault '{unknown}'.", unknown=unknown[0]), tr("Nothing was started."),
                         tr("It knows {near}.",
                            near=", ".join(near)) if near else tr("Name one as PART:mode:terminals."))
    hidden = [(by_id[name], by_id[name].variants[0][0] if ohms is None else ohms) for name, ohms in faults]
    return DecidedUnit(model.board, hidden, np.random.default_rng(seed))


def prepare_bench(library: PackLibrary, pack_id: str, faults: Sequence[str] = (), seed: int = 0,
                  state: Mapping[str, Any] | None = None) -> SimulatedBench:
    """A bench with a board of a pack: with named faults, with a state that was kept, or drawn by a seed."""
    return _with_microscope(_bench_with_unit(library, pack_id, faults, seed, state))


def _with_microscope(bench: SimulatedBench) -> SimulatedBench:

    def microscope(of: SimulatedBench, what: str) -> bytes:
        from dextrum.app.bench.microscope import seen

        return seen(of, what)

    bench.microscope = microscope
    return bench


def _bench_with_unit(library: PackLibrary, pack_id: str, faults: Sequence[str], seed: int,
                     state: Mapping[str, Any] | None) -> SimulatedBench:
    advice = library.advice_model(pack_id, METER_M1.name)
    generator = np.random.default_rng((seed, 5))
    if state is not None and state.get("pack") == pack_id and state.get("hidden") is not None:
        unit = unit_with(advice, [(str(n), float(o)) for n, o in state["hidden"]], seed)
        bench = SimulatedBench(advice.model.board, unit, look_at_port(advice.model.board, unit, generator),
                               unit.symptoms(), seed)
        left = {str(name) for name, _ in state.get("left", ())}
        unit.faults = [(fault, ohms) for fault, ohms in unit.faults if fault.id in left]
        unit.isolate(Isolation(tuple(state["off"]))) if state.get("off") else None
        bench.cell, bench.turned = str(state.get("cell", "plugged")), bool(state.get("turned", False))
        bench.history.replaced = [str(p) for p in state.get("replaced", ())]
        bench.history.touches, bench.history.plugged = int(state.get("touches", 0)), int(state.get("plugged", 0))
        return bench
    if faults:
        return _with_faults(advice, faults, seed)
    from dextrum.app.evaluation.cases import draw_case

    case = draw_case(advice, 0, seed)
    assert isinstance(case.unit, DecidedUnit)
    return SimulatedBench(advice.model.board, case.unit, case.look, case.present, seed)


def _with_faults(advice: AdviceModel, faults: Sequence[str], seed: int) -> SimulatedBench:
    """With the faults named; with none, a unit that does all it must."""
    unit = unit_with(advice, [(name, None) for name in faults], seed)
    board = advice.model.board
    told = unit.symptoms() or (("no_charge",) if faults else ())
    return SimulatedBench(board, unit, look_at_port(board, unit, np.random.default_rng((seed, 5))), told, seed)


def units_beside() -> tuple[UnitBeside, ...]:
    """Units of the demo whose board no pack describes: a pack of theirs is made at the bench. How they are is kept
    apart from the program's packs (`data/undescribed`), where nothing that judges looks."""
    def unit(name: str, words: str, faults: tuple[str, ...], seed: int) -> UnitBeside:
        def make(kept: Mapping[str, Any] | None) -> SimulatedBench:
            library = undescribed_library()
            if kept is not None:
                # What was kept and can't be used any more is left aside: the unit lies there as new.
                with suppress(StoreError, KeyError, ValueError, TypeError, AttributeError):
                    return _with_microscope(_bench_with_unit(library, UNDESCRIBED, (), seed, kept))
            return _with_microscope(_with_faults(library.advice_model(UNDESCRIBED, METER_M1.name), faults, seed))

        return UnitBeside(name, words, make)

    return (unit("grip_good", tr("a Tarnwick Grip that works"), (), 611),
            unit("grip_bad", tr("a Tarnwick Grip that does not charge"), GRIP_FAULTS, 612))


def undescribed_library() -> PackLibrary:
    """The boards of `data/undescribed`, as their maker knows them."""
    return PackLibrary((shipped() / "undescribed",), kept=cache_folder())


def served(bench: SimulatedBench, state: Mapping[str, Any] | None = None) -> BenchServer:
    """The bench on loopback, with the units beside it, and the one on it that lay there when it was left."""
    server = BenchServer(bench, units_beside(), state)
    lying = str((state or {}).get("lying") or CAME_IN)
    with suppress(HandRefusedError, StoreError):  # a unit that is not here any more: the one that came in lies there
        server.lay(lying)
    return server


def graded_as_it_lies(server: BenchServer, library: PackLibrary) -> Callable[[Mapping[str, Any]], str]:
    """Words for what the unit on the bench reveals, whichever it is by then."""
    def words(told: Mapping[str, Any]) -> str:
        known = library if server.lying == CAME_IN else undescribed_library()
        return grade(known.advice_model(server.bench.board.pack_id, METER_M1.name), told)

    return words


def grade(advice: AdviceModel, told: Mapping[str, Any]) -> str:
    """What was wrong, what was spent, and what a shorter way would have been; told: what the bench reveals."""
    wrong = [str(name) for name in told["wrong"]]
    lines = [
        tr("What was wrong: ") + ("; ".join(_fault_words(name) for name in wrong) if wrong else tr("nothing at all"))
    ]
    left = [_fault_words(str(name)) for name in told["left"]]
    if left:
        lines.append(tr("Still there: ") + "; ".join(left))
    good = [str(p) for p in told["good_replaced"]]
    lines.append(tr("Spent: touches {told}, plugged in {told2}, repairs {count}, {told3:.0f} min by the clock",
                    told=told["touches"], told2=told["plugged"], count=len(told["replaced"]), told3=told["minutes"])
                 + (tr(". Changed though good: {good}", good=", ".join(good)) if good else ""))
    lines.append(tr("A shorter way: ") + _shortest(advice, wrong))
    return "\n".join(lines)


def _fault_words(fault_id: str) -> str:
    part, mode, *where = fault_id.split(":")
    shown = f"{part} {mode.replace('_', ' ')}"
    return tr("{shown} at {where}", shown=shown, where=", ".join(where)) if where and where[0] else shown


def _shortest(advice: AdviceModel, wrong: Sequence[str]) -> str:
    """What one who knew it would have done: open, mend, prove; with its minutes by the pack."""
    board, minutes, access, steps = advice.model.board, 0.0, "", []
    faults = {f.id: f for f in advice.model.hypotheses.faults}
    order = board.access_order
    for name in wrong:
        fault = faults.get(name)
        if fault is None or fault.part == UNLISTED_PART:
            return tr("none: nothing in the pack mends it")
        row = int(np.flatnonzero(advice.model.hypotheses.fault_of_row
                                 == advice.model.hypotheses.faults.index(fault))[0])
        options = [o for k, o in enumerate(advice.repairs.options) if advice.repairs.mends[row, k] > 0]
        if not options:
            return tr("giving it up once {fault_words} was plain: nothing mends that here",
                      fault_words=_fault_words(name))
        best = min(options, key=lambda o: board.minutes_to(o.access, access) + o.minutes)
        minutes += board.minutes_to(best.access, access) + best.minutes
        access = best.access if order.get(best.access, 0) > order.get(access, 0) else access
        steps.append(f"{best.action} {best.part}")
    minutes += sum(check.minutes for check in board.checks)
    return tr("{steps}, then prove it, {minutes:.0f} min by the pack",
              steps=", ".join(steps) or tr("nothing but the proof"), minutes=minutes)


MOST_STATE_BYTES = 16_000_000


def read_state(path: Path | None) -> dict[str, Any] | None:
    """What a state file keeps; None where there is none. Raises StoreError for one that can't be used."""
    if path is None or not path.exists():
        return None
    try:
        told = json.loads(read_bounded(path, MOST_STATE_BYTES).decode("utf-8"))
    except (ImportRefusedError, ValueError, RecursionError) as problem:
        raise StoreError(tr("{path} is not a saved bench file.", path=path.name), tr("It was left as it is."),
                         tr("Name another file, or take it away.")) from problem
    return told if isinstance(told, dict) else None


def write_state(path: Path, server: BenchServer) -> None:
    """The bench and its addresses, in one stroke: a reader sees the old file or the new one."""
    beside = path.with_suffix(path.suffix + ".new")
    beside.write_text(json.dumps({**server.kept(), "addresses": server.addresses,
                                  HANDS_PORT: server.port(HANDS_PORT), "process": os.getpid()}), encoding="utf-8")
    os.replace(beside, path)


def forget_addresses(path: Path) -> None:
    """A bench that was left: its board is kept for the next start, where it can be reached is not true any more. One
    that can't be read is put away, and a new one begun."""
    try:
        told = read_state(path)
    except StoreError:
        path.unlink(missing_ok=True)
        return
    if told is not None:
        kept = {name: value for name, value in told.items() if name not in ("addresses", HANDS_PORT, "process")}
        beside = path.with_suffix(path.suffix + ".new")
        beside.write_text(json.dumps(kept), encoding="utf-8")
        os.replace(beside, path)


def start_bench(state: Path, pack_id: str, seed: int, window: bool) -> subprocess.Popen[bytes]:
    """Start the bench in a process of its own; its addresses come in the state file."""
    arguments = [sys.executable, "-m", "dextrum", "simbench", "--pack", pack_id, "--seed", str(seed),
                 "--state", str(state), "--beside", str(os.getpid())]
    return subprocess.Popen([*arguments] if window else [*arguments, "--headless"], stdout=subprocess.DEVNULL,
                            stderr=subprocess.DEVNULL)


def has_ended(process: int) -> bool:
    """Whether a process is gone; 0 stands for none, which never is."""
    if not process:
        return False
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return True
    except PermissionError:
        return False
    return False


def serve_until_ended(server: BenchServer, state: Path | None, beside: int = 0) -> None:
    """Keep the state file true until the process is told to end, or the one it serves has ended."""
    print(json.dumps({**server.addresses, HANDS_PORT: server.port(HANDS_PORT)}), flush=True)
    try:
        while not has_ended(beside):
            if state is not None:
                write_state(state, server)
            time.sleep(STATE_EVERY_SECONDS)
    except KeyboardInterrupt:
        pass
    finally:
        server.close()
