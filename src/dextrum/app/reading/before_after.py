"""What a repair has changed, by readings of the same point before and after it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from dextrum.app.reading.judged import JudgedReading, judge_reading
from dextrum.core.board import Board
from dextrum.core.board.value_words import value_words
from dextrum.core.reference.table import ReferenceTable
from dextrum.tongue import tr

MOST_NAMED = 3


def was_off(board: Board, references: ReferenceTable, judged: JudgedReading) -> bool:
    """Whether the reading before the repair was abnormal."""
    before = judged.before
    return before is not None and judge_reading(board, references, judged.point, judged.method, before.value,
                                                before.wavering, before.board_celsius).verdict.is_off


def before_after_words(board: Board, references: ReferenceTable, judged: Mapping[str, JudgedReading],
                       points: Iterable[str]) -> str:
    """'Before the repair B5 CC2 read OL; it reads 0.585 V now.' Empty where nothing abnormal was read again."""
    names = {f"{port.component}.{contact.name}": f"{contact.name} {contact.shown_signal}" for port in board.ports
             for contact in port.contacts}
    changed = [judged[point] for point in points if point in judged and was_off(board, references, judged[point])]
    said = []
    for one in changed[:MOST_NAMED]:
        assert one.before is not None
        name = names.get(one.point, one.point).replace("-", "\u2212")
        said.append(tr("{name} read {value_words} and reads {value_words2} now", name=name,
                       value_words=value_words(one.before.value, one.method),
                       value_words2=value_words(one.reading.value, one.method)))
    if not said:
        return ""
    more = tr(", and {count} more changed", count=len(changed) - MOST_NAMED) if len(changed) > MOST_NAMED else ""
    return tr("Before the repair {said}{more}.", said="; ".join(said), more=more)
