"""The rest of one job, from its trail: weighed, and played by the quick policy or by the whole advice."""

from __future__ import annotations

import zlib
from datetime import datetime

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.weighing import Weighing
from dextrum.core.diagnosis.as_usual import standardised
from dextrum.core.outlook.rest_of_job import PLAYS, RestOfJob, play_rest
from dextrum.core.trail import Entry


def outlook_of(model: AdviceModel, done: Assessment, plays: int = PLAYS, seed: int = 0) -> RestOfJob:
    """The rest of a weighed job by the quick policy. The same job and seed give the same plays."""
    facts = standardised(model.model, done.facts, done.posterior.evidence.apart)
    weighing = Weighing(model, done.posterior, facts)
    return play_rest(weighing, done.advice, np.random.default_rng((seed, zlib.crc32(done.facts.serial.encode()))),
                     plays)


def outlook_of_trail(model: AdviceModel, trail: tuple[Entry, ...], now: datetime | None = None,
                     plays: int = PLAYS) -> tuple[Assessment, RestOfJob]:
    """A job weighed and played. Takes a tenth of a second; call it off the window's thread."""
    done = assess(model, trail, explain=False, now=now)
    return done, outlook_of(model, done, plays)
