"""Ten minutes of a power meter's stream at a thousand samples a second, into the live trace of a real window."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from dextrum.benchmarks.measure import Measure, p95, resident_megabytes, within

if TYPE_CHECKING:
    from dextrum.core.draw.live import LiveTrace

RATE, MINUTES, AT_ONCE = 1000.0, 10.0, 40
FRAME_MILLISECONDS = 1000.0 / 60.0
BESIDE_MEGABYTES = 10.0
"""What the window may keep beside the arrays of samples."""


def _stored_megabytes(trace: LiveTrace | None) -> float:
    """What the arrays of a live trace take."""
    return 0.0 if trace is None else (trace._data.nbytes + trace._sums.nbytes) / 2 ** 20


def stream_measures(minutes: float = MINUTES) -> dict[str, Measure]:
    """How long the window's thread is held by each portion, painting included; and what it keeps beside the samples."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    # Qt last: see the package of the window.
    from dextrum.app.job.session import BenchSession
    from dextrum.app.library.library import PackLibrary
    from dextrum.store.jobs import JobStore

    import dextrum.desktop  # noqa: F401  # isort: skip

    from PySide6.QtWidgets import QApplication

    from dextrum.core.trail import Look
    from dextrum.desktop import theme
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.supply.view import SupplyView

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
        kept = kept_stored = 0.0
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
                kept, kept_stored = resident_megabytes(), _stored_megabytes(panel.trace)
        stored = _stored_megabytes(panel.trace) - kept_stored
        grown = resident_megabytes() - kept
        panel.trace = None
        window.close()
        store.close()
    return {"stream_portion_p95": within(p95(taken), "ms", FRAME_MILLISECONDS),
            "stream_portion_p99": within(sorted(taken)[int(len(taken) * 0.99) - 1], "ms", FRAME_MILLISECONDS),
            "stream_portion_worst": within(max(taken), "ms", 100.0),
            "stream_memory": Measure(round(grown, 1), "MB", round(stored, 1), round(grown / max(stored, 0.1), 2),
                                     round((stored + BESIDE_MEGABYTES) / max(stored, 0.1), 2),
                                     grown <= stored + BESIDE_MEGABYTES)}
