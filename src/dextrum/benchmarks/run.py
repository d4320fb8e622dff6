"""`./dextrum bench`: name → {value, unit, floor, ratio, budget, ok}, each measured in this run.

Windows are measured offscreen. The start is measured against a process that imports PySide6 and pyqtgraph and shows
an empty window with one plot, in the same run and alternating with it.
"""

from __future__ import annotations

import contextlib
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from pathlib import Path

from dextrum.benchmarks.capture import capture_measures
from dextrum.benchmarks.draw import draw_by_simulation, draw_speed, plot_speed
from dextrum.benchmarks.judging import judging
from dextrum.benchmarks.keys import keys_to_paint
from dextrum.benchmarks.measure import Measure, p95, within
from dextrum.benchmarks.plan import photo_speed, plan_speed
from dextrum.benchmarks.shop import shop
from dextrum.benchmarks.stream import stream_measures
from dextrum.benchmarks.synthetic import synthetic_weighing
from dextrum.benchmarks.walks import walk_measures
from dextrum.benchmarks.weighing import duo_weighing

FLOOR_START = """
import sys, time
from PySide6.QtWidgets import QApplication, QMainWindow
import pyqtgraph
app = QApplication(sys.argv)
window = QMainWindow()
window.setCentralWidget(pyqtgraph.PlotWidget())
window.resize(1280, 800)
window.show()
app.processEvents()
app.processEvents()
print("usable", flush=True)
"""
FIRST_ADVICE_SECONDS = 1.0
OWN_START = """
import gc, sys
gc.disable()  # as dextrum.__main__ does, until some seconds after the start
from pathlib import Path
from dextrum.desktop.start import prepare_window
application, window, store = prepare_window(demo=True, data=Path(sys.argv[1]))
window.show()
application.processEvents()
application.processEvents()
print("usable", flush=True)
import threading, time
usable = time.perf_counter()
while not window.model.fresh:
    application.processEvents()
    time.sleep(0.002)  # as an event loop would: what weighs goes on meanwhile
print("advised", time.perf_counter() - usable, flush=True)
for thread in threading.enumerate():
    if thread.name == "keep":
        thread.join()
status = Path("/proc/self/status").read_text()
print("kilobytes", next(line.split()[1] for line in status.splitlines() if line.startswith("VmRSS")), flush=True)
import os
os._exit(0)
"""


