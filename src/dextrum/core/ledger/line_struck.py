"""A line of the ledger that no longer counts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dextrum.core.ledger.kind import LedgerKind
from dextrum.core.ledger.names import plain_name
from dextrum.tongue import tr


@dataclass(frozen=True)
class LineStruck(LedgerKind):
    """A line no longer counts. line: its id."""

    line: str
    kind: Literal["line_struck"] = "line_struck"

    def __post_init__(self) -> None:
        plain_name(self.line, tr("the line"), 64)

    def words(self) -> str:
        return tr("a line struck out")
