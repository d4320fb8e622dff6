"""What is done with a board, as its pack says: repairs, checks of the proof and of rails under power, cautions."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board.bounds import STRICT, require
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.tongue import tr


@dataclass(frozen=True)
class RepairRule:
    """How a fault of one kind of part is mended: action, minutes once the access is there, access level."""

    __pydantic_config__ = STRICT
    kind: ComponentKind
    action: str
    mends: tuple[FaultKind, ...]
    minutes: float
    access: str
    risk: float = 0.0

    def __post_init__(self) -> None:
        require(self.minutes, 0.0, 600.0, "minutes")
        require(self.risk, 0.0, 1.0, "risk")


@dataclass(frozen=True)
class ProofCheck:
    """One thing to tick before hand-over. minutes: with setting it up. orientation: the way up in which it reads the
    power meter, a or b. powered: whether the unit runs or charges for it; counting screws needs neither. set_up: what
    must stand for it."""

    __pydantic_config__ = STRICT
    id: str
    words: str
    minutes: float
    functions: tuple[str, ...] = ()
    orientation: str = ""
    powered: bool = True
    set_up: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        require(self.minutes, 0.0, 600.0, "minutes")
        if self.orientation not in ("", "a", "b"):
            raise ValueError(tr("orientation is {orientation!r}; expected a, b or nothing",
                                orientation=self.orientation))


@dataclass(frozen=True)
class RailCheck:
    """Volts that a rail shows with power at the port when its functions work: the reversible test of a quiet chip.

    point: where it is measured. '{o}' in functions stands for the orientation, a or b. least_volts: from here on the
    rail is up.
    """

    __pydantic_config__ = STRICT
    id: str
    point: str
    words: str
    functions: tuple[str, ...]
    least_volts: float
    access: str
    minutes: float = 1.0

    @property
    def by_side(self) -> bool:
        """Whether it makes a difference which side of the plug is up: a socket may take it one way alone."""
        return any("{o}" in name for name in self.functions)

    def __post_init__(self) -> None:
        require(self.least_volts, 0.1, 60.0, "least_volts")
        require(self.minutes, 0.0, 600.0, "minutes")


@dataclass(frozen=True)
class KitReading:
    """One thing read of a kit by itself. between: what the probes touch, in words. ohms: between them, or volts: with
    the kit on a supply; none of both where it must read OL. within: share of it. off: what it means where it is not so.
    """

    __pydantic_config__ = STRICT
    between: str
    ohms: float | None = None
    volts: float | None = None
    within: float = 0.1
    off: str = ""

    def __post_init__(self) -> None:
        if not self.between.strip():
            raise ValueError(tr("nothing is named; expected what the probes touch"))
        if self.ohms is not None and self.volts is not None:
            raise ValueError(tr("both ohms and volts; expected one of them"))
        require(self.ohms if self.ohms is not None else 0.0, 0.0, 1e7, "ohms")
        require(self.volts if self.volts is not None else 0.0, 0.0, 60.0, "volts")
        require(self.within, 0.001, 1.0, "within")


@dataclass(frozen=True)
class Kit:
    """A small board that takes the place of a part, such as a worn socket of its own kind. part: whose place it takes;
    readings: what is read of it by itself, before it goes on."""

    __pydantic_config__ = STRICT
    id: str
    words: str
    part: str
    readings: tuple[KitReading, ...]


@dataclass(frozen=True)
class Caution:
    """A warning and the views in which it is shown."""

    __pydantic_config__ = STRICT
    id: str
    words: str
    views: tuple[str, ...]
