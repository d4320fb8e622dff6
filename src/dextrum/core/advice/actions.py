"""Actions a technician can take next, and what each would mean."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.circuit.injecting import InjectionLimits


@dataclass(frozen=True)
class OutcomeMeaning:
    """One outcome of an action: its words, its chance, and what it would point at."""

    outcome: str
    chance: float
    meaning: str


@dataclass(frozen=True)
class Action:
    """kind: look, supply, scan, measure, recheck, isolate, put_back, inject, rail, repair, cause, wait, wait_draw,
    wait_charge, swap_cell, try, prove, hand_over, give_up, done.

    target: a point, part, net or orientation. detail: of a repair what is done, of a rail the orientation. minutes with
    access; cost and expected in the shop's currency: expected is the whole job's expected cost from here when this is
    done first. limits: what to set for an injection.
    """

    kind: str
    target: str
    title: str
    where: str
    why: str
    minutes: float
    cost: float
    expected: float
    points: tuple[str, ...] = ()
    outcomes: tuple[OutcomeMeaning, ...] = ()
    detail: str = ""
    limits: InjectionLimits | None = None
