"""What is doubtful in a pack as it lies on the disk: its board, its known-good readings, and the folder's name."""

from __future__ import annotations

from pathlib import Path

from dextrum.core.board.doubts import Doubt, middles_of, reading_doubts, structural_doubts
from dextrum.store.packs.pack_files import Pack

OPEN_VOLTS = 2.5


def doubts_of(pack: Pack, place: Path) -> tuple[Doubt, ...]:
    """In the order in which they hurt. Solves the healthy board once, so it takes a moment."""
    from dextrum.core.circuit.network import build_circuit
    from dextrum.core.circuit.solve import diode_volts

    board = pack.board
    middles = middles_of((r.point, r.method, r.value) for r in pack.known_good)
    circuit = build_circuit(board)
    predicted = {}
    for point in middles:
        volts = diode_volts(circuit, board.point_by_id[point].at)
        predicted[point] = volts if volts < OPEN_VOLTS else float("inf")
    name = place.resolve().stem if place.suffix == ".zip" else place.resolve().name
    return (*structural_doubts(board, name), *reading_doubts(board, middles, predicted))
