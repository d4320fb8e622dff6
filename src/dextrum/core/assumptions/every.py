"""All assumptions together: those that stand with each other here, and those that stand with their kind of fault."""

from __future__ import annotations

from dextrum.core.assumptions import (
    auditing,
    breaking,
    looks,
    outlook,
    packs,
    planning,
    readings,
    repairs,
    reworked,
    shop,
    trials,
)
from dextrum.core.assumptions.assumption import ASSUMPTIONS, Assumption
from dextrum.core.assumptions.looks import CLEAN_PORT
from dextrum.core.board.kinds import ComponentKind
from dextrum.core.faults.kind import Sizes
from dextrum.core.faults.registry import KINDS


def every_assumption() -> tuple[Assumption, ...]:
    """In the order in which docs/assumptions.md has them."""
    modules = breaking, readings, looks, trials, repairs, reworked, auditing, planning, outlook, packs, shop
    together = [ASSUMPTIONS[name.lower()] for module in modules for name in vars(module)
                if name.lower() in ASSUMPTIONS]
    return (*together, *_of_fault_kinds())


def _of_fault_kinds() -> list[Assumption]:
    found: list[Assumption] = []
    for word, kind in KINDS.items():
        for of in (None, ComponentKind.ESD_ARRAY):
            sizes = kind.sizes(of)
            if any(ohms for ohms, _ in sizes) and (of is None or sizes != kind.sizes(None)):
                name = f"{word.value}_sizes" + (f"_of_{of.value}" if of is not None else "")
                found += _sizes(name, sizes)
        if kind.shown[0]:
            found.append(Assumption(f"{word.value}_shows", kind.shown[1], "chance", 0.01, 0.98,
                                    f"Its part looks {kind.shown[0]} when its side is looked over.",
                                    "Estimate; nobody has counted it here."))
        if kind.clean_port != CLEAN_PORT:
            found.append(Assumption(f"{word.value}_in_a_clean_port", kind.clean_port, "chance", 0.05, 0.97,
                                    "The port looks clean although it is there.",
                                    "What is bent shows more than a joint."))
    return found


def _sizes(name: str, sizes: Sizes) -> list[Assumption]:
    return [Assumption(name, tuple(ohms for ohms, _ in sizes), "ohm", 0.02, 50_000.0, "Sizes that are weighed.",
                       "Even steps of a factor of some four, as far as such faults reach."),
            Assumption(f"{name}_shares", tuple(share for _, share in sizes), "share", 0.0, 1.0,
                       "How often each is.", "Estimate.")]
