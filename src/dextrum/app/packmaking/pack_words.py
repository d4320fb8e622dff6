"""What a pack knows and doesn't, in words: the ladder as the technician stands on it."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.app.packmaking.own_packs import rung_of
from dextrum.core.board import Board, ComponentKind, SourceKind
from dextrum.core.board.sources import SOURCE_WORDS
from dextrum.core.packmaking.draw_profile import LEARNED
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel
    from dextrum.core.packmaking.wrong_pack import PackMistake

RUNGS = {
    1: tr("the port alone"),
    2: tr("the port, and one good unit"),
    3: tr("the parts that matter"),
    4: tr("rails and loads"),
}


@dataclass(frozen=True)
class Standing:
    """sentence: which rung; can, can_not: what is told and what isn't; next_step: what makes it better; facts: (what,
    how much, where from)."""

    sentence: str
    can: tuple[str, ...]
    can_not: tuple[str, ...]
    next_step: str
    facts: tuple[tuple[str, str, str], ...]


def standing_of(board: Board, known: tuple[KnownGoodReading, ...], own: bool) -> Standing:
    """How far a pack has come. own: whether it is the shop's own and may grow."""
    rung = rung_of(board)
    boards = sorted({reading.board_serial for reading in known})
    parts = [part for part in board.components if not part.undescribed]
    learned = [state for state in board.draw_states if state.meaning.startswith(LEARNED)]
    can = [tr("which contacts of one node differ, and which twins do")] if board.ports else []
    can_not = []
    if boards:
        can.append(tr("which readings are off, beside {count} good board{s}", count=len(boards),
                      s="s" if len(boards) != 1 else ""))
    else:
        can_not.append(tr("whether a reading is as on a good board: none was read yet"))
    if rung == 1:
        can_not.append(tr("which part is at fault: none is described"))
    elif rung == 2:
        can.append(tr("whether a contact is open or shorted, or something behind the port is, and how sure"))
        hidden = [part.designator for part in board.components if part.undescribed]
        can_not.append(tr("which part behind the port: all of them stand as {names}", names=", ".join(hidden)))
    else:
        can.append(tr("which of {count} parts is at fault, and how sure", count=len(parts)))
    if board.draw_states:
        can.append(tr("in which of {count} states the draw is", count=len(board.draw_states)))
    else:
        can_not.append(tr("what a draw means: no trace of a good unit was learned from"))
    return Standing(
        tr("{model}, revision {revision}: {rungs}.", model=board.model, revision=board.revision, rungs=RUNGS[rung]),
        tuple(can),
        tuple(can_not),
        _next_step(rung, bool(boards), bool(board.draw_states), own),
        (
            (
                tr("Port"),
                tr("{count} contacts", count=sum(len(port.contacts) for port in board.ports)),
                tr("chosen") if rung < 3 else tr("pack"),
            ),
            (tr("Points"), f"{len(board.points)}", tr("the port's own") if rung < 3 else tr("pack")),
            (
                tr("Parts"),
                f"{len([p for p in parts if p.kind is not ComponentKind.RECEPTACLE])}",
                tr("not described yet") if rung < 3 else tr("pack"),
            ),
            *_net_facts(board),
            *_other_facts(board),
            *(
                (
                    (
                        tr("Circuit"),
                        tr("{count} functions", count=len(board.functions)),
                        tr("template {template}", template=board.circuit.template),
                    ),
                )
                if board.circuit is not None
                else ()
            ),
            (
                tr("Good boards"),
                f"{len(boards)}",
                ", ".join(boards[:4]) + (" …" if len(boards) > 4 else "") or tr("none yet"),
            ),
            (
                tr("Draw states"),
                f"{len(board.draw_states)}",
                learned[0].meaning if learned else (tr("pack") if board.draw_states else tr("none yet")),
            ),
        ),
    )


SURE_FROM = 0.98
"""Chance from which a net counts as known on the page; below it, it is said to be proposed or guessed."""


