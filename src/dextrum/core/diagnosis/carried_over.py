"""What copper is off by once parts are off the board that were on it when it was read, or the other way round.

Junctions on one piece of copper lie in parallel, and each carries I ~ e^(V / n·Vt) of the current that the meter
drives. What they carry adds up, so that copper that reads V1 with some parts and V2 with others has lost, with what
came off, e^(-V1 / n·Vt) - e^(-V2 / n·Vt) of it. If what it is off by lies in the parts that stay, those that came off
carried what they always do, and the next reading follows. (The law of a junction far above its saturation current:
W. Shockley, The theory of p-n junctions in semiconductors, Bell System Technical Journal 28(3), 1949.)
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from dextrum.core.assumptions.readings import LEAST_LEVEL_VOLTS, MODEL_SHARE, MODEL_VOLTS, UNCHANGED_VOLTS
from dextrum.core.circuit.junction import IDEALITY_TIMES_THERMAL_VOLTS
from dextrum.core.diagnosis.shared_deviation import CarriedOver, SharedDeviation

LEAST_LEFT = 0.1
"""Of the current, what the parts that stay must carry: with less, how far they are off showed in next to nothing."""


def volts_with_others_off(read: float, then: np.ndarray, now: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What copper will read, (N,) in volts, that has read `read` where `then` (N,) was predicted, and `now` (N,) is
    with what is off now; and what the parts that carried the current then carry of it now, (N,). NaN where that is too
    little to tell."""
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        left = 1.0 + np.exp((read - now) / IDEALITY_TIMES_THERMAL_VOLTS) - np.exp(
            (read - then) / IDEALITY_TIMES_THERMAL_VOLTS)
        reads = np.where(left >= LEAST_LEFT, read - IDEALITY_TIMES_THERMAL_VOLTS * np.log(left), np.nan)
    return reads, left


def carried_over(read: float, learned: np.ndarray, then: np.ndarray, now: np.ndarray, good: tuple[float, float],
                 gone: Callable[[], float]) -> SharedDeviation:
    """How far copper that read `read` volts is off with what is off now. learned: which rows, or sets of rows, that
    reading has told how far it was off then, (N,); then, now: what they predict there, in volts (N,), and what a good
    board reads, good. gone: says, where it matters, the chance that what it was off by lies in what is off now and was
    not, or the other way round. What the circuit may be wrong by about the change counts the more the less is left of
    it.

    Nothing is learned here by those that read the same both times, nor by those whose faults have part in it at one
    time only: with the part came off what was not known of their size.
    """
    with np.errstate(invalid="ignore"):
        moves = learned & (np.abs(now - then) >= UNCHANGED_VOLTS) & np.isfinite(now - then)
        moves &= (np.abs(then - good[0]) >= UNCHANGED_VOLTS) == (np.abs(now - good[1]) >= UNCHANGED_VOLTS)
    one, other = np.where(moves, then, 1.0), np.where(moves, now, 1.0)
    reads, left = volts_with_others_off(read, one, other)
    told = moves & np.isfinite(reads)
    total = np.where(told, (reads - other) / np.maximum(other, LEAST_LEVEL_VOLTS), 0.0)
    spread = MODEL_SHARE * np.abs(other - one) / np.where(told, np.minimum(left, 1.0), 1.0) + MODEL_VOLTS
    return SharedDeviation(total, told.astype(float), np.full(len(total), np.nan), CarriedOver(
        np.where(told, gone() if told.any() else 0.0, 0.0), np.where(told, spread, 0.0)))
