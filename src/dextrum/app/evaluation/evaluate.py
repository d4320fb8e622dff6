"""Many cases by every player, on all cores: how often the end is right, what it takes, and whether chances hold."""

from __future__ import annotations

import multiprocessing
import os
import signal
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import cast

import numpy as np

from dextrum.app.evaluation.cases import Case, ListedCase, case_of_list, draw_case, world_case
from dextrum.app.evaluation.oracle import by_knowing
from dextrum.app.evaluation.players import Played, by_advice
from dextrum.app.evaluation.routine import by_chance, by_routine
from dextrum.app.library.library import PackLibrary
from dextrum.app.places import cache_folder
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.instruments.simulated_board import METER_M1
from dextrum.one_thread import ONE_THREAD
from dextrum.world.numbers import DEFAULT, World, drawn_world

PLAYERS = ("advice", "routine", "chance", "oracle")
CASES_OF_A_DRAWN_WORLD = 20
WORST_SHARE = 0.1
MOST_TOLD = 40
"""Wrong ends that the table lists; all of them are in the JSON."""
BINS = np.linspace(0.0, 1.0, 11)
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class PlayerResult:
    """Shares in 0 to 1; minutes; per 100 jobs. to_oracle: mean of ratios pair by pair. hurt: neighbours
    that heat has hurt before power was on again, hurt_found: those suspected or mended by then; of the advice only.
    minutes_without_gates: of the oracle, its mean but for what gates take."""

    player: str
    right: float
    minutes_mean: float
    minutes_median: float
    minutes_p90: float
    to_oracle: float | None
    good_parts_per_100: float
    good_chips_per_100: float
    gates_broken: int
    never_ended: float
    hurt: int = 0
    hurt_found: int = 0
    minutes_without_gates: float | None = None


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
    world: str = "modelled"
    worst_tenth: float | None = None
    plays: tuple[dict[str, object], ...] = ()
    without: tuple[str, ...] = ()
    assumed: tuple[tuple[str, float], ...] = ()
    rules_earn: tuple[dict[str, object], ...] = ()

    def as_json(self) -> dict[str, object]:
        """As `evaluate --json` prints it; see docs/evaluation.md."""
        return asdict(self)


