"""Dataclasses of the window's start do what the standard library's do."""

from __future__ import annotations

import dataclasses
import math
import sys
import unittest
from dataclasses import dataclass, field, replace
from typing import Any

from dextrum.desktop.quick_dataclasses import COMPILES_EACH, quick_dataclasses


def classes() -> dict[str, type[Any]]:
    """Made anew at each call, compiled or not as it is in force."""

    @dataclass(frozen=True)
    class Empty:
        pass

    @dataclass(frozen=True)
    class One:
        value: float

    @dataclass(frozen=True)
    class Many:
        name: str
        parts: tuple[str, ...] = ()
        table: dict[str, float] = field(default_factory=dict, hash=False)
        unseen: int = field(default=0, repr=False, compare=False)

    @dataclass(frozen=True)
    class More(Many):
        beyond: Any = None

    @dataclass
    class Loose:
        inner: Any = None

    @dataclass(frozen=True, order=True)
    class Ordered:
        at: float
        name: str = ""

    @dataclass(frozen=True, eq=False)
    class ByItself:
        name: str

    return {one.__name__: one for one in (Empty, One, Many, More, Loose, Ordered, ByItself)}


def said(doing: Any) -> str:
    """What comes of it: the value, or the error in words."""
    try:
        return repr(doing())
    except Exception as problem:
        return f"{type(problem).__name__}: {problem}"


def told(made: dict[str, type[Any]]) -> list[str]:
    """Everything that can be seen of them, without where they lie in memory."""
    empty, one, many, more, loose, ordered, _ = made.values()
    some = many("U1", ("a", "b"), {"x": 1.0}, 7)
    plus = more("U1", beyond=some)
    ring = loose()
    ring.inner = ring
    return [said(doing) for doing in (
        lambda: empty(), lambda: one(2.5), lambda: one(math.nan) == one(math.nan), lambda: some, lambda: plus,
        lambda: ring,
        lambda: some == many("U1", ("a", "b"), {"x": 1.0}, 8), lambda: some == more("U1", ("a", "b"), {"x": 1.0}),
        lambda: empty() == empty(), lambda: one(1.0) == 1.0, lambda: hash(empty()) == hash(()),
        lambda: hash(one(2.0)) == hash((2.0,)), lambda: hash(some) == hash(("U1", ("a", "b"))),
        lambda: hash(loose()), lambda: replace(some, name="U2"), lambda: replace(some, nothing=1),
        lambda: setattr(some, "name", "x"), lambda: setattr(plus, "beyond", 1), lambda: setattr(some, "other", 1),
        lambda: delattr(some, "name"), lambda: delattr(plus, "unknown"), lambda: ordered(1.0) < ordered(2.0),
        lambda: sorted([ordered(2.0, "b"), ordered(1.0, "a")]), lambda: ordered(1.0) < 3, lambda: many(),
        lambda: made["ByItself"]("x") == made["ByItself"]("x"), lambda: dataclasses.asdict(plus))]


class QuickTest(unittest.TestCase):
    def test_they_are_seen_compared_hashed_and_kept_as_ever(self) -> None:
        compiled = classes()
        with quick_dataclasses():
            quick = classes()
        self.assertEqual(told(quick), told(compiled))
        self.assertEqual([one.__name__ for one in quick.values()], [one.__name__ for one in compiled.values()])

    def test_only_what_is_made_within_is_made_so(self) -> None:
        with self.assertRaises(KeyError), quick_dataclasses():
            within = classes()["One"]
            raise KeyError
        after = classes()["One"]
        if sys.version_info[:2] == COMPILES_EACH:
            self.assertIn("quick_dataclasses", within.__hash__.__code__.co_filename)
        self.assertNotIn("quick_dataclasses", after.__hash__.__code__.co_filename)


if __name__ == "__main__":
    unittest.main()
