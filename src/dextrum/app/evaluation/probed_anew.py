"""A pack whose doubted ends are probed anew on the good unit, as the page Pack asks, before it judges a job."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from dextrum.app.packmaking.pack_words import mistakes_of
from dextrum.core.board import Board
from dextrum.core.board.copper import joined_nets
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.packmaking.netting import Touch
from dextrum.core.packmaking.opened_ends import doubted_ends, with_ends_open
from dextrum.core.packmaking.probing import probing, with_nets

BAD_TOUCHES = 0.03
"""Of touches that should beep, those that read open."""
MOST_TOUCHES = 2000
"""A technician would have stopped long before."""


def probed_anew(model: DiagnosisModel, whole: Board, red: Mapping[str, float], draw: np.random.Generator) -> Board:
    """The pack of `model` with the nets that probing finds. whole: the board as it is, whose copper beeps; red: what
    the good unit reads in diode mode with red on ground, by point."""
    ends = doubted_ends(model.board, mistakes_of(model))
    if not ends:
        return model.board
    board = with_ends_open(model.board, ends)
    copper = joined_nets(whole)  # points that are asked for are ends, 'FL1.2'
    touches: list[Touch] = []
    readings = {point: volts for point, volts in red.items() if point in board.point_by_id}
    for _ in range(MOST_TOUCHES):
        ask = probing(board, readings, touches).ask
        if ask is None:
            break
        if not ask.other:
            readings[ask.one] = float("inf")  # an end that no reading of the good unit was taken of
            continue
        one, other = (copper[whole.net_of(name)] for name in (ask.one, ask.other))
        touches.append(Touch(ask.one, ask.other, one == other and draw.random() >= BAD_TOUCHES))
    return with_nets(board, readings, touches)
