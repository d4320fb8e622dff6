"""Many cases by every player, on all cores: how often the end is right, what it takes, and whether chances hold."""

from __future__ import annotations

import multiprocessing
import os
import signal
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from dextrum.app.evaluation.cases import draw_case
from dextrum.app.evaluation.players import Played, by_advice, by_chance, by_knowing, by_routine
from dextrum.app.library import PackLibrary
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.instruments.simulated_board import METER_M1

PLAYERS = ("advice", "routine", "chance", "oracle")
BINS = np.linspace(0.0, 1.0, 11)
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class PlayerResult:
    """Shares in 0 to 1; minutes; per 100 jobs. to_oracle: mean of ratios pair by pair."""

    player: str
    right: float
    minutes_mean: float
    minutes_median: float
    minutes_p90: float
    to_oracle: float
    good_parts_per_100: float
    good_chips_per_100: float
    gates_broken: int
    never_ended: float


@dataclass(frozen=True)
class Evaluation:
    """reliability: (lower edge, claims, mean chance, share that was so) of each bin of the advice's claims."""

    cases: int
    seed: int
    mismatch: bool
    players: tuple[PlayerResult, ...]
    calibration_error: float
    reliability: tuple[tuple[float, int, float, float], ...]
    seconds: float

    def as_json(self) -> dict[str, object]:
        return asdict(self)


_model: AdviceModel | Exception | None = None


ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
"""For the processes that play: their libraries read it when they load, and would fight over the cores."""


def _begin(pack_id: str, packs: tuple[Path, ...]) -> None:
    """What goes wrong here is told by the first case: a pool begins a process that fails to begin for ever anew."""
    global _model
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever began it ends it
    try:
        _model = PackLibrary(packs).advice_model(pack_id, METER_M1.name)
    except Exception as problem:
        _model = problem


def _play(task: tuple[int, int, bool]) -> dict[str, Played]:
    """One case by all players, each on a unit of its own that is drawn alike."""
    number, seed, mismatch = task
    if isinstance(_model, Exception):
        raise _model
    assert _model is not None
    found = {}
    for player, play in (("advice", by_advice), ("routine", by_routine), ("oracle", by_knowing)):
        found[player] = play(_model, draw_case(_model, number, seed, mismatch))
    found["chance"] = by_chance(_model, draw_case(_model, number, seed, mismatch), number)
    return found


def calibration(claims: Sequence[tuple[float, bool]]) -> tuple[float, tuple[tuple[float, int, float, float], ...]]:
    """Expected calibration error over ten bins, and the reliability table."""
    if not claims:
        return 0.0, ()
    chance = np.array([c for c, _ in claims])
    true = np.array([t for _, t in claims], dtype=float)
    place = np.clip(np.digitize(chance, BINS) - 1, 0, 9)
    table, error = [], 0.0
    for k in range(10):
        here = place == k
        if here.any():
            mean, share = float(chance[here].mean()), float(true[here].mean())
            table.append((float(BINS[k]), int(here.sum()), mean, share))
            error += abs(mean - share) * float(here.sum()) / len(chance)
    return error, tuple(table)


def _summary(player: str, played: Sequence[Played], oracle: Sequence[Played]) -> PlayerResult:
    minutes = np.array([p.minutes for p in played])
    best = np.array([p.minutes for p in oracle])
    count = len(played)
    return PlayerResult(player, float(np.mean([p.right for p in played])), float(minutes.mean()),
                        float(np.median(minutes)), float(np.quantile(minutes, 0.9)), float(np.mean(minutes / best)),
                        100.0 * sum(p.good_parts for p in played) / count,
                        100.0 * sum(p.good_chips for p in played) / count, sum(p.gates_broken for p in played),
                        float(np.mean([p.ended == "never" for p in played])))


def evaluate(cases: int, seed: int, mismatch: bool = False, pack_id: str = "tarnwick-duo-c",
             progress: Progress = lambda _done, _of: None, cores: int = 0,
             packs: Sequence[Path] = ()) -> Evaluation:
    """Play `cases` cases of a seed. Same arguments, same result, but for the seconds. packs: folders with more packs.

    Raises ImportRefusedError for an unknown pack, PackError.
    """
    PackLibrary(packs).references(pack_id, METER_M1.name)
    begun = time.perf_counter()
    tasks = [(number, seed, mismatch) for number in range(cases)]
    played: list[dict[str, Played]] = []
    workers = cores or min(os.cpu_count() or 1, 8)
    if workers == 1:
        _begin(pack_id, tuple(packs))
        for done, task in enumerate(tasks, start=1):
            played.append(_play(task))
            progress(done, cases)
    else:
        os.environ.update(ONE_THREAD)
        with multiprocessing.get_context("spawn").Pool(workers, _begin, (pack_id, tuple(packs))) as pool:
            for done, one in enumerate(pool.imap(_play, tasks, chunksize=2), start=1):
                played.append(one)
                progress(done, cases)
    oracle = [p["oracle"] for p in played]
    claims = [claim for p in played for claim in p["advice"].claims]
    error, table = calibration(claims)
    return Evaluation(cases, seed, mismatch, tuple(_summary(name, [p[name] for p in played], oracle)
                                                   for name in PLAYERS), error, table, time.perf_counter() - begun)


def evaluation_table(found: Evaluation) -> str:
    """As a table in Markdown."""
    lines = ["| player | right end | minutes mean | median | 90 % | to oracle | good parts / 100 | good chips / 100 | "
             "gates broken |", "|---|---|---|---|---|---|---|---|---|"]
    lines += [f"| {p.player} | {100 * p.right:.1f} % | {p.minutes_mean:.0f} | {p.minutes_median:.0f} | "
              f"{p.minutes_p90:.0f} | {p.to_oracle:.2f} | {p.good_parts_per_100:.1f} | {p.good_chips_per_100:.1f} | "
              f"{p.gates_broken} |" for p in found.players]
    lines += ["", f"Calibration error {found.calibration_error:.3f}; {found.cases} cases of seed {found.seed}"
              f"{', mismatched' if found.mismatch else ''}, {found.seconds / 60:.1f} min."]
    lines += [f"- said {100 * mean:.0f} %: so in {100 * share:.0f} % of {count}"
              for _, count, mean, share in found.reliability]
    return "\n".join(lines)


