"""Cues that are heard while the eyes are at the microscope. Tones are made here; there is no sound file and no network.

They go to Qt's multimedia where its libraries are, else to the system's player of raw sound, else they are a beep. The
visual cue of the panel is always there. Speech is the system's own synthesiser, off by default.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication

from dextrum.app.reading.capture import CUE_WORDS, Cue
from dextrum.store.jobs import JobStore
from dextrum.tongue import spoken

if TYPE_CHECKING:
    from PySide6.QtCore import QProcess

RATE = 22_050
FADE_SECONDS = 0.008
TONES: dict[Cue, tuple[tuple[float, float], ...]] = {
    Cue.NEXT: ((660.0, 0.05),),
    Cue.WITHIN: ((880.0, 0.09),),
    Cue.OFF: ((440.0, 0.10), (350.0, 0.16)),
    Cue.OPEN: ((1320.0, 0.07), (0.0, 0.05), (1320.0, 0.07)),
    Cue.GROUNDED: ((165.0, 0.35),),
    Cue.QUESTION: ((520.0, 0.10), (700.0, 0.14)),
    Cue.PROBE: ((520.0, 0.08), (0.0, 0.08), (520.0, 0.08)),
    Cue.OVER: ((660.0, 0.09), (880.0, 0.09), (1100.0, 0.16)),
}
"""Hertz and seconds, one after another; 0 Hz is silence. No two cues are alike in pitch and in rhythm."""
PLAYERS = (("pw-play",), ("paplay",), ("aplay", "-q"))
SPEAKERS = (("spd-say", "--wait", "-l"), ("espeak-ng", "-v"), ("espeak", "-v"))
"""Each is told the window's language and the words: the desktop's own voice may be of another."""
MOST_WAITING = 2
"""Sentences that wait for their turn; by then the hand is further."""
LEVEL, CUES, SPEECH = "sound.level", "sound.cues", "sound.speech"
Player = Callable[[bytes], None]


@lru_cache(maxsize=64)
def samples_of(cue: Cue, level: int) -> bytes:
    """16-bit mono at RATE; each tone fades in and out so that it doesn't click."""
    import numpy as np

    parts = []
    for hertz, seconds in TONES[cue]:
        at = np.arange(int(RATE * seconds)) / RATE
        fade = np.clip(np.minimum(at, seconds - at) / FADE_SECONDS, 0.0, 1.0)
        parts.append(np.sin(2.0 * np.pi * hertz * at) * fade)
    return bytes((np.concatenate(parts) * 32_000.0 * level / 100.0).astype("<i2").tobytes())


class _SystemPlayer:
    """Hands a wave file to the system's player."""

    def __init__(self, command: tuple[str, ...]) -> None:
        import tempfile

        self.command = command
        self.folder = tempfile.TemporaryDirectory(prefix="dextrum-cues-")

    def __call__(self, samples: bytes) -> None:
        import subprocess
        import wave

        path = Path(self.folder.name) / f"{hash(samples) & 0xFFFFFFFF:08x}.wav"
        if not path.exists():
            with wave.open(str(path), "wb") as file:
                file.setnchannels(1)
                file.setsampwidth(2)
                file.setframerate(RATE)
                file.writeframes(samples)
        subprocess.Popen([*self.command, str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def _multimedia_player(parent: QObject) -> Player | None:
    try:
        from PySide6.QtMultimedia import QAudioFormat, QAudioSink  # type: ignore[import-not-found,unused-ignore]
    except ImportError:
        return None
    from PySide6.QtCore import QBuffer, QByteArray

    form = QAudioFormat()
    form.setSampleRate(RATE)
    form.setChannelCount(1)
    form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
    sink = QAudioSink(form, parent)
    held: list[QBuffer] = []

    def play(samples: bytes) -> None:
        buffer = QBuffer(parent)
        buffer.setData(QByteArray(samples))
        buffer.open(QBuffer.OpenModeFlag.ReadOnly)
        held[:] = [buffer]
        sink.start(buffer)

    return play


class Sounder(QObject):
    """Sounds cues as the settings have it. Nothing sounds where there is no screen."""

    def __init__(self, store: JobStore, parent: QObject | None = None, player: Player | None = None) -> None:
        super().__init__(parent)
        self._store = store
        self._player = player
        self._found = player is not None
        self.heard: list[Cue] = []
        self.said: list[str] = []
        self._to_say: list[str] = []
        self._voice: QProcess | None = None

    @property
    def level(self) -> int:
        text = self._store.setting(LEVEL, "60")
        return min(max(int(text), 0), 100) if text.isdigit() else 60

    @property
    def cues(self) -> frozenset[Cue]:
        """Cues that are sounded."""
        off = set(self._store.setting(CUES, "").split())
        return frozenset(cue for cue in Cue if cue.value not in off)

    @property
    def speaks(self) -> bool:
        return self._store.setting(SPEECH, "off") == "on"

    def set_level(self, level: int) -> None:
        self._store.set_setting(LEVEL, str(level))

    def switch(self, cue: Cue, on: bool) -> None:
        off = {c.value for c in Cue if c not in self.cues} - {cue.value}
        self._store.set_setting(CUES, " ".join(sorted(off if on else off | {cue.value})))

    def speak_from_now(self, on: bool) -> None:
        self._store.set_setting(SPEECH, "on" if on else "off")

    @property
    def muted(self) -> bool:
        return self._player is None and QGuiApplication.platformName() in ("offscreen", "minimal")

    def play(self, cue: Cue, words: str = "", after: int = 0) -> None:
        """Sound a cue, after so many milliseconds. words: what is spoken, where speech is on."""
        if after:
            QTimer.singleShot(after, self, lambda: self.play(cue, words))
            return
        self.heard = [*self.heard[-99:], cue]
        self.said = [*self.said[-99:], words or CUE_WORDS[cue]]
        if self.muted or not self.level or cue not in self.cues:
            return
        player = self._choose()
        if player is None:
            QApplication.beep()
        else:
            player(samples_of(cue, self.level))
        if self.speaks:
            self._speak(words or CUE_WORDS[cue])

    def _choose(self) -> Player | None:
        import shutil

        if not self._found:
            self._found = True
            self._player = _multimedia_player(self)
            command = next((c for c in PLAYERS if shutil.which(c[0])), None)
            if self._player is None and command is not None:
                self._player = _SystemPlayer(command)
        return self._player

    def _speak(self, words: str) -> None:
        """One after the other: two voices at once are none. What is older than the last few is dropped."""
        import shutil

        command = next((c for c in SPEAKERS if shutil.which(c[0])), None)
        if command is None:
            return
        self._to_say = [*self._to_say, words][-MOST_WAITING:]
        if self._voice is None:
            from PySide6.QtCore import QProcess

            self._voice = QProcess(self)
            self._voice.finished.connect(lambda *_: self._say_next(command))
            self._voice.errorOccurred.connect(lambda *_: self._to_say.clear())
        if not self._voice.processId():
            self._say_next(command)

    def _say_next(self, command: tuple[str, ...]) -> None:
        if self._to_say and self._voice is not None:
            words, *self._to_say = self._to_say
            self._voice.start(command[0], [*command[1:], spoken(), words])
