"""Jobs on a board of which the pack knows only what one rung of the ladder knows: the unit is of the whole board, and
advice is given by the small pack."""

from __future__ import annotations

import multiprocessing
import os
import signal
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.evaluation.cases import Case, world_case
from dextrum.app.evaluation.evaluate import Progress, calibration
from dextrum.app.evaluation.players import LEAST_CLAIM, MOST_STEPS, CaseTechnician, Played
from dextrum.app.evaluation.probed_anew import probed_anew
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.circuits import circuits, that_fit
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Board, Method, Side
from dextrum.core.diagnosis.model import build_model
from dextrum.core.packmaking.cut_down import first_rung, net_names, port_of, third_rung, with_points_of
from dextrum.core.packmaking.second_rung import with_good_unit
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import build_reference_table
from dextrum.core.trail import Look, PartSeen, Proof
from dextrum.errors import ImportRefusedError
from dextrum.instruments.simulated_board import METER_M1
from dextrum.one_thread import ONE_THREAD
from dextrum.world.meter import WorldMeter, drawn_meter
from dextrum.world.numbers import DEFAULT, World
from dextrum.world.unit import WorldUnit

RUNGS = (1, 2, 3)
FIRST_SUSPECTS = 2
"""Among so many the right part must be, after the readings that were advised."""
TOUCHES_OF_OPEN = 3
ROUNDS = 3
"""How often what is still doubted is probed anew."""
DECIDES = ("repair", "give_up", "grow_pack", "hand_over")
"""Kinds of step before which the suspects are looked at, once."""


@dataclass(frozen=True)
class RungModel:
    """whole: the board as it is, with every point; advice: by the small pack; net_of: its net for one of the small
    pack's. counted: parts whose faults are counted."""

    rung: int
    whole: Board
    advice: AdviceModel
    net_of: dict[str, str]
    counted: frozenset[str]


def rung_model(board: Board, rung: int, world: World, seed: int, wrong_share: float = 0.0, anew: bool = False) -> (
        RungModel):
    """One good unit of the world is read for the second rung and above. anew: the ends that the program doubts are
    probed anew on it. Raises ValueError for a board whose port is
    none that a pack can begin with, or for which there is no template."""
    small, known = first_rung(board), tuple[KnownGoodReading, ...]()
    whole, ports, red = board, port_of(board), dict[str, float]()
    counted = {part.designator for part in board.components}
    if rung >= 2:
        fitting = that_fit(small, circuits()[0])
        if not fitting:
            raise ValueError("no template fits this board; expected one in data/circuits")
        template = fitting[0]
        plain = third_rung(board, {}, template) if rung == 3 else small
        whole = with_points_of(board, plain)
        generator = np.random.default_rng((seed, 0x600D))
        good = WorldUnit(replace(world, histories=replace(world.histories, swapped=0.0)), whole, [], generator)
        meter = drawn_meter(world, generator)
        read = {p.id: (p.default_method, _read_well(good, p.id, Method(p.default_method), meter))
                for p in plain.points}
        red = {name: value for name, (method, value) in read.items() if method is Method.DIODE_RED_GROUND}
        wrong = np.random.default_rng((seed, 0xBAD))
        small = third_rung(board, red, template, wrong_share, wrong) if rung == 3 else with_good_unit(small, red)
        known = tuple(KnownGoodReading("GOOD-1", name, Method(method), METER_M1.name, value, None, "2026-01-05")
                      for name, (method, value) in read.items() if name in small.point_by_id)
        whole = with_points_of(board, small)
        if rung == 3:
            counted = {name for role in template.role if role.id in ("fuse", "filters", "pd", "charger", "av")
                       for name in (small.circuit.parts.get(role.id, ()) if small.circuit is not None else ())}
            counted.add(board.ports[0].component)
    model = build_model(small, build_reference_table(small, known, METER_M1.name))
    hand = np.random.default_rng((seed, 0xA4E3))
    for _ in range(ROUNDS if anew and rung == 3 else 0):
        small = with_good_unit(probed_anew(model, whole, red, hand), red)
        if small == model.board:
            break
        whole = with_points_of(whole, small)
        known = tuple(one for one in known if one.point in small.point_by_id)
        model = build_model(small, build_reference_table(small, known, METER_M1.name))
    names = net_names(board, ports)
    return RungModel(rung, whole, build_advice_model(model), {own: net for net, own in names.items()},
                     frozenset(counted))


