"""What is seen or tried without a meter: the port, the board, and known-good things in place of the owner's."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dextrum.core.board.bounds import STRICT, one_of, short_text
from dextrum.core.safety.signs import SIGNS

LOOKS = ("clean", "dirt", "bent", "crossed", "missing", "burnt", "loose", "anchors", "corroded")
BOARD_FINDINGS = ("missing", "burst", "askew", "corroded", "worked_on", "bridged")
BOARD_FINDING_WORDS = {"worked_on": "worked on before"}
MOST_SEEN = 200
LOOK_WORDS = {"dirt": "packed with dirt", "loose": "contacts loose", "anchors": "anchors loose"}
FORBIDS_PLUGGING = frozenset({"bent", "crossed", "missing", "burnt"})
WASHES_OFF = frozenset({"dirt", "corroded"})
"""What is cleaned out of a port before anything is plugged in."""
FORBIDS_POWER = frozenset({"burst", "bridged"})
"""What is seen of a part on the board, and holds power until it is put right."""


@dataclass(frozen=True)
class Look:
    """What was seen in the port, and at which contacts. signs: of danger, see `safety.signs`."""

    __pydantic_config__ = STRICT
    findings: tuple[str, ...]
    contacts: tuple[str, ...] = ()
    note: str = ""
    signs: tuple[str, ...] = ()
    kind: Literal["look"] = "look"

    def __post_init__(self) -> None:
        if not self.findings:
            raise ValueError("nothing is marked; expected at least one finding, or clean")
        for finding in self.findings:
            one_of(finding, LOOKS, "finding")
        if "clean" in self.findings and len(self.findings) > 1:
            raise ValueError("clean is marked beside other findings; expected clean alone")
        for sign in self.signs:
            one_of(sign, SIGNS, "sign")
        short_text(self.note)


@dataclass(frozen=True)
class Danger:
    """Signs of danger that were seen on the unit; or that were looked into with the unit isolated, opened and its cell
    out, and no longer stand in the way."""

    __pydantic_config__ = STRICT
    signs: tuple[str, ...]
    state: Literal["seen", "cleared"] = "seen"
    note: str = ""
    kind: Literal["danger"] = "danger"

    def __post_init__(self) -> None:
        if not self.signs:
            raise ValueError("no sign is named; expected one of " + ", ".join(SIGNS))
        for sign in self.signs:
            one_of(sign, SIGNS, "sign")
        short_text(self.note)


@dataclass(frozen=True)
class PartSeen:
    """What one part looks like. what: of BOARD_FINDINGS."""

    __pydantic_config__ = STRICT
    part: str
    what: str

    def __post_init__(self) -> None:
        if not self.part.strip():
            raise ValueError("no part is named; expected a designator")
        short_text(self.part)
        one_of(self.what, BOARD_FINDINGS, "finding")

    @property
    def words(self) -> str:
        """'C62 missing'."""
        return f"{self.part} {BOARD_FINDING_WORDS.get(self.what, self.what)}"


@dataclass(frozen=True)
class BoardLook:
    """One side of the board looked over under magnification. seen: parts that are not as they should be; empty when all
    are. The latest of a side counts."""

    __pydantic_config__ = STRICT
    side: Literal["top", "bottom"]
    seen: tuple[PartSeen, ...] = ()
    note: str = ""
    kind: Literal["board_look"] = "board_look"

    def __post_init__(self) -> None:
        if len(self.seen) > MOST_SEEN:
            raise ValueError(f"{len(self.seen)} parts; expected at most {MOST_SEEN}")
        short_text(self.note)

    @property
    def words(self) -> str:
        """'C62 missing, U3 burst', or 'nothing amiss'."""
        return ", ".join(part.words for part in self.seen) or "nothing amiss"


SWAPS = ("supply", "cable", "dock", "fan", "controllers")


@dataclass(frozen=True)
class Swap:
    """A known-good one put in the place of what came with the unit. gone: whether the symptom went with it. The cell
    has an entry of its own, since draws depend on it."""

    __pydantic_config__ = STRICT
    what: Literal["supply", "cable", "dock", "fan", "controllers"]
    symptom: str
    gone: bool
    note: str = ""
    kind: Literal["swap"] = "swap"

    def __post_init__(self) -> None:
        if not self.symptom:
            raise ValueError("no symptom is named; expected what went away or stayed")
        short_text(self.symptom, self.note)

    @property
    def thing(self) -> str:
        """'a known-good dock'."""
        return f"{'' if self.what == 'controllers' else 'a '}known-good {self.what}"
