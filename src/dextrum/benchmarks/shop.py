"""The day re-planned after an entry with sixty open jobs, and the first forecast of a job."""

from __future__ import annotations

import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

from dextrum.benchmarks.measure import Measure, p95, within

REPLAN_MS, FULL_MS, FORECAST_MS = 200.0, 1000.0, 2000.0
JOBS, ROUNDS = 60, 12


def shop() -> dict[str, Measure]:
    """On sixty jobs made of the demo's, each with a promise."""
    from dextrum.app.bench.demo_ready import kept_trails, moved_to
    from dextrum.app.day.day_plan import DayBook
    from dextrum.app.library.library import PackLibrary
    from dextrum.app.outlook.outlook import outlook_of_trail
    from dextrum.app.outlook.outlooks import Outlooks
    from dextrum.core.trail import Intake, JobOpened
    from dextrum.store.entries import new_entry
    from dextrum.store.jobs import JobStore

    now = datetime(2026, 3, 12, 9, 0, tzinfo=UTC)
    with tempfile.TemporaryDirectory() as folder:
        store, library = JobStore(Path(folder) / "jobs.sqlite"), PackLibrary()
        base = [trail for trail in moved_to(kept_trails(), now) if trail[-1].payload.kind != "outcome"]
        for k in range(JOBS):
            trail = base[k % len(base)]
            copies = tuple(new_entry(entry.payload, "x", entry.at) for entry in trail)
            job = store.add_trail(copies)
            due = (now + timedelta(hours=2 + 3 * k)).strftime("%Y-%m-%dT%H:%M")
            store.append(job, new_entry(Intake("dead", ("no_charge",), due=due), "x", now))
        book = DayBook(store, Outlooks(store, library, lambda: "M1"))
        book.plan(now)
        taken, full = [], []
        for k in range(ROUNDS):
            row = store.shelf()[k]
            store.append(row.id, new_entry(Intake("dead, again", ("no_charge",), due=row.due), "x", now))
            began = time.perf_counter()
            book.plan(now, row.id)
            taken.append(time.perf_counter() - began)
            full.append(book.plan(now, row.id, full=True).seconds)
        model = library.advice_model("tarnwick-duo-c", "M1")
        trail = (new_entry(JobOpened("S", "Duo", "tarnwick-duo-c"), "x", now),
                 new_entry(Intake("dead", ("no_charge",)), "x", now))
        began = time.perf_counter()
        outlook_of_trail(model, trail)
        forecast = time.perf_counter() - began
        store.close()
    return {"day_replanned_after_an_entry_60_jobs_p95": within(p95(taken) * 1000, "ms", REPLAN_MS),
            "day_searched_while_idle_60_jobs_p95": within(p95(full) * 1000, "ms", FULL_MS),
            "first_forecast_of_a_job": within(forecast * 1000, "ms", FORECAST_MS)}
