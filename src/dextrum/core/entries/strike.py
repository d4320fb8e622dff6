"""An earlier entry no longer counts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind


@dataclass(frozen=True)
class Strike(EntryKind):
    """An earlier entry no longer counts; striking a strike brings the entry back."""

    entry: str
    reason: str = ""
    kind: Literal["strike"] = "strike"

    def __post_init__(self) -> None:
        short_text(self.reason)
