"""What was worked out of a board is kept for the next start, is the same, and is never another board's."""

from __future__ import annotations

import io
import os
import pickle
import shutil
import tempfile
import threading
import unittest
from dataclasses import fields, is_dataclass, replace
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.library.kept_boards import MAKERS, KeptBoards
from dextrum.app.library.kept_files import CoreReader, keep_beside
from dextrum.app.library.kept_models import KeptModels
from dextrum.app.library.library import PackLibrary
from dextrum.app.places import shipped
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Board, Method
from dextrum.core.trail import Cell, JobOpened, Look, Payload, PointReading, Readings, Supply
from dextrum.errors import PackError
from tests.support import DUO, as_good, duo_advice, library, trail_of

TRAIL: tuple[Payload, ...] = (
    JobOpened("T-1", "Tarnwick Duo", DUO), Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 5.0, 0.0),
    Cell("unplugged"), *as_good("J1.A5"),
    Readings(Method.DIODE_RED_GROUND, (PointReading("J1.B5", 0.0),), "M1"))


class KeptModelsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "kept"
        self.kept = KeptModels(self.folder)
        made = duo_advice()
        self.board, self.table, self.rates = made.model.board, made.model.references, made.rates
        self.place = self.kept.place_of(self.board, self.table, None)

    def written(self) -> None:
        self.kept.keep(self.place, duo_advice())
        self.wait_for_it()

    @staticmethod
    def wait_for_it() -> None:
        for thread in threading.enumerate():
            if thread.name == "keep":
                thread.join()

    def test_what_is_kept_judges_as_what_was_worked_out(self) -> None:
        self.assertIsNone(self.kept.read(self.place, self.board, self.table, self.rates, {}, None))
        self.written()
        found = self.kept.read(self.place, self.board, self.table, self.rates, {}, None)
        assert found is not None
        self.assertIs(found.model.board, self.board)
        own, other = (assess(advice, trail_of(*TRAIL)) for advice in (duo_advice(), found))
        np.testing.assert_array_equal(own.posterior.rows, other.posterior.rows)
        self.assertEqual(own.advice.ranked, other.advice.ranked)

    def test_another_board_reading_or_rate_of_failing_is_another_file(self) -> None:
        point = next(iter(self.table.by_point))
        moved = replace(self.table, by_point={**self.table.by_point,
                                              point: replace(self.table.by_point[point], centre=1.2)})
        places = [self.place, self.kept.place_of(replace(self.board, unit_value=1.0), self.table, None),
                  self.kept.place_of(self.board, moved, None), self.kept.place_of(self.board, self.table, {"U1": 2.0})]
        self.assertEqual(len(set(places)), len(places))

    def test_it_is_priced_when_it_is_read(self) -> None:
        self.written()
        rates, prices = ShopRates(labour_per_minute=2.0), {"U1": 90.0}
        found = self.kept.read(self.place, self.board, self.table, rates, prices, None)
        assert found is not None
        made = build_advice_model(duo_advice().model, rates, prices)
        self.assertEqual(found.repairs.options, made.repairs.options)
        ranked, own = (assess(advice, trail_of(*TRAIL)).advice.ranked for advice in (found, made))
        self.assertEqual(ranked, own)

    def test_other_prices_leave_the_circuit_as_it_was_worked_out(self) -> None:
        shelf = PackLibrary()
        before = shelf.advice_model(DUO, "M1")
        self.assertIs(shelf.advice_model(DUO, "M1"), before)
        shelf.use_rates(ShopRates(labour_per_minute=2.0), {DUO: {"U1": 90.0}})
        after = shelf.advice_model(DUO, "M1")
        self.assertIs(after.model, before.model)
        new_ones = {o.price for o in after.repairs.options if (o.part, o.action) == ("U1", "replace")}
        self.assertEqual((after.rates.labour_per_minute, new_ones), (2.0, {90.0}))
        self.assertIs(shelf.advice_model(DUO, "M1"), after)
        shelf.use_rates(ShopRates(), {})
        own, other = (assess(advice, trail_of(*TRAIL)) for advice in (before, shelf.advice_model(DUO, "M1")))
        self.assertEqual(own.advice.ranked, other.advice.ranked)

    def test_nothing_that_goes_into_a_model_is_left_out_of_its_name(self) -> None:
        """A name is made of what the parts of a board say of themselves."""
        seen: set[type] = set()
        waiting: list[object] = [self.board, self.table]
        while waiting:
            one = waiting.pop()
            if isinstance(one, tuple | list):
                waiting += one
            elif hasattr(one, "items"):
                waiting += [part for pair in one.items() for part in pair]
            elif is_dataclass(one) and type(one) not in seen:
                seen.add(type(one))
                for field in fields(one):
                    self.assertTrue(field.repr, f"{type(one).__name__}.{field.name}")
                    waiting.append(getattr(one, field.name))
            self.assertNotIsInstance(one, np.ndarray | set | frozenset)
        self.assertGreater(len(seen), 8)

    def test_a_broken_file_is_as_good_as_none_and_none_runs_a_program(self) -> None:
        self.written()
        whole = self.place.read_bytes()
        mark = self.folder / "mark"

        class Evil:
            def __reduce__(self) -> tuple[object, ...]:
                return os.mkdir, (str(mark),)

        named = [b"\x80\x04\x8c" + bytes([len(module)]) + module + b"\x8c" + bytes([len(name)]) + name + b"\x93."
                 for module, name in ((b"numpy.testing._private.utils", b"runstring"), (b"numpy", b"load"),
                                      (b"dextrum.core.faults.registry", b"edit_for"),
                                      (b"dextrum.core.circuit.solve", b"np.save"), (b"dextrum.core.job", b"dataclass"),
                                      (b"builtins", b"eval"))]
        for data in named:
            with self.assertRaises(pickle.UnpicklingError):
                CoreReader(io.BytesIO(data)).load()
        for data in (b"", whole[:1000], b"\x80\x05]\x94.", pickle.dumps(Evil()), pickle.dumps((1, 2)), *named):
            self.place.write_bytes(data)
            self.assertIsNone(self.kept.read(self.place, self.board, self.table, self.rates, {}, None))
        self.assertFalse(mark.exists())
        self.written()
        self.assertIsNotNone(self.kept.read(self.place, self.board, self.table, self.rates, {}, None))

    def test_a_folder_that_can_not_be_written_stops_nothing_and_only_so_much_stays(self) -> None:
        self.folder.parent.joinpath("kept").write_text("a file")
        self.written()
        self.folder.unlink()
        self.folder.mkdir()
        left, writing = self.folder / "a.1.new", self.folder / "b.2.new"
        left.write_bytes(b"half")
        os.utime(left, (0, 0))
        writing.write_bytes(b"another program's")
        for k in range(5):
            keep_beside(self.folder / f"{k}.model", bytes(1000), 3000)
            self.wait_for_it()
            os.utime(self.folder / f"{k}.model", (k, k))
        self.assertEqual(sorted(file.stem for file in self.folder.glob("*.model")), ["2", "3", "4"])
        keep_beside(self.folder / "5.model", bytes(9000), 3000)
        self.wait_for_it()
        self.assertEqual([file.stem for file in self.folder.glob("*.model")], ["5"], "what is new stays, whatever size")
        self.assertEqual([file for file in (left, writing) if file.exists()], [writing])

    def test_a_library_keeps_and_finds_what_it_worked_out(self) -> None:
        first = PackLibrary(kept=self.folder).advice_model(DUO, "M1")
        self.wait_for_it()
        (file,) = self.folder.glob("*.model")
        stamp = file.stat().st_ino
        again = PackLibrary(kept=self.folder).advice_model(DUO, "M1")
        np.testing.assert_array_equal(first.model.red_ground.values, again.model.red_ground.values)
        self.assertEqual([f.stat().st_ino for f in self.folder.glob("*.model")], [stamp])
        self.assertIsNot(again.model.board, first.model.board)


class KeptBoardsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "kept"
        self.pack = Path(folder.name) / DUO
        shutil.copytree(shipped() / "packs" / DUO, self.pack)
        self.kept = KeptBoards(self.folder)

    def read(self) -> Board:
        found = self.kept.board(self.pack)
        for thread in threading.enumerate():
            if thread.name == "keep":
                thread.join()
        return found

    def test_a_board_is_read_as_it_was_checked(self) -> None:
        checked = self.read()
        (file,) = self.folder.glob("*.board")
        with mock.patch("dextrum.app.library.kept_boards.checked_board", side_effect=AssertionError):
            again = self.read()
        self.assertIsNot(again, checked)
        self.assertEqual((again, repr(again)), (checked, repr(checked)))
        self.assertEqual(again, library().board(DUO))
        self.assertLess(file.stat().st_size, 400_000)

    def test_a_changed_pack_is_another_and_a_wrong_one_is_told(self) -> None:
        self.read()
        text = (self.pack / "pack.json").read_text(encoding="utf-8")
        (self.pack / "pack.json").write_text(text.replace('"Tarnwick Duo"', '"Tarnwick Trio"'), encoding="utf-8")
        self.assertEqual(self.read().model, "Tarnwick Trio")
        self.assertEqual(len(list(self.folder.glob("*.board"))), 2)
        (self.pack / "pack.json").write_text(text[:-40], encoding="utf-8")
        with self.assertRaises(PackError):
            self.kept.board(self.pack)

    def test_a_broken_file_is_as_good_as_none(self) -> None:
        checked = self.read()
        (file,) = self.folder.glob("*.board")
        whole = file.read_bytes()
        for data in (b"", whole[:5000], pickle.dumps(Path("x")), pickle.dumps((1, 2)), b"\x80\x04\x8c\x08builtins"
                     b"\x8c\x04eval\x93."):
            file.write_bytes(data)
            self.assertEqual(self.read(), checked)
            self.assertEqual(file.read_bytes(), whole, "and it is kept again")

    def test_all_that_makes_a_board_stands_in_its_name(self) -> None:
        named: set[str] = set()

        class Names(CoreReader):
            def find_class(self, module: str, name: str) -> Any:
                named.add(module)
                return super().find_class(module, name)

        self.read()
        (file,) = self.folder.glob("*.board")
        Names(io.BytesIO(file.read_bytes())).load()
        makers = tuple("dextrum." + maker.removesuffix(".py").replace("/", ".") for maker in MAKERS)
        self.assertGreater(len(named), 3)
        self.assertEqual([module for module in named if not module.startswith(makers)], [])


if __name__ == "__main__":
    unittest.main()
