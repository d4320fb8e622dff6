"""Jobs that were put at a time by hand."""

from __future__ import annotations

from datetime import datetime

from dextrum.store.jobs import JobStore
from dextrum.store.shop_settings import day_pins, set_day_pins


def pin(store: JobStore, job_id: str, moment: datetime) -> None:
    """The job's next step begins then. moment: with a zone. Raises StoreError."""
    pins = {job: when for job, when in day_pins(store).items() if job != job_id}
    pins[job_id] = moment.astimezone().strftime("%Y-%m-%dT%H:%M")
    set_day_pins(store, pins)


def free(store: JobStore, job_id: str) -> bool:
    """The plan puts it where it likes again; whether it was put anywhere. Raises StoreError."""
    pins = day_pins(store)
    if job_id not in pins:
        return False
    set_day_pins(store, {job: when for job, when in pins.items() if job != job_id})
    return True
