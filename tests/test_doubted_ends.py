"""Ends of parts that are hardly on the net that a pack says: named, taken back to 'nobody knows', and probed anew."""

from __future__ import annotations

import io
import math
import unittest
from contextlib import redirect_stdout
from dataclasses import replace
from unittest import mock

from dextrum.__main__ import main
from dextrum.app.evaluation.rungs import rung_model
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.app.packmaking.pack_words import joined_mistakes
from dextrum.core.board import Board, Method
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.board.sources import SourceKind, net_of_end
from dextrum.core.packmaking.netting import Touch, divided
from dextrum.core.packmaking.opened_ends import doubted_ends, placed_ends, with_ends_open
from dextrum.core.packmaking.probing import probing, with_nets
from dextrum.core.packmaking.unlikely_nets import UNLIKELY, left_out_in_pack, unlikely_in_pack
from dextrum.core.packmaking.wrong_pack import PackMistake
from dextrum.core.reference.table import OutlierReading, ReferenceTable
from dextrum.desktop.packmaking.view import PackmakingView
from dextrum.store.packs import load_pack
from dextrum.world.numbers import DEFAULT
from tests.support import duo_board, library, library_of
from tests.test_packmaking import first_rung
from tests.test_placing import put
from tests.window_support import WindowCase


def doubted(*texts: str) -> list[str]:
    return [one.place for one in unlikely_in_pack(put(first_rung(), *texts))]


CHIP = "U3 RXP=RXP_B RXN=RXN_B TXP=TXP_B V=V3V3 GND=GND"


class UnlikelyTest(unittest.TestCase):
    def test_what_shipped_packs_say_of_their_boards_is_likely(self) -> None:
        for name in library().ids():
            board = library().board(name)
            as_typed = replace(board, sources=tuple(net_of_end(end, SourceKind.TYPED) for end in placed_ends(board)))
            self.assertEqual(len(as_typed.sources) > 0, bool(placed_ends(board)))
            self.assertEqual(unlikely_in_pack(as_typed), (), name)
            self.assertEqual(unlikely_in_pack(board), (), name)

    def test_parts_placed_as_they_are_on_boards_are_not_doubted(self) -> None:
        self.assertEqual(doubted(CHIP, "FL2 RX1P RXP_B RX1N RXN_B", "F1 VBUS VBUS_F", "C1 VBUS_F GND",
                                 "D1 CC1 CC2 SBU1 SBU2 GND", "C2 V3V3 GND", "FL4 DP DP_FAR DM DM_FAR"), [])

    def test_a_filter_joins_no_line_to_a_supply_or_ground(self) -> None:
        self.assertEqual(doubted(CHIP, "C2 V3V3 GND", "FL2 V3V3 RXP_B RX1N RXN_B"), ["FL2.1"])
        self.assertEqual(doubted(CHIP, "FL2 RX1P RXP_B GND RXN_B"), ["FL2.3"])

    def test_a_filter_makes_no_two_lines_of_a_chip_one(self) -> None:
        found = unlikely_in_pack(put(first_rung(), CHIP, "FL1 TX1P TXP_B TX1N TXN_B", "FL2 RX1P RXP_B TXP_B RXN_B"))
        self.assertEqual([one.place for one in found], ["FL2.3"])
        self.assertIn("two lines of U3 would be one", found[0].words)

    def test_an_array_guards_each_line_once_and_no_supply_beside_lines(self) -> None:
        self.assertEqual(doubted("D1 CC1 CC1 SBU1 SBU2 GND"), ["D1.1", "D1.2"])
        self.assertEqual(doubted("D1 CC1 V3V3 SBU1 SBU2 GND", "C1 V3V3 GND"), ["D1.2"])
        self.assertEqual(doubted("D5 VBUS GND"), [])

    def test_a_fuse_to_nowhere_and_a_capacitor_on_nothing(self) -> None:
        self.assertEqual(doubted("F1 RAIL_L VBUS_F", "C1 VBUS_F GND"), ["F1.1"])
        self.assertEqual(doubted("C9 SW_CORE GND"), ["C9.1"])

    def test_a_net_that_nobody_knows_is_not_doubted(self) -> None:
        self.assertEqual(doubted("F1 ? VBUS", "C9 ? GND", "FL2 ? ? ? ?"), [])

    def test_each_says_what_would_tell(self) -> None:
        alone, filtered = (unlikely_in_pack(put(first_rung(), *texts))[0] for texts in (
            ("C9 SW_CORE GND",), (CHIP, "C2 V3V3 GND", "FL2 V3V3 RXP_B RX1N RXN_B")))
        self.assertEqual(alone.touch, "touch C9.1 against the lines of the port, in ohms")
        self.assertEqual(filtered.touch, "FL2.1 to U3.V, in ohms: open means so")

    def test_what_was_left_out_of_the_references_as_a_slip(self) -> None:
        board = put(first_rung(), "C1 CC1 GND", "C2 CC1 GND")
        read = [OutlierReading("GOOD-1", point, Method.DIODE_RED_GROUND, volts, 9.0)
                for point, volts in (("C2.1", 0.45), ("J1.A5", 0.45), ("C1.1", math.inf), ("GONE.1", 0.4))]
        found = left_out_in_pack(board, ReferenceTable({}, 1, "M1", tuple(read)))
        self.assertEqual([one.place for one in found], ["C2.1"])
        self.assertIn("read 0.450 V on GOOD-1, and the rest of CC1 did not", found[0].words)
        self.assertEqual(left_out_in_pack(duo_board(), ReferenceTable({}, 1, "M1", tuple(read))), ())

    def test_a_place_that_readings_contradict_is_named_once_and_likeliest_first(self) -> None:
        one, other, third = (PackMistake(kind, place, "", "", (), weight) for kind, place, weight in (
            ("elsewhere", "C1.1", 20.0), (UNLIKELY, "C1.1", 6.0), (UNLIKELY, "C2.1", 6.0)))
        self.assertEqual(joined_mistakes((one,), (other, third)), (one, third))


