"""How far a piece of work is, and whether to go on."""

from __future__ import annotations

from collections.abc import Callable

from dextrum.errors import StoppedError
from dextrum.tongue import tr

Told = Callable[[float], bool]
"""Is given the share done, 0 to 1; answers whether to go on."""


def unheard(_share: float) -> bool:
    """For work that nobody watches."""
    return True


def part_of(told: Told, begins: float, ends: float) -> Told:
    """Told of a step of the work, from one share of the whole to another."""
    return lambda share: told(begins + share * (ends - begins))


def go_on(told: Told, share: float, kept: str = tr("Nothing was taken in.")) -> None:
    """Tell, and raise StoppedError where it is to end here. kept: what stays all the same."""
    if not told(share):
        raise StoppedError(tr("Stopped."), kept, "")
