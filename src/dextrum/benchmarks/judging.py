"""How well readings are judged: false alarms a scan and what is found, by boards behind the references."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from dextrum.benchmarks.measure import Measure, within

if TYPE_CHECKING:
    import numpy as np

BOARDS, SCANS, SEED = 160, 1000, 52_000
BAD_TOUCH = 0.03
GAINS = {"M1": (1.0, 0.0, 0.0006), "M2": (1.012, 0.008, 0.001)}
SHIFT = 0.060
JUNCTION_SLOPE = 0.045
COUNTS = (1, 2, 5, 12)
FAULTS = ("short", "open", "20 ohms", "100 ohms", "400 ohms", "60 mV up", "60 mV down")


def _through(true: np.ndarray, meter: str, generator: np.random.Generator) -> np.ndarray:
    """What a meter shows, slips of the hand included."""
    import numpy as np

    gain, offset, noise = GAINS[meter]
    shown = np.where(np.isfinite(true) & (true > 0.05), true * gain + offset, true)
    noisy = np.round(np.maximum(shown + generator.normal(0, noise, len(true)), 0.0), 3)
    shown = np.where(np.isfinite(shown), noisy, shown)
    slip = generator.random(len(true)) < BAD_TOUCH
    shown[slip] = np.where(generator.random(int(slip.sum())) < 0.8, np.inf, generator.uniform(0, 1, int(slip.sum())))
    return np.asarray(shown)


def _agreed(true: np.ndarray, meter: str, generator: np.random.Generator) -> np.ndarray:
    """Touched twice, and a third time where the two differ, as references and suspicious points are."""
    import numpy as np

    one, two, three = (np.nan_to_num(_through(true, meter, generator), posinf=9.0) for _ in range(3))
    value = np.where(np.abs(one - two) < 0.02, one, three)
    return np.asarray(np.where(value > 8.0, np.inf, value))


def _pulled(volts: np.ndarray, ohms: float) -> np.ndarray:
    """A junction that drops `volts` at a milliampere with a resistance to ground beside it: by halving."""
    import numpy as np

    low, high = np.zeros_like(volts), volts.copy()
    for _ in range(50):
        middle = (low + high) / 2
        amps = 1e-3 * np.exp((middle - volts) / JUNCTION_SLOPE) + middle / ohms
        low, high = np.where(amps < 1e-3, middle, low), np.where(amps < 1e-3, high, middle)
    return np.asarray((low + high) / 2)


def _faulty(volts: np.ndarray, kind: str) -> np.ndarray:
    import numpy as np

    if kind == "short":
        return np.full_like(volts, 0.001)
    if kind == "open":
        return np.full_like(volts, np.inf)
    if kind.endswith("ohms"):
        return _pulled(volts, float(kind.split()[0]))
    return volts + (SHIFT if kind.endswith("up") else -SHIFT)


def _fixed_share(middle: dict[str, float]) -> Callable[[str, float], bool]:
    """Off by more than a tenth of the middle board's value, as many benches judge."""
    return lambda point, value: not abs(value - middle[point]) <= 0.1 * middle[point]


