"""The outlooks of many jobs, each kept until something is recorded in it."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from dextrum.app.advising.assess import Assessment
from dextrum.app.library.library import PackLibrary
from dextrum.app.outlook.outlook import outlook_of_trail
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.job import JobFacts, job_facts, with_time
from dextrum.core.outlook.rest_of_job import RestOfJob
from dextrum.core.trail import Entry, local_time
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobRow, JobStore

PLAYS_EACH = 400
"""Of each open job: the day needs no finer quantiles, and sixty jobs are played in some seconds."""

MOST_KEPT = 500
"""Jobs of which the outlook is kept, the last made: more than are open, with the donors."""


@dataclass(frozen=True, eq=False)
class JobOutlook:
    """Each is the same as itself alone, so that what is made of it can be kept. done, rest, model: None where the job
    has no pack, or nothing can be weighed. last: of its entries."""

    row: JobRow
    facts: JobFacts
    last: datetime
    done: Assessment | None
    rest: RestOfJob | None
    model: AdviceModel | None


class Outlooks:
    """Off the window's thread: a job takes a tenth of a second. Safe to ask from several."""

    def __init__(self, store: JobStore, library: PackLibrary, meter: Callable[[], str]) -> None:
        self._store, self._library, self._meter = store, library, meter
        self._kept: dict[str, tuple[tuple[object, ...], JobOutlook]] = {}
        self._lock = threading.Lock()

    def of_job(self, row: JobRow, now: datetime, last_position: int = -1) -> JobOutlook:
        """last_position: of the job's entries, where the caller knows it. Raises StoreError."""
        if last_position < 0:
            last_position = self._store.last_positions([row.id]).get(row.id, -1)
        with self._lock:
            known = self._kept.get(row.id)
        model = self._model_of(row.pack_id)
        until = local_time(row.waits_until)
        over = until is not None and until <= now.astimezone().replace(tzinfo=None)
        # The model is part of the key: rates, prices and what was learned make a new one.
        mark = (last_position, over, row.due, id(model))
        if known is not None and known[0] == mark:
            return known[1]
        found = self._made(row, self._store.trail(row.id), now, model)
        with self._lock:
            self._kept.pop(row.id, None)
            self._kept[row.id] = mark, found
            while len(self._kept) > MOST_KEPT:
                del self._kept[next(iter(self._kept))]
        return found

    def _model_of(self, pack_id: str) -> AdviceModel | None:
        try:
            return self._library.advice_model(pack_id, self._meter())
        except DextrumError:
            return None

    def _made(self, row: JobRow, trail: tuple[Entry, ...], now: datetime, model: AdviceModel | None) -> JobOutlook:
        facts = with_time(job_facts(trail), now)
        last = max((entry.at for entry in trail), default=now)
        if model is None:
            return JobOutlook(row, facts, last, None, None, None)
        try:
            done, rest = outlook_of_trail(model, trail, now, PLAYS_EACH)
        except (ValueError, KeyError, ArithmeticError, np.linalg.LinAlgError):
            # A trail of another revision's pack: what can't be weighed can still be planned by hand.
            return JobOutlook(row, facts, last, None, None, None)
        return JobOutlook(row, done.facts, last, done, rest, model)