class OpenedTest(unittest.TestCase):
    BOARD = put(first_rung(), CHIP, "C2 V3V3 GND", "FL2 V3V3 RXP_B RX1N RXN_B")

    def test_one_explanation_of_what_is_contradicted_is_opened_and_not_all(self) -> None:
        likelier = PackMistake("not_between", "FL2", "", "", ("FL2.4", "U3.RXN"), 30.0, ("FL2.3", "FL2.4"))
        other = PackMistake("elsewhere", "U3.RXN", "", "", ("FL2.4", "U3.RXN"), 20.0, ("U3.RXN",))
        self.assertEqual(doubted_ends(self.BOARD, (other, likelier)), ("FL2.3", "FL2.4"))
        alone = PackMistake(UNLIKELY, "FL2.4", "", "", ("FL2.4",), 6.0, ("FL2.4",))
        self.assertEqual(doubted_ends(self.BOARD, (other, likelier, alone)), ("FL2.4",))

    def test_contacts_of_the_port_are_never_doubted(self) -> None:
        contact = PackMistake("elsewhere", "J1.A5", "", "", ("J1.A5",), 30.0, ("J1.A5",))
        self.assertEqual(doubted_ends(self.BOARD, (contact,)), ())
        with self.assertRaises(ValueError):
            with_ends_open(self.BOARD, ["J1.A5"])

    def test_nobody_knows_its_net_afterwards(self) -> None:
        board = with_ends_open(self.BOARD, ["FL2.1"])
        self.assertTrue(board.net_is_unknown("FL2.1"))
        self.assertNotIn("FL2.1", {one.end for one in board.sources})
        self.assertIn("FL2.2", {one.end for one in board.sources})
        self.assertEqual(inconsistencies(board), ())
        self.assertEqual(unlikely_in_pack(board), ())

    def test_an_end_that_was_taken_for_ground_gets_its_point(self) -> None:
        self.assertNotIn("C2.2", self.BOARD.point_by_id)
        self.assertIn("C2.2", with_ends_open(self.BOARD, ["C2.2"]).point_by_id)

    def test_probing_finds_the_line_and_not_the_far_side_of_its_own_winding(self) -> None:
        board = with_ends_open(self.BOARD, ["FL2.1"])
        copper = {"FL2.1": "RX", "U3.RXP": "RX", "FL2.2": "RX"} | {
            point: "RX" for point in board.port_points if board.net_of(point) == "RX1P"}
        touches: list[Touch] = []
        readings = dict.fromkeys((*board.port_points, "FL2.1", "U3.RXP"), 0.45)
        while (ask := probing(board, readings, touches).ask) is not None:
            if not ask.other:
                readings[ask.one] = 0.6
                continue
            touches.append(Touch(ask.one, ask.other, copper.get(ask.one, ask.one) == copper.get(ask.other, ask.other)))
            self.assertLess(len(touches), 60)
        self.assertEqual(with_nets(board, readings, touches).net_of("FL2.1"), "RX1P")

    def test_a_point_whose_net_is_known_goes_to_an_end_on_it(self) -> None:
        places = {"L1.1": (0.0, 0.0), "L1.2": (4.0, 0.0), "J1.1": (3.9, 0.0), "C1.1": (0.1, 0.0)}
        pair = [("L1.1", "L1.2")]
        self.assertEqual(set(divided(places, pair, places)), {("C1.1", "L1.1"), ("J1.1", "L1.2")})
        self.assertEqual(set(divided(places, pair, places, {"L1.2": "OUT", "J1.1": "IN"})),
                         {("C1.1", "J1.1", "L1.1"), ("L1.2",)})


