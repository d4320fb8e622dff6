"""Two shops' packs of one board made one: nothing is lost, what differs is decided, the result is a sound pack."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from dextrum.__main__ import main
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.merge_packs import merge_folders
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import Board, ComponentKind
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.packmaking.merging import merged_packs, renamed_parts
from dextrum.errors import ImportRefusedError
from dextrum.store.packs import load_pack
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from tests.support import DUO, duo_board, library, library_of
from tests.window_support import Key, WindowCase

OURS = duo_board()
KNOWN = library().pack(DUO).known_good
_SPOKEN_OF = {name for one in OURS.functions for name in one.parts} | {
    end.partition(".")[0] for one in OURS.traces for end in one.far_terminals} | {
    one.point.partition(".")[0] for one in OURS.rail_checks}
SPARE, OTHER = [c.designator for c in OURS.components if c.kind is ComponentKind.CAPACITOR
                and c.designator not in _SPOKEN_OF
                and any(r.point.startswith(f"{c.designator}.") for r in KNOWN)][:2]
"""Two capacitors that were read, and that nothing else in the pack speaks of."""


def without(board: Board, *parts: str) -> Board:
    """The board as a shop has it that never described some capacitors."""
    return replace(board, components=tuple(c for c in board.components if c.designator not in parts),
                   points=tuple(p for p in board.points if p.part not in parts))


def called(board: Board, old: str, new: str) -> Board:
    """One part under another name."""
    return replace(board, components=tuple(replace(c, designator=new) if c.designator == old else c
                                           for c in board.components),
                   points=tuple(replace(p, id=p.id.replace(f"{old}.", f"{new}."), at=p.at.replace(f"{old}.", f"{new}."))
                                if p.part == old else p for p in board.points))


class MergeTest(unittest.TestCase):
    def test_a_pack_with_itself_is_itself(self) -> None:
        found = merged_packs(OURS, OURS, KNOWN, KNOWN)
        self.assertEqual((found.board, found.added, found.renamed, found.differences), (OURS, (), (), ()))
        self.assertEqual(set(found.known_good), set(KNOWN))

    def test_what_only_one_has_is_taken_from_either(self) -> None:
        ours, theirs = without(OURS, SPARE), without(OURS, OTHER)
        found = merged_packs(ours, theirs, KNOWN, KNOWN)
        self.assertEqual({c.designator for c in found.board.components}, {c.designator for c in OURS.components})
        self.assertIn(f"components {SPARE}", found.added)
        self.assertEqual(found.differences, ())
        self.assertEqual(inconsistencies(found.board), ())
        self.assertEqual({p.id for p in found.board.points}, {p.id for p in OURS.points})

    def test_another_name_for_one_place_is_one_part(self) -> None:
        theirs = called(OURS, SPARE, "C910")
        known = tuple(replace(r, point=r.point.replace(f"{SPARE}.", "C910."), board_serial=f"T-{r.board_serial}")
                      for r in KNOWN if r.point.startswith(f"{SPARE}."))
        self.assertEqual(renamed_parts(OURS, theirs), {"C910": SPARE})
        found = merged_packs(OURS, theirs, KNOWN, known)
        self.assertEqual(found.renamed, (("C910", SPARE),))
        self.assertEqual(len(found.board.components), len(OURS.components))
        self.assertTrue(known and all(replace(r, point=r.point.replace("C910.", f"{SPARE}.")) in found.known_good
                                      for r in known))

    def test_what_differs_is_ours_until_it_is_decided_otherwise(self) -> None:
        theirs = replace(OURS, components=tuple(replace(c, price=99.0) if c.designator == "U1" else c
                                                for c in OURS.components), unit_value=111.0)
        found = merged_packs(OURS, theirs)
        self.assertEqual([one.id for one in found.differences], ["components U1", "unit_value"])
        self.assertEqual((found.differences[0].theirs, found.board), ("price 99.0", OURS))
        decided = merged_packs(OURS, theirs, theirs_wins=frozenset({"components U1", "unit_value"}))
        self.assertEqual((decided.board.component_by_designator["U1"].price, decided.board.unit_value), (99.0, 111.0))

    def test_another_shops_screws_come_in_at_their_level(self) -> None:
        ours = replace(OURS, fasteners=tuple(f for f in OURS.fasteners if f.id != "S7"), set_ups=(),
                       checks=tuple(replace(c, set_up=()) for c in OURS.checks))
        theirs = replace(OURS, set_ups=(), checks=ours.checks)
        found = merged_packs(ours, theirs)
        self.assertEqual(inconsistencies(found.board), ())
        self.assertEqual({f.id for f in found.board.fasteners}, {f.id for f in OURS.fasteners})

    def test_another_board_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "two packs of one board"):
            merged_packs(OURS, replace(OURS, revision="D"))


class FolderTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.place = Path(folder.name)
        self.ours = write_pack_folder(self.place, "ours", pack_files_of(without(OURS, SPARE), KNOWN[:40]))
        changed = replace(OURS, unit_value=111.0)
        self.theirs = write_pack_folder(self.place, "theirs", pack_files_of(changed, KNOWN[40:80]))

    def test_on_the_command_line(self) -> None:
        out = self.place / "both"
        self.assertEqual(main(["pack", "merge", str(self.ours), str(self.theirs), str(out), "--theirs", "unit_value"]),
                         0)
        both = load_pack(out)
        self.assertEqual(both.board.unit_value, 111.0)
        self.assertIn(SPARE, both.board.component_by_designator)
        self.assertEqual(len(both.known_good), 80)
        with self.assertRaisesRegex(ImportRefusedError, "there already"):
            merge_folders(self.ours, self.theirs, out, frozenset())
        with self.assertRaisesRegex(ImportRefusedError, "Nothing differs at 'components X9'"):
            merge_folders(self.ours, self.theirs, self.place / "x", frozenset({"components X9"}))


class WindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_another_shops_pack_is_asked_about_and_taken_in(self) -> None:
        packs = self.session.library
        pack = begin_pack(packs, "Grip", "B", "usb-c-16", "", "back off 6")
        mine = packs.board(pack)
        other = replace(mine, unit_value=77.0, access_levels=tuple(replace(one, minutes=one.minutes + 1)
                                                                   for one in mine.access_levels))
        place = write_pack_folder(self.folder / "sent", pack, pack_files_of(other))
        self.window.open_job(self.session.open_new_job("SLS-0992", pack))
        self.settled()
        self.window.show_view("packmaking")
        self.window.commands.run("pack.merge")
        self.window.ask.field.setText(str(self.folder / "nowhere"))
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        self.wait(lambda: bool(self.window.problem.text()), what="for what is wrong")
        self.window.commands.run("pack.merge")
        self.window.ask.field.setText(str(place))
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        asked: list[str] = []
        for _ in range(6):
            self.wait(lambda: (self.window.ask.isVisible() and not self.window.ask.field.isVisible())
                      or self.window.trail.said.text().startswith("Merged"), 10.0, "to be asked")
            if self.window.trail.said.text().startswith("Merged"):
                break
            asked.append(self.window.ask.words.text())
            choice = self.window.ask.choice
            choice.setCurrentIndex(choice.findData("theirs" if "unit value" in asked[-1] else "ours"))
            choice.setFocus()
            self.key(Key.Key_Return)
        self.assertIn("unit value", " ".join(asked))
        self.assertIn("1 decided for them", self.window.trail.said.text())
        kept = library_of(self.folder / "packs").board(pack)
        self.assertEqual((kept.unit_value, kept.access_levels), (77.0, mine.access_levels))
        self.window.commands.run("pack.back")
        self.assertEqual(packs.board(pack).unit_value, mine.unit_value)


if __name__ == "__main__":
    unittest.main()
