"""The window. Knows everything below it; nothing below knows it.

What the first view needs and is not Qt is imported here, before any module of the window imports Qt: PySide6 reads the
source of every module that is imported or named in an import after it, to see whether it asks for another way of
naming (`from __feature__ import …`). Nothing here does, so what is loaded by then is marked as looked at. Together this
is a sixth of the start; Pydantic's own lazy imports don't stand the looking either.
"""

import sys

from dextrum.desktop.quick_dataclasses import quick_dataclasses

with quick_dataclasses():
    import concurrent.futures.thread  # noqa: F401

    import dextrum.app.advising.reason_words
    import dextrum.app.bench.instruments_at_hand
    import dextrum.app.commands
    import dextrum.app.job.session
    import dextrum.app.job.trail_words
    import dextrum.app.library.library
    import dextrum.app.reading.capture
    import dextrum.app.reading.comparing
    import dextrum.app.reading.typed
    import dextrum.app.supply.live_recovery
    import dextrum.core.advice.wording
    import dextrum.core.capture.walk
    import dextrum.core.safety.gates
    import dextrum.store.jobs  # noqa: F401

LOOKED_AT = -1
"""What PySide6 keeps of a module that uses no other way of naming."""


def _mark_as_looked_at() -> None:
    """Spare PySide6 the reading of what is loaded. Where a release keeps it otherwise, nothing is marked."""
    import PySide6.QtCore  # noqa: F401

    kept = getattr(sys.modules.get("shibokensupport.feature"), "pyside_feature_dict", None)
    if isinstance(kept, dict):
        for name in tuple(sys.modules):
            kept.setdefault(name, LOOKED_AT)


_mark_as_looked_at()
