"""Faults that hands make: how often they are there before anybody here has worked on the board, what they break."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

BY_HANDS = assumed(
    "by_hands", {"bridged_pins": 0.004, "torn_pad": 0.002, "wrong_part": 0.02, "turned_part": 0.001},
    "share", 0.0, 0.05,
    "Of all that fails of such a part, what somebody's earlier work has made, where a pack has no rate of it.",
    "Few boards come in worked on, and most of that work is seen, but for small parts put back in each other's place; "
    "after a repair here such faults count by what the repair may have done.")
SWAPPED_PAIR = assumed(
    "swapped_pair", 5000.0, "times", 100, 20000,
    "A small part has another value, beside one of its kind within reach that has as well.",
    "One mistake of the hand makes both: whoever finds one finds the other every second time. By chance hardly any "
    "board has two.")
MOST_SWAP_MM = 10.0
"""How far apart two parts lie that get into each other's place while one chip is worked on."""
LEAST_UNLIKE = 1.5
"""Times; values nearer than that are of use in each other's place."""
TURNED_GROUND_OHMS = assumed(
    "turned_ground_ohms", 0.05, "ohm", 0.01, 1.0,
    "From the ground pin of a chip that was put in turned, through its frame, to ground.",
    "A bond wire, the frame and the pad below it.")
WRONG_CAPACITOR = assumed(
    "wrong_capacitor", 0.3, "chance", 0.05, 0.8,
    "A capacitor of another value breaks what its net is needed for.",
    "One on a data line or a loop does, one among several on a rail does not; two that were swapped on one board left "
    "its dock dark.")
WRONG_RESISTOR = assumed(
    "wrong_resistor", 0.7, "chance", 0.3, 0.95,
    "A resistor of another value breaks what its line is for.",
    "A pull-up or divider ten times off is as good as missing or shorted.")