def _net_facts(board: Board) -> tuple[tuple[str, str, str], ...]:
    """Where the nets of placed ends come from; nothing for a pack that says nothing of it."""
    own = [one for one in board.sources if one.end]
    unknown = sum(board.net_is_unknown(f"{part.designator}.{terminal.name}") for part in board.components
                  if not part.undescribed for terminal in part.terminals)
    if not own and not unknown:
        return ()
    count = Counter(one.source for one in own)
    said = [f"{much} {SOURCE_WORDS[source]}" for source, much in count.most_common()]
    said += [tr("{unknown} not known yet", unknown=unknown)] if unknown else []
    unsure = sum(one.sureness < SURE_FROM for one in own)
    return ((tr("Nets of ends"), tr("{count} known, {unsure} of them not surely", count=len(own),
                                    unsure=unsure) if unsure else tr("{count} known", count=len(own)),
             ", ".join(said)),)


def _other_facts(board: Board) -> tuple[tuple[str, str, str], ...]:
    """Where what a pack says of junctions, rates and repairs comes from; nothing of what it says nothing of."""
    said = {one.of: one for one in board.sources if not one.end}
    much = {"junctions": (tr("Junctions"), sum(t.junction_volts is not None for part in board.components
                                               for t in part.terminals)),
            "failure_rates": (tr("Failure rates"), len(board.failure_rates)),
            "repair_rules": (tr("Repairs"), len(board.repair_rules))}
    found = []
    for what, (words, count) in much.items():
        one = said.get(what)
        if one is not None and count:
            source = SOURCE_WORDS[one.source]
            found.append((words, f"{count}", tr("{source} on {count} good unit{s}", source=source, count=one.times,
                                                s="s" if one.times != 1 else "")
                          if one.source is SourceKind.MEASURED else source))
    return tuple(found)


def mistakes_of(model: DiagnosisModel) -> tuple[PackMistake, ...]:
    """Where good boards contradict a pack, and what its parts are hardly on, likeliest first. Solves the healthy board,
    so call it off the window's thread."""
    from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
    from dextrum.core.packmaking.unlikely_nets import apart_in_pack, left_out_in_pack, unlikely_in_pack
    from dextrum.core.packmaking.wrong_pack import wrong_in_pack
    from dextrum.core.reference.good_readings import good_readings

    healthy = model.red_ground.values[NOTHING_ROW]
    predicted = {point: float(healthy[column]) for point, column in model.red_ground.column.items()
                 if healthy[column] == healthy[column]}
    return joined_mistakes(wrong_in_pack(model.board, good_readings(model.board, model.references), predicted),
                           (*unlikely_in_pack(model.board), *left_out_in_pack(model.board, model.references),
                            *apart_in_pack(model.board, model.references)))


def joined_mistakes(contradicted: tuple[PackMistake, ...], unlikely: tuple[PackMistake, ...]) -> (
        tuple[PackMistake, ...]):
    """Both, likeliest first; a place that readings contradict is not named twice."""
    named = {one.place for one in contradicted}
    return tuple(sorted((*contradicted, *(one for one in unlikely if one.place not in named)),
                        key=lambda one: -one.weight))


MOST_MISTAKES = 4


def mistake_lines(found: tuple[PackMistake, ...]) -> tuple[str, ...]:
    """For the page: what is likely wrong, and what would tell."""
    said = [tr("{one}. To tell: {touch}.", one=one.words, touch=one.touch) for one in found[:MOST_MISTAKES]]
    return (*said, *([tr("And {count} more.", count=len(found) - MOST_MISTAKES)] if len(found) > MOST_MISTAKES else []))


def _next_step(rung: int, boards: bool, draws: bool, own: bool) -> str:
    if not own:
        return (tr("This pack came with the program or as a whole, and is left as it is; another revision can be "
                   "made beside it."))
    if not boards:
        return tr("Next: read the port of a good unit of this model, then say here that it is good.")
    if rung < 3 and not draws:
        return tr("Next: record the supply of a good unit for some minutes, then say again that it is good.")
    return tr("Next: read further good units; each makes the references narrower.")
