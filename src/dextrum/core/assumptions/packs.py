"""How far a pack is believed where good boards contradict it."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

ALIKE_VOLTS = assumed(
    "alike_volts", 0.006, "V", 0.002, 0.015,
    "How far two points of one net may read apart on a good board, beside what boards scatter.",
    "Two touches with a handheld meter, a milliohm or two of copper.")
MOST_DEVIATION = assumed(
    "most_deviation", 12.0, "spreads", 6, 30,
    "What a reading that does not fit counts for at most, and what OL among numbers counts for.",
    "One bad touch must not outweigh all others.")
PACK_DOUBT = assumed(
    "pack_doubt", 3.0, "nats", 1, 7,
    "What speaks against any one thing in a pack being wrong, before it is held against good boards.",
    "About one fact in twenty of a pack made by hand.")
