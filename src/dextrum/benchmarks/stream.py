"""Ten minutes of a power meter's stream at a thousand samples a second, into the live trace of a real window."""

from __future__ import annotations

import os
import resource
import tempfile
import time
from pathlib import Path

import numpy as np

from dextrum.benchmarks.measure import Measure, p95, within

RATE, MINUTES, AT_ONCE = 1000.0, 10.0, 40
FRAME_MILLISECONDS = 1000.0 / 60.0
DOUBLING = 1.5
"""Arrays that double hold the old and the new at once for a moment."""


def stream_measures(minutes: float = MINUTES) -> dict[str, Measure]:
    """How long the window's thread is held by each portion, painting included; and what it keeps beside the samples."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    # Qt last: see the package of the window.
    from dextrum.app.library import PackLibrary
    from dextrum.app.session import BenchSession
    from dextrum.store.jobs import JobStore

    import dextrum.desktop  # noqa: F401  # isort: skip

    from PySide6.QtWidgets import QApplication

    from dextrum.core.looks import Look
    from dextrum.desktop import theme
    from dextrum.desktop.views.supply import SupplyView
    from dextrum.desktop.window import MainWindow

    application = QApplication.instance() or QApplication(["dextrum"])
    theme.load_fonts()
    generator = np.random.default_rng(5)
    with tempfile.TemporaryDirectory() as folder:
        store = JobStore(Path(folder) / "jobs.sqlite")
        session = BenchSession(store, PackLibrary())
        job = session.open_new_job("B-1", "tarnwick-duo-c")
        session.record(job, Look(("clean",)))
        window = MainWindow(session)
        window.resize(1280, 800)
        window.show()
        window.open_job(job)
        while not window.model.fresh:
            application.processEvents()
        window.show_view("supply")
        view = window.views["supply"]
        assert isinstance(view, SupplyView)
        panel = view.begin_stream()
        portions = int(minutes * 60.0 * RATE / AT_ONCE)
        taken: list[float] = []
        kept = 0.0
        for k in range(portions):
            at = (np.arange(AT_ONCE) + k * AT_ONCE) / RATE
            level = 1.9 if (k * AT_ONCE / RATE) % 60 < 45 else 0.4
            samples = list(zip(at.tolist(), generator.normal(9.0, 0.01, AT_ONCE).tolist(),
                               generator.normal(level, 0.005, AT_ONCE).tolist(), strict=True))
            begun = time.perf_counter()
            panel.take(samples)
            application.processEvents()
            taken.append(1000.0 * (time.perf_counter() - begun))
            if k == portions // 5:
                kept = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        trace = panel.trace
        assert trace is not None
        stored = DOUBLING * (trace._data.nbytes + trace._sums.nbytes) / 1e6
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024 - kept
        panel.trace = None
        window.close()
        store.close()
    return {"stream_portion_p95": within(p95(taken), "ms", FRAME_MILLISECONDS),
            "stream_portion_p99": within(sorted(taken)[int(len(taken) * 0.99) - 1], "ms", FRAME_MILLISECONDS),
            "stream_portion_worst": within(max(taken), "ms", 100.0),
            "stream_memory_beside_samples": within(grown - stored, "MB", 10.0)}
