"""A board made by rule, larger than any shipped pack: how long posterior and advice take on it, and what they keep."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from dextrum.benchmarks.measure import Measure, resident_megabytes, within
from dextrum.benchmarks.weighing import Taken, time_advice, time_posterior
from dextrum.core.board import (
    AccessLevel,
    Board,
    Component,
    ComponentKind,
    FailureRate,
    FaultKind,
    Function,
    Method,
    Net,
    NetRole,
    Point,
    ProofCheck,
    RepairRule,
    Side,
    Symptom,
    Terminal,
)
from dextrum.core.trail import Access, Cell, Entry, Intake, JobOpened, Look, Payload, PointReading, Readings

LINES, LINES_A_CHIP, ENTRIES = 100, 10, 60
RED = Method.DIODE_RED_GROUND


def _part(name: str, kind: ComponentKind, x: float, *ends: tuple[str, str, float | None],
          ohms: float | None = None) -> Component:
    return Component(name, kind, name.lower(), tuple(Terminal(t, n, volts) for t, n, volts in ends), Side.TOP, x, 5.0,
                     1.0, 1.0, ohms, price=1.0)


def synthetic_board() -> Board:
    """A hundred lines, each through a link to a chip's pin, with a capacitor and a clamp: 400 points, 600 faults."""
    nets = [Net("GND", NetRole.GROUND)]
    parts: list[Component] = []
    points: list[Point] = []
    pins: dict[int, list[tuple[str, str, float | None]]] = {}
    for i in range(LINES):
        nets += [Net(f"IN{i}", NetRole.RAIL, 3.3), Net(f"OUT{i}", NetRole.RAIL, 3.3)]
        x = 1.0 + i
        parts += [_part(f"R{i}", ComponentKind.LINK, x, ("1", f"IN{i}", None), ("2", f"OUT{i}", None), ohms=0.02),
                  _part(f"C{i}", ComponentKind.CAPACITOR, x, ("1", f"OUT{i}", None), ("2", "GND", None)),
                  _part(f"D{i}", ComponentKind.ESD_ARRAY, x, ("1", f"IN{i}", 0.7), ("2", "GND", None))]
        pins.setdefault(i // LINES_A_CHIP, []).append((f"P{i}", f"OUT{i}", 0.5 + 0.002 * (i % 40)))
        for name, at, to in ((f"R{i}.1", f"R{i}.1", None), (f"R{i}.2", f"R{i}.2", None), (f"C{i}.1", f"C{i}.1", None),
                             (f"R{i}.1-2", f"R{i}.1", f"R{i}.2")):
            points.append(Point(name, at, Side.TOP, x, 5.0, "open", "rail", to))
    parts += [_part(f"U{k}", ComponentKind.IC, 10.0 * k + 5, *own, ("GND", "GND", None)) for k, own in pins.items()]
    rates = tuple(FailureRate(kind, mode, weight) for kind, mode, weight in (
        (ComponentKind.LINK, FaultKind.MISSING_PART, 0.3), (ComponentKind.CAPACITOR, FaultKind.HARD_SHORT, 0.2),
        (ComponentKind.CAPACITOR, FaultKind.LEAKY_PART, 0.1), (ComponentKind.ESD_ARRAY, FaultKind.HARD_SHORT, 0.2),
        (ComponentKind.IC, FaultKind.HARD_SHORT, 3.0), (ComponentKind.IC, FaultKind.LIFTED_JOINT, 1.0),
        (ComponentKind.IC, FaultKind.QUIET_FAILURE, 2.0),
        # Nobody has worked on it: the measure is of so many faults.
        (ComponentKind.IC, FaultKind.BRIDGED_PINS, 0.0), (ComponentKind.CAPACITOR, FaultKind.WRONG_PART, 0.0),
        (ComponentKind.RESISTOR, FaultKind.WRONG_PART, 0.0), (ComponentKind.IC, FaultKind.TURNED_PART, 0.0)))
    rules = tuple(RepairRule(kind, "replace", mends, minutes, "open", 0.02) for kind, mends, minutes in (
        (ComponentKind.LINK, (FaultKind.MISSING_PART,), 6.0),
        (ComponentKind.CAPACITOR, (FaultKind.HARD_SHORT, FaultKind.LEAKY_PART), 8.0),
        (ComponentKind.ESD_ARRAY, (FaultKind.HARD_SHORT,), 8.0),
        (ComponentKind.IC, (FaultKind.HARD_SHORT, FaultKind.LIFTED_JOINT, FaultKind.QUIET_FAILURE), 30.0)))
    functions = tuple(Function(f"f{k}", f"block {k}", (f"U{k}",), tuple(f"OUT{i}" for i in range(
        k * LINES_A_CHIP, (k + 1) * LINES_A_CHIP))) for k in pins)
    return Board("synthetic", "Synthetic", "Synthetic", "SYN", "A", ((0.0, 0.0), (120.0, 0.0), (120.0, 10.0)),
                 tuple(nets), tuple(parts), tuple(points),
                 access_levels=(AccessLevel("closed", "closed", 0.0), AccessLevel("open", "open", 4.0)),
                 failure_rates=rates, repair_rules=rules, functions=functions,
                 symptoms=tuple(Symptom(f"s{k}", f"block {k} is dead", {f"f{k}": 0.9}) for k in pins),
                 checks=tuple(ProofCheck(f"c{k}", f"Block {k} works", 1.0, (f"f{k}",)) for k in pins))


def synthetic_weighing() -> dict[str, Measure]:
    """With a line shorted, after each of sixty entries; and the memory."""
    from dextrum.app.advising.assess import assess
    from dextrum.core.advice.recommend import build_advice_model
    from dextrum.core.circuit.solve import diode_volts
    from dextrum.core.diagnosis.model import build_model
    from dextrum.core.faults.registry import edit_for
    from dextrum.core.reference.table import NO_REFERENCES

    board = synthetic_board()
    before = resident_megabytes()
    model = build_model(board, NO_REFERENCES)
    advice = build_advice_model(model)
    fault = next(f for f in model.hypotheses.faults if f.id == "C42:hard_short:1")
    edit = edit_for(board, model.circuit, fault, 0.3)
    places = [p for p in board.points if p.to is None]
    read = [places[(41 * 3 + 7 * k) % len(places)] for k in range(ENTRIES - 5)]
    payloads: list[Payload] = [JobOpened("B-1", "Synthetic", "synthetic"), Intake("x", ("s4",)), Look(("clean",)),
                               Cell("unplugged"), Access("open")]
    for point in dict.fromkeys(read):
        volts = diode_volts(model.circuit, point.at, edit=edit)
        shown = round(volts, 3) if volts < 2.5 else float("inf")
        payloads.append(Readings(RED, (PointReading(point.id, shown),), "M1"))
    start = datetime(2026, 1, 5, tzinfo=UTC)
    trail = tuple(Entry(f"e{i}", start + timedelta(minutes=i), "bench", p) for i, p in enumerate(payloads))
    assess(advice, trail[:3])
    taken = Taken()
    time_advice(advice, trail, 4, taken)
    grown = resident_megabytes() - before
    time_posterior(build_model(board, NO_REFERENCES), trail, 4, taken)
    return {"synthetic_points": within(len(board.points), "points", 400.0),
            "synthetic_faults": within(len(model.hypotheses.faults), "faults", 650.0), **taken.measures("synthetic_"),
            "synthetic_memory": within(grown, "MB", 200.0)}
