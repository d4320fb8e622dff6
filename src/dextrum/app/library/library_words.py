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
from dextrum.tongue import tr

FEW = 4
INTERVAL = 1.96


def _list(names: Sequence[str]) -> str:
    return ", ".join(names[:FEW]) + (tr(" and {count} more", count=len(names) - FEW) if len(names) > FEW else "")


def library_sentence(board: Board, known: LibraryOverview) -> str:
    """What this shop's knowledge of the board is worth, in a line or two."""
    here = tr("{short_name} rev {revision}", short_name=board.short_name, revision=board.revision)
    if not known.boards:
        borrowed = any(p.origin == "sister" for p in known.points)
        return tr("No known-good board of {here} yet.", here=here) + (
            tr(" A sister revision's readings stand in, judged more widely.") if borrowed else
            tr(" Prove a unit good, and offer its readings with Ctrl+Shift+K."))
    counting = [b for b in known.boards if not b.left_out]
    said = [tr("{count} known-good boards of {here}, {count2} meters.", count=len(counting), here=here,
               count2=len(known.meters))]
    gone = [b.serial for b in known.boards if b.left_out]
    if gone:
        said.append(tr("{list} contradicts the others too often and counts nowhere.", list=_list(gone)))
    odd = [tr("{serial} at {outliers} point{s}", serial=b.serial, outliers=b.outliers,
              s="s" if b.outliers > 1 else "") for b in known.boards
           if b.outliers and not b.left_out]
    if odd:
        said.append(tr("Readings the others contradict, left out: {list}.", list=_list(odd)))
    weak = len(known.weak)
    said.append(tr("{weak} of {count} points have fewer than {fewest_boards} boards.", weak=weak,
                   count=len(known.points), fewest_boards=FEWEST_BOARDS) if weak
                else tr("No weak spot."))
    return " ".join(said)


def _law(law: MeterCorrection) -> str:
    said = tr("{partition} gain {gain:.4f} ± {interval:.4f}, offset ", partition=law.method.words.partition(",")[0],
              gain=law.gain, interval=INTERVAL * law.gain_spread)
    if law.method is Method.CAPACITANCE:  # its gain and offset are those of ohms at a kilohertz
        share = round(100 * (law.gain - 1.0), 1) + 0.0
        return tr("capacitance reads {share:+.1f} % ({pairs} pairs)", share=share, pairs=law.pairs)
    if law.method.is_diode:
        return said + tr("{offset:+.1f} ± {interval:.1f} mV ({pairs} pairs)", offset=1000 * law.offset,
                         interval=1000 * INTERVAL * law.offset_spread, pairs=law.pairs)
    return said + tr("{offset:+.2f} ± {interval:.2f} Ω ({pairs} pairs)", offset=law.offset,
                     interval=INTERVAL * law.offset_spread, pairs=law.pairs)


def _drift(drift: MeterDrift) -> str:
    unit, scale = ("mV", 1000.0) if drift.method.is_diode else ("Ω", 1.0)
    if drift.is_clear:
        way = tr("higher") if drift.shift > 0 else tr("lower")
        return (tr("drifted: reads {scale:.1f} ± {scale2:.1f} {unit} {way} since {day}", scale=scale * abs(drift.shift),
                   scale2=scale * INTERVAL * drift.spread, unit=unit, way=way, day=_day(drift.since)))
    return tr("steady since {day}", day=_day(drift.since))


def _day(text: str) -> str:
    """An ISO day in words."""
    return day_words(date.fromisoformat(text))


def meter_line(meter: MeterKnown, set_up: BenchMeter | None) -> str:
    """'M2 (1 mA, OL above 2.9 V): drifted: reads 12 mV higher since 2026-10-02; diode mode gain ...', drift first."""
    name, known = meter.name, []
    if set_up is not None:
        known += [tr("{test_milliamps:g} mA",
                     test_milliamps=set_up.test_milliamps)] if set_up.test_milliamps is not None else []
        known += [tr("OL above {open_above_volts:g} V",
                     open_above_volts=set_up.open_above_volts)] if set_up.open_above_volts is not None else []
    name += f" ({', '.join(known)})" if known else ""
    if meter.is_reference:
        return tr("{name}: shop reference meter, {readings} readings", name=name, readings=meter.readings)
    if not meter.corrections:
        return tr("{name}: not compared yet (too few points read by both), so judged more widely", name=name)
    drifts = [_drift(d) for d in meter.drifts if d.is_clear] or [_drift(d) for d in meter.drifts[:1]]
    return f"{name}: " + "; ".join([*drifts, *(_law(law) for law in meter.corrections)])


def unread_meters(known: LibraryOverview, set_up: Sequence[BenchMeter]) -> tuple[BenchMeter, ...]:
    """Meters of the bench that have read no good board of this model."""
    names = {m.name for m in known.meters}
    return tuple(m for m in set_up if m.name not in names)


def taken_out_line(gone: Sequence[TakenOut]) -> str:
    """Boards that were taken out, with why and when; empty where there is none."""
    said = "; ".join(f"{t.board_serial} ({t.reason}, {t.at[:10]})" for t in gone)
    return tr("Taken out: {said}.", said=said) if said else ""


def spread_words(spread: float, method: Method) -> str:
    """'±6 mV', or as a share for ohms and farads."""
    if spread != spread:
        return ""
    return tr("± {spread:.0f} mV", spread=1000 * spread) if method.is_diode else f"± {100 * (10 ** spread - 1):.0f} %"
