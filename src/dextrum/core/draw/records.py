"""What stands in a trail about the draw, gathered by repair epoch, supply, cell and orientation."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from functools import lru_cache

from dextrum.core.board.draws import DrawState, state_called
from dextrum.core.draw.samples import Samples, unpack_samples
from dextrum.core.draw.spells import Spell, spells_of, typed_spell
from dextrum.core.saying import Say, plain
from dextrum.core.trail import DrawTrace, Entry, Gear, Supply, moments
from dextrum.tongue import tr

NEVER_PROVED = {"supply": 0.10, "cable": 0.04, "dock": 0.10}
"""Chance that gear that never proved good is itself at fault."""
PROVED, A_DAY, STALE = 0.003, 0.0002, 0.04
UNPROVED_SUPPLY = 0.15
SAME_TYPED_VOLTS, SAME_TYPED_AMPS, SAME_TYPED_SHARE = 0.12, 0.02, 0.08


WAY_WORDS = {"a": tr("A side up"), "b": tr("B side up"), "bench": tr("bench supply in place of the cell")}


@dataclass(frozen=True)
class DrawRecord:
    """One plug-in, one way up. spells: what the draw did; empty where a named class is all there is.

    bad_supply: chance that what it hung on is at fault. trace: its samples are a trace's, not typed values.
    isolated: what was off the board.
    """

    entry_ids: tuple[str, ...]
    at: datetime
    epoch: int
    orientation: str
    supply_class: str
    cell: str
    position: str
    switched_on: bool
    bad_supply: float
    gear: tuple[Gear, ...]
    spells: tuple[Spell, ...]
    named: str = ""
    trace: DrawTrace | None = None
    isolated: frozenset[str] = frozenset()

    @property
    def way(self) -> str:
        """'a' or 'b' at the port, 'bench' for a bench supply in place of the cell."""
        return "bench" if self.supply_class == "bench" else self.orientation

    @property
    def way_words(self) -> str:
        return WAY_WORDS[self.way]

    @property
    def seconds(self) -> float:
        """How long it was watched."""
        return self.spells[-1].end - min(self.spells[0].start, 0.0 if self.spells[0].typed else self.spells[0].start) \
            if self.spells else 0.0


@lru_cache(maxsize=6)
def samples_of(trace: DrawTrace) -> Samples:
    """The samples of a trace. Raises ValueError when they can't be unpacked."""
    return unpack_samples(trace.samples, trace.count)


@lru_cache(maxsize=64)
def trace_spells(trace: DrawTrace) -> tuple[Spell, ...]:
    """The spells of a trace; none where its samples can't be unpacked (it came damaged from another bench)."""
    try:
        return spells_of(samples_of(trace))
    except ValueError:
        return ()


def bad_supply_chance(gear: tuple[Gear, ...], on: date, proved: bool) -> float:
    """Chance that supply, cable or dock is at fault, by when each last proved good."""
    if not gear:
        return PROVED if proved else UNPROVED_SUPPLY
    good = 1.0
    for piece in gear:
        if piece.proved_on:
            days = max((on - datetime.fromisoformat(piece.proved_on).date()).days, 0)
            good *= 1.0 - min(PROVED + A_DAY * days, STALE)
        else:
            good *= 1.0 - NEVER_PROVED[piece.kind]
    return 1.0 - good


def _same_typed(one: Spell, two: Spell) -> bool:
    reach = max(SAME_TYPED_AMPS, SAME_TYPED_SHARE * max(one.amps, two.amps))
    return (one.pattern == two.pattern and abs(one.volts - two.volts) <= SAME_TYPED_VOLTS
            and abs(one.last_amps - two.first_amps) <= reach)


def typed_spells(supplies: Iterable[Supply]) -> tuple[Spell, ...]:
    """Typed values in the order of their minutes; those that show the same thing are one spell."""
    spells: list[Spell] = []
    for supply in sorted(supplies, key=lambda s: s.minute):
        spell = typed_spell(supply.minute, supply.volts, supply.amps, supply.pattern == "blinking")
        if spells and _same_typed(spells[-1], spell):
            before = spells[-1]
            count = before.samples + 1
            spells[-1] = replace(before, end=spell.end, last_amps=spell.amps, samples=count,
                                 volts=before.volts + (spell.volts - before.volts) / count,
                                 amps=before.amps + (spell.amps - before.amps) / count)
        else:
            spells.append(spell)
    return tuple(spells)


