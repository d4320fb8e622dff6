"""docs/pack-format.md is enough to write a small pack by hand: each field stands there, and its example is used."""

from __future__ import annotations

import json
import random
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

from dextrum.app.advising.assess import assess
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.board import Method
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look, PointReading, Readings
from dextrum.errors import DextrumError
from dextrum.store.packs import load_pack
from dextrum.store.packs.pack_doubts import doubts_of
from tests.support import library_of, trail_of

DOCS = Path(__file__).parent.parent / "docs"
GUIDE = DOCS / "pack-format.md"
BLOCK = re.compile(r"^```\w+ (\S+)\n(.*?)^```$", re.MULTILINE | re.DOTALL)
OF_PACK = "pack.json"
ODD_PACKS = 80


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
        advice = library_of(self.folder.parent).advice_model("small-pad-a", "M1")
        seen = (JobOpened("P-1", "Small Pad", "small-pad-a"), Intake("dead", ("no_charge",)), Look(("clean",)),
                Cell("unplugged"))
        begun = assess(advice, trail_of(*seen))
        self.assertTrue(kind_of(begun.advice.next).tests, begun.advice.next.title)
        done = assess(advice, trail_of(*seen, Access("open"), *2 * (Readings(
            Method.RESISTANCE, (PointReading("F1.1-2", float("inf")),), "M1"),)))
        self.assertEqual(max(done.chance_by_part, key=done.chance_by_part.__getitem__), "F1")

    def test_whatever_is_typed_is_refused_in_words_or_works(self) -> None:
        """The small pack with one to three things changed at random, as a slip of the hand would."""
        draw = random.Random(8)
        whole = {name: (self.folder / name).read_text("utf-8") for name in ("pack.json", "components.json")}
        used = 0
        for _ in range(ODD_PACKS):
            files = {name: json.loads(text) for name, text in whole.items()}
            for _ in range(draw.randint(1, 3)):
                change_something(draw, files[draw.choice(list(files))])
            for name, content in files.items():
                (self.folder / name).write_text(json.dumps(content), "utf-8")
            try:
                board = load_pack(self.folder).board
                advice = library_of(self.folder.parent).advice_model("small-pad-a", "M1")
            except DextrumError as refused:
                self.assertTrue(refused.happened and refused.next_step)
                continue
            used += 1
            trail = trail_of(JobOpened("P-1", "Small Pad", "small-pad-a"), Intake("dead", tuple(
                symptom.id for symptom in board.symptoms[:1])), Look(("clean",)), Cell("unplugged"))
            self.assertTrue(assess(advice, trail).advice.ranked)
        self.assertGreater(used, ODD_PACKS // 5)


def change_something(draw: random.Random, content: dict[str, Any]) -> None:
    """One value anywhere in it: left out, doubled, or another of its sort."""
    places: list[tuple[Any, Any]] = []
    waiting: list[Any] = [content]
    while waiting:
        holder = waiting.pop()
        keys = list(holder) if isinstance(holder, dict) else range(len(holder))
        places += [(holder, key) for key in keys if key not in ("format", "schema", "pack_id")]
        waiting += [holder[key] for key in keys if isinstance(holder[key], dict | list)]
    holder, key = draw.choice(places)
    value = holder[key]
    if draw.random() < 0.2:
        del holder[key]
    elif isinstance(value, bool):
        holder[key] = not value
    elif isinstance(value, str):
        holder[key] = draw.choice(["", "x", "U1", "VCHG", "open", "A1", "J1.A1", "@GND", 300 * "a", 'é"<b>'])
    elif isinstance(value, int | float):
        holder[key] = draw.choice([0, -1, 1, 2, 1e9, 1e-9, 1000, -0.001])
    else:
        holder[key] = value[:1] if isinstance(value, list) else {}


if __name__ == "__main__":
    unittest.main()
