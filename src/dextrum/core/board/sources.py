"""Where the facts of a pack come from, and how sure that makes them.

A pack made at the bench grows fact by fact. What a probe has told is surer than what a template proposes, and a
diagnosis must not convict a chip by a net that somebody guessed.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from dextrum.core.assumptions.packs import SURE_OF_SOURCE
from dextrum.core.board.bounds import STRICT, require
from dextrum.tongue import tr


class SourceKind(StrEnum):
    """How somebody came to know a fact."""

    PROBED = "probed"
    TYPED = "typed"
    FILE = "file"
    MEASURED = "measured"
    LEARNED = "learned"
    TEMPLATE = "template"
    GUESSED = "guessed"
    DEFAULT = "default"


SOURCE_WORDS = {
    SourceKind.PROBED: "probed", SourceKind.TYPED: "typed", SourceKind.FILE: tr("from a file"),
    SourceKind.MEASURED: "measured", SourceKind.LEARNED: "learned", SourceKind.TEMPLATE: tr("from a template"),
    SourceKind.GUESSED: tr("guessed by place"), SourceKind.DEFAULT: tr("usual for such parts")}


@dataclass(frozen=True)
class FactSource:
    """of: what it is about: 'net U1.5' of one end, 'functions', 'failure_rates ic'. times: how often it was seen so.
    sure: chance that it is so where somebody has said how sure he is; None: as sure as its source usually is."""

    __pydantic_config__ = STRICT
    of: str
    source: SourceKind
    times: int = 1
    sure: float | None = None

    def __post_init__(self) -> None:
        if not self.of.strip():
            raise ValueError(tr("a source is of nothing; expected a fact such as 'net U1.5'"))
        require(self.times, 1, 1_000_000, "times")
        if self.sure is not None:
            require(self.sure, 0.0, 1.0, "sure")

    @property
    def sureness(self) -> float:
        """Chance that the fact is so."""
        return SURE_OF_SOURCE[self.source.value] if self.sure is None else self.sure

    @property
    def end(self) -> str:
        """The part's end whose net it tells; empty where it tells of something else."""
        what, _, address = self.of.partition(" ")
        return address if what == "net" else ""


def net_of_end(address: str, source: SourceKind, times: int = 1) -> FactSource:
    """That somebody knows on which net an end lies."""
    return FactSource(f"net {address}", source, times)


USUAL = (FactSource("failure_rates", SourceKind.DEFAULT), FactSource("repair_rules", SourceKind.DEFAULT))
"""Of a pack whose rates and repairs are those that are usual for its kinds of part."""


def with_sources(before: Iterable[FactSource], new: Iterable[FactSource]) -> tuple[FactSource, ...]:
    """The sources, the new ones in the place of older ones of the same fact."""
    found = {one.of: one for one in before}
    for one in new:
        found[one.of] = one
    return tuple(found.values())


def without_part(before: Iterable[FactSource], designator: str) -> tuple[FactSource, ...]:
    """The sources without those of a part that is gone."""
    return tuple(one for one in before if one.end.partition(".")[0] != designator)
