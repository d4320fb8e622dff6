"""Copper that breaks on a board of which nobody has said where: between what lies at the port and the chip that a line
goes to.

Filters, arrays and contacts lie at the port, a chip and its capacitors beyond; where a signal's copper breaks, it
mostly does between the two. Supplies are broad copper, and are left out.
"""

from __future__ import annotations

from dataclasses import replace

from dextrum.core.board import Board, ComponentKind, FactSource, NetRole, SourceKind, Trace
from dextrum.core.board.copper import joined_nets
from dextrum.core.board.sources import with_sources

AT_PORT = (ComponentKind.RECEPTACLE, ComponentKind.FILTER, ComponentKind.ESD_ARRAY, ComponentKind.LINK)
BEYOND = (ComponentKind.IC, ComponentKind.CAPACITOR, ComponentKind.RESISTOR)
TRACE = "trace "
BROAD = (NetRole.GROUND, NetRole.VBUS, NetRole.RAIL, NetRole.CORE_RAIL)


def with_usual_traces(board: Board) -> Board:
    """The pack with a trace for each line from the port to a placed chip, its source kept as usual for such a board.
    Traces that somebody has described stay, and speak for their net; for a pack without anything undescribed nothing
    changes."""
    if not any(part.undescribed for part in board.components):
        return board
    usual = {source.of for source in board.sources if source.source is SourceKind.DEFAULT}
    told = tuple(trace for trace in board.traces if _of(trace) not in usual)
    spoken_for = {trace.net for trace in told}
    joined = joined_nets(board)
    role = {net.name: net.role for net in board.nets}
    from_port = {joined[t.net] for part in board.components if part.kind is ComponentKind.RECEPTACLE
                 for t in part.terminals if role[t.net] not in BROAD}
    made = []
    for net in board.nets:
        if net.name in spoken_for or net.role in BROAD or joined[net.name] not in from_port:
            continue
        ends = [(part, f"{part.designator}.{t.name}") for part in board.components for t in part.terminals
                if t.net == net.name]
        near = any(part.kind in AT_PORT for part, _ in ends)
        chip = any(part.kind is ComponentKind.IC and not part.undescribed for part, _ in ends)
        if near and chip:
            made.append(Trace(net.name, net.name, tuple(end for part, end in ends if part.kind in BEYOND)))
    sources = tuple(source for source in board.sources if source.of not in usual or not source.of.startswith(TRACE))
    sources = with_sources(sources, (FactSource(_of(trace), SourceKind.DEFAULT) for trace in made))
    if (*told, *made) == board.traces and set(sources) == set(board.sources):
        return board
    return replace(board, traces=(*told, *made), sources=sources)


def _of(trace: Trace) -> str:
    """What a source calls it."""
    return f"{TRACE}{trace.id}"
