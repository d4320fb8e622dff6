"""Circuit templates as files: those that came with the program, and a shop's own, which stand in their place by id."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from pathlib import Path

from pydantic import TypeAdapter

from dextrum.core.packmaking.circuit_template import CircuitTemplate
from dextrum.errors import DextrumError
from dextrum.store.toml_file import read_toml

FORMAT, SCHEMA = "dextrum-circuit", 1


@cache
def _adapter() -> TypeAdapter[CircuitTemplate]:
    return TypeAdapter(CircuitTemplate)


def load_circuit(path: Path) -> CircuitTemplate:
    """Raises TomlFileError, and ImportRefusedError for what is no readable file."""
    return read_toml(path, _adapter(), FORMAT, SCHEMA)


def circuits_in(folders: Iterable[Path]) -> tuple[dict[str, CircuitTemplate], tuple[str, ...]]:
    """Templates by id, those of later folders in the place of earlier ones; and what is wrong with files that can't be
    used."""
    found: dict[str, CircuitTemplate] = {}
    troubles = []
    for folder in folders:
        for place in sorted(folder.glob("*.toml")) if folder.is_dir() else ():
            try:
                template = load_circuit(place)
            except DextrumError as problem:
                troubles.append(str(problem))
            else:
                found[template.id] = template
    return found, tuple(troubles)
