"""What the simulated bench's hands saw, heard or did, in the words that the window asks for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from dextrum.core.board import Board
from dextrum.core.looks import BOARD_FINDING_WORDS, LOOK_WORDS
from dextrum.tongue import tr

Told = Mapping[str, Any]


def _owner(board: Board, told: Told) -> str:
    said = [board.symptom_by_id[name].words for name in told["symptoms"] if name in board.symptom_by_id]
    if not said:
        return tr("The owner names nothing that is on the list.")
    return tr("The owner says: {words}.", words=", ".join(said))


def _look(_board: Board, told: Told) -> str:
    seen = ", ".join(LOOK_WORDS[finding] for finding in told["findings"])
    where = tr(" at {contacts}", contacts=", ".join(told["contacts"])) if told["contacts"] else ""
    return tr("The port, under magnification: {seen}{where}.", seen=seen, where=where)


def _look_board(_board: Board, told: Told) -> str:
    seen = [" ".join((part, BOARD_FINDING_WORDS.get(what, what)))
            for part, _, what in (one.partition(" ") for one in told["seen"])]
    if told["side"] == "top":
        return tr("On the top: {seen}.", seen=", ".join(seen)) if seen else tr("On the top nothing stands out.")
    return tr("On the bottom: {seen}.", seen=", ".join(seen)) if seen else tr("On the bottom nothing stands out.")


def _turned(_board: Board, told: Told) -> str:
    return tr("The tester is turned over.") if told["turned"] else tr("The tester is upright.")


WORDS: dict[str, Callable[[Board, Told], str]] = {"owner": _owner, "look": _look, "look_board": _look_board,
                                                  "turn": _turned}


def hands_words(order: str, board: Board, told: Told) -> str:
    """In a sentence; of what is done and tells nothing, that it is done."""
    return WORDS[order](board, told) if order in WORDS else tr("Done.")