def _run(code: str, *arguments: str) -> tuple[float, str]:
    """Seconds until the process says it is usable, and all it said."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    begun = time.perf_counter()
    process = subprocess.Popen([sys.executable, "-c", code, *arguments], stdout=subprocess.PIPE, text=True,
                               stderr=subprocess.DEVNULL, env=environment)
    assert process.stdout is not None
    lines = []
    usable = float("nan")
    for line in process.stdout:
        lines.append(line)
        if line.startswith("usable"):
            usable = time.perf_counter() - begun
    process.wait()
    return usable, "".join(lines)


def start_and_memory() -> dict[str, Measure]:
    """Start to usable window with demo data, and resident memory once the first advice is shown."""
    from dextrum.app.bench.demo import ensure_demo
    from dextrum.app.library.library import PackLibrary

    with tempfile.TemporaryDirectory() as place:
        ensure_demo(Path(place), PackLibrary())
        floors, owns, advised, memory = [], [], [], 0.0
        for i in range(8):
            floor, _ = _run(FLOOR_START)
            own, said = _run(OWN_START, place)
            if i:  # the first of each warms the disk cache
                floors.append(floor)
                owns.append(own)
                advised.append(float(said.split("advised")[1].split()[0]))
            memory = max(memory, float(said.split("kilobytes")[1]) / 1024)
    # Pair by pair, since a shared machine's speed drifts between them.
    ratio = statistics.median(own / floor for own, floor in zip(owns, floors, strict=True))
    return {"start_to_usable_window": Measure(round(statistics.median(owns), 3), "s",
                                              round(statistics.median(floors), 3), round(ratio, 3), 1.5, ratio <= 1.5),
            "first_advice_after_window": within(statistics.median(advised), "s", FIRST_ADVICE_SECONDS),
            "memory_of_demo": within(memory, "MB", 300.0)}


def reading_to_verdict() -> dict[str, Measure]:
    """Enter on a typed value until the verdict is painted; commit to disk included."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    # Qt last: see desktop.start.
    from dextrum.app.job.session import BenchSession
    from dextrum.app.library.library import PackLibrary
    from dextrum.core.trail import Cell, JobOpened, Look
    from dextrum.store.entries import new_entry
    from dextrum.store.jobs import JobStore

    from PySide6.QtCore import QCoreApplication, QEvent, Qt  # isort: skip
    from PySide6.QtTest import QTest  # isort: skip
    from PySide6.QtWidgets import QApplication  # isort: skip

    from dextrum.desktop import theme
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.port.view import PortView

    application = QApplication.instance() or QApplication(["bench"])
    theme.load_fonts()
    with tempfile.TemporaryDirectory() as place:
        store = JobStore(Path(place) / "jobs.sqlite")
        store.add_trail([new_entry(p, "bench") for p in (
            JobOpened("B-1", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Cell("unplugged"))])
        window = MainWindow(BenchSession(store, PackLibrary()))
        window.show()
        while not window.model.fresh:
            application.processEvents()
        window.show_view("port")
        application.processEvents()
        view = window.views["port"]
        assert isinstance(view, PortView)
        taken = []
        for i in range(60):
            point = view.ladder.current_point()
            view.ladder.field.setText("0.455")
            begun = time.perf_counter()
            QTest.keyClick(view.ladder.field, Qt.Key.Key_Return)
            # What the event loop would do next: paint all that has changed.
            QCoreApplication.sendPostedEvents(None, QEvent.Type.UpdateRequest.value)
            taken.append(time.perf_counter() - begun)
            assert point in window.model.judged
            while not window.model.fresh:
                application.processEvents()
            application.processEvents()
            if i % 24 == 23:
                view.ladder.go_to("J1.A1")
        window.close()
        store.close()
    return {"reading_to_verdict_painted_p95": within(p95(taken) * 1000, "ms", 16.0)}


def many_jobs() -> dict[str, Measure]:
    """Opening and searching one job out of ten thousand."""
    from dextrum.core.trail import Intake, JobOpened
    from dextrum.store.entries import new_entry
    from dextrum.store.jobs import JobStore
    from dextrum.store.schema import entries, jobs

    with tempfile.TemporaryDirectory() as place:
        store = JobStore(Path(place) / "jobs.sqlite")
        start = datetime(2026, 1, 1, tzinfo=UTC)
        first = store.add_trail([new_entry(JobOpened("SLS-5000", "Tarnwick Duo", "tarnwick-duo-c"), "b", start),
                                 new_entry(Intake("rain and salt"), "b", start)])
        rows = [{"id": f"job{i}", "serial": f"SLS-{i:05d}", "model": "Tarnwick Duo", "pack_id": "tarnwick-duo-c",
                 "opened_at": (start + timedelta(minutes=i)).isoformat(), "stage": "port", "waits_for": "",
                 "waits_until": "", "due": "", "outcome": "repaired" if i % 3 else "", "changed_at": start.isoformat(),
                 "search_text": f"sls-{i:05d} tarnwick duo does not charge u{i % 9}"} for i in range(10_000)]
        payload = '{"kind": "look", "findings": ["clean"], "contacts": [], "note": ""}'
        trail = [{"id": f"e{i}-{k}", "job_id": f"job{i}", "position": k, "at": start.isoformat(), "who": "b",
                  "kind": "look", "version": 1, "payload": payload} for i in range(10_000) for k in range(10)]
        with store.engine.execution_options(writes=True).begin() as db:
            db.execute(jobs.insert(), rows)
            db.execute(entries.insert(), trail)
        taken: dict[str, list[float]] = {"open": [], "search": [], "shelf": []}
        actions: dict[str, Callable[[], object]] = {
            "open": lambda: store.trail(first), "search": lambda: store.shelf("rain salt", None),
            "shelf": lambda: store.shelf()}
        for name, action in actions.items():
            for _ in range(15):
                begun = time.perf_counter()
                action()
                taken[name].append(time.perf_counter() - begun)
        store.close()
    return {f"{name}_of_10000_jobs_p95": within(p95(values) * 1000, "ms", 100.0)
            for name, values in taken.items()}


BENCHMARKS: dict[str, Callable[[], dict[str, Measure]]] = {
    "start": start_and_memory, "keys": keys_to_paint, "reading": reading_to_verdict, "weighing": duo_weighing,
    "jobs": many_jobs, "draw": draw_speed, "plot": plot_speed, "simulation": draw_by_simulation, "plan": plan_speed,
    "photo": photo_speed, "judging": judging, "synthetic": synthetic_weighing, "capture": capture_measures,
    "walks": walk_measures, "stream": stream_measures, "shop": shop,
}


def main(as_json: bool, only: str = "") -> int:
    """Run all (or one) and print; 1 when a budget is missed."""
    found: dict[str, Measure] = {}
    for name, measure in BENCHMARKS.items():
        if not only or only == name:
            # What a benchmark tells on its way is not the result.
            with contextlib.redirect_stdout(sys.stderr):
                found.update(measure())
    if as_json:
        print(json.dumps({name: asdict(m) for name, m in found.items()}, indent=1))
    else:
        for name, m in found.items():
            side = "at least" if name.startswith("share_") else "at most"
            against = f", {m.ratio:.2f} times {m.floor} {m.unit} (at most {m.budget})" if m.ratio is not None \
                else f" ({side} {m.budget} {m.unit})"
            print(f"{'ok  ' if m.ok else 'MISS'} {name}: {m.value} {m.unit}{against}")
    return 0 if found and all(m.ok for m in found.values()) else 1
