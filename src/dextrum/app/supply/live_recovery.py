"""Streams that a crash has left: each becomes the trace of the job that it was begun in."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.core.trail import Gear
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.job.session import BenchSession

PATTERN = "*.live.csv"


def recover_streams(session: BenchSession, folder: Path) -> str:
    """Record what was left over into its jobs; says what was taken up, or nothing. A stream whose job is gone, or that
    can't be kept, stays where it is."""
    if not any(folder.glob(PATTERN)):
        return ""
    from dextrum.app.supply.circumstances import DrawCircumstances
    from dextrum.app.supply.draw_import import trace_entry
    from dextrum.core.draw.samples import tidy
    from dextrum.store.draw_csv import DrawFile
    from dextrum.store.live_journal import left_over

    taken = dropped = 0
    stay: list[str] = []
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
        except (DextrumError, ValueError, TypeError, KeyError) as problem:
            stay.append(f"{left.path.name} ({str(problem)[:80]})")
            continue
        left.path.unlink(missing_ok=True)
        taken += 1
        dropped += left.dropped
    said = []
    if taken:
        lost = tr("; {dropped} samples that were no numbers were left out", dropped=dropped) if dropped else ""
        said.append(tr("{taken} live draw log{s} taken up from before the program stopped{lost}.", taken=taken,
                       s="s" if taken != 1 else "", lost=lost))
    if stay:
        said.append(
            tr("Not taken up, and kept where it is: {stay}", stay=stay[0])
            + (tr(" and {count} more.", count=len(stay) - 1) if stay[1:] else ".")
        )
    return " ".join(said)
