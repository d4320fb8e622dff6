"""What the commands of safety do: signs of danger seen and made safe, the port cleaned, the audit, the cell out."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dextrum.app.advising.looking import parse_audit
from dextrum.app.job.cell_out import cell_out
from dextrum.core.safety.signs import SIGN_WORDS, SIGNS
from dextrum.core.trail import PADS, Audit, Danger, Payload, Rework
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow


TICKED = {"counted": tr("counted"), "bridges": tr("no bridges"), "flux": tr("flux off"), PADS: tr("pads seen")}
"""Steps of an audit in few words, beside the line that takes what was seen."""


class SafetyCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "safety.danger": self.danger, "safety.safe": self.made_safe, "rework.audit": self.audit,
            "port.cleaned": self.cleaned, "cell.ask": self.ask_cell,
        }

    def _ask(self, words: str, make: Callable[[str, str], tuple[Payload, ...]],
             choices: tuple[tuple[str, str], ...] = ()) -> None:
        """Ask for a note, and record what comes of it."""
        def answer(note: str, choice: str) -> str:
            return "" if self.model.record(*make(note.strip(), choice)) else tr("Not recorded.")

        self.window.ask.ask(words, answer, "", choices, self.window.focusWidget())

    def danger(self) -> None:
        self._ask(tr("Danger seen; a note, if any"), lambda note, sign: (Danger((sign,), "seen", note),),
                  tuple((sign, SIGN_WORDS[sign]) for sign in SIGNS))

    def made_safe(self) -> None:
        signs = [sign for sign in SIGNS if sign in self.model.facts.danger]
        if not signs:
            self.window.trail.say(tr("No sign of danger stands on this job."))
            return
        self._ask(tr("Isolated, opened, cell out, inspected: what was found"),
                  lambda note, sign: (*cell_out(self.model.board, self.model.facts), Danger((sign,), "cleared", note)),
                  tuple((sign, SIGN_WORDS[sign]) for sign in signs))

    def audit(self) -> None:
        """Of the part that was heated first; what is seen round it is evidence."""
        from dextrum.core.diagnosis.board_look import pads_lie_bare

        missing, board = self.model.facts.unaudited or {}, self.model.board
        if not missing:
            self.window.trail.say(tr("Nothing waits for its audit."))
            return
        part, steps = next(iter(missing.items()))
        every = ", ".join(TICKED[step] for step in steps)
        choices = ((" ".join(steps), every), *((step, TICKED[step]) for step in steps if len(steps) > 1))
        bare = board is not None and pads_lie_bare(board, part, self.model.facts.reworks)
        if bare:
            choices = ((" ".join((*steps, PADS)), f"{every}, {TICKED[PADS]}"), *choices)
        line = tr("Seen round {part} and on its pads (C62 missing; missing before; {part} torn; note: …); "
                  "empty: nothing amiss", part=part) if bare else tr(
            "Seen round {part} (C62 missing; missing before; note: …); empty: nothing amiss", part=part)

        def answer(text: str, chosen: str) -> str:
            try:
                seen, note = parse_audit(board, part, text)
            except DextrumError as problem:
                return problem.happened
            audit = Audit(tuple(chosen.split()), note, part, seen)
            return "" if self.model.record(audit) else tr("Not recorded.")

        self.window.ask.ask(line, answer, "", choices, self.window.focusWidget())

    def cleaned(self) -> None:
        board = self.model.board
        port = board.ports[0].component if board is not None and board.ports else "port"
        self._ask(tr("Port cleaned; a note, if any"), lambda note, _c: (Rework("clean", port, note=note),))

    def ask_cell(self) -> None:
        self._ask(tr("Is the cell unplugged? Enter records it, Esc leaves"),
                  lambda _note, _c: cell_out(self.model.board, self.model.facts))
