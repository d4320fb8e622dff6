"""What a command is, what it needs to be run, and the words that say what is missing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dextrum.tongue import tr


@dataclass(frozen=True)
class InHand:
    """What the window has in hand, as far as commands ask for it. cell: the state of the cell by the trail."""

    job: bool = False
    board: bool = False
    weighed: bool = False
    held: bool = False
    entries: bool = False
    struck: bool = False
    earlier: bool = False
    calls: bool = False
    compared: bool = False
    removed: bool = False
    own_pack: bool = False
    stays: bool = False
    photos: bool = False
    closed: bool = False
    cell: str = ""
    demo: bool = False
    multimeter: bool = False
    tester: bool = False
    power_meter: bool = False

    @property
    def instrument(self) -> bool:
        return self.multimeter or self.tester or self.power_meter


NEEDS: dict[str, tuple[Callable[[InHand], bool], str]] = {
    "job": (lambda now: now.job, tr("No job is open: Ctrl+N takes one in.")),
    "board": (lambda now: now.board, tr("This job has no board pack.")),
    "weighed": (lambda now: now.weighed, tr("Nothing is weighed yet.")),
    "held": (lambda now: now.held, tr("Nothing is held.")),
    "entries": (lambda now: now.entries, tr("Nothing left to strike out.")),
    "struck": (lambda now: now.struck, tr("Nothing was struck out here.")),
    "earlier": (lambda now: now.earlier, tr("This unit was not here before, by its serial.")),
    "calls": (lambda now: now.calls, tr("No job calls.")),
    "compared": (lambda now: now.compared, tr("Nothing is compared.")),
    "removed": (lambda now: now.removed, tr("Nothing is disconnected.")),
    "stays": (lambda now: now.stays, tr("This job follows its pack as it is now.")),
    "follows": (lambda now: not now.stays, tr("This job stays on an earlier state of its pack: move it on first.")),
    "own_pack": (lambda now: now.own_pack, tr("This pack is not the shop's own: offer the unit as known-good "
                                              "instead.")),
    "multimeter": (lambda now: now.multimeter, tr("No multimeter is connected: Ctrl+Shift+F looks for one.")),
    "tester": (lambda now: now.tester, tr("No port tester is connected: Ctrl+Shift+F looks for one.")),
    "power_meter": (lambda now: now.power_meter, tr("No power meter is connected: Ctrl+Shift+F looks for one.")),
    "instrument": (lambda now: now.instrument, tr("No instrument is connected.")),
    "closed": (lambda now: now.closed, tr("This job is still open.")),
    "photos": (lambda now: now.photos, tr("There is no photo of this unit yet.")),
    "demo": (lambda now: now.demo, tr("It is on the demo bench: Look at the demo bench.")),
    "cell_unplugged": (lambda now: now.cell != "unplugged", tr("The cell is unplugged already.")),
    "cell_plugged": (lambda now: now.cell != "plugged", tr("The cell is in already.")),
    "cell_known_good": (lambda now: now.cell != "known_good", tr("The known-good cell is in already.")),
    "cell_new": (lambda now: now.cell != "new", tr("The new cell is in already.")),
}


KEY_NAMES = {"Return": "Enter", "PgDown": "Page down", "PgUp": "Page up"}
"""Keys that are called otherwise than in a shortcut's portable text."""


@dataclass(frozen=True)
class Command:
    """id as 'room.name'; shortcut in portable text, empty for none; what: what it does, in half a line; words: what
    else people type for it; needs: what must be there, by name; short: on its button, where the title is too long."""

    id: str
    title: str
    shortcut: str = ""
    what: str = ""
    words: str = ""
    needs: tuple[str, ...] = ()
    short: str = ""

    def __post_init__(self) -> None:
        """The list of commands is written in English, and said in the language of the process."""
        for name in ("title", "what", "short"):
            object.__setattr__(self, name, tr(getattr(self, name)))
        if self.words != tr(self.words):
            object.__setattr__(self, "words", f"{self.words} {tr(self.words)}")

    @property
    def keys(self) -> str:
        """Its shortcut as the keys are called."""
        ends, plus = (self.shortcut[:-1], "+") if self.shortcut.endswith("++") else (self.shortcut, "")
        return "+".join(tr(KEY_NAMES.get(key, key)) for key in ends.split("+") if key) + (f"+{plus}" if plus else "")

    @property
    def label(self) -> str:
        """On its button."""
        return self.short or self.title

    @property
    def needs_job(self) -> bool:
        return bool(set(self.needs) - {"calls", "instrument", "demo"})

    def why_not(self, now: InHand) -> str:
        """What keeps it from being run now, in words; empty where nothing does. A missing job is said first."""
        if self.needs_job and not now.job:
            return NEEDS["job"][1]
        return next((words for there, words in (NEEDS[need] for need in self.needs) if not there(now)), "")