def judging() -> dict[str, Measure]:
    """The table of docs/readings.md, printed; the two measures that have a budget."""
    import numpy as np

    from dextrum.app.library.library import PackLibrary
    from dextrum.core.board import Method
    from dextrum.core.reference.columns import METHODS, ReadingColumns
    from dextrum.core.reference.judge import comparisons_for, judge
    from dextrum.core.reference.known_good import KnownGoodReading
    from dextrum.core.reference.table import build_reference_table, table_of_columns
    from dextrum.instruments.simulated_board import SimulatedBoard

    red = Method.DIODE_RED_GROUND
    board = PackLibrary().board("tarnwick-duo-c")
    points = [p for p in board.port_point_ids() if board.point_by_id[p].kind != "ground"]
    generator = np.random.default_rng(SEED)
    units = [SimulatedBoard(board, (), generator) for _ in range(BOARDS)]
    pool = np.array([[unit.true_value(p, red) for p in points] for unit in units])
    together = comparisons_for(board, board.point_by_id[points[0]])

    def by_table(table: object) -> Callable[[str, float], bool]:
        return lambda p, v: judge(v, table.get(p, red), 0.05, together).verdict.is_off  # type: ignore[attr-defined]

    rows: dict[tuple[int, str], dict[str, list[bool]]] = {}
    for count in COUNTS:
        for _ in range(SCANS):
            order = generator.permutation(BOARDS)
            readings: list[KnownGoodReading] = []
            for place, i in enumerate(order[:count].tolist()):
                for meter in ("M1", "M2") if place == 0 else ("M1",):
                    shown = _agreed(pool[i], meter, generator)
                    readings += [KnownGoodReading(f"B{i}", p, red, meter, float(v))
                                 for p, v in zip(points, shown, strict=True)]
            as_one = [KnownGoodReading(r.board_serial, r.point, red, "M2", r.value) for r in readings
                      if r.meter == "M1"]
            middle = {p: float(np.median([r.value for r in as_one if r.point == p])) for p in points}
            ways: dict[str, Callable[[str, float], bool]] = {
                    "corrected": by_table(build_reference_table(board, readings, "M2", "M1")),
                    "not corrected": by_table(build_reference_table(board, as_one, "M2", "M2")),
                    "fixed 10 %": _fixed_share(middle)}
            test = pool[order[count]]
            first, second = _through(test, "M2", generator), _agreed(test, "M2", generator)
            contact = int(generator.integers(len(points)))
            for name, off in ways.items():
                row = rows.setdefault((count, name), {})
                alarm = any(off(p, float(a)) and off(p, float(b))
                            for p, a, b in zip(points, first, second, strict=True))
                row.setdefault("false alarm", []).append(alarm)
                for kind in FAULTS:
                    shown = _agreed(_faulty(test[contact:contact + 1], kind), "M2", generator)
                    row.setdefault(kind, []).append(off(points[contact], float(shown[0])))
    heads = ("false alarm", *FAULTS)
    print("| boards | judged by | " + " | ".join(heads) + " |\n|" + "---|" * (len(heads) + 2))
    for (count, name), row in rows.items():
        print(f"| {count} | {name} | " + " | ".join(f"{100 * np.mean(row[h]):.1f} %" for h in heads) + " |")

    shape = (2000, 160)
    diode = [p for p in board.points if p.default_method.is_diode]
    more = tuple(replace(p, id=f"{p.id}+") for p in diode[:shape[1] - len(diode)])
    board = replace(board, points=(*board.points, *more))
    names = tuple(p.id for p in (*diode, *more))
    true = generator.uniform(0.3, 0.7, shape[1]) + generator.normal(0, 0.012, shape)
    b, p = (axis.ravel() for axis in np.meshgrid(*(np.arange(n, dtype=np.int32) for n in shape), indexing="ij"))
    columns = ReadingColumns(tuple(f"B{i}" for i in range(shape[0])), names, ("M1", "M2", "M3"), np.tile(b, 3),
                             np.tile(p, 3), np.full(3 * len(b), METHODS.index(red), dtype=np.int32),
                             np.repeat(np.arange(3, dtype=np.int32), len(b)),
                             np.concatenate([true.ravel(), true.ravel() * 1.006 + 0.004, true.ravel() * 0.99 - 0.003]),
                             np.full(3 * len(b), np.nan))
    taken = []
    for meter in ("M1", "M2", "M3"):
        begun = time.perf_counter()
        table = table_of_columns(board, columns, meter, "M1")
        taken.append(time.perf_counter() - begun)
    verdicts = []
    for i, name in enumerate(names):
        begun = time.perf_counter()
        judge(0.4 + 1e-4 * i, table.get(name, red), 0.05, 8)
        verdicts.append(time.perf_counter() - begun)
    return {"library_of_2000_boards_by_160_points_by_3_meters": within(max(taken), "s", 1.0),
            "one_verdict_p95": within(1000 * sorted(verdicts)[int(0.95 * len(verdicts))], "ms", 1.0)}
