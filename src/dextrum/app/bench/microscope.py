"""The simulated bench's microscope: the hidden unit's port and board drawn as they are, so that a look is a look."""

from __future__ import annotations

import cv2
import numpy as np

from dextrum.core.board import Board, Side
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.tongue import tr
from dextrum.world.photograph import Holding, Picture, from_above, photographed
from dextrum.world.port_picture import port_from_front

QUALITY = 88
PIXELS_A_MM = 24.0
STEADY = Holding(0.015, 4.0, 0.25, 0.6)
"""A microscope on its stand moves less than a camera in the hand."""


def seen(bench: SimulatedBench, what: str) -> bytes:
    """A JPEG of the port, or of the board's top or bottom. Raises HandRefusedError for anything else."""
    if what == "port":
        picture = port_picture(bench)
    elif what in ("top", "bottom"):
        picture = board_picture(bench, Side(what))
    else:
        raise HandRefusedError(tr("'{what}' is nothing under the microscope; port, top or bottom.", what=what))
    done, data = cv2.imencode(".jpg", np.ascontiguousarray(picture[:, :, ::-1]), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    if not done:
        raise HandRefusedError(tr("The microscope gave no picture."))
    return bytes(data.tobytes())


def port_picture(bench: SimulatedBench) -> Picture:
    """Bent contacts bent, dirt as dirt; a port that was changed is a new one."""
    if not bench.board.ports:
        raise HandRefusedError(tr("This unit has no port to look into."))
    port = bench.board.ports[0]
    changed = port.component in {part.partition(" ")[0] for part in bench.history.replaced}
    names = [contact.name for contact in port.contacts]
    upper = [name for name in names if not name.startswith("B")]
    lower = [name for name in reversed(names) if name.startswith("B")]  # row B runs the other way
    look = bench.look
    findings = () if changed or look.findings == ("clean",) else look.findings
    return port_from_front([row for row in (upper, lower) if row], findings, look.contacts, bench.seed)


def board_picture(bench: SimulatedBench, side: Side) -> Picture:
    """What is missing leaves bare pads, what burst a crater; what is off the board is off it here."""
    told: dict[str, set[str]] = {}
    for one in bench.unit.look_over(side):
        told.setdefault(one.what, set()).add(one.part)
    off = {part for part in bench.unit.isolated if part in bench.board.component_by_designator
           and not _is_plugged(bench.board, part)}
    flat = from_above(bench.board, side, bench.seed, frozenset(told.get("missing", set()) | off),
                      frozenset(told.get("burst", ())), frozenset(told.get("askew", ())),
                      frozenset(told.get("bridged", ())), PIXELS_A_MM)
    return photographed(flat, bench.seed, STEADY)[0]


def board_from_above(bench: SimulatedBench, side: Side) -> Picture:
    """One side straight from above, as the hands see it; the bottom with the board turned over."""
    off = frozenset(part for part in bench.unit.isolated if part in bench.board.component_by_designator
                    and not _is_plugged(bench.board, part))
    return from_above(bench.board, side, bench.seed, off, pixels_a_mm=PIXELS_A_MM)


def _is_plugged(board: Board, part: str) -> bool:
    """A connector that is unplugged stays on the board."""
    return board.component_by_designator[part].kind.value == "connector"