def _from_typed(entries: list[Entry], epoch: int, cell: str) -> DrawRecord:
    supplies = [e.payload for e in entries if isinstance(e.payload, Supply)]
    last = supplies[-1]
    numbers = [s for s in supplies if not s.named]
    return DrawRecord(tuple(e.id for e in entries), entries[-1].at, epoch, last.orientation, last.supply_class, cell,
                      last.position, last.switched == "on",
                      bad_supply_chance(last.gear, entries[-1].at.date(), last.supply_proved), last.gear,
                      typed_spells(numbers), "" if numbers else last.named)


def _from_trace(entry: Entry, trace: DrawTrace, epoch: int, cell: str) -> DrawRecord:
    return DrawRecord((entry.id,), entry.at, epoch, trace.orientation, trace.supply_class, cell, trace.position,
                      trace.switched == "on", bad_supply_chance(trace.gear, entry.at.date(), trace.supply_proved),
                      trace.gear, trace_spells(trace), "", trace)


Key = tuple[int, str, str, str, str, frozenset[str]]


def draw_records(entries: Iterable[Entry]) -> tuple[DrawRecord, ...]:
    """The latest plug-in of every epoch, orientation, supply class, cell, position and parts off, by their last entry.
    """
    return every_draw_record(entries)[0]


def every_draw_record(entries: Iterable[Entry]) -> tuple[tuple[DrawRecord, ...], tuple[DrawRecord, ...]]:
    """The latest plug-ins, see `draw_records`, and those that a later one of the same kind has taken the place of.

    Typed values of one plug-in belong together; a minute that runs backwards begins another.
    """
    replaced: list[DrawRecord] = []
    typed: dict[Key, list[Entry]] = {}
    found: dict[Key, DrawRecord] = {}
    for entry, moment in moments(entries):
        payload, epoch, isolated, cell = entry.payload, moment.epoch, moment.isolated, moment.cell
        if isinstance(payload, Supply | DrawTrace):
            key = (epoch, payload.orientation, payload.supply_class, cell, payload.position, isolated)
            before = found.pop(key, None)
            if isinstance(payload, DrawTrace):
                replaced += [before] if before is not None else []
                typed.pop(key, None)
                found[key] = replace(_from_trace(entry, payload, epoch, cell), isolated=isolated)
                continue
            run = typed.setdefault(key, [])
            if run and isinstance(run[-1].payload, Supply) and payload.minute < run[-1].payload.minute:
                run.clear()
            replaced += [before] if before is not None and not run else []
            run.append(entry)
            found[key] = replace(_from_typed(run, epoch, cell), isolated=isolated)
    return tuple(found.values()), tuple(replaced)


DRAWS, TIMES_MORE = 0.03, 3.0


def comes_and_goes(records: Sequence[DrawRecord]) -> bool:
    """Whether the draw differs between positions of the plug as between drawing and not drawing."""
    amps = [sum(s.mean_amps for s in r.spells) / len(r.spells) for r in records if r.spells]
    return len(amps) > 1 and max(amps) >= DRAWS and max(amps) > TIMES_MORE * min(amps)


def spell_words(spell: Spell, say: Say = plain) -> str:
    """'0.06 A at 5.1 V for 24 min', '0.60 A on and off every 1.2 s for 3 min'."""
    beat = (say(" on and off every {seconds:.2g} s, on {share:.0f} % of it", seconds=spell.rhythm.period_seconds,
                share=100.0 * spell.rhythm.duty) if spell.rhythm else
            say(" on and off") if spell.pattern == "blinking" else
            say(" on and off without rhythm") if spell.pattern == "irregular" else "")
    change = say("{first:.2f} falling to {last:.2f} A", first=spell.first_amps, last=spell.last_amps) \
        if spell.pattern == "steady" and spell.first_amps - spell.last_amps > 0.15 * spell.first_amps > 0.005 \
        else say("{amps:.2f} A", amps=spell.amps)
    if spell.seconds <= 0:
        return say("{change} at {volts:.1f} V{beat}", change=change, volts=spell.volts, beat=beat)
    length = f"{spell.seconds:.0f} s" if spell.seconds < 100 else tr("{seconds:.0f} min", seconds=spell.seconds / 60)
    return say("{change} at {volts:.1f} V{beat} for {length}", change=change, volts=spell.volts, beat=beat,
               length=length)


MOST_SPELLS_SAID = 3


def seen_words(record: DrawRecord, states: Sequence[DrawState], say: Say = plain) -> str:
    """The spells of a record, the last ones where there are many. states: the board's, for one that was named."""
    if not record.spells:
        named = say(state_called(states, record.named)) if record.named else ""
        return say("called {name}", name=named) if named else say("can't be read")
    said = [spell_words(s, say) for s in record.spells[-MOST_SPELLS_SAID:]]
    return say(", then ").join(said)
