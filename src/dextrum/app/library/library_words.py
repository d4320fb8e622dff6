"""What the shop knows about a board revision, in words: weak spots, boards that stand out, meters and their drift."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from dextrum.core.board import Board, Method
from dextrum.core.reference.meters import MeterCorrection, MeterDrift
from dextrum.core.reference.overview import FEWEST_BOARDS, LibraryOverview, MeterKnown
from dextrum.core.when import day_words
from dextrum.store.bench_settings import BenchMeter
from dextrum.store.known_good import TakenOut

FEW = 4
INTERVAL = 1.96


def _list(names: Sequence[str]) -> str:
    return ", ".join(names[:FEW]) + (f" and {len(names) - FEW} more" if len(names) > FEW else "")


def library_sentence(board: Board, known: LibraryOverview) -> str:
    """What this shop's knowledge of the board is worth, in a line or two."""
    here = f"{board.short_name} rev {board.revision}"
    if not known.boards:
        borrowed = any(p.origin == "sister" for p in known.points)
        return f"No known-good board of {here} yet." + (
            " A sister revision's readings stand in, judged more widely." if borrowed else
            " Prove a unit good, and offer its readings with Ctrl+Shift+K.")
    counting = [b for b in known.boards if not b.left_out]
    said = [f"{len(counting)} known-good boards of {here}, {len(known.meters)} meters."]
    gone = [b.serial for b in known.boards if b.left_out]
    if gone:
        said.append(f"{_list(gone)} contradicts the others too often and counts nowhere.")
    odd = [f"{b.serial} at {b.outliers} point{'s' if b.outliers > 1 else ''}" for b in known.boards
           if b.outliers and not b.left_out]
    if odd:
        said.append(f"Readings the others contradict, left out: {_list(odd)}.")
    weak = len(known.weak)
    said.append(f"{weak} of {len(known.points)} points have fewer than {FEWEST_BOARDS} boards." if weak
                else "No weak spot.")
    return " ".join(said)


def _law(law: MeterCorrection) -> str:
    said = f"{law.method.words.partition(',')[0]} gain {law.gain:.4f} ± {INTERVAL * law.gain_spread:.4f}, offset "
    if law.method.is_diode:
        return said + f"{1000 * law.offset:+.1f} ± {1000 * INTERVAL * law.offset_spread:.1f} mV ({law.pairs} pairs)"
    return said + f"{law.offset:+.2f} ± {INTERVAL * law.offset_spread:.2f} Ω ({law.pairs} pairs)"


def _drift(drift: MeterDrift) -> str:
    unit, scale = ("mV", 1000.0) if drift.method.is_diode else ("Ω", 1.0)
    if drift.is_clear:
        way = "higher" if drift.shift > 0 else "lower"
        return (f"drifted: reads {scale * abs(drift.shift):.1f} ± {scale * INTERVAL * drift.spread:.1f} {unit} {way} "
                f"since {_day(drift.since)}")
    return f"steady since {_day(drift.since)}"


def _day(text: str) -> str:
    """An ISO day in words."""
    return day_words(date.fromisoformat(text))


def meter_line(meter: MeterKnown, set_up: BenchMeter | None) -> str:
    """'M2 (1 mA, OL above 2.9 V): drifted: reads 12 mV higher since 2026-10-02; diode mode gain ...', drift first."""
    name, known = meter.name, []
    if set_up is not None:
        known += [f"{set_up.test_milliamps:g} mA"] if set_up.test_milliamps is not None else []
        known += [f"OL above {set_up.open_above_volts:g} V"] if set_up.open_above_volts is not None else []
    name += f" ({', '.join(known)})" if known else ""
    if meter.is_reference:
        return f"{name}: shop reference meter, {meter.readings} readings"
    if not meter.corrections:
        return f"{name}: not compared yet (too few points read by both), so judged more widely"
    drifts = [_drift(d) for d in meter.drifts if d.is_clear] or [_drift(d) for d in meter.drifts[:1]]
    return f"{name}: " + "; ".join([*drifts, *(_law(law) for law in meter.corrections)])


def unread_meters(known: LibraryOverview, set_up: Sequence[BenchMeter]) -> tuple[BenchMeter, ...]:
    """Meters of the bench that have read no good board of this model."""
    names = {m.name for m in known.meters}
    return tuple(m for m in set_up if m.name not in names)


def taken_out_line(gone: Sequence[TakenOut]) -> str:
    """Boards that were taken out, with why and when; empty where there is none."""
    said = "; ".join(f"{t.board_serial} ({t.reason}, {t.at[:10]})" for t in gone)
    return f"Taken out: {said}." if said else ""


def spread_words(spread: float, method: Method) -> str:
    """'±6 mV', or as a share for ohms."""
    if spread != spread:
        return ""
    return f"± {1000 * spread:.0f} mV" if method.is_diode else f"± {100 * (10 ** spread - 1):.0f} %"
