"""The words of the line above the views: how the unit in hand is being measured."""

from __future__ import annotations

from dextrum.core.board import Board, Method
from dextrum.core.job import JobFacts
from dextrum.tongue import tr

CELL_WORDS = {"unplugged": tr("cell unplugged"), "plugged": tr("cell in"), "known_good": tr("known-good cell in"),
              "new": tr("new cell in")}


def access_words(board: Board | None, facts: JobFacts) -> str:
    """'closed', 'back off'; empty without a board pack."""
    levels = board.access_levels if board is not None else ()
    return next((level.words for level in levels if level.id == facts.access), levels[0].words if levels else "")


def header_words(board: Board | None, facts: JobFacts, diode: Method, meter: str, who: str,
                 short: bool) -> dict[str, str]:
    """By button. short: where there is little room, only what keeps a unit and a reading safe."""
    words = {"cell": CELL_WORDS[facts.cell], "access": access_words(board, facts)}
    if short:
        return words
    polarity = tr("red on ground") if diode is Method.DIODE_RED_GROUND else tr("black on ground")
    return {**words, "polarity": polarity, "meter": tr("meter {meter}", meter=meter), "who": who}
