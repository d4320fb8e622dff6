"""The measures of issue-sized claims about traces, by seeded simulation with a generator that is not the model.

Seeds here were not used while numbers were chosen.
"""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.draw.profile import profile_of
from dextrum.core.draw.reading import DrawReading, read_draw
from dextrum.core.draw.samples import Samples, tidy
from dextrum.core.draw.spells import Spell, spells_of
from tests.draw_generator import STRANGE, MadeTrace, Meter, faulty_trace, healthy_trace, strange_trace
from tests.support import duo_board

SEED = 20_260
METERS = (Meter(), Meter(rate=1, digit=0.01, lost=0.02), Meter(rate=50), Meter(rate=2, noise_amps=0.006, lost=0.03))
TRACES = 12


def analysed(made: MadeTrace) -> tuple[Samples, tuple[Spell, ...], DrawReading, np.ndarray]:
    """Samples, spells, reading, and the state id given to every sample."""
    profile = profile_of(duo_board())
    assert profile is not None
    samples = tidy(made.seconds, made.volts, made.amps).samples
    spells = spells_of(samples)
    reading = read_draw(profile, spells, cell=duo_board().cell)
    ids = np.array([s.id for s in profile.states] + ["unknown"])
    place = np.searchsorted([s.start for s in spells], samples.seconds, side="right") - 1
    return samples, spells, reading, ids[np.array(reading.states)[place]]


def length(generator: np.random.Generator, meter: Meter, shortest: float, longest: float) -> float:
    """Shorter where the meter is quick, so that the tests are."""
    return float(generator.uniform(shortest, min(longest, 50_000 / meter.rate)))


class MeasureTest(unittest.TestCase):
    def test_states_and_edges_of_healthy_units(self) -> None:
        right, near = [], []
        for i in range(TRACES):
            for k, cell in enumerate(("deeply_flat", "flat", "part_charged")):
                generator = np.random.default_rng([SEED, i, k])
                meter = METERS[i % len(METERS)]
                made = healthy_trace(duo_board(), generator, cell, length(generator, meter, 900, 5400), meter)
                samples, spells, _, said = analysed(made)
                right.append(said == made.truth)
                starts = np.searchsorted(samples.seconds, [s.start for s in spells])
                turns = np.flatnonzero(made.truth[1:] != made.truth[:-1]) + 1
                # A taper begins with no edge at all: it bends off the plateau before it.
                near += [int(np.abs(starts - t).min()) for t in turns if made.truth[t] not in ("taper", "topped")]
        self.assertGreaterEqual(float(np.concatenate(right).mean()), 0.97)
        self.assertGreater(len(near), 20)
        self.assertGreaterEqual(float(np.mean(np.array(near) <= 2)), 0.95)

    def test_faulty_units_are_named_and_never_called_healthy(self) -> None:
        right, off, healthy, count = [], [], 0, 0
        for i in range(TRACES):
            for k, kind in enumerate(("none", "small_5v", "cycling", "precharge")):
                generator = np.random.default_rng([SEED + 1, i, k])
                meter = METERS[i % len(METERS)]
                made = faulty_trace(duo_board(), generator, kind, length(generator, meter, 300, 3600), meter)
                _, spells, reading, said = analysed(made)
                right.append(said == made.truth)
                healthy += reading.verdict == "healthy"
                count += 1
                if kind == "cycling":
                    beats = [s.rhythm.period_seconds for s in spells if s.rhythm]
                    off.append(abs(beats[0] / made.period - 1.0) if beats else 1.0)
        self.assertGreaterEqual(float(np.concatenate(right).mean()), 0.97)
        self.assertEqual(healthy, 0, f"healthy on {healthy} of {count} faulty traces; at most 0.5 % is allowed")
        self.assertLessEqual(max(off), 0.03)

    def test_patterns_of_no_profile_are_called_unknown(self) -> None:
        called: dict[str, list[bool]] = {kind: [] for kind in STRANGE}
        for i in range(TRACES):
            for k, kind in enumerate(STRANGE):
                generator = np.random.default_rng([SEED + 2, i, k])
                meter = METERS[i % len(METERS)]
                said = analysed(strange_trace(generator, kind, length(generator, meter, 300, 1800), meter))[3]
                called[kind].append(float((said == "unknown").mean()) > 0.5)
        self.assertGreaterEqual(float(np.mean([x for values in called.values() for x in values])), 0.9, called)
        self.assertGreaterEqual(sum(np.mean(values) >= 0.9 for values in called.values()), 5, called)

    def test_times_to_boot_lie_in_their_ranges_as_often_as_stated(self) -> None:
        inside = []
        for i in range(110):
            for k, cell in enumerate(("deeply_flat", "flat")):
                generator = np.random.default_rng([SEED + 3, i, k])
                cut = float(generator.uniform(60, 2400))
                made = healthy_trace(duo_board(), generator, cell, cut, Meter(rate=0.5))
                if not made.boots_at > cut:
                    continue
                charge = analysed(made)[2].charge
                assert charge is not None and charge.to_boot is not None
                inside.append(charge.to_boot.low <= (made.boots_at - cut) / 60 <= charge.to_boot.high)
        self.assertGreater(len(inside), 100)
        self.assertGreaterEqual(float(np.mean(inside)), 0.85)
        self.assertLessEqual(float(np.mean(inside)), 0.95)


if __name__ == "__main__":
    unittest.main()
