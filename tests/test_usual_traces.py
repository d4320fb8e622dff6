"""Traces that break on a board of one's own: between what lies at the port and the chip that a line goes to."""

from __future__ import annotations

import unittest
from dataclasses import replace

from dextrum.core.board import Trace
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.packmaking.placing import without_part
from dextrum.core.packmaking.usual_traces import with_usual_traces
from tests.support import duo_board
from tests.test_packmaking import first_rung
from tests.test_placing import put

PARTS = ("U1 CC1=CC1 VIN=VBUS INT=PD_INT GND=GND", "C15 CC1 GND", "D1 CC1 CC2 SBU1 SBU2 GND",
         "FL3 TX2P TX2P_B TX2N TX2N_B", "U3 TX=TX2P_B GND=GND")


class UsualTracesTest(unittest.TestCase):
    def test_a_line_breaks_between_the_port_and_its_chip(self) -> None:
        board = put(first_rung(), *PARTS)
        far = {trace.net: set(trace.far_terminals) - {"REST.CC1", "LANES.TX2P"} for trace in board.traces}
        self.assertEqual(far, {"CC1": {"U1.CC1", "C15.1"}, "TX2P_B": {"U3.TX"}})
        self.assertEqual(inconsistencies(board), ())

    def test_it_goes_with_its_chip_and_what_was_described_stays(self) -> None:
        board = put(first_rung(), *PARTS)
        self.assertEqual({trace.net for trace in without_part(board, "U1").traces}, {"TX2P_B"})
        told = Trace("own", "CC1", ("U1.CC1",), "trace under the shield")
        kept = with_usual_traces(replace(board, traces=(told,)))
        self.assertEqual([trace.id for trace in kept.traces], ["own", "TX2P_B"])
        self.assertEqual({one.of for one in kept.sources if one.of.startswith("trace")}, {"trace TX2P_B"})

    def test_one_that_was_written_without_words_is_no_usual_one(self) -> None:
        board = put(first_rung(), *PARTS)
        told = Trace("CC1", "CC1", ("U1.CC1",))
        written = replace(board, traces=(told,), sources=tuple(s for s in board.sources if s.of != "trace CC1"))
        self.assertEqual(with_usual_traces(written).traces[0], told)
        self.assertIs(with_usual_traces(board), board)

    def test_a_described_board_keeps_its_own_and_a_bare_port_has_none(self) -> None:
        self.assertIs(with_usual_traces(duo_board()), duo_board())
        self.assertEqual(first_rung().traces, ())


if __name__ == "__main__":
    unittest.main()