def _read_well(unit: WorldUnit, point: str, method: Method, meter: WorldMeter) -> float:
    """As whoever makes a reference reads: what reads open is touched again, and is open if it reads so each time."""
    found = [unit.read(point, method, meter)]
    while np.isinf(found[-1]) and len(found) < TOUCHES_OF_OPEN:
        found.append(unit.read(point, method, meter))
    return float(min(found))


class RungTechnician(CaseTechnician):
    """Works by the small pack on a unit of the whole board: what the small one calls otherwise is translated."""

    def __init__(self, rung: RungModel, case: Case) -> None:
        self.rung = rung
        known = {symptom.id for symptom in rung.advice.model.board.symptoms}
        super().__init__(rung.advice, replace(case, present=tuple(s for s in case.present if s in known)))

    def prove(self, checks: list[str]) -> None:
        self._cell_in()
        whole = {check.id: check for check in self.rung.whole.checks}
        for check in self.board.checks:
            if check.id in checks:
                works = self.unit.functions_work(whole[check.id].functions) if check.id in whole else True
                self.note(Proof(check.id, works), minutes=check.minutes)

    def inject(self, net: str, volts: float, amps: float, seen_by: str, held_watts: float | None = None) -> str:
        warm = self.unit.inject(self.rung.net_of.get(net, net), volts, amps, seen_by, held_watts)
        return warm if warm in self.board.component_by_designator else ""

    def look_into_port(self, minutes: float) -> None:
        seen = self.case.look_port(self.facts.cleaned)
        there = {terminal.name for part in self.board.components for terminal in part.terminals}
        self.note(Look(seen.findings, tuple(c for c in seen.contacts if c in there)), minutes=minutes)

    def look_over(self, side: Side) -> tuple[PartSeen, ...]:
        return self._known(super().look_over(side))

    def look_round(self, side: Side, parts: frozenset[str], under: str = "") -> tuple[PartSeen, ...]:
        return self._known(super().look_round(side, parts, under))

    def _known(self, seen: Sequence[PartSeen]) -> tuple[PartSeen, ...]:
        return tuple(one for one in seen if one.part in self.board.component_by_designator)


@dataclass(frozen=True)
class PlayedOnRung:
    """named: whether a faulty part was among the first suspects when the readings that were advised had been taken.
    counted: whether all that was wrong is of parts that the third rung is about."""

    played: Played
    named: bool
    counted: bool


def by_rung(rung: RungModel, case: Case) -> PlayedOnRung:
    """Does what the advice by the small pack says, to the end."""
    began = {fault.part for fault in case.unit.harmful()}
    technician = RungTechnician(rung, case)
    claims: list[tuple[float, bool]] = []
    ended, steps, named = "never", 0, None
    while steps < MOST_STEPS and ended == "never":
        steps += 1
        found = assess(rung.advice, tuple(technician.trail), explain=False)
        action = found.advice.next
        if action.kind in ("measure", "scan", "repair"):
            claims += _claims(found, technician)
        if action.kind in DECIDES and named is None:
            first = sorted(found.chance_by_part.items(), key=lambda one: -one[1])[:FIRST_SUSPECTS]
            faulty = {fault.part for fault in case.unit.harmful()}
            named = bool(faulty & {part for part, _ in first})
        if action.kind in ("hand_over", "give_up"):
            ended = "repaired" if action.kind == "hand_over" else "given up"
            break
        if action.kind == "grow_pack":
            break
        technician.do(action)
    played = technician.result(ended, steps)
    played.claims = claims
    return PlayedOnRung(played, bool(named), bool(began) and began <= rung.counted and not case.unlisted)


def _claims(found: Assessment, technician: RungTechnician) -> list[tuple[float, bool]]:
    """Chances of parts, and of all together that is not described or that nobody lists, and whether it was so. A part
    of which the pack knows no fault, such as the port on the first rung, is none that is described."""
    board, faulty = technician.board, technician.faulty
    hypotheses = found.posterior.hypotheses
    described = ({part.designator for part in board.components if not part.undescribed}
                 & {fault.part for fault in hypotheses.faults})
    claims = [(chance, part in faulty) for part, chance in found.chance_by_part.items() if part in described]
    hidden = np.array([fault.part not in described for fault in hypotheses.faults] + [False])[hypotheses.fault_of_row]
    claims.append((found.posterior.chance_of_any(hidden | hypotheses.unlisted), bool(faulty - described)))
    return [claim for claim in claims if claim[0] >= LEAST_CLAIM]


