"""One object a file, as TOML, checked strictly against its dataclass: what is wrong is told with its line and what was
expected. Recipes and circuit templates are such files."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from dextrum.errors import DextrumError
from dextrum.store.files import read_bounded
from dextrum.store.strict_words import wrong_words
from dextrum.tongue import in_words_of_here, tr

MOST_BYTES = 256_000
T = TypeVar("T")


class TomlFileError(DextrumError):
    """A file can't be used. line: where, 0 where it is about the whole file."""

    def __init__(self, file: str, line: int, wrong: str) -> None:
        self.line = line
        place = tr("{file}, line {line}", file=file, line=line) if line else file
        super().__init__(f"{place}: {wrong}.", tr("What came with the program stands in, where there is something."),
                         tr("Fix the line; the file is read again at the next start."))


def read_toml(path: Path, adapter: TypeAdapter[T], file_format: str, schema: int) -> T:
    """Raises TomlFileError, and ImportRefusedError for what is no readable file."""
    try:
        text = read_bounded(path, MOST_BYTES).decode("utf-8")
    except UnicodeDecodeError:
        raise TomlFileError(path.name, 0, tr("is not UTF-8 text; expected UTF-8")) from None
    try:
        data = tomllib.loads(text)
    except (ValueError, RecursionError) as bad:  # also of numbers with thousands of digits
        at = re.search(r"at line (\d+)", str(bad))
        raise TomlFileError(path.name, int(at[1]) if at else 0, tr("is not TOML ({bad})", bad=bad)) from None
    head = {key: data.pop(key, None) for key in ("format", "schema")}
    if head["format"] != file_format or head["schema"] != schema:
        raise TomlFileError(path.name, _line(text, ("format",)), tr("format {head!r}, schema {head2!r}; expected "
                                                                    "{file_format!r}, {schema}", head=head["format"],
                                                                    head2=head["schema"], file_format=file_format,
                                                                    schema=schema))
    try:
        return adapter.validate_python(_with_tuples(in_words_of_here(data)))
    except ValidationError as bad:
        error = bad.errors(include_url=False)[0]
        # What the program itself says names the value, and the line is told anyhow.
        wrong = wrong_words(error, "" if error["type"] == "value_error" else ".".join(map(str, error["loc"])))
        raise TomlFileError(path.name, _line(text, error["loc"], wrong), wrong) from None


def _with_tuples(value: Any) -> Any:
    """Lists of a file as the tuples that a dataclass holds."""
    if isinstance(value, dict):
        return {key: _with_tuples(inner) for key, inner in value.items()}
    return tuple(_with_tuples(inner) for inner in value) if isinstance(value, list) else value


def _line(text: str, place: tuple[Any, ...], wrong: str = "") -> int:
    """Line of a value by its place in the data: the key itself, or the first that the words name, else the head of its
    item."""
    lines = text.splitlines()
    begin, end = 0, len(lines)
    if len(place) > 1 and isinstance(place[1], int):
        heads = [number for number, line in enumerate(lines) if line.strip() == f"[[{place[0]}]]"]
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
