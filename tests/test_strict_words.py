"""What is wrong in a file is said in plain words: of recipes, meters, packs, entries, cases, and in German."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import unittest
from dataclasses import dataclass
from datetime import date
from typing import Annotated, Literal

from pydantic import Field, TypeAdapter, ValidationError

from dextrum.core.board.bounds import STRICT, require
from dextrum.core.trail import Cell
from dextrum.errors import ImportRefusedError
from dextrum.store.entries import entry_from_json
from dextrum.store.strict_words import wrong_and_expected, wrong_words
from dextrum.tongue import words_of

LIBRARYS_OWN = re.compile(r"input should|tuple|dataclass|instance of|keyword argument|field required|parse", re.I)


@dataclass(frozen=True)
class Nozzle:
    __pydantic_config__ = STRICT
    mm: float
    kind: Literal["round", "flat"] = "round"
    parts: tuple[str, ...] = ()
    turns: Annotated[int, Field(ge=1, lt=9)] = 1
    made: date | None = None
    cold: bool = False
    limits: Annotated[tuple[float, ...], Field(max_length=2)] = ()

    def __post_init__(self) -> None:
        require(self.mm, 1.0, 30.0, "mm")


@dataclass(frozen=True)
class Iron:
    nozzle: Nozzle


def said(data: object) -> str:
    """Of the first that is wrong, with its place."""
    try:
        TypeAdapter(Iron).validate_python(data)
    except ValidationError as bad:
        error = bad.errors(include_url=False)[0]
        return wrong_words(error, " · ".join(str(step) for step in error["loc"]))
    return ""


class WrongWordsTest(unittest.TestCase):
    def test_each_kind_of_mistake_is_named_with_what_was_expected(self) -> None:
        for nozzle, words in (
                ({"mm": "wide"}, "nozzle · mm is 'wide'; expected a number"),
                ({}, "nozzle · mm is missing"),
                ({"mm": 3.0, "colour": "red"}, "nozzle · colour is not known here; "
                                               "expected only what the format describes"),
                ({"mm": 3.0, "kind": "oval"}, "nozzle · kind is 'oval'; expected one of 'round', 'flat'"),
                ({"mm": 3.0, "parts": "U1"}, "nozzle · parts is 'U1'; expected a list"),
                ({"mm": 3.0, "parts": (None,)}, "nozzle · parts · 0 is nothing; expected text"),
                ({"mm": 3.0, "turns": 0}, "nozzle · turns is 0; expected 1 or more"),
                ({"mm": 3.0, "turns": 9}, "nozzle · turns is 9; expected less than 9"),
                ({"mm": 3.0, "turns": 1.5}, "nozzle · turns is 1.5; expected a whole number"),
                ({"mm": 3.0, "made": "soon"}, "nozzle · made is 'soon'; expected a date, year first"),
                ({"mm": 3.0, "cold": "very"}, "nozzle · cold is 'very'; expected true or false"),
                ({"mm": 3.0, "limits": (1.0, 2.0, 3.0)}, "nozzle · limits is a list; expected at most 2 in the list"),
                ({"mm": 99.0}, "nozzle: mm is 99; expected 1 to 30"),
                (3, "nozzle is 3; expected values with names"),
                ([True], "nozzle is a list; expected values with names")):
            with self.subTest(nozzle=nozzle):
                self.assertEqual(said({"nozzle": nozzle}), words)
        self.assertEqual(said({"nozzle": {"mm": 3.0, "parts": ("U1",), "turns": 2}}), "")

    def test_a_long_value_is_cut_and_nothing_is_said_in_the_librarys_words(self) -> None:
        words = said({"nozzle": {"mm": "x" * 5000}})
        self.assertLess(len(words), 150)
        odd: tuple[object, ...] = (
            "", "x", 3, -1.5, True, None, [], {}, ["a"], {"a": 1}, float("nan"), float("inf"), 10 ** 400)
        for field in ("mm", "kind", "parts", "turns", "made", "cold", "limits"):
            for value in odd:
                self.assertNotRegex(said({"nozzle": {"mm": 3.0, field: value}}), LIBRARYS_OWN)

    def test_a_pack_tells_the_two_apart(self) -> None:
        with self.assertRaises(ValidationError) as refused:
            TypeAdapter(Iron).validate_python({"nozzle": {"mm": 99.0}})
        self.assertEqual(wrong_and_expected(refused.exception.errors()[0]), ("mm is 99", "1 to 30"))
        with self.assertRaises(ValidationError) as missing:
            TypeAdapter(Iron).validate_python({"nozzle": {}})
        self.assertEqual(wrong_and_expected(missing.exception.errors()[0]), ("is missing", "a value here"))

    def test_what_stands_round_an_entry_is_named_with_the_entrys_number(self) -> None:
        good: dict[str, object] = {"id": "a1", "at": "2026-03-12T10:00:00+00:00", "who": "Ines", "version": 1,
                                   "payload": {"kind": "cell", "state": "unplugged"}}
        self.assertEqual(entry_from_json(good).payload, Cell("unplugged"))
        for change, words in (({"at": "soon"}, "at is 'soon'; expected a date with a time"),
                              ({"at": "2026-03-12T10:00:00"}, "the time has no zone; expected UTC"),
                              ({"version": {}}, "version is values with names; expected a whole number"),
                              ({"version": "new"}, "version is 'new'; expected a whole number"),
                              ({"payload": True}, "payload is true; expected values with names"),
                              ({"payload": ["cell"]}, "payload is a list; expected values with names"),
                              ({"who": None}, "who is nothing; expected text"),
                              ({"payload": {"kind": "cell", "state": 3}},
                               "cell · state is 3; expected one of 'unplugged', 'plugged', 'known_good', 'new'")):
            with self.subTest(change=change), self.assertRaises(ImportRefusedError) as refused:
                entry_from_json({**good, **change}, 13)
            self.assertEqual(refused.exception.happened, f"Entry 13 can't be read ({words}).")
        no_entries: tuple[object, ...] = ([], None, "x", {}, {**good, "id": ""})
        for none in no_entries:
            with self.assertRaises(ImportRefusedError) as refused:
                entry_from_json(none)
            self.assertNotRegex(refused.exception.happened, LIBRARYS_OWN)
        del good["at"]
        with self.assertRaisesRegex(ImportRefusedError, r"Entry 1 can't be read \(at is missing\)"):
            entry_from_json(good)

    def test_in_german_too(self) -> None:
        told = subprocess.run(
            [sys.executable, "-c", "from dextrum.store.entries import payload_from_json\n"
             "try: payload_from_json({'kind': 'cell', 'state': 'gone'}, 1)\nexcept ValueError as e: print(e)"],
            capture_output=True, text=True, check=True, env={**os.environ, "DEXTRUM_LANGUAGE": "de"})
        self.assertIn("cell · state ist 'gone'; erwartet: eines von 'unplugged', 'plugged'", told.stdout)
        self.assertIn("only what the format describes", words_of("de")[0])


if __name__ == "__main__":
    unittest.main()
