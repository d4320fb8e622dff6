"""Which instruments were in use, kept between two runs: by name, by the adapter they hang on, and by who they are."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass

from pydantic import TypeAdapter, ValidationError

from dextrum.core.board.bounds import STRICT
from dextrum.instruments.protocols import KIND_WORDS
from dextrum.store.jobs import JobStore

USED = "instrument."
"""Setting: what is remembered of a kind, by the kind."""


@dataclass(frozen=True)
class Remembered:
    """resource: its name, with its description. adapter: number of the serial adapter it hung on. identity: name and
    serial number that it said of itself; empty where it never answered."""

    __pydantic_config__ = STRICT
    resource: str
    adapter: str = ""
    identity: str = ""


def remembered(store: JobStore) -> dict[str, Remembered]:
    """By kind; what earlier versions kept is the name alone. Raises StoreError."""
    found = {}
    for kind in KIND_WORDS:
        text = store.setting(USED + kind)
        if text.startswith("{"):
            try:
                found[kind] = TypeAdapter(Remembered).validate_json(text)
            except ValidationError:
                continue  # damaged: it is looked for again
        elif text:
            found[kind] = Remembered(text)
    return found


def remember(store: JobStore, used: Mapping[str, Remembered]) -> None:
    """Keep what is in use. Raises StoreError."""
    for kind, one in used.items():
        store.set_setting(USED + kind, json.dumps(asdict(one)))


def forget(store: JobStore, kind: str) -> None:
    """Raises StoreError."""
    store.set_setting(USED + kind, "")
