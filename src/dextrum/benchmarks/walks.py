"""Walks of a hand over the contacts of a port, with meters of different speed: is anything recorded that was not there,
and how many readings after it had settled is a value recorded.

The hand brushes a neighbour on its way, lifts too early, slides on without letting go, slips off in the middle of a
touch, and holds until it hears the cue. A slow meter shows the mean of what it saw since its last reading, with what it
drives in place of OL. Nothing of this is shared with what judges the readings.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import isfinite

import numpy as np

from dextrum.app.reading.capture import walk_over
from dextrum.benchmarks.measure import Measure, within
from dextrum.core.board import Method
from dextrum.core.capture.walk import Asks, CaptureWalk, NeedsProbe, Recorded, Tap
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.instruments.simulated_board import SimulatedBoard
from dextrum.instruments.simulated_touch import SimulatedTouch

RATES = (2.0, 4.0, 10.0, 25.0)
SLOW_METER = 5.0
"""Readings a second up to which a meter averages what it saw."""
DRIVEN_VOLTS = 2.5
AVERAGED, INSTANTS = 0.6, 25
"""Share of the time between two readings over which it averages, and instants at which that is looked at."""
GIVES_UP_SECONDS = 6.0
"""Without a cue, after which the hand lifts off and touches again."""
BRUSHES, EARLY, SLIDES, SLIPS = 0.08, 0.06, 0.15, 0.06
"""How often a neighbour is brushed, a touch ends early, the probe slides on, and it slips off before the cue."""
WRONG_VOLTS = 0.012
STANDS_SECONDS = 0.3
"""For which a value must have stood, by the settling test as it is stated."""
MOST_TRIES = 6


@dataclass
class Walked:
    """late: of each touch, readings from when the value had stood long enough until it was recorded."""

    touches: int = 0
    wrong: int = 0
    missed: int = 0
    late: list[float] = field(default_factory=list)


class _Probe:
    """What the probe is on over time."""

    def __init__(self, generator: np.random.Generator) -> None:
        self.generator = generator
        self.spans: list[tuple[float, float, SimulatedTouch | None]] = []

    def put(self, begin: float, end: float, on: SimulatedTouch | None) -> None:
        self.spans.append((begin, end, on))

    def cut(self, at: float) -> None:
        """What was planned from here on is dropped."""
        self.spans = [(b, min(e, at), on) for b, e, on in self.spans if b < at]

    def shown(self, at: float) -> float:
        for begin, end, on in reversed(self.spans):
            if begin <= at < end:
                return on.shown(at) if on is not None else float("inf")
        return float("inf")


class _Meter:
    def __init__(self, probe: _Probe, rate: float, generator: np.random.Generator) -> None:
        self.probe, self.every, self.generator = probe, 1.0 / rate, generator
        self.slow = rate <= SLOW_METER
        self.next = float(generator.uniform(0.0, self.every))

    def reading(self) -> tuple[float, float]:
        """When the next one is made, and what it shows."""
        at, self.next = self.next, self.next + self.every
        if not self.slow:
            return at, round(self.probe.shown(at), 3)
        seen = [self.probe.shown(at - self.every * AVERAGED * k / INSTANTS) for k in range(INSTANTS)]
        if not any(isfinite(v) for v in seen) or (not all(isfinite(v) for v in seen) and self.generator.random() < 0.5):
            return at, float("inf")
        return at, round(float(np.mean([v if isfinite(v) else DRIVEN_VOLTS for v in seen])), 3)


def walk_once(walk: CaptureWalk, true: dict[str, float], rate: float, generator: np.random.Generator,
              result: Walked) -> None:
    """One hand over one port. true: what the meter shows at each point in the end, inf for OL."""
    probe = _Probe(generator)
    meter = _Meter(probe, rate, generator)
    now, names = 1.0, list(true)
    while walk.point:
        point = walk.point
        recorded = False
        for _ in range(MOST_TRIES):
            now, recorded = _touch(walk, point, true, names, now, probe, meter, generator, result)
            if recorded:
                break
        if not recorded:
            result.missed += 1
            walk.tap(Tap.SKIP)


def _touch(walk: CaptureWalk, point: str, true: dict[str, float], names: Sequence[str], now: float, probe: _Probe,
           meter: _Meter, generator: np.random.Generator, result: Walked) -> tuple[float, bool]:
    """One try at a point. Returns when it ended and whether something was recorded."""
    result.touches += 1
    slides = generator.random() < SLIDES
    begin = now + float(generator.uniform(0.08, 0.2) if slides else generator.uniform(0.45, 1.2))
    if generator.random() < BRUSHES:
        beside = names[max(0, min(len(names) - 1, names.index(point) + int(generator.choice((-1, 1)))))]
        for_so_long = float(generator.uniform(0.04, 0.16))
        probe.put(begin - for_so_long, begin, SimulatedTouch(true[beside], begin - for_so_long, generator))
    early = generator.random() < EARLY
    contact = SimulatedTouch(true[point], begin, generator)
    end = begin + (float(generator.uniform(0.1, 0.4)) if early else 1e9)
    probe.put(begin, end, contact)
    counts_from = contact.settles_at()
    if not early and generator.random() < SLIPS:
        off = begin + float(generator.uniform(0.1, 0.3))
        on = off + float(generator.uniform(0.08, 0.35))
        contact = SimulatedTouch(true[point], on, generator)
        probe.cut(off)
        probe.put(on, 1e9, contact)
        counts_from = contact.settles_at()
    gives_up = end + 0.45 if early else begin + GIVES_UP_SECONDS
    while meter.next < gives_up:
        at, value = meter.reading()
        for event in walk.sample(at, value):
            events = [event]
            if isinstance(event, Asks):
                events = list(walk.tap(Tap.REPEAT))  # the hand knows where it is: recorded here all the same
            if isinstance(event, NeedsProbe):
                events = list(walk.tap(Tap.SKIP))
            for one in events:
                if isinstance(one, Recorded):
                    _judge(one, true, at, counts_from, meter.every, result)
                    leaves = at + float(generator.uniform(0.25, 0.6))
                    probe.cut(leaves)
                    # It still holds while the hand reacts: what the meter shows then is heard too.
                    while meter.next < leaves:
                        seconds, shown = meter.reading()
                        for more in walk.sample(seconds, shown):
                            if isinstance(more, Recorded):
                                _judge(more, true, seconds, counts_from, meter.every, result)
                    return leaves, True
        if walk.point != point:
            return at, True
    probe.cut(gives_up)
    return gives_up, False


def _judge(told: Recorded, true: dict[str, float], at: float, counts_from: float, every: float,
           result: Walked) -> None:
    should = true[told.point]
    if isfinite(should) != isfinite(told.value) or (isfinite(should) and abs(told.value - should) > WRONG_VOLTS):
        result.wrong += 1
    elif isfinite(should):
        result.late.append((at - counts_from - STANDS_SECONDS) / every)


def walked(model: DiagnosisModel, rate: float, touches: int, seed: int) -> Walked:
    """So many touches, on boards with faults drawn from the priors."""
    generator = np.random.default_rng((seed, round(10 * rate)))
    points = model.board.port_point_ids()
    share = np.exp(model.hypotheses.log_prior)
    share[:2] = 0.0
    result = Walked()
    while result.touches < touches:
        row = int(generator.choice(len(share), p=share / share.sum()))
        fault = model.hypotheses.faults[int(model.hypotheses.fault_of_row[row])]
        unit = SimulatedBoard(model.board, [(fault, float(model.hypotheses.ohms[row]))], generator)
        true = {}
        for point in points:
            value = unit.true_value(point, Method.DIODE_RED_GROUND)
            true[point] = float(value) if np.isfinite(value) and value < DRIVEN_VOLTS else float("inf")
        walk_once(walk_over(model.board, model.references, tuple(points)), true, rate, generator, result)
    return result


def walk_measures(touches: int = 10_000) -> dict[str, Measure]:
    """For each speed of meter: wrong entries, points that were never heard, and the latest entry in readings."""
    from dextrum.app.library.library import PackLibrary

    model = PackLibrary().advice_model("tarnwick-duo-c", "M1").model
    found: dict[str, Measure] = {}
    for rate in RATES:
        result = walked(model, rate, touches, 43)
        name = f"walk_{rate:g}_a_second"
        found[f"{name}_wrong"] = within(result.wrong, f"of {result.touches} touches", 0.0)
        found[f"{name}_missed"] = within(1000.0 * result.missed / result.touches, "per 1000 touches", 5.0)
        found[f"{name}_late_p99"] = within(float(np.quantile(result.late, 0.99)), "readings", 2.0)
    return found
