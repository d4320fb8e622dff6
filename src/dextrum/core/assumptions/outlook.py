"""How a job goes on from here, where only playing it with the whole advice would tell more."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

TOUCHES_A_SUSPECT = assumed(
    "touches_a_suspect", 2.0, "readings", 0.5, 6,
    "Of the board, for every part that is suspected about alike, before one is changed.",
    "One at each side of what lies between.")
MOST_TOUCHES = assumed(
    "most_touches", 30.0, "readings", 10, 100,
    "Of the board, before the first repair.",
    "By then a rail has been taken apart or a chip is changed.")
FOUND_BY_MEASURING = assumed(
    "found_by_measuring", 0.8, "chance", 0.6, 0.99,
    "What shows in readings is named rightly before anything is changed.",
    "The rest costs a repair that was not needed.")
QUIET_FOUND = assumed(
    "quiet_found", 0.7, "chance", 0.4, 0.95,
    "A part that shows in no reading is named rightly all the same.",
    "By what fails and by what else reads well.")
TOUCHES_IF_WHOLE = assumed(
    "touches_if_whole", 0.3, "share", 0, 1,
    "Of the readings that a fault takes, those taken of a board on which there is none.",
    "Nothing leads on to the next reading; the first ones are good and the proof is tried.")
ROUND_AGAIN_MINUTES = assumed(
    "round_again_minutes", 25.0, "min", 5, 90,
    "Finding what is left, once a repair was proved in vain.",
    "The proof up to what failed, and some readings.")
CHARGES_MINUTES = assumed(
    "charges_minutes", 45.0, "min", 10, 240,
    "A flat cell is left to charge before the unit can be tried.",
    "An hour or less at a model's full power.")
BEFORE_TOUCHED = assumed(
    "before_touched", (1.07, 0.14), "times", 0.1, 4,
    "What is computed before a repair, against what hands then take: its middle and the spread of its logarithm.",
    "Plays of the whole advice on units of the simulated world, see docs/money.md.")
AFTER_REPAIR = assumed(
    "after_repair", (1.0, 0.25), "times", 0.1, 4,
    "The same once something was repaired.",
    "As above.")