@dataclass(frozen=True)
class Setting:
    """What is played. world: 'modelled' (drawn by the model's own numbers), 'drawn' (each number of the world from its
    range, a world for every 20 cases), or a world. listed: the cases of a file, each `repeat` times, in place of drawn
    ones. players: who plays. without: rules of the advice that are left out. assumed: what the judgement assumes
    otherwise; the units are drawn alike."""

    cases: int
    seed: int
    mismatch: bool = False
    world: World | str = DEFAULT
    listed: tuple[ListedCase, ...] = ()
    repeat: int = 1
    players: tuple[str, ...] = PLAYERS
    without: frozenset[str] = frozenset()
    assumed: tuple[tuple[str, float], ...] = ()

    @property
    def count(self) -> int:
        return len(self.listed) * self.repeat if self.listed else self.cases

    def world_of(self, number: int) -> World:
        """The world that a case is played in."""
        if isinstance(self.world, World):
            return self.world
        return drawn_world(1_000 * self.seed + number // CASES_OF_A_DRAWN_WORLD) if self.world == "drawn" else DEFAULT

    def case(self, advice: AdviceModel, number: int) -> Case:
        """Case `number`, made anew: the same each time."""
        board = replace(advice.model.board, assumed={}) if self.assumed else advice.model.board
        if self.listed:
            return case_of_list(self.world_of(number), board, self.listed[number // self.repeat], number, self.seed)
        if self.world == "modelled" or self.mismatch:
            return draw_case(advice, number, self.seed, self.mismatch)
        return world_case(self.world_of(number), board, number, self.seed)


_model: AdviceModel | Exception | None = None


def _begin(pack_id: str, packs: tuple[Path, ...], assumed: tuple[tuple[str, float], ...]) -> None:
    """What goes wrong here is told by the first case: a pool begins a process that fails to begin for ever anew."""
    global _model
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever began it ends it
    try:
        library = PackLibrary(packs, kept=cache_folder())
        library.use_assumed(dict(assumed))
        _model = library.advice_model(pack_id, METER_M1.name)
    except Exception as problem:
        _model = problem


WAYS: dict[str, Callable[[AdviceModel, Case, int], Played]] = {
    "advice": lambda advice, case, _seed: by_advice(advice, case),
    "routine": lambda advice, case, _seed: by_routine(advice, case),
    "chance": by_chance,
    "oracle": lambda advice, case, _seed: by_knowing(advice, case),
}
"""How each player plays a case."""


def _play(task: tuple[int, Setting]) -> dict[str, Played]:
    """One case by the players asked for, each on a unit of its own that is drawn alike."""
    global _model
    number, setting = task
    if isinstance(_model, Exception):
        raise _model
    assert _model is not None
    if _model.without != setting.without:
        _model = replace(_model, without=setting.without)
    model = _model
    return {player: WAYS[player](model, setting.case(model, number), number) for player in setting.players}


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
    to_oracle = float(np.mean(minutes / best)) if len(best) else None
    bare = [p.without_gates for p in played if p.without_gates is not None]
    return PlayerResult(player, float(np.mean([p.right for p in played])), float(minutes.mean()),
                        float(np.median(minutes)), float(np.quantile(minutes, 0.9)), to_oracle,
                        100.0 * sum(p.good_parts for p in played) / count,
                        100.0 * sum(p.good_chips for p in played) / count, sum(p.gates_broken for p in played),
                        float(np.mean([p.ended == "never" for p in played])), sum(len(p.hurt) for p in played),
                        sum(len(p.hurt_found) for p in played),
                        float(np.mean(bare)) if bare else None)


def _worst_tenth(right: Sequence[bool]) -> float:
    """Share of right ends in the worst tenth of drawn worlds."""
    worlds = [float(np.mean(right[k:k + CASES_OF_A_DRAWN_WORLD])) for k in range(0, len(right),
                                                                                CASES_OF_A_DRAWN_WORLD)]
    return float(np.mean(sorted(worlds)[:max(1, round(WORST_SHARE * len(worlds)))]))


def play_all(tasks: Sequence[tuple[int, Setting]], pack_id: str, progress: Progress, cores: int,
             packs: Sequence[Path]) -> list[dict[str, Played]]:
    """Each case in its setting, on all cores, in the order of the tasks."""
    played: list[dict[str, Played]] = []
    assumed = tasks[0][1].assumed if tasks else ()
    workers = cores or min(os.cpu_count() or 1, 8)
    if workers == 1:
        _begin(pack_id, tuple(packs), assumed)
        for done, task in enumerate(tasks, start=1):
            played.append(_play(task))
            progress(done, len(tasks))
    else:
        os.environ.update(ONE_THREAD)
        with multiprocessing.get_context("spawn").Pool(workers, _begin, (pack_id, tuple(packs), assumed)) as pool:
            for done, one in enumerate(pool.imap(_play, tasks, chunksize=2), start=1):
                played.append(one)
                progress(done, len(tasks))
    if len(played) != len(tasks):
        raise RuntimeError(f"{len(tasks) - len(played)} of {len(tasks)} cases have gone without a word")
    return played


def evaluate(setting: Setting, pack_id: str = "tarnwick-duo-c", progress: Progress = lambda _done, _of: None,
             cores: int = 0, packs: Sequence[Path] = ()) -> Evaluation:
    """Play what the setting says. Same arguments, same result, but for the seconds. packs: folders with more packs.

    Raises ImportRefusedError for an unknown pack, PackError.
    """
    PackLibrary(packs).references(pack_id, METER_M1.name)
    begun = time.perf_counter()
    played = play_all([(number, setting) for number in range(setting.count)], pack_id, progress, cores, packs)
    oracle = [p["oracle"] for p in played if "oracle" in p]
    claims = [claim for p in played if "advice" in p for claim in p["advice"].claims]
    error, table = calibration(claims)
    players = tuple(_summary(name, [p[name] for p in played], oracle) for name in setting.players)
    worst = _worst_tenth([p["advice"].right for p in played]) \
        if setting.world == "drawn" and "advice" in setting.players and not setting.listed else None
    world = setting.world if isinstance(setting.world, str) else setting.world.name
    plays = tuple(p[name].as_json(name) for p in played for name in setting.players)
    return Evaluation(setting.count, setting.seed, setting.mismatch, players, error, table,
                      time.perf_counter() - begun, "modelled" if setting.mismatch else world, worst, plays,
                      tuple(sorted(setting.without)), setting.assumed)


def rules_table(earns: Sequence[dict[str, object]], cases: int) -> list[str]:
    """What each rule earns, as a table in Markdown; nothing where that was not asked for."""
    if not earns:
        return []
    lines = ["", "| rule | spoke in | right ends more | minutes a case less | good parts / 100 less | "
             "good chips / 100 less |",
             "|---|---|---|---|---|---|"]
    for one in earns:
        right, minutes, parts, chips = (
            cast(float, one[f"{what}_without"]) - cast(float, one[f"{what}_with"])
            for what in ("right", "minutes", "good_parts", "good_chips"))
        lines.append(f"| {one['rule']} | {one['spoke']} | {-right:+.0f} | {minutes / cases:+.2f} | "
                     f"{100 * parts / cases:+.2f} | {100 * chips / cases:+.2f} |")
    return [*lines, ""]


def oracle_lines(players: Sequence[PlayerResult]) -> list[str]:
    """Minutes of each player as a multiple of the oracle's, of means: with what gates take, and without."""
    best = next((p for p in players if p.player == "oracle"), None)
    if best is None or not best.minutes_without_gates:
        return []
    return [f"Minutes of {p.player} to the oracle's, means: {p.minutes_mean / best.minutes_mean:.2f}; to the oracle's "
            f"without what only gates ask for: {p.minutes_mean / best.minutes_without_gates:.2f}."
            for p in players if p is not best]


def evaluation_table(found: Evaluation) -> str:
    """As a table in Markdown."""
    lines = ["| player | right end | minutes mean | median | 90 % | to oracle | good parts / 100 | good chips / 100 | "
             "gates broken |", "|---|---|---|---|---|---|---|---|---|"]
    for p in found.players:
        to_oracle = "" if p.to_oracle is None else f"{p.to_oracle:.2f}"
        lines.append(f"| {p.player} | {100 * p.right:.1f} % | {p.minutes_mean:.0f} | {p.minutes_median:.0f} | "
                     f"{p.minutes_p90:.0f} | {to_oracle} | {p.good_parts_per_100:.1f} | {p.good_chips_per_100:.1f} | "
                     f"{p.gates_broken} |")
    lines += ["", f"Calibration error {found.calibration_error:.3f}; {found.cases} cases of seed {found.seed}, world: "
              f"{found.world}{', mismatched' if found.mismatch else ''}, {found.seconds / 60:.1f} min."]
    lines += oracle_lines(found.players)
    lines += [f"Neighbours that heat has hurt, found before power: {p.hurt_found} of {p.hurt}."
              for p in found.players if p.hurt]
    lines += rules_table(found.rules_earn, found.cases)
    if found.without:
        lines.append(f"Without {', '.join(found.without)}.")
    if found.assumed:
        lines.append("Assumed: " + ", ".join(f"{name} {value:g}" for name, value in found.assumed) + ".")
    if found.worst_tenth is not None:
        lines.append(f"Right ends in the worst tenth of worlds: {100 * found.worst_tenth:.1f} %.")
    wrong = [play for play in found.plays if play["player"] == "advice" and not play["right"]]
    lines += [f"- case {play['name']}: {play['why_wrong']}" + (f" ({', '.join(map(str, left))})" if (
        left := cast(list[object], play["left"])) else "") for play in wrong[:MOST_TOLD]]
    lines += [f"- said {100 * mean:.0f} %: so in {100 * share:.0f} % of {count}"
              for _, count, mean, share in found.reliability]
    return "\n".join(lines)