@dataclass(frozen=True)
class RungSetting:
    """What is played: cases of a seed in a world, by a pack that stands on this rung; wrong_share: of its ends that are
    on a wrong net; anew: those that the program doubts are probed anew first, as it asks."""

    rung: int
    cases: int
    seed: int
    world: World = DEFAULT
    wrong_share: float = 0.0
    anew: bool = False


@dataclass(frozen=True)
class RungResult:
    """counted: jobs in which all that was wrong is of the parts that matter; named, right: shares of them; right_of_all
    and calibration_error: of all jobs. reliability: as an evaluation has it."""

    rung: int
    wrong_share: float
    cases: int
    seed: int
    counted: int
    named: float
    right: float
    right_of_all: float
    minutes_mean: float
    gates_broken: int
    calibration_error: float
    reliability: tuple[tuple[float, int, float, float], ...]
    seconds: float
    probed_anew: bool = False

    def as_json(self) -> dict[str, object]:
        """As `evaluate --rung --json` prints it."""
        return asdict(self)


_rung: RungModel | Exception | None = None


def _begin(pack_id: str, packs: tuple[Path, ...], setting: RungSetting) -> None:
    global _rung
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        _rung = rung_model(PackLibrary(packs).board(pack_id), setting.rung, setting.world, setting.seed,
                           setting.wrong_share, setting.anew)
    except Exception as problem:  # told by the first case: a pool begins a process that fails to begin for ever anew
        _rung = problem


def _play(task: tuple[int, RungSetting]) -> PlayedOnRung:
    number, setting = task
    if isinstance(_rung, Exception):
        raise _rung
    assert _rung is not None
    return by_rung(_rung, world_case(setting.world, _rung.whole, number, setting.seed))


def evaluate_rung(setting: RungSetting, pack_id: str, progress: Progress, packs: Sequence[Path] = ()) -> RungResult:
    """Play jobs by a pack cut down to a rung. Same arguments, same result, but for the seconds.

    Raises ImportRefusedError for an unknown pack, or one that no new pack could begin like.
    """
    board = PackLibrary(packs).board(pack_id)
    try:
        port_of(board)
    except ValueError as problem:
        raise ImportRefusedError(f"{problem}.".replace("; expected", ": expected"), "Nothing was played.") from None
    begun = time.perf_counter()
    os.environ.update(ONE_THREAD)
    played: list[PlayedOnRung] = []
    with multiprocessing.get_context("spawn").Pool(min(os.cpu_count() or 1, 8), _begin,
                                                   (pack_id, tuple(packs), setting)) as pool:
        for one in pool.imap(_play, [(number, setting) for number in range(setting.cases)], chunksize=2):
            played.append(one)
            progress(len(played), setting.cases)
    counted = [one for one in played if one.counted]
    error, table = calibration([claim for one in played for claim in one.played.claims])
    return RungResult(setting.rung, setting.wrong_share, setting.cases, setting.seed, len(counted),
                      float(np.mean([one.named for one in counted])) if counted else 0.0,
                      float(np.mean([one.played.right for one in counted])) if counted else 0.0,
                      float(np.mean([one.played.right for one in played])),
                      float(np.mean([one.played.minutes for one in played])),
                      sum(one.played.gates_broken for one in played), error, table, time.perf_counter() - begun,
                      setting.anew)


def rung_words(found: RungResult) -> str:
    """In lines."""
    wrong = f", {100 * found.wrong_share:g} % of its ends on a wrong net" if found.wrong_share else ""
    wrong += ", doubted ends probed anew" if found.probed_anew else ""
    return "\n".join((
        f"Rung {found.rung}{wrong}: {found.cases} jobs of seed {found.seed}, {found.seconds / 60:.1f} min.",
        f"- faults of the parts that matter: {found.counted} jobs; a faulty part among the first {FIRST_SUSPECTS} "
        f"suspects after the readings that were advised in {100 * found.named:.0f} %, right end in "
        f"{100 * found.right:.0f} %",
        f"- all jobs: right end in {100 * found.right_of_all:.0f} %, {found.minutes_mean:.0f} min, "
        f"{found.gates_broken} gates broken, calibration error {found.calibration_error:.3f}",
        *(f"- said {100 * mean:.0f} %: so in {100 * share:.0f} % of {count}"
          for _, count, mean, share in found.reliability)))
