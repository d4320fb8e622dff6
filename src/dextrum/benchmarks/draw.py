"""Traces: how fast they are read and drawn, and how well they are read, by the tests' own generator."""

from __future__ import annotations

import os
import time

from dextrum.benchmarks.measure import Measure, at_least, p95, within

HOUR_AT_50_HZ = 180_000
UNITS = 60
SEED = 51_300


def draw_speed() -> dict[str, Measure]:
    """An hour at 50 Hz from samples to states, for the kinds of trace that cost most; one more sample live."""
    import numpy as np

    from dextrum.app.library.library import PackLibrary
    from dextrum.core.draw.live import LiveTrace
    from dextrum.core.draw.profile import profile_of
    from dextrum.core.draw.reading import read_draw
    from dextrum.core.draw.samples import tidy
    from dextrum.core.draw.spells import spells_of

    board = PackLibrary().board("tarnwick-duo-c")
    profile = profile_of(board)
    assert profile is not None
    generator = np.random.default_rng(1)
    at = np.arange(HOUR_AT_50_HZ) / 50.0
    noise = generator.normal(0, 0.004, (2, len(at)))
    on = (at % 1.2) < 0.5
    kinds = {"steady": (np.full(len(at), 5.0), np.full(len(at), 0.06)),
             "cycling": (np.where(on, 4.6, 0.1), np.where(on, 0.5, 0.0)),
             "taper": (np.full(len(at), 9.0), 0.2 + 1.7 * np.exp(-at / 1500)),
             "wandering": (np.full(len(at), 9.0), 1.0 + np.cumsum(generator.normal(0, 0.002, len(at))) % 1.0)}
    found = {}
    for name, (volts, amps) in kinds.items():
        taken = []
        for _ in range(3):
            begun = time.perf_counter()
            samples = tidy(at, volts + noise[0], np.maximum(amps + noise[1], 0.0)).samples
            read_draw(profile, spells_of(samples), cell=board.cell)
            taken.append(time.perf_counter() - begun)
        found[f"hour_at_50_hz_{name}"] = within(sorted(taken)[1], "s", 1.0)
    live, taken = LiveTrace(profile), []
    volts, amps = kinds["cycling"]
    for k in range(20_000):
        begun = time.perf_counter()
        live.add(float(at[k]), float(volts[k] + noise[0, k]), float(amps[k] + noise[1, k]))
        taken.append(time.perf_counter() - begun)
    found["live_sample_p95"] = within(1000 * p95(taken), "ms", 1.0)
    found["live_sample_p99"] = within(1000 * sorted(taken)[-200], "ms", 1.0)
    return found


