"""What is typed after looking over the board: 'C61 C62 missing, U3 burst'."""

from __future__ import annotations

import re
from dataclasses import replace

from dextrum.core.board import Board
from dextrum.core.looks import BOARD_FINDING_WORDS, BOARD_FINDINGS, MISSING
from dextrum.core.saying import Say, plain
from dextrum.core.trail import PartSeen, Swap
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

ALSO = {"gone": "missing", "off": "missing", "empty": "missing", "cracked": "burst", "cratered": "burst",
        "burnt": "burst", "crooked": "askew", "shifted": "askew", "wet": "corroded", "corrosion": "corroded",
        "green": "corroded", "bridge": "bridged", "bridges": "bridged", "solder": "bridged",
        "exchanged": "swapped", "wrong": "swapped", "moved": "swapped",
        "ripped": "torn", "abgerissen": "torn", "gerissenes": "torn",
        "rotated": "turned", "reversed": "turned", "backwards": "turned",
        "worked": "worked_on", "flux": "worked_on", "reworked": "worked_on",
        "fehlt": "missing", "fehlen": "missing", "weg": "missing", "ab": "missing", "leer": "missing",
        "geplatzt": "burst", "gerissen": "burst", "verbrannt": "burst", "schief": "askew", "verschoben": "askew",
        "korrodiert": "corroded", "korrosion": "corroded", "nass": "corroded", "grün": "corroded",
        "überbrückt": "bridged", "brücke": "bridged", "lotbrücke": "bridged", "lot": "bridged",
        "vertauscht": "swapped", "falsch": "swapped", "verdreht": "turned", "gedreht": "turned",
        "bearbeitet": "worked_on", "flussmittel": "worked_on", "nachgelötet": "worked_on"}
"""Other words for the findings, in every language of the window."""
FILLING = frozenset({"on", "is", "are", "and", "ist", "sind", "und", "schon", "auf", "already", "pad", "pads", "under"})
BEFORE = frozenset({"before", "vorher", "davor"})
"""After 'missing': the photo made before the work shows it so already. 'Worked on before' is a finding of its own."""
SAYING = ", ".join(BOARD_FINDING_WORDS[name] for name in BOARD_FINDINGS)


def _refuse(happened: str) -> EntryRefusedError:
    return EntryRefusedError(happened, tr("Nothing was recorded; what was typed stays."), "")


def parse_board_look(board: Board, side: str, text: str, photo_before: bool = False) -> tuple[PartSeen, ...]:
    """Parts with what they look like; nothing typed is nothing amiss. photo_before: it is compared with a photo made
    before the work, so that 'before' tells what was missing by then. Raises EntryRefusedError with what is wrong."""
    by_name = {part.designator.casefold(): part for part in board.components}
    seen: list[PartSeen] = []
    waiting: list[str] = []
    group = 0
    for word in text.replace(",", " ").replace(";", " ").split():
        plain = word.casefold()
        what = plain if plain in BOARD_FINDINGS else ALSO.get(plain, "")
        if what:
            if not waiting:
                if seen and seen[-1].what == what:
                    continue
                raise _refuse(tr("{word!r} stands without a part. A part comes first: C62 missing.", word=word[:20]))
            group = len(seen)
            seen += [PartSeen(part, what) for part in waiting]
            waiting = []
        elif plain in by_name:
            part = by_name[plain]
            if part.side.value != side:
                raise _refuse(tr("{designator} is on the {side} side.", designator=part.designator,
                                 side=tr(part.side.value)))
            waiting.append(part.designator)
        elif plain in BEFORE and photo_before and not waiting and seen and seen[-1].what == MISSING:
            seen[group:] = [replace(one, before=True) for one in seen[group:]]
        elif plain not in FILLING | BEFORE:
            raise _refuse(tr("{word!r} is no part of this board, and none of: {saying}.", word=word[:20],
                             saying=SAYING))
    if waiting:
        raise _refuse(tr("What is wrong with {waiting}? {saying}.", waiting=", ".join(waiting), saying=SAYING))
    return tuple(dict.fromkeys(seen))


NOTE = re.compile(r"\b(?:note|notiz)\b", re.IGNORECASE)
"""What stands after this word is kept as it is."""


def parse_audit(board: Board | None, part: str, text: str) -> tuple[tuple[PartSeen, ...], str]:
    """What was seen round a part after heat, and a note: 'C62 missing; note: flux under J1'. On a trace, or without a
    pack, all of it is a note. Raises EntryRefusedError."""
    place = board.component_by_designator.get(part) if board is not None else None
    found = NOTE.search(text) if place is not None else None
    seen, note = (text[:found.start()], text[found.end():]) if found else (text, "")
    if board is None or place is None:
        return (), text.strip()
    return parse_board_look(board, place.side.value, seen, photo_before=True), note.strip(" :;,") if found else ""


def swap_words(board: Board | None, swap: Swap, say: Say = plain) -> str:
    """'With a known-good dock, 'no picture in the dock' was gone'."""
    symptom = board.symptom_by_id.get(swap.symptom) if board else None
    words = say(symptom.words if symptom else swap.symptom)
    return say(tr("With {thing}, '{symptom}' was gone") if swap.gone else tr("With {thing}, '{symptom}' stayed"),
               thing=say(swap.thing), symptom=words)
