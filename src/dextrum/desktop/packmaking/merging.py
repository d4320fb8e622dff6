"""Another shop's pack of the same board taken into our own: what differs is asked, one thing after the other."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.desktop.frame.ask_in_turn import Question, ask_in_turn
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.packmaking.merging import Difference, MergedPack
    from dextrum.desktop.frame.window import MainWindow

MOST_ASKED = 60
"""Differences that are asked about; beyond that the two are hardly of one board, and ours stays."""
MOST_LETTERS = 70


def ask_merge(window: MainWindow) -> None:
    """The other pack as a folder or zip; it is read and compared beside the window."""
    board = window.model.board
    if board is None:
        window.trail.say(tr("This job has no board pack."))
        return
    library, pack_id = window.session.library, board.pack_id

    def answer(text: str, _choice: str) -> str:
        if not text.strip():
            return tr("Its folder, or the zip that was sent.")
        place = Path(text.strip()).expanduser()

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.app.packmaking.merge_packs import merged
            from dextrum.store.packs.pack_files import load_pack

            try:
                theirs = load_pack(place)
                return theirs, merged(library.pack(pack_id), theirs)
            except DextrumError as problem:
                return problem

        return window.long_work.run(tr("Comparing the two packs"), work,
                                    lambda found: _compared(window, pack_id, found), False)

    window.ask.ask(tr("Another shop's pack of this board, as a folder or zip"), answer, "", (), window.focusWidget())


def _compared(window: MainWindow, pack_id: str, read: object) -> None:
    if isinstance(read, DextrumError):
        window.say_problem(f"{read.happened} {read.next_step}")
        return
    assert isinstance(read, tuple)
    theirs, found = read
    wins: set[str] = set()

    def keep() -> str:
        from dextrum.app.packmaking.merge_packs import merge_into_own

        try:
            done = merge_into_own(window.session.library, pack_id, theirs, frozenset(wins))
        except DextrumError as problem:
            return f"{problem.happened} {problem.next_step}"
        window.model.pack_has_grown()
        window.trail.say(_told(done, len(wins)))
        return ""

    if not found.differences:
        wrong = keep()
        if wrong:
            window.say_problem(wrong)
        return
    ask_in_turn(window, [_question(one, wins) for one in found.differences[:MOST_ASKED]], keep)


def _question(one: Difference, wins: set[str]) -> Question:
    def take(choice: str) -> str:
        (wins.add if choice == "theirs" else wins.discard)(one.id)
        return ""

    return Question(f"{one.section} {one.name}".replace("_", " ").strip(), take, choices=(
        ("ours", tr("ours: {ours}", ours=one.ours[:MOST_LETTERS])), ("theirs", tr("theirs: {theirs}",
                                                                                  theirs=one.theirs[:MOST_LETTERS]))))


def _told(done: MergedPack, theirs: int) -> str:
    same = tr(", {count} of theirs under our names", count=len(done.renamed)) if done.renamed else ""
    return tr("Merged: {count} things taken{same}, {theirs} decided for them.", count=len(done.added), same=same,
              theirs=theirs)