class MeasuredTest(unittest.TestCase):
    def test_most_ends_on_a_wrong_net_are_found_and_few_new_ones_made(self) -> None:
        right, typed, anew = (rung_model(duo_board(), 3, DEFAULT, 17, share, probed).advice.model.board
                              for share, probed in ((0.0, False), (0.05, False), (0.05, True)))

        def apart(board: Board) -> set[str]:
            """Ends that share their net with other ends than they should."""
            def beside(of: Board) -> dict[str, set[str]]:
                ends = (*placed_ends(right), *right.port_points)
                nets: dict[str, set[str]] = {}
                for end in ends:
                    nets.setdefault(of.net_of(end), set()).add(end)
                return {end: nets[of.net_of(end)] for end in ends}
            here, true = beside(board), beside(right)
            return {end for end in placed_ends(right) if len(here[end] & true[end]) <= len(here[end] - true[end])
                    and here[end] != true[end]}
        self.assertGreater(len(apart(typed)), 4)
        self.assertLessEqual(len(apart(anew)), 0.7 * len(apart(typed)), (apart(typed), apart(anew)))


class CommandTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def own(self, *texts: str) -> str:
        shop = self.session.library
        pack = begin_pack(shop, "Grip", "B", "usb-c-24", "", "board out 9")
        shop.keep(put(shop.board(pack), *texts))
        return pack

    def run_it(self, *words: str, status: int = 0) -> str:
        said = io.StringIO()
        with redirect_stdout(said), mock.patch("sys.stderr", said):
            self.assertEqual(main(["pack", *words]), status, said.getvalue())
        return said.getvalue()

    def test_on_the_command_line(self) -> None:
        place = str(self.folder / "packs" / self.own("C9 SW_CORE GND", "C1 CC1 GND"))
        self.assertIn("C9.1", self.run_it("check", place))
        self.assertIn("which net these are: C9.1", self.run_it("anew", place))
        self.assertTrue(load_pack(self.folder / "packs" / "grip-b").board.net_is_unknown("C9.1"))
        self.assertIn("Nothing in this pack is doubted", self.run_it("anew", place))
        self.assertIn("which net these are: C1.1", self.run_it("anew", place, "--end", "C1.1"))
        self.assertIn("no end of a placed part", self.run_it("anew", place, "--end", "X7.1", status=1))

    def test_in_the_window_it_is_said_asked_for_and_taken_back(self) -> None:
        pack = self.own("C9 SW_CORE GND")
        self.window.open_job(self.session.open_new_job("SLS-0992", pack))
        self.settled()
        self.window.show_view("packmaking")
        self.application.processEvents()
        view = self.window.views["packmaking"]
        assert isinstance(view, PackmakingView)
        self.assertIn("C9.1 is the only end on SW_CORE. To tell: touch C9.1", view.wrong.text())
        self.assertTrue(view.anew.isVisibleTo(view))
        view.anew.click()
        self.settled()
        self.assertFalse(view.anew.isVisibleTo(view))
        self.assertTrue(self.session.library.board(pack).net_is_unknown("C9.1"))
        self.assertTrue(view.probe.isVisibleTo(view))
        self.assertIn("of 1 ends settled", view.probe.progress.text())
        self.assertIn("Open now: C9.1", view.trouble.text())
        self.window.commands.run("pack.anew")
        self.assertEqual(view.trouble.text(), "Nothing in this pack is doubted.")
        self.window.commands.run("pack.back")
        self.settled()
        self.assertEqual(self.session.library.board(pack).net_of("C9.1"), "SW_CORE")
        self.assertIn("C9.1 is the only end", view.wrong.text())


if __name__ == "__main__":
    unittest.main()
