"""Every number that the judgement assumes stands in one list, within its range, and in the table of the docs."""

from __future__ import annotations

import ast
import math
import re
import unittest
from pathlib import Path

import dextrum
from dextrum.core.assumptions.assumption import ASSUMPTIONS, Assumption, assumed
from dextrum.core.assumptions.every import every_assumption

ROOT = Path(dextrum.__file__).parent
TABLE = Path(__file__).parent.parent / "docs" / "assumptions.md"
CORE = ("diagnosis", "advice", "faults")
BOUNDS = re.compile(r"_?(MOST|LEAST|FEWEST|EXACT|THIRD|SHORTLISTED|CANDIDATES|CONSIDERED|HALVINGS|CANCELLED|RAISED|SAME"
                    r"|OPEN_SCALED|BLUR|WEIGHED|FIRST|NO|HEALTHY|NOTHING|SOMETHING|PLAIN|FLAT|IN)_?")
"""How names of what bounds the computation begin, or of what only numbers rows; these are no assumptions."""
LEFT = {"OL_SIZE", "TOUCH_MINUTES"}
"""What is neither: a size for comparing, and what a simulated hand needs for the last touch of a step."""


def shown(assumption: Assumption) -> str:
    value = assumption.value
    if isinstance(value, tuple):
        return ", ".join(f"{number:g}" for number in value)
    if isinstance(value, float | int):
        return f"{value:g}"
    return ", ".join(f"{str(key).lower()} {number:g}" for key, number in value.items())


class AssumptionTest(unittest.TestCase):
    def test_the_table_of_the_docs_is_what_is_assumed(self) -> None:
        told = [line for line in TABLE.read_text().splitlines() if line.startswith("| `")]
        self.assertEqual(told, [
            f"| `{a.name}` | {shown(a)} | {a.unit} | {a.low:g} to {a.high:g} | {a.meaning} | {a.reason} |"
            for a in every_assumption()])

    def test_each_has_a_unit_a_meaning_a_reason_and_lies_in_its_range(self) -> None:
        names = [a.name for a in every_assumption()]
        self.assertEqual(len(names), len(set(names)))
        self.assertEqual(set(ASSUMPTIONS) - set(names), set(), "its name and what it is called must be alike")
        for a in every_assumption():
            with self.subTest(a.name):
                self.assertTrue(a.unit and a.meaning.endswith(".") and a.reason.endswith("."))
                self.assertTrue(a.numbers and all(a.low <= n <= a.high and math.isfinite(n) for n in a.numbers))

    def test_a_name_is_taken_once_and_a_number_out_of_its_range_refused(self) -> None:
        with self.assertRaises(ValueError):
            assumed(next(iter(ASSUMPTIONS)), 0.5, "chance", 0.0, 1.0, "x.", "y.")
        with self.assertRaises(ValueError):
            assumed("test_only", 1.5, "chance", 0.0, 1.0, "x.", "y.")
        self.assertNotIn("test_only", ASSUMPTIONS)

    def test_no_other_number_is_assumed_in_passing(self) -> None:
        """A number at the top of a module bounds the computation, by its name, or it belongs into the list."""
        found = []
        for folder in CORE:
            for file in sorted((ROOT / "core" / folder).rglob("*.py")):
                for node in ast.parse(file.read_text()).body:
                    if isinstance(node, ast.Assign) and _has_number(node.value):
                        names = [n.id for t in node.targets for n in ast.walk(t) if isinstance(n, ast.Name)]
                        found += [f"{file.name}: {n}" for n in names if not BOUNDS.match(n) and n not in LEFT]
        self.assertEqual(found, [])


def _has_number(value: ast.expr) -> bool:
    if isinstance(value, ast.Tuple | ast.List):
        return any(_has_number(v) for v in value.elts)
    if isinstance(value, ast.Dict):
        return any(_has_number(v) for v in value.values)
    return isinstance(value, ast.Constant) and type(value.value) in (int, float)


if __name__ == "__main__":
    unittest.main()
