"""Packs: the shipped ones are sound and rich enough, and broken ones are told with file and place."""

from __future__ import annotations

import json
import math
import shutil
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from dextrum.app.places import shipped
from dextrum.core.board import ComponentKind, FaultKind, Method, Side
from dextrum.core.board.doubts import reading_doubts, structural_doubts
from dextrum.core.trail import Cell, Intake, JobOpened, Look, PointReading, Readings
from dextrum.errors import ImportRefusedError, PackError
from dextrum.instruments.loaners import known_good_of_loaners
from dextrum.store.job_file import job_to_json
from dextrum.store.packs import load_pack, pack_schema
from dextrum.store.packs.pack_doubts import doubts_of
from dextrum.store.packs.pack_files import known_good_csv
from dextrum.store.schemas import job_schema
from tests.support import DUO, as_good, duo_board, library, trail_of

PACKS = shipped() / "packs"


class ShippedPackTest(unittest.TestCase):
    def test_every_shipped_pack_loads_with_nothing_left_out(self) -> None:
        for name in library().ids():
            self.assertEqual(library().pack(name).left_out, (), name)

    def test_duo_is_as_rich_as_it_must_be(self) -> None:
        board = duo_board()
        self.assertGreaterEqual(len(board.points), 150)
        self.assertGreaterEqual(len(board.components), 80)
        self.assertGreaterEqual(len(board.nets), 60)
        self.assertEqual({c.side for c in board.components}, {Side.TOP, Side.BOTTOM})
        self.assertEqual(len([s for s in board.symptoms if s.is_code]), 3)
        self.assertGreaterEqual(sum(p.at.startswith("@") for p in board.points), 10)

    def near(self, chip: str, reach: float = 8.0) -> list[str]:
        board = duo_board()
        middle = board.component_by_designator[chip]
        return [c.designator for c in board.components if c.kind is ComponentKind.CAPACITOR and c.side is middle.side
                and abs(c.x_mm - middle.x_mm) < reach and abs(c.y_mm - middle.y_mm) < reach]

    def test_capacitors_stand_where_the_story_needs_them(self) -> None:
        board = duo_board()
        self.assertGreaterEqual(len(self.near("U1")), 8)
        self.assertGreaterEqual(len(self.near("U2")), 8)
        self.assertGreaterEqual(len(self.near("U3")), 5)
        self.assertIn("C17", self.near("U1"))
        self.assertEqual(board.net_of("C17.1"), "V3V3_AV")
        self.assertNotEqual(board.component_by_designator["U3"].side, board.component_by_designator["U1"].side)
        self.assertFalse(any(t.net == "V3V3_AV" for t in board.component_by_designator["U1"].terminals))

    def test_four_filters_in_a_bank_and_the_fifth_on_the_other_side(self) -> None:
        filters = [c for c in duo_board().components if c.kind is ComponentKind.FILTER]
        switch = duo_board().component_by_designator["U3"]
        self.assertEqual(len([c for c in filters if c.side is switch.side]), 4)
        self.assertEqual([c.designator for c in filters if c.side is not switch.side], ["FL5"])

    def test_every_part_lies_within_the_outline_and_none_covers_another_chip(self) -> None:
        for name in library().ids():
            board = library().board(name)
            xs, ys = zip(*board.outline_mm, strict=True)
            for part in board.components:
                self.assertTrue(min(xs) <= part.x_mm <= max(xs) and min(ys) <= part.y_mm <= max(ys), part.designator)
            for i, one in enumerate(board.components):
                for two in board.components[i + 1:]:
                    apart = one.side is not two.side or abs(one.x_mm - two.x_mm) * 2 >= min(
                        one.width_mm, two.width_mm) or abs(one.y_mm - two.y_mm) * 2 >= min(
                        one.height_mm, two.height_mm)
                    self.assertTrue(apart, (name, one.designator, two.designator))

    def test_usb_contacts_are_where_the_standard_puts_them(self) -> None:
        by_name = {c.name: c for c in duo_board().ports[0].contacts}
        for name, signal in (("A5", "CC1"), ("B5", "CC2"), ("A6", "D+"), ("B7", "D-"), ("A8", "SBU1"),
                             ("B8", "SBU2"), ("A2", "TX1+"), ("B11", "RX1+"), ("B10", "RX1-"), ("B2", "TX2+"),
                             ("A11", "RX2+"), ("A10", "RX2-"), ("B9", "VBUS"), ("A12", "GND")):
            self.assertEqual(by_name[name].signal, signal)
        self.assertEqual(sorted(c.number for c in by_name.values()), list(range(1, 25)))

    def test_known_good_is_what_the_generator_makes_from_its_seed(self) -> None:
        for name, own in ((DUO, None), ("bramlet-orb-a", (("SLS-0811", "SLS-0812"), 811)),
                          ("ondry-leaf-a", (("SLS-0861", "SLS-0864", "SLS-0870"), 861))):
            board = library().board(name)
            made = known_good_of_loaners(board) if own is None else known_good_of_loaners(board, *own)
            self.assertEqual(known_good_csv(made), (PACKS / name / "known_good.csv").read_text())

    def test_six_loaners_and_two_meters(self) -> None:
        known = library().pack(DUO).known_good
        self.assertEqual(len({r.board_serial for r in known}), 6)
        self.assertEqual({r.meter for r in known}, {"M1", "M2"})
        self.assertEqual({r.point for r in known}, {p.id for p in duo_board().points})

    def test_files_are_as_the_published_schemas_say(self) -> None:
        try:
            from jsonschema import Draft202012Validator, ValidationError
        except ImportError:
            self.skipTest("jsonschema is not here: it comes with the developers' requirements")
        docs = Path(__file__).resolve().parent.parent / "docs"
        pack, job = (json.loads((docs / f"{name}.schema.json").read_text(encoding="utf-8")) for name in ("pack", "job"))
        for schema in (pack, job):
            Draft202012Validator.check_schema(schema)
            missing = [f"{name}.{field}" for name, one in [("", schema), *schema["$defs"].items()]
                       for field, what in one.get("properties", {}).items() if not what.get("description")
                       and field != "kind"]
            self.assertEqual(missing, [], "every field is described")
        parts = Draft202012Validator({**pack, "$ref": "#/$defs/ComponentsFile", "properties": {}, "required": [],
                                      "additionalProperties": True})
        for folder in sorted((shipped() / "packs").iterdir()):
            Draft202012Validator(pack).validate(json.loads((folder / "pack.json").read_text(encoding="utf-8")))
            if (folder / "components.json").exists():
                parts.validate(json.loads((folder / "components.json").read_text(encoding="utf-8")))
        trail = trail_of(JobOpened("S-1", "Tarnwick Duo", DUO), Intake("x"), Look(("clean",)), *as_good("J1.A5"),
                         Readings(Method.DIODE_RED_GROUND, (PointReading("J1.B5", math.inf),)), Cell("unplugged"))
        Draft202012Validator(job).validate(json.loads(json.dumps(job_to_json(trail))))
        with self.assertRaises(ValidationError):
            Draft202012Validator(job).validate({"format": "dextrum-job", "schema": 1, "entries": [{"id": "x"}]})

    def test_published_schema_is_the_one_in_use(self) -> None:
        published = Path(__file__).parent.parent / "docs" / "pack.schema.json"
        self.assertEqual(json.loads(published.read_text()), json.loads(json.dumps(pack_schema())))
        jobs = published.with_name("job.schema.json")
        self.assertEqual(json.loads(jobs.read_text()), json.loads(json.dumps(job_schema())))

    def test_what_is_doubtful_is_named(self) -> None:
        board = duo_board()
        filters = [c for c in board.components if c.kind is ComponentKind.FILTER]
        crossed = tuple(replace(c, terminals=(c.terminals[0], c.terminals[3], c.terminals[2], c.terminals[1]))
                        if c is filters[0] else c for c in board.components)
        self.assertEqual(structural_doubts(board, board.pack_id), [])
        self.assertIn(filters[0].designator, structural_doubts(replace(board, components=crossed))[0].place)
        self.assertIn("folder", structural_doubts(board, "elsewhere")[-1].words)
        self.assertIn("ground", structural_doubts(replace(board, nets=()))[0].words)
        self.assertEqual(reading_doubts(board, {"J1.A5": 0.3, "J1.B5": 0.58}, {"J1.A5": 0.58, "J1.B5": 0.6})[0].place,
                         "J1.A5")

    def test_shipped_packs_are_not_doubtful(self) -> None:
        for folder in sorted((shipped() / "packs").iterdir()):
            found = doubts_of(load_pack(folder), folder)
            self.assertEqual([d.place for d in found if d.place != "repair_rules"], [])

    def test_core_rail_reads_a_few_tens_of_ohms(self) -> None:
        core = [r.value for r in library().pack(DUO).known_good if r.point == "C40.1" and r.meter == "M1"]
        self.assertTrue(all(0.02 < value < 0.06 for value in core))


