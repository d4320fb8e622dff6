"""How far the audit after heat goes by measuring."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

AUDIT_COVER = assumed(
    "audit_cover", 0.95, "share", 0.8, 0.99,
    "Of the harm that any reading can show, what the audit's readings catch before they end.",
    "The last few in a hundred would take as many readings as all before them.")
AUDIT_LEAST = assumed(
    "audit_least", 0.02, "share", 0.005, 0.1,
    "Of all harm that a repair may have done, what a reading must catch to be asked for.",
    "Below it, looking costs less.")
SHOWN_FROM = assumed(
    "shown_from", 0.5, "chance", 0.3, 0.9,
    "Of reading off, from which a point is said to show a fault.",
    "Likelier than not.")
ALONE_VOLTS = assumed(
    "alone_volts", 0.06, "V", 0.02, 0.12,
    "How far a good part by itself may read from the expected value, in diode mode.",
    "Chips of one kind differ by some ten millivolts, those of another batch by some more; a shorted or open pin is "
    "far off.")
ALONE_OHMS_SHARE = assumed(
    "alone_ohms_share", 0.2, "share", 0.05, 0.5,
    "The same in ohms, beside the leads.",
    "Windings and fuses are made to a fifth or so.")
LEAD_OHMS = assumed(
    "lead_ohms", 0.4, "ohm", 0.1, 1.0,
    "What leads and tips add at most.",
    "A usual pair of leads, not nulled.")
ALONE_LEFT = assumed(
    "alone_left", 0.25, "share", 0.05, 0.8,
    "Of parts that are bad when fitted, what measuring them alone does not find.",
    "A few pins show a dead chip's shorts and opens, and not what fails only under power.")
