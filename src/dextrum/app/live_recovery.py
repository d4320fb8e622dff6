"""Streams that a crash has left: each becomes the trace of the job that it was begun in."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.core.trail import Gear
from dextrum.errors import DextrumError

if TYPE_CHECKING:
    from dextrum.app.draw_import import DrawCircumstances
    from dextrum.app.session import BenchSession

PATTERN = "*.live.csv"


def circumstances_record(how: DrawCircumstances) -> dict[str, object]:
    """How it was plugged in, as the journal's first line keeps it."""
    return asdict(how)


def recover_streams(session: BenchSession, folder: Path) -> str:
    """Record what was left over into its jobs; says what was taken up, or nothing. A stream whose job is gone, or that
    can't be kept, stays where it is."""
    if not any(folder.glob(PATTERN)):
        return ""
    from dextrum.app.draw_import import DrawCircumstances, trace_entry
    from dextrum.core.draw.samples import tidy
    from dextrum.store.draw_csv import DrawFile
    from dextrum.store.live_journal import left_over

    taken = 0
    for left in left_over(folder):
        if len(left.seconds) < 2:
            left.path.unlink(missing_ok=True)
            continue
        try:
            kept = dict(left.header["how"])
            kept["gear"] = tuple(Gear(**gear) for gear in kept.get("gear", ()))
            trace = trace_entry(DrawFile(tidy(left.seconds, left.volts, left.amps), (), 0, False), "live",
                                DrawCircumstances(**kept))
            session.record(str(left.header["job"]), trace)
        except (DextrumError, ValueError, TypeError, KeyError):
            continue
        left.path.unlink(missing_ok=True)
        taken += 1
    return f"{taken} live trace{'s' if taken != 1 else ''} taken up from before the program stopped." if taken else ""
