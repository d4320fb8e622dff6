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
