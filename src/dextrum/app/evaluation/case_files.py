"""Files of cases and of worlds, read strictly: what is wrong is named with its place."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from dextrum.app.evaluation.cases import ListedCase
from dextrum.core.board import Board
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.trail import Look
from dextrum.errors import ImportRefusedError
from dextrum.store.files import read_bounded
from dextrum.store.strict_words import wrong_words
from dextrum.tongue import capital
from dextrum.world.numbers import DEFAULT, World, rough_world, world_of_json

MOST_BYTES = 20_000_000
CELLS = ("", "deeply_flat", "flat", "part_charged", "charged", "near_full", "full")
MEANT = {"charged": "part_charged", "full": "near_full"}
NAMED = {"default": DEFAULT, "rough": rough_world()}


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)


class _Fault(_Strict):
    id: str
    ohms: float | None = None


class _Look(_Strict):
    findings: list[str]
    contacts: list[str] = []


class _Case(_Strict):
    name: str
    faults: list[_Fault] = []
    present: list[str] = []
    look: _Look | None = None
    cell: str = ""
    bad_gear: list[str] = []


class _File(_Strict):
    format: str
    schema_: int = Field(alias="schema")
    pack: str
    cases: list[_Case]


def _text(path: Path) -> str:
    return read_bounded(path, MOST_BYTES).decode("utf-8", errors="replace")


def world_named(name: str) -> World:
    """'default', 'rough', or a file. Raises ImportRefusedError."""
    if name in NAMED:
        return NAMED[name]
    return world_of_json(_text(Path(name)))


def read_cases(path: Path) -> tuple[str, tuple[ListedCase, ...]]:
    """The pack's name and the cases of a file. Raises ImportRefusedError with the place of what is wrong."""
    try:
        data = json.loads(_text(path))
        file = _File.model_validate(data)
    except ValidationError as problem:
        first = problem.errors(include_url=False)[0]
        wrong = wrong_words(first, ".".join(str(part) for part in first["loc"]))
        raise ImportRefusedError(f"{path.name}: {wrong}.", "Nothing was played.") from None
    except (ValueError, RecursionError) as problem:
        raise ImportRefusedError(f"{path.name} is not JSON: {problem}.", "Nothing was played.") from None
    if file.format != "dextrum-cases" or file.schema_ != 1:
        raise ImportRefusedError(f'{path.name} holds no cases: expected "format": "dextrum-cases" and "schema": 1.',
                                 "Nothing was played.")
    if not file.cases:
        raise ImportRefusedError(f"{path.name} has no cases; expected at least one.", "Nothing was played.")
    found = []
    for number, case in enumerate(file.cases):
        try:
            found.append(_listed(case))
        except ValueError as problem:
            raise ImportRefusedError(f"{path.name}, cases.{number}: {problem}.", "Nothing was played.") from None
    return file.pack, tuple(found)


def _listed(case: _Case) -> ListedCase:
    if case.cell not in CELLS:
        raise ValueError(f"cell is {case.cell!r}; expected one of {', '.join(repr(c) for c in CELLS)}")
    for fault in case.faults:
        if fault.ohms is not None and not (math.isfinite(fault.ohms) and fault.ohms >= 0):
            raise ValueError(f"ohms of {fault.id} are {fault.ohms}; expected a number from 0 on, or null")
    if len({fault.id for fault in case.faults}) < len(case.faults):
        raise ValueError("one fault is listed twice")
    look = Look(tuple(case.look.findings), tuple(case.look.contacts)) if case.look is not None else None
    return ListedCase(case.name, tuple((f.id, f.ohms) for f in case.faults), tuple(case.present), look,
                      MEANT.get(case.cell, case.cell), tuple(case.bad_gear))


def check_cases(board: Board, cases: tuple[ListedCase, ...]) -> None:
    """Raises ImportRefusedError for a fault or a symptom that the pack doesn't know."""
    known = {fault.id for fault in enumerate_faults(board)}
    for case in cases:
        for name, _ in case.faults:
            if name not in known:
                near = [one for one in sorted(known) if one.startswith(name.partition(":")[0] + ":")][:4]
                raise ImportRefusedError(f"Case {case.name}: the pack knows no fault '{name}'.", "Nothing was played.",
                                         f"It knows {', '.join(near)}." if near else "")
        for symptom in case.present:
            if symptom not in board.symptom_by_id:
                raise ImportRefusedError(f"Case {case.name}: the pack knows no symptom '{symptom}'.",
                                         "Nothing was played.", f"It knows {', '.join(board.symptom_by_id)}.")


def assumed_as_typed(typed: Sequence[str]) -> tuple[tuple[str, float], ...]:
    """Numbers to judge by, each as 'name=number'. Raises ImportRefusedError for what is no such number."""
    from dextrum.core.assumptions.stated import OF_THE_BOARD, OF_THE_SHOP, trouble_with

    found: dict[str, float] = {}
    may = tuple(dict.fromkeys((*OF_THE_BOARD, *OF_THE_SHOP)))
    for one in typed:
        name, _, number = one.partition("=")
        try:
            value = float(number)
        except ValueError:
            raise ImportRefusedError(f"'{one}' is no name and number.", "Nothing was played.",
                                     "Say it like repair_fails=0.08.") from None
        wrong = trouble_with(name.strip(), value, may)
        if wrong:
            raise ImportRefusedError(f"{capital(wrong)}.", "Nothing was played.", "")
        found[name.strip()] = value
    return tuple(found.items())
