"""On which state of its pack a job stays, once another job has changed it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

_VERSION = re.compile(r"[0-9a-f]{8,64}")


@dataclass(frozen=True)
class PackVersion(EntryKind):
    """state: the version of the pack's files, by their content; empty: the pack as it is now, whatever it grows to."""

    state: str = ""
    kind: Literal["pack_version"] = "pack_version"

    def __post_init__(self) -> None:
        if self.state and not _VERSION.fullmatch(self.state):
            raise ValueError(tr("pack version {state!r}; expected 8 to 64 hexadecimal digits", state=self.state[:20]))

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.pack_version = self.state
