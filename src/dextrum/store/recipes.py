"""Recipes as files: TOML, checked strictly; what is wrong is told with its line and what was expected."""

from __future__ import annotations

import re
import tomllib
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from dextrum.core.rework.recipe import Recipe
from dextrum.errors import DextrumError
from dextrum.store.files import read_bounded

FORMAT, SCHEMA = "dextrum-recipe", 1
MOST_BYTES = 256_000


class RecipeError(DextrumError):
    """A recipe can't be used. line: where, 0 where it is about the whole file."""

    def __init__(self, file: str, line: int, wrong: str) -> None:
        self.line = line
        place = f"{file}, line {line}" if line else file
        super().__init__(f"{place}: {wrong}.", "The recipe that came with the program stands in, where there is one.",
                         "Fix the line; the file is read again at the next start.")


@cache
def _adapter() -> TypeAdapter[Recipe]:
    return TypeAdapter(Recipe)


def load_recipe(path: Path) -> Recipe:
    """Raises RecipeError, and ImportRefusedError for what is no readable file."""
    try:
        text = read_bounded(path, MOST_BYTES).decode("utf-8")
    except UnicodeDecodeError:
        raise RecipeError(path.name, 0, "is not UTF-8 text; expected UTF-8") from None
    try:
        data = tomllib.loads(text)
    except (ValueError, RecursionError) as bad:  # also of numbers with thousands of digits
        at = re.search(r"at line (\d+)", str(bad))
        raise RecipeError(path.name, int(at[1]) if at else 0, f"is not TOML ({bad})") from None
    head = {key: data.pop(key, None) for key in ("format", "schema")}
    if head["format"] != FORMAT or head["schema"] != SCHEMA:
        raise RecipeError(path.name, _line(text, ("format",)), f"format {head['format']!r}, schema {head['schema']!r}; "
                          f"expected {FORMAT!r}, {SCHEMA}")
    try:
        return _adapter().validate_python(_with_tuples(data))
    except ValidationError as bad:
        error = bad.errors(include_url=False)[0]
        wrong = str(error["ctx"]["error"]) if error["type"] == "value_error" else (
            f"{'.'.join(str(step) for step in error['loc'])}: {error['msg'][:1].lower()}{error['msg'][1:]}")
        raise RecipeError(path.name, _line(text, error["loc"], wrong), wrong) from None


def _with_tuples(value: Any) -> Any:
    """Lists of a file as the tuples that a recipe holds."""
    if isinstance(value, dict):
        return {key: _with_tuples(inner) for key, inner in value.items()}
    return tuple(_with_tuples(inner) for inner in value) if isinstance(value, list) else value


def _line(text: str, place: tuple[Any, ...], wrong: str = "") -> int:
    """Line of a value by its place in the data: the key itself, or the first that the words name, else the head of its
    step."""
    lines = text.splitlines()
    begin, end = 0, len(lines)
    if len(place) > 1 and place[0] == "step" and isinstance(place[1], int):
        heads = [number for number, line in enumerate(lines) if line.strip() == "[[step]]"]
        if place[1] < len(heads):
            begin = heads[place[1]]
            end = heads[place[1] + 1] if place[1] + 1 < len(heads) else len(lines)
        place = place[2:]
    key = next((str(step) for step in place if isinstance(step, str)), "")
    for number in range(begin, end):
        here = re.match(r"\s*([a-z_]+)\s*=", lines[number])
        if here is not None and (here[1] == key if key else here[1] in wrong.split()):
            return number + 1
    return begin + 1
