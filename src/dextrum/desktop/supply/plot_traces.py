"""What was drawn on a job, as traces for the plot: samples of a file or typed looks, with their states as blocks."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.draw.records import samples_of
from dextrum.core.when import clock_words
from dextrum.desktop.supply.draw_plot import Band, Block, PlotTrace
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.supply.draws import DrawAssessment, SeenDraw

TYPED_TAIL = 20.0
MOST_BANDS = 4


def _blocks(seen: SeenDraw) -> tuple[Block, ...]:
    reading = seen.reading
    if reading is None:
        return ()
    blocks: list[Block] = []
    ends = [*(s.start for s in reading.spells[1:]), max(reading.spells[-1].end, reading.spells[-1].start + TYPED_TAIL)]
    for spell, state, end in zip(reading.spells, reading.states, ends, strict=True):
        begin = 0.0 if spell.typed and not blocks else spell.start
        words, known = reading.profile.state_words(state), state != reading.profile.unknown
        if blocks and blocks[-1].words == words:
            blocks[-1] = Block(blocks[-1].start, end, words, known)
        else:
            blocks.append(Block(begin, end, words, known))
    return tuple(blocks)


def plot_trace(seen: SeenDraw, epoch: int, replaced: bool = False) -> PlotTrace | None:
    """None where there is nothing to draw: only a name was typed, or the samples came damaged. replaced: a later
    plug-in of the same kind has taken its place."""
    record = seen.record
    label = f"{record.way_words}, {clock_words(record.at.astimezone())}"
    if record.position != "resting":
        label += f", {record.position}"
    if record.cell == "known_good":
        label += tr(", known-good cell")
    before = record.epoch < epoch
    if before:
        label += tr(", before")
    if replaced:
        label += tr(", typed earlier") if record.trace is None else tr(", earlier")
    key = record.entry_ids[0]
    if record.trace is not None:
        try:
            samples = samples_of(record.trace)
        except ValueError:
            return None
        return PlotTrace(key, label, record.orientation, before, samples.seconds, samples.volts, samples.amps,
                         _blocks(seen), replaced=replaced)
    if not record.spells:
        return None
    points = [(at, s.volts, amps) for s in record.spells
              for at, amps in dict.fromkeys(((s.start, s.first_amps), (s.end, s.last_amps)))]
    seconds, volts, amps = (np.array(column, dtype=float) for column in zip(*points, strict=True))
    return PlotTrace(key, label, record.orientation, before, seconds, volts, amps, _blocks(seen), True, replaced)


def bands_of(assessment: DrawAssessment) -> tuple[Band, ...]:
    """What the profile expects of the states that were seen now, and of what may follow them."""
    wanted: dict[str, Band] = {}
    for one in assessment.now.values():
        reading = one.reading
        if reading is None:
            continue
        states = reading.profile.states
        ids = [states[s].id for s in dict.fromkeys(reading.states) if s != reading.profile.unknown]
        if reading.state != reading.profile.unknown:
            ids += [f for f in states[reading.state].followed_by if f not in ids]
        for state in states:
            if state.id in ids and state.pattern == "steady":
                wanted[state.id] = Band(state.words, state.amps - state.amps_spread, state.amps + state.amps_spread)
    return tuple(list(wanted.values())[-MOST_BANDS:])
