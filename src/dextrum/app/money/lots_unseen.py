"""What to pay for a lot of units bought unseen: each complaint weighed as at intake, the shop's own record beside
it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

import numpy as np

from dextrum.app.handover.work_minutes import minutes_of_work
from dextrum.app.library.library import PackLibrary
from dextrum.app.money.spent import terms_of
from dextrum.app.outlook.outlook import outlook_of_trail
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.money.amounts import NOTHING
from dextrum.core.money.worth import LotWorth, UnseenUnit, shop_factor, worth_of_lot
from dextrum.core.outlook.rest_of_job import RestOfJob, span
from dextrum.core.trail import Entry, Intake, JobOpened, Payload
from dextrum.progress import Told, go_on, unheard
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.shop_settings import charges
from dextrum.tongue import tr

LEARNED_FROM = 40
"""Closed jobs of a pack, newest first, that say how long this shop takes."""
PLAYS = 2_000


@dataclass(frozen=True)
class Wanted:
    """So many units of a model with one complaint: an id of the pack's symptoms, or empty for none said."""

    count: int
    pack_id: str
    symptom: str
    repaired: Decimal
    as_donor: Decimal


def at_intake(model: AdviceModel, symptom: str, now: datetime) -> RestOfJob:
    """The whole job of a unit of which only the complaint is known."""
    board = model.model.board
    payloads: tuple[Payload, ...] = (JobOpened("UNSEEN", board.model, board.pack_id),
                                     Intake("", (symptom,) if symptom else ()))
    trail = tuple(new_entry(payload, "forecast", now) for payload in payloads)
    return outlook_of_trail(model, trail, plays=PLAYS)[1]


def own_factor(store: JobStore, library: PackLibrary, pack_id: str, meter: str, now: datetime,
               told: Told = unheard) -> tuple[float, int]:
    """What jobs take in this shop beside their forecast at intake, and how many closed jobs say so."""
    model = library.advice_model(pack_id, meter)
    forecast, spent = [], []
    closed = store.closed_of_pack(pack_id, LEARNED_FROM)
    known: dict[tuple[str, ...], float] = {}
    for place, job in enumerate(closed):
        go_on(told, place / max(len(closed), 1), tr("Nothing was changed."))
        trail = store.trail(job)
        present = next((e.payload.present for e in trail if isinstance(e.payload, Intake)), ())
        if present not in known:
            known[present] = span(at_intake(model, present[0] if present else "", now).hands)[1]
        forecast.append(known[present])
        spent.append(minutes_of_work(_before_outcome(trail)))
    return shop_factor(forecast, spent), len(spent)


def _before_outcome(trail: Sequence[Entry]) -> tuple[Entry, ...]:
    return tuple(entry for entry in trail if entry.payload.kind != "outcome")


def worth_unseen(store: JobStore, library: PackLibrary, meter: str, wanted: Sequence[Wanted], freight: Decimal,
                 now: datetime, told: Told = unheard) -> tuple[LotWorth, float, int]:
    """What the lot is worth, the shop's factor and from how many jobs it was learned. May take some seconds. Raises
    ValueError for a lot of nothing, StoreError, StoppedError."""
    units, factors = [], []
    for place, one in enumerate(wanted):
        go_on(told, place / max(len(wanted), 1), tr("Nothing was changed."))
        model = library.advice_model(one.pack_id, meter)
        units.append(UnseenUnit(one.count, at_intake(model, one.symptom, now), one.repaired, one.as_donor))
    for pack_id in dict.fromkeys(one.pack_id for one in wanted):
        factors.append(own_factor(store, library, pack_id, meter, now))
    factor = float(np.mean([f for f, _ in factors])) if factors else 1.0
    found = worth_of_lot(units, terms_of(store).labour_per_hour, charges(store).lot_risk, np.random.default_rng(1),
                         freight or NOTHING, factor)
    return found, factor, sum(count for _, count in factors)
