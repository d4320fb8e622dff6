"""The first rung: a pack that knows a port and how the unit opens, and nothing of the board behind it."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, replace

from dextrum.core.board import (
    AccessLevel,
    Board,
    Component,
    ComponentKind,
    Net,
    NetRole,
    Point,
    Port,
    ProofCheck,
    Side,
    Terminal,
)
from dextrum.core.packmaking.kind_defaults import PRICES
from dextrum.core.packmaking.port_template import PortTemplate
from dextrum.tongue import tr

PORT = "J1"
OUTLINE_MM = ((0.0, 0.0), (60.0, 0.0), (60.0, 30.0), (0.0, 30.0))
"""Until somebody measures the board: something to draw a port on."""
PORT_MM = (30.0, 26.0)
PITCH_MM = 0.5
"""Of the contacts of a USB-C receptacle, by its specification; others are drawn alike."""
MOST_NAME = 60
CLOSED = "closed"


@dataclass(frozen=True)
class Opening:
    """How far a unit opens: in words, and the minutes from the level before."""

    words: str
    minutes: float


def pack_id_of(model: str, revision: str) -> str:
    """'Tarnwick Grip', 'B' to 'tarnwick-grip-b'; letters of other scripts are left out. Raises ValueError where nothing
    is left."""
    named, revised = (re.sub(r"[^a-z0-9]+", "-", unicodedata.normalize("NFKD", text).encode(
        "ascii", "ignore").decode().lower()).strip("-") for text in (model, revision))
    if not named:
        raise ValueError(tr("the model has no plain letter or figure; expected a name such as 'Tarnwick Grip'"))
    return f"{named}-{revised}".strip("-")[:MOST_NAME]


def short_name(model: str) -> str:
    """The last word of a model's name, as a shelf's card has room for."""
    return (model.split() or [model])[-1][:12]


def resized(board: Board, width_mm: float, height_mm: float) -> Board:
    """The pack with its board's true size: what was drawn to stand somewhere moves along. A pack that has parts of its
    own keeps its places."""
    if any(not part.undescribed and part.designator != PORT for part in board.components):
        return board
    was_x, was_y = (max(place[axis] for place in board.outline_mm) for axis in (0, 1))
    across, down = width_mm / was_x, height_mm / was_y
    port = next((part for part in board.components if part.designator == PORT), None)
    by = (0.0, 0.0) if port is None else (port.x_mm * across - port.x_mm, port.y_mm * down - port.y_mm)
    parts = tuple(replace(part, x_mm=round(part.x_mm * across, 2), y_mm=round(part.y_mm * down, 2),
                          width_mm=round(part.width_mm * (across if part.undescribed else 1.0), 2),
                          height_mm=round(part.height_mm * (down if part.undescribed else 1.0), 2))
                  for part in board.components)
    return replace(board, components=parts,
                   outline_mm=((0.0, 0.0), (width_mm, 0.0), (width_mm, height_mm), (0.0, height_mm)),
                   points=tuple(replace(point, x_mm=round(point.x_mm + by[0], 2), y_mm=round(point.y_mm + by[1], 2))
                                for point in board.points))


def described(model: str, revision: str, port: PortTemplate, openings: Sequence[Opening] = ()) -> Board:
    """A pack of what is known in half a minute. openings: beyond closed, in order.

    Raises ValueError with what is wrong and what was expected.
    """
    model, revision = model.strip(), revision.strip() or "A"
    if not model or len(model) > MOST_NAME:
        raise ValueError(tr("no model is named; expected a name such as 'Tarnwick Grip'") if not model else
                         tr("the model's name has {count} letters; expected at most {most_name}", count=len(model),
                            most_name=MOST_NAME))
    names = [opening.words.strip() for opening in openings]
    if len(set(names)) != len(names) or "" in names or {CLOSED, tr("closed")} & set(names):
        raise ValueError(tr("two ways of opening have one name, or none; expected words such as 'back off'"))
    levels = (AccessLevel(CLOSED, tr("closed"), 0.0), *(
        AccessLevel(re.sub(r"[^a-z0-9]+", "_", opening.words.strip().lower()).strip("_") or f"level_{k}",
                    opening.words.strip(), opening.minutes) for k, opening in enumerate(openings, start=1)))
    x, y = PORT_MM
    places = {contact.name: (round(x + PITCH_MM * (contact.place - 6.5) * (1 if contact.row == "A" else -1), 2),
                             round(y + 3.0 + (0.0 if contact.row == "A" else -0.8), 2)) for contact in port.contacts}
    wide = max(9.0, PITCH_MM * len(port.contacts))
    if not port.is_usb_c:
        # Nothing says how its contacts lie: one row over its width.
        count = len(port.contacts)
        places = {c.name: (round(x + wide * ((k + 0.5) / count - 0.5), 2), y) for k, c in enumerate(port.contacts)}
    component = Component(PORT, ComponentKind.RECEPTACLE, tr("charge port"),
                          tuple(Terminal(c.name, port.net_of[c.name]) for c in port.contacts), Side.TOP, x, y,
                          wide, 7.4, heat_sensitive=True,
                          price=PRICES[ComponentKind.RECEPTACLE])
    points = tuple(Point(f"{PORT}.{c.name}", f"{PORT}.{c.name}", Side.TOP, *places[c.name], CLOSED,
                         port.roles[port.net_of[c.name]].value) for c in port.contacts)
    ways = (
        (("charge_a", tr("Charges with the A side up")), ("charge_b", tr("Charges with the B side up")))
        if port.is_usb_c
        else (("charge", tr("Charges")),)
    )
    docks = (("dock_a", tr("Picture in the dock with the A side up")),
             ("dock_b", tr("Picture in the dock with the B side up"))) if NetRole.LANE in port.roles.values() else ()
    checks = (*(ProofCheck(name, words, 2.0) for name, words in (*ways, ("boot", tr("Starts up")), *docks)),
              ProofCheck("screws", tr("Screws counted, none missing"), 1.0, powered=False))
    return Board(pack_id_of(model, revision), model, short_name(model), "board", revision, OUTLINE_MM,
                 tuple(Net(net, role) for net, role in port.roles.items()), (component,), points,
                 (Port(PORT, port.contacts, port.one_node, port.twins),), levels, checks=checks)
