"""How long OL is held until a point counts as open: a setting of the bench."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dextrum.app.reading.typed import parse_number
from dextrum.core.capture.walk import HandTimes
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobStore
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

HOLD, HOLD_BOUNDS = "capture.hold", (1.0, 30.0)
"""Setting, and its bounds in seconds."""


def held_open_seconds(store: JobStore) -> float:
    """As it is set, or as usual where nothing sensible is."""
    usual = HandTimes().open_after
    try:
        return parse_number(store.setting(HOLD, f"{usual:g}"), *HOLD_BOUNDS, "s")
    except DextrumError:
        return usual


def ask_held_open(window: MainWindow) -> None:
    """In the line for questions; what is no number within the bounds is said there."""
    store = window.session.store

    def answer(text: str, _choice: str) -> str:
        try:
            held = parse_number(text, *HOLD_BOUNDS, "s")
        except DextrumError as problem:
            return problem.happened
        store.set_setting(HOLD, f"{held:g}")
        window.trail.say(tr("OL counts as open after {held:g} s", held=held))
        return ""

    window.ask.ask(tr("Seconds of OL until a point counts as open"), answer, f"{held_open_seconds(store):g}", (),
                   window.focusWidget())