class BrokenPackTest(unittest.TestCase):
    """Each break is told with its file, its place and what was expected."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.place = Path(folder.name) / "pack"
        shutil.copytree(PACKS / "bramlet-orb-a", self.place)

    def change(self, file: str, edit: Any) -> None:
        data = json.loads((self.place / file).read_text())
        edit(data)
        (self.place / file).write_text(json.dumps(data))

    def problems(self) -> str:
        with self.assertRaises(PackError) as told:
            load_pack(self.place)
        return "\n".join(str(p) for p in told.exception.problems)

    def test_unknown_net(self) -> None:
        self.change("components.json", lambda d: d["components"][2]["terminals"][0].update(net="NOPE"))
        self.assertIn("components.json, components · F1.1: net 'NOPE' is not listed; expected a net", self.problems())

    def test_value_out_of_range_and_nan(self) -> None:
        self.change("components.json", lambda d: d["components"][2].update(width_mm=-3))
        self.assertIn("width_mm is -3; expected 0.1 to 200", self.problems())
        self.change("components.json", lambda d: d["components"][2].update(width_mm=float("nan")))
        self.assertIn("width_mm", self.problems())

    def test_unknown_field_unknown_word_missing_field(self) -> None:
        self.change("pack.json", lambda d: d["functions"][0].update(colour="red"))
        self.change("components.json", lambda d: d["components"][3].update(kind="wizard"))
        self.change("components.json", lambda d: d["components"][4].pop("side"))
        told = self.problems()
        self.assertIn("colour", told)
        self.assertIn("D1", told)
        self.assertIn("components · U1 · side", told)

    def test_point_off_the_board_and_bad_number_with_line(self) -> None:
        file = self.place / "points.csv"
        lines = file.read_text().splitlines()
        lines[3] = lines[3].replace("J1.A5,J1.A5", "J1.A5,J9.A5")
        file.write_text("\n".join(lines) + "\n")
        self.assertIn("points.csv, points · J1.A5: 'J9.A5' is not on the board", self.problems())
        lines[2] = lines[2].replace(",top,", ",top,x", 1)
        file.write_text("\n".join(lines) + "\n")
        self.assertIn("points.csv, points · line 3", self.problems())

    def test_row_with_missing_cells(self) -> None:
        (self.place / "nets.csv").write_text("name,role,nominal_volts,words\nGND,ground\n")
        self.assertIn("nets.csv, line 2: has the wrong number of cells", self.problems())

    def test_broken_json_names_line_and_column(self) -> None:
        (self.place / "pack.json").write_text('{\n "format": }')
        self.assertIn("pack.json, line 2, column 12", self.problems())

    def test_cycle_of_functions(self) -> None:
        self.change("pack.json", lambda d: d["functions"][0].update(functions=["charge_common"]))
        self.assertIn("needs itself", self.problems())

    def test_chances_that_do_not_add_up(self) -> None:
        self.change("pack.json", lambda d: d["draw_outcomes"][0].update(states={"none": 0.5}))
        self.assertIn("expected 1", self.problems())

    def test_duplicates(self) -> None:
        self.change("components.json", lambda d: d["components"].append(d["components"][2]))
        self.assertIn("F1: appears 2 times", self.problems())

    def test_a_check_of_a_function_that_is_not_there(self) -> None:
        self.change("pack.json", lambda d: d["checks"][0].update(functions=["flying"]))
        self.assertIn("function 'flying' is not listed", self.problems())

    def test_a_board_of_the_size_of_a_house(self) -> None:
        for size, wrong in ((1e9, "is 1e+09 mm wide; expected 1 to 1000 mm"), (0.06, "is 0.06 mm wide"),
                            (0, "is 0 mm")):
            self.change("pack.json", lambda d, size=size: d.update(outline_mm=[[0, 0], [size, 0], [size, 30], [0, 30]]))
            self.assertIn(wrong, self.problems())

    def test_a_contact_without_its_row(self) -> None:
        """Where a contact lies in the port is told by its name, in every view."""
        for name in ("1", "C4", "A", "A123", "vbus"):
            with self.subTest(name):
                shutil.copyfile(PACKS / "bramlet-orb-a" / "pack.json", self.place / "pack.json")
                self.change("pack.json", lambda d, name=name: d["ports"][0]["contacts"][0].update(name=name))
                self.assertIn(f"J1.{name}: is no name of a contact; expected a row, A or B", self.problems())

    def test_wrong_format_schema_and_missing_file(self) -> None:
        self.change("pack.json", lambda d: d.update(schema=9))
        self.assertIn("schema", self.problems())
        (self.place / "pack.json").unlink()
        self.assertIn("is missing", self.problems())

    def test_readings_that_do_not_fit_are_left_out_with_the_reason(self) -> None:
        with (self.place / "known_good.csv").open("a") as file:
            file.write("S,J9.X,diode_red_ground,M1,21,0.5,\nS,J1.A5,diode_red_ground,M1,21,many,\n"
                       "S,J1.A5,resistance,M1,21,3,\n")
        left = load_pack(self.place).left_out
        self.assertEqual(len(left), 3)
        self.assertIn("point 'J9.X' is not on this board", left[0])
        self.assertIn("resistance can't be taken at J1.A5", left[2])

    def test_sparse_pack_needs_almost_nothing(self) -> None:
        for file in ("components.json", "nets.csv", "points.csv", "known_good.csv"):
            (self.place / file).unlink()
        keep = ("format", "schema", "pack_id", "model", "short_name", "name", "revision", "outline_mm")
        data = json.loads((self.place / "pack.json").read_text())
        (self.place / "pack.json").write_text(json.dumps({k: data[k] for k in keep}))
        self.assertEqual(load_pack(self.place).board.points, ())


class ZipTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.file = Path(folder.name) / "pack.zip"

    def test_zip_is_read_like_the_folder(self) -> None:
        with zipfile.ZipFile(self.file, "w") as archive:
            for file in (PACKS / "bramlet-orb-a").iterdir():
                archive.write(file, f"orb/{file.name}")
        self.assertEqual(load_pack(self.file).board, library().board("bramlet-orb-a"))

    def test_escaping_paths_bombs_and_rubbish_are_refused(self) -> None:
        with zipfile.ZipFile(self.file, "w") as archive:
            archive.writestr("../pack.json", "{}")
        with self.assertRaises(ImportRefusedError):
            load_pack(self.file)
        with zipfile.ZipFile(self.file, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("pack.json", b"0" * 40_000_000)
        with self.assertRaises(ImportRefusedError):
            load_pack(self.file)
        self.file.write_bytes(b"PK nothing")
        with self.assertRaises(ImportRefusedError):
            load_pack(self.file)
        with self.assertRaises(ImportRefusedError):
            load_pack(self.file.with_name("nowhere"))


class FaultListTest(unittest.TestCase):
    def test_no_chip_is_shorted_at_a_pin_that_has_no_junction(self) -> None:
        from dextrum.core.faults.listing import enumerate_faults

        board = duo_board()
        for fault in enumerate_faults(board):
            self.assertAlmostEqual(sum(share for _, share in fault.variants), 1.0, places=9)
            part = board.component_by_designator.get(fault.part)
            if fault.kind is FaultKind.HARD_SHORT and part is not None and part.kind is ComponentKind.IC:
                terminal = part.terminal(fault.terminals[0])
                self.assertTrue(terminal.junction_volts is not None or terminal.ohms_to_ground is not None)
