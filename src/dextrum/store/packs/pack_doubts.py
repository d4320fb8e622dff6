"""What is doubtful in a pack as it lies on the disk: its board, its known-good readings, and the folder's name."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from dextrum.core.board import Board
from dextrum.core.board.doubts import Doubt, middles_of, reading_doubts, structural_doubts
from dextrum.core.circuit.network import Circuit
from dextrum.store.packs.pack_files import Pack
from dextrum.tongue import tr

OPEN_VOLTS = 2.5
USUAL_SPREAD = 0.009
"""Volts that points of a kind differ by from board to board, where the pack doesn't say."""


def doubts_of(pack: Pack, place: Path) -> tuple[Doubt, ...]:
    """In the order in which they hurt. Solves the healthy board twice, so it takes a moment."""
    from dextrum.core.circuit.fit import fit_to_known_good
    from dextrum.core.circuit.network import build_circuit

    board = pack.board
    middles = middles_of((r.point, r.method, r.value) for r in pack.known_good)
    circuit = build_circuit(board)
    at = {point: board.point_by_id[point].at for point in middles}
    fitted = fit_to_known_good(circuit, {at[point]: volts for point, volts in middles.items()})
    name = place.resolve().stem if place.suffix == ".zip" else place.resolve().name
    said = (*structural_doubts(board, name), *_mistakes(board, middles, _solved(fitted, at)), *_unlikely(board))
    named = {doubt.place for doubt in said}
    return (*said, *(doubt for doubt in reading_doubts(board, middles, _solved(circuit, at))
                     if doubt.place not in named))


def _solved(circuit: Circuit, at: Mapping[str, str]) -> dict[str, float]:
    """Volts of a healthy board by point, inf for OL."""
    from dextrum.core.circuit.solve import diode_volts

    read = {point: diode_volts(circuit, address) for point, address in at.items()}
    return {point: volts if volts < OPEN_VOLTS else float("inf") for point, volts in read.items()}


def _unlikely(board: Board) -> list[Doubt]:
    """What ends of parts are hardly on, with the touch that would tell."""
    from dextrum.core.packmaking.unlikely_nets import unlikely_in_pack

    return [Doubt(one.place, tr("{one}. To tell: {touch}", one=one.words, touch=one.touch))
            for one in unlikely_in_pack(board)]


def _mistakes(board: Board, middles: Mapping[str, float], fitted: Mapping[str, float]) -> list[Doubt]:
    """What good boards say is wrong, with the touch that would tell."""
    from dextrum.core.packmaking.wrong_pack import wrong_in_pack
    from dextrum.core.reference.good_readings import GoodReading

    kinds = {point.id: point.kind for point in board.points}
    good = {point: GoodReading(volts, board.kind_spreads.get(kinds[point], USUAL_SPREAD))
            for point, volts in middles.items()}
    return [Doubt(one.place, tr("{one}. To tell: {touch}", one=one.words,
                                touch=one.touch)) for one in wrong_in_pack(board, good, fitted)]
