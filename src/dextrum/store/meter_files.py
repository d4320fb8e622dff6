"""Descriptions of instruments as TOML files: those that ship with the program, and a shop's own beside its data."""

from __future__ import annotations

import json
import tomllib
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from dextrum.errors import ImportRefusedError
from dextrum.instruments.described.kinds import AnyDescription, Description
from dextrum.instruments.protocols import MULTIMETER
from dextrum.store.files import read_bounded
from dextrum.store.strict_words import wrong_words
from dextrum.tongue import tr

FOLDER = "meters"
MOST_BYTES = 100_000
MOST_FILES = 500


@cache
def _adapter() -> TypeAdapter[Description]:
    return TypeAdapter(AnyDescription)


def meter_schema() -> dict[str, Any]:
    """JSON Schema of a description, which TOML carries as well."""
    return _adapter().json_schema()


def read_meter(path: Path) -> Description:
    """Raises ImportRefusedError with the place, what is wrong and what was expected."""
    try:
        told = tomllib.loads(read_bounded(path, MOST_BYTES).decode("utf-8"))
    except (ValueError, RecursionError) as wrong:  # also of numbers with thousands of digits
        raise ImportRefusedError(tr("{path} is no TOML file ({wrong}).", path=path.name[:60],
                                    wrong=wrong), tr("Nothing was taken in."),
                                 tr("Save it as TOML, in UTF-8.")) from None
    return meter_from(told, path.name)


def meter_from(told: dict[str, Any], name: str) -> Description:
    """A file that says no kind is of a multimeter. Raises ImportRefusedError."""
    try:
        # By way of JSON, since lists of a TOML file are tuples here.
        return _adapter().validate_json(json.dumps({"kind": MULTIMETER, **told}, default=str), strict=True)
    except (ValidationError, RecursionError) as wrong:
        if isinstance(wrong, RecursionError):
            raise ImportRefusedError(tr("{name} is nested too deep.",
                                        name=name[:60]), tr("Nothing was taken in."), "") from None
        first = wrong.errors(include_url=False)[0]
        place = " \u00b7 ".join(str(step) for step in first["loc"]) or "kind"
        raise ImportRefusedError(f"{name[:60]}: {wrong_words(first, place)}.", tr("Nothing was taken in."),
                                 tr("See the guide on meters.")) from None


def meters_in(folder: Path) -> tuple[tuple[Description, ...], tuple[str, ...]]:
    """All descriptions of a folder by name of their files, and what is wrong with those that can't be read. A folder
    that isn't there has none."""
    found, wrong = [], []
    for path in sorted(folder.glob("*.toml"))[:MOST_FILES] if folder.is_dir() else ():
        try:
            found.append(read_meter(path))
        except ImportRefusedError as problem:
            wrong.append(problem.happened)
    return tuple(found), tuple(wrong)


def toml_of(description: Description) -> str:
    """A description as a file; what is as usual is left out."""
    told = _adapter().dump_python(description, mode="json", exclude_defaults=True)
    told = {"format": description.format, "schema": description.schema, "kind": description.kind, **told}
    lines = [f"{key} = {_toml(value)}" for key, value in told.items() if not _is_table(value)]
    for key, value in told.items():
        if isinstance(value, dict) and value:
            lines += ["", f"[{key}]", *(f"{name} = {_toml(one)}" for name, one in value.items())]
        elif _is_table(value):
            for one in value:
                lines += ["", f"[[{key}]]", *(f"{name} = {_toml(part)}" for name, part in one.items())]
    return "\n".join(lines) + "\n"


def _is_table(value: object) -> bool:
    return isinstance(value, dict) or (isinstance(value, list) and bool(value) and isinstance(value[0], dict))


def _toml(value: object) -> str:
    """A plain value; text as a basic string, whose escapes JSON shares."""
    if isinstance(value, list):
        return "[" + ", ".join(_toml(one) for one in value) + "]"
    return json.dumps(value, ensure_ascii=True)
