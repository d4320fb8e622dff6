"""What the commands of sound do: how loud, which cues, and whether points and verdicts are spoken."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dextrum.app.reading.capture import CUE_WORDS, Cue
from dextrum.app.reading.typed import parse_number
from dextrum.desktop.capture.sound import Sounder
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow


class SoundCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow, sounder: Sounder) -> None:
        self.window = window
        self.sounder = sounder
        self.handlers: dict[str, Callable[[], None]] = {
            "sound.level": self.ask_level, "sound.cues": self.ask_cues, "sound.speech": self.toggle_speech,
        }

    def ask_level(self) -> None:
        def answer(text: str, _choice: str) -> str:
            try:
                self.sounder.set_level(round(parse_number(text, 0.0, 100.0, "%")))
            except DextrumError as problem:
                return problem.happened
            self.sounder.play(Cue.WITHIN)
            return ""

        self.window.ask.ask(tr("How loud, 0 to 100 %; 0 is silent"), answer, f"{self.sounder.level}", (),
                            self.window.focusWidget())

    def ask_cues(self) -> None:
        def answer(_text: str, cue: str) -> str:
            chosen = Cue(cue)
            self.sounder.switch(chosen, chosen not in self.sounder.cues)
            return ""

        choices = tuple(
            (c.value, f"{CUE_WORDS[c]}: {tr('heard') if c in self.sounder.cues else tr('silent')}") for c in Cue
        )
        self.window.ask.ask(tr("Switch a cue on or off"), answer, "", choices, self.window.focusWidget())

    def toggle_speech(self) -> None:
        self.sounder.speak_from_now(not self.sounder.speaks)
        self.window.trail.say(tr("Points and verdicts are spoken") if self.sounder.speaks else tr("Nothing is spoken"))