def plot_speed() -> dict[str, Measure]:
    """Panning with two traces of 180,000 samples shown: range moved, both plots and the ribbon painted."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    import numpy as np

    from dextrum.app.places import shipped  # noqa: F401  (all that is not Qt comes before Qt)

    from PySide6.QtCore import QCoreApplication, QEvent  # isort: skip
    from PySide6.QtWidgets import QApplication  # isort: skip

    from dextrum.desktop import theme
    from dextrum.desktop.supply.draw_plot import Block, DrawPlot, PlotTrace

    application = QApplication.instance() or QApplication(["bench"])
    theme.load_fonts()
    assert isinstance(application, QApplication)
    theme.apply(application)
    generator = np.random.default_rng(2)
    at = np.arange(HOUR_AT_50_HZ) / 50.0
    traces = [PlotTrace(o, o, o, False, at, 9.0 + generator.normal(0, 0.01, len(at)),
                        1.5 + 0.3 * np.sin(at / 200) + generator.normal(0, 0.01, len(at)),
                        tuple(Block(k * 300.0, k * 300.0 + 300.0, "full power", True) for k in range(12)))
              for o in "ab"]
    plot = DrawPlot()
    plot.resize(742, 320)
    plot.show_traces(traces, {"a", "b"})
    plot.show()
    application.processEvents()
    plot.zoom(1.5)
    taken = []
    for k in range(120):
        begun = time.perf_counter()
        plot.pan(0.01 if k % 40 < 20 else -0.01)
        # What the event loop would do next: paint all that has changed, once.
        QCoreApplication.sendPostedEvents(None, QEvent.Type.UpdateRequest.value)
        application.processEvents()
        taken.append(time.perf_counter() - begun)
    plot.close()
    return {"pan_with_two_traces_of_180000_p95": within(1000 * p95(taken[5:]), "ms", 1000 / 60)}


def draw_by_simulation() -> dict[str, Measure]:
    """What the tests claim of traces, on more units and other seeds."""
    import numpy as np
    from tests.draw_generator import STRANGE, Meter, faulty_trace, healthy_trace, strange_trace

    from dextrum.app.library.library import PackLibrary
    from dextrum.core.draw.profile import profile_of
    from dextrum.core.draw.reading import read_draw
    from dextrum.core.draw.samples import tidy
    from dextrum.core.draw.spells import spells_of

    board = PackLibrary().board("tarnwick-duo-c")
    profile = profile_of(board)
    assert profile is not None
    ids = np.array([s.id for s in profile.states] + ["unknown"])
    meters = (Meter(), Meter(rate=1, digit=0.01, lost=0.02), Meter(rate=25), Meter(rate=2, noise_amps=0.006, lost=0.03))
    right, edges, healthy, period, unknown, boots = [], [], [], [], [], []
    for i in range(UNITS):
        meter = meters[i % len(meters)]
        longest = 50_000 / meter.rate

        def read(made: object) -> tuple[np.ndarray, np.ndarray, object]:
            samples = tidy(made.seconds, made.volts, made.amps).samples  # type: ignore[attr-defined]
            spells = spells_of(samples)
            reading = read_draw(profile, spells, cell=board.cell)
            starts = np.searchsorted(samples.seconds, [s.start for s in spells])
            place = np.searchsorted(starts, np.arange(len(samples)), side="right") - 1
            return ids[np.array(reading.states)[place]], starts, reading

        for k, cell in enumerate(("deeply_flat", "flat", "part_charged")):
            generator = np.random.default_rng([SEED, i, k])
            made = healthy_trace(board, generator, cell, min(generator.uniform(900, 5400), longest), meter)
            said, starts, reading = read(made)
            right.append(said == made.truth)
            turns = np.flatnonzero(made.truth[1:] != made.truth[:-1]) + 1
            edges += [int(np.abs(starts - t).min()) <= 2 for t in turns if made.truth[t] not in ("taper", "topped")]
            charge = reading.charge  # type: ignore[attr-defined]
            if made.boots_at > made.seconds[-1] and charge is not None and charge.to_boot is not None:
                left = (made.boots_at - made.seconds[-1]) / 60
                boots.append(charge.to_boot.low <= left <= charge.to_boot.high)
        for k, kind in enumerate(("none", "small_5v", "cycling", "precharge")):
            generator = np.random.default_rng([SEED + 1, i, k])
            made = faulty_trace(board, generator, kind, min(generator.uniform(300, 3600), longest), meter)
            said, _, reading = read(made)
            right.append(said == made.truth)
            healthy.append(reading.verdict == "healthy")  # type: ignore[attr-defined]
            if kind == "cycling":
                beats = [s.rhythm.period_seconds for s in reading.spells if s.rhythm]  # type: ignore[attr-defined]
                period.append(abs(beats[0] / made.period - 1) <= 0.03 if beats else False)
        for k, kind in enumerate(STRANGE):
            generator = np.random.default_rng([SEED + 2, i, k])
            said, _, _ = read(strange_trace(generator, kind, min(generator.uniform(300, 1800), longest), meter))
            unknown.append((said == "unknown").mean() > 0.5)
        for k in range(6):
            generator = np.random.default_rng([SEED + 3, i, k])
            cut = generator.uniform(60, 2400)
            made = healthy_trace(board, generator, ("flat", "deeply_flat")[k % 2], cut, Meter(rate=0.5))
            if made.boots_at > cut:
                charge = read(made)[2].charge  # type: ignore[attr-defined]
                left = (made.boots_at - cut) / 60
                boots.append(charge is not None and charge.to_boot is not None
                             and charge.to_boot.low <= left <= charge.to_boot.high)
    inside = float(np.mean(boots))
    return {"share_of_samples_in_the_right_state": at_least(float(np.concatenate(right).mean()), "", 0.97),
            "share_of_edges_within_two_samples": at_least(float(np.mean(edges)), "", 0.95),
            "share_of_periods_within_3_percent": at_least(float(np.mean(period)), "", 0.95),
            "healthy_verdicts_on_faulty_traces": within(float(np.mean(healthy)), "", 0.005),
            "share_of_unknown_patterns_called_unknown": at_least(float(np.mean(unknown)), "", 0.9),
            "share_of_boot_ranges_that_held": at_least(inside, "", 0.85),
            "boot_ranges_that_held_below_95_percent": within(inside, "", 0.95)}
