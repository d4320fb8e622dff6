"""Recipes as files: TOML, checked strictly; what is wrong is told with its line and what was expected."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from pydantic import TypeAdapter

from dextrum.core.rework.recipe import Recipe
from dextrum.store.toml_file import read_toml

FORMAT, SCHEMA = "dextrum-recipe", 1


@cache
def _adapter() -> TypeAdapter[Recipe]:
    return TypeAdapter(Recipe)


def load_recipe(path: Path) -> Recipe:
    """Raises TomlFileError, and ImportRefusedError for what is no readable file."""
    return read_toml(path, _adapter(), FORMAT, SCHEMA)
