"""A pack of the shop's own: begun for a unit that nobody has described, and taught by good units."""

from __future__ import annotations

import re
from dataclasses import replace

from dextrum.app.library.library import PackLibrary
from dextrum.core.board import Board, ComponentKind, FactSource, Method, SourceKind
from dextrum.core.board.bounds import EXPECTED
from dextrum.core.board.sources import with_sources
from dextrum.core.draw.records import trace_spells
from dextrum.core.job import JobFacts
from dextrum.core.packmaking.draw_profile import learned_profile
from dextrum.core.packmaking.first_rung import Opening, described
from dextrum.core.packmaking.port_template import OWN_SOCKET, TEMPLATES, own_socket
from dextrum.core.packmaking.second_rung import with_draws, with_good_unit
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.trail import DrawTrace, Entry, standing
from dextrum.errors import EntryRefusedError
from dextrum.tongue import capital, tr

MOST_OPENING_MINUTES = 240.0
_OPENING = re.compile(r"(.+?)[\s:]+([0-9]+(?:[.,][0-9]+)?)\s*(?:min)?$")


def _refused(happened: str, next_step: str) -> EntryRefusedError:
    return EntryRefusedError(happened, tr("Nothing was made."), next_step)


def parse_openings(text: str) -> tuple[Opening, ...]:
    """'back off 6, board out 12': levels beyond closed, in order. Empty: it is not opened. Raises EntryRefusedError."""
    found = []
    for part in filter(None, (p.strip() for p in re.split(r"[,;]\s*(?![0-9])", text))):
        match = _OPENING.match(part)
        if match is None:
            raise _refused(tr("{part!r} has no minutes.", part=part[:30]), tr("Such as: back off 6, board out 12."))
        minutes = float(match[2].replace(",", "."))
        if minutes > MOST_OPENING_MINUTES:
            raise _refused(tr("{minutes:g} min to open it is too long.",
                              minutes=minutes), tr("At most {most_opening_minutes:g} min.",
                                                   most_opening_minutes=MOST_OPENING_MINUTES))
        found.append(Opening(match[1].strip(), minutes))
    return tuple(found)


def begin_pack(library: PackLibrary, model: str, revision: str, port: str, signals: str = "",
               openings: str = "") -> str:
    """Make the first rung of a pack and keep it; its id. port: of TEMPLATES, or OWN_SOCKET with the signals of its
    contacts, one after the other, '?' where nobody knows.

    Raises EntryRefusedError with what is wrong, StoreError.
    """
    try:
        template = own_socket(["" if s == "?" else s for s in signals.replace(",", " ").split()]) \
            if port == OWN_SOCKET else TEMPLATES[port]
        board = described(model, revision, template, parse_openings(openings))
    except KeyError:
        raise _refused(tr("There is no kind of port {port!r}.",
                          port=port[:30]), tr("Choose one of those offered.")) from None
    except ValueError as problem:
        wrong, _, expected = str(problem).partition(EXPECTED)
        raise _refused(f"{capital(wrong)}.", tr("Expected {expected}.",
                                                expected=expected) if expected else "") from None
    if board.pack_id in library.ids():
        raise _refused(tr("A pack {pack_id} is here already.",
                          pack_id=board.pack_id), tr("Choose it, or give another revision."))
    library.keep(board)
    return board.pack_id


def readings_of_good(board: Board, facts: JobFacts) -> tuple[KnownGoodReading, ...]:
    """What was read of a unit that is said to be good, as references. Raises EntryRefusedError where nothing was."""
    found = []
    for (epoch, point, name), reading in (facts.readings or {}).items():
        method = Method(name)
        if epoch == facts.epoch and point in board.point_by_id and not reading.wavering \
                and (reading.entry_id, point) not in facts.set_aside:
            found.append(KnownGoodReading(facts.serial, point, method.compared, reading.meter, reading.value,
                                          reading.board_celsius, reading.at.date().isoformat()))
    if not found:
        raise EntryRefusedError(
            tr("Nothing was read of this unit yet."), tr("Nothing was learned."), tr("Read the port: Alt+3.")
        )
    return tuple(found)


def taught(board: Board, known: tuple[KnownGoodReading, ...], trail: tuple[Entry, ...]) -> Board:
    """The pack with what good units have shown. known: of all of them; trail: of the one in hand, with its traces."""
    red: dict[str, list[float]] = {}
    for reading in known:
        if reading.method is Method.DIODE_RED_GROUND:
            red.setdefault(reading.point, []).append(reading.value)
    grown = with_good_unit(board, {point: sorted(values)[len(values) // 2] for point, values in red.items()})
    boards = {reading.board_serial for reading in known if reading.method is Method.DIODE_RED_GROUND}
    if boards:
        grown = replace(grown, sources=with_sources(grown.sources, [
            FactSource("junctions", SourceKind.MEASURED, len(boards))]))
    traces = [e.payload for e in standing(trail) if isinstance(e.payload, DrawTrace)]
    if not traces:
        return grown
    ways = ("cc_{o}",) if "cc_a" in {f.id for f in grown.functions} else ("",)
    supply_class = next((t.supply_class for t in traces if t.supply_class), board.supply_class_default)
    drawn = with_draws(grown, learned_profile([trace_spells(trace) for trace in traces], supply_class, ways))
    return drawn if drawn is grown else replace(drawn, sources=with_sources(drawn.sources, [
        FactSource("draw_states", SourceKind.LEARNED, len(traces))]))


def rung_of(board: Board) -> int:
    """How far up the ladder of docs/packmaking.md a pack is."""
    kinds = {part.kind for part in board.components if not part.undescribed}
    if kinds - {ComponentKind.RECEPTACLE}:
        return 3 if len(board.components) < 30 else 4
    return 2 if any(t.junction_volts is not None for part in board.components if part.undescribed
                    for t in part.terminals) else 1
