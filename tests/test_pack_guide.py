"""docs/pack-format.md is enough to write a small pack by hand: each field stands there, and its example is used."""

from __future__ import annotations

import json
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

from dextrum.app.advising.assess import assess
from dextrum.app.library.library import PackLibrary
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.board import Method
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look, PointReading, Readings
from dextrum.store.packs import load_pack
from dextrum.store.packs.pack_doubts import doubts_of
from tests.support import trail_of

DOCS = Path(__file__).parent.parent / "docs"
GUIDE = DOCS / "pack-format.md"
BLOCK = re.compile(r"^```\w+ (\S+)\n(.*?)^```$", re.MULTILINE | re.DOTALL)
OF_PACK = "pack.json"


def _is(field: dict[str, Any]) -> str:
    """What may stand in a field, in a word or two."""
    if "$ref" in field:
        return str(field["$ref"].rpartition("/")[2])
    if "enum" in field or "const" in field:
        return " or ".join(f"`{one}`" for one in field.get("enum", [field.get("const")]))
    if "anyOf" in field:
        return " or ".join("nothing" if one.get("type") == "null" else _is(one) for one in field["anyOf"])
    if field.get("type") == "array":
        items = field.get("items") or (field.get("prefixItems") or [{}])[0]
        return f"[{_is(items) if isinstance(items, dict) else '…'}]"
    if field.get("type") == "object":
        inner = field.get("additionalProperties")
        return f"{{name: {_is(inner)}}}" if isinstance(inner, dict) else "object"
    return {"string": "text", "number": "number", "integer": "whole number", "boolean": "true or false"}.get(
        str(field.get("type")), str(field.get("type", "…")))


def rows_of_fields(schema: dict[str, Any]) -> list[tuple[str, list[str]]]:
    """Of each table of the schema its name, and a row for every field; words to choose from as one row."""
    found = []
    for name, table in [(OF_PACK, schema), *schema["$defs"].items()]:
        if "enum" in table:
            found.append((name, [f"| {', '.join(f'`{one}`' for one in table['enum'])} | one of these | | |"]))
            continue
        rows = []
        for field, said in table.get("properties", {}).items():
            default = f"`{json.dumps(said['default'])}`" if "default" in said else ""
            rows.append(f"| `{field}` | {_is(said)} | {default} | {said['description'].replace('|', '/')} |")
        found.append((name, rows))
    return found


class GuideTest(unittest.TestCase):
    def setUp(self) -> None:
        self.text = GUIDE.read_text("utf-8")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "small-pad-a"
        self.folder.mkdir()
        for name, content in BLOCK.findall(self.text):
            (self.folder / name).write_text(content, "utf-8")

    def test_every_field_of_the_schema_stands_there_as_it_is(self) -> None:
        schema = json.loads((DOCS / "pack.schema.json").read_text("utf-8"))
        for name, rows in rows_of_fields(schema):
            with self.subTest(name):
                place = self.text.index(f"\n**{name}**\n")
                end = self.text.find("\n**", place + 4)
                told = [line for line in self.text[place:end if end > 0 else None].splitlines()
                        if line.startswith("| ") and not line.startswith("| field")]
                self.assertEqual(told, rows)

    def test_the_small_pack_is_right_and_nothing_of_it_is_doubtful(self) -> None:
        self.assertEqual(sorted(file.name for file in self.folder.iterdir()),
                         ["components.json", "known_good.csv", "nets.csv", "pack.json", "points.csv"])
        pack = load_pack(self.folder)
        self.assertEqual(pack.left_out, ())
        self.assertEqual(doubts_of(pack, self.folder), ())

    def test_a_job_on_it_names_the_part_and_goes_on(self) -> None:
        advice = PackLibrary((self.folder.parent,)).advice_model("small-pad-a", "M1")
        seen = (JobOpened("P-1", "Small Pad", "small-pad-a"), Intake("dead", ("no_charge",)), Look(("clean",)),
                Cell("unplugged"))
        begun = assess(advice, trail_of(*seen))
        self.assertTrue(kind_of(begun.advice.next).tests, begun.advice.next.title)
        done = assess(advice, trail_of(*seen, Access("open"), *2 * (Readings(
            Method.RESISTANCE, (PointReading("F1.1-2", float("inf")),), "M1"),)))
        chances = done.chances_by_part()
        self.assertEqual(max(chances, key=lambda one: one[1])[0], "F1")


if __name__ == "__main__":
    unittest.main()
