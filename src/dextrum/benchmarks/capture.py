"""How well touches are heard: error, delay, bounce, and the wrong point noticed; over many seeded touches."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from dextrum.benchmarks.measure import Measure, within
from dextrum.core.board import Method
from dextrum.core.capture.settling import DIODE_TEST
from dextrum.core.capture.walk import Asks, CaptureWalk, Event, Recorded
from dextrum.core.capture.wrong_point import Expectation
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.instruments.simulated_board import SimulatedBoard
from dextrum.instruments.simulated_touch import SimulatedTouch, TouchHabits

READINGS_PER_SECOND = 10.0
HELD_SECONDS = 2.0
APART = 3.0
"""Two points differ when their known-good values are so many spreads apart; others can't be told from a value."""


@dataclass(frozen=True)
class Touched:
    """One touch as it was heard. error: volts against what the meter shows when settled; late: seconds."""

    error: float
    late: float
    bouncing: bool


def touch(walk: CaptureWalk, contact: SimulatedTouch, phase: float = 0.0) -> tuple[list[Event], Touched | None]:
    """One touch of a walk, held for two seconds, then lifted."""
    events: list[Event] = []
    heard: Touched | None = None
    for k in range(round(HELD_SECONDS * READINGS_PER_SECOND)):
        at = contact.began + phase + k / READINGS_PER_SECOND
        for event in walk.sample(at, round(contact.shown(at), 3)):
            events.append(event)
            if isinstance(event, Recorded | Asks):
                heard = Touched(event.value - contact.settled, at - contact.settles_at(), contact.bouncing(at))
    for k in range(4):
        walk.sample(contact.began + HELD_SECONDS + phase + k / READINGS_PER_SECOND, float("inf"))
    return events, heard


def touches(count: int, seed: int) -> Iterator[Touched | None]:
    """Touches of one point after another, at values as boards have them."""
    generator = np.random.default_rng(seed)
    for k in range(count):
        contact = SimulatedTouch(float(generator.uniform(0.02, 0.9)), 0.0, generator)
        yield touch(CaptureWalk((f"P{k}",), test=DIODE_TEST), contact, float(generator.uniform(0.0, 0.1)))[1]


def expectations(model: DiagnosisModel) -> dict[str, Expectation]:
    """Of the port's contacts, by the pack's known-good."""
    found = {}
    for name in model.board.port_point_ids():
        point, reference = model.board.point_by_id[name], model.references.get(name, Method.DIODE_RED_GROUND)
        if reference is not None:
            found[name] = Expectation(reference.centre, reference.spread, point.x_mm, point.y_mm)
    return found


def wrong_points(model: DiagnosisModel, boards: int, seed: int) -> tuple[float, float, float]:
    """Share of slips to the next contact noticed, of those whose values can be told apart and of all, and share of
    right touches asked about, on boards with faults drawn from the priors."""
    generator = np.random.default_rng(seed)
    expected = expectations(model)
    points = tuple(expected)
    share = np.exp(model.hypotheses.log_prior)
    share[:2] = 0.0
    noticed, told, every, false, right = 0, 0, 0, 0, 0
    for _ in range(boards):
        row = int(generator.choice(len(share), p=share / share.sum()))
        fault = model.hypotheses.faults[int(model.hypotheses.fault_of_row[row])]
        unit = SimulatedBoard(model.board, [(fault, float(model.hypotheses.ohms[row]))], generator)
        for place, point in enumerate(points):
            slipped = generator.random() < 0.25
            beside = [p for p in (place - 1, place + 1) if 0 <= p < len(points)]
            at = points[int(generator.choice(beside))] if slipped else point
            value = unit.true_value(at, Method.DIODE_RED_GROUND)
            if not np.isfinite(value) or value > 2.5:
                continue
            events, _ = touch(CaptureWalk((point, *(p for p in points if p != point)), expected),
                              SimulatedTouch(value, 0.0, generator, TouchHabits()))
            asked = any(isinstance(e, Asks) for e in events)
            if slipped:
                apart = abs(expected[at].centre - expected[point].centre)
                every += 1
                if apart > APART * (expected[at].spread + expected[point].spread) and expected[at].centre > 0.05 \
                        and abs(value - expected[at].centre) < APART * expected[at].spread:
                    told += 1
                    noticed += asked
            else:
                right += 1
                false += asked
    return noticed / max(told, 1), noticed / max(every, 1), false / max(right, 1)


def capture_measures(count: int = 10_000) -> dict[str, Measure]:
    from dextrum.app.library.library import PackLibrary

    heard = [t for t in touches(count, 41) if t is not None]
    error = float(np.quantile([abs(t.error) for t in heard], 0.99))
    noise = TouchHabits().noise * 2.576
    model = PackLibrary().advice_model("tarnwick-duo-c", "M1").model
    noticed, of_all, false = wrong_points(model, 150, 42)
    walk, begun = CaptureWalk(tuple(f"P{k}" for k in range(24))), time.perf_counter()
    for k in range(2000):
        walk.sample(k / 10, 0.5)
    taken = (time.perf_counter() - begun) / 2000 * 1e6
    return {"capture_not_heard": within(count - len(heard), "touches", 0.0),
            "capture_error_p99": within(1000 * error, "mV", 1000 * noise),
            "capture_delay_p99": within(float(np.quantile([t.late for t in heard], 0.99)), "s", 0.4),
            "capture_delay_mean": within(float(np.mean([t.late for t in heard])), "s", 0.4),
            "capture_recorded_while_bouncing": within(sum(t.bouncing for t in heard), "touches", 0.0),
            "capture_wrong_point_missed": within(100 * (1 - noticed), "%", 20.0),
            "capture_wrong_point_missed_of_all": within(100 * (1 - of_all), "%", 100.0),
            "capture_false_questions": within(100 * false, "%", 2.0),
            "capture_sample": within(taken, "us", 1000.0)}
