"""What is tried, and the draw at the supply: slips and what they look like."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

SWAP_SLIPS = assumed(
    "swap_slips", 0.03, "chance", 0.01, 0.1,
    "A symptom shows with known-good gear though the unit is well, or stays away by chance.",
    "As a check.")
CHECK_SLIPS = assumed(
    "check_slips", 0.03, "chance", 0.005, 0.1,
    "A check fails on a good unit or passes on a bad one.",
    "A flaky first picture, a plug half in.")
RAIL_SLIPS = assumed(
    "rail_slips", 0.02, "chance", 0.005, 0.1,
    "A rail's volts mislead.",
    "A probe beside the pad, a supply that had not agreed yet.")
SAME_CELL = assumed(
    "same_cell", 0.7, "share", 0.3, 1,
    "How far the cell's condition is the same for both orientations.",
    "It may have charged in between.")
MISNAMED = assumed(
    "misnamed", 0.06, "chance", 0.01, 0.2,
    "A state that was called by its name was another.",
    "Names are chosen from a list, by eye.")
NO_CELL = assumed(
    "no_cell", 0.5, "share", 0.2, 0.8,
    "Weight of 'it says nothing' where the cell was not in.",
    "The profile is that of a unit with its cell.")
BAD_SUPPLY_STATES = assumed(
    "bad_supply_states", {'least': 0.6, 'blinking': 0.2, 'unknown': 0.1}, "chance", 0.01, 0.9,
    "What a bad supply, cable or dock looks like at the meter; the rest is as usual.",
    "Most give nothing; some come and go.")
REPAIR_TOOK = assumed(
    "repair_took", 0.5, "chance", 0.2, 0.9,
    "A repair of a fault that comes and goes has taken, before anything was tried.",
    "Nobody has seen it yet; the tries decide.")
GONE_ENOUGH = assumed(
    "gone_enough", 0.95, "chance", 0.8, 0.99,
    "That a fault that comes and goes is gone, from which the unit may go back.",
    "One in twenty comes back; twice as many tries would halve that.")
HIDES_IN_ONE_TRY = assumed(
    "hides_in_one_try", 0.8, "chance", 0.5, 0.95,
    "A fault that comes and goes by time stays away in one try of some minutes.",
    "Nobody says how long a try was before it was known; one in five shows.")
MOVES_WITH_PLUG = assumed(
    "moves_with_plug", 0.5, "chance", 0.2, 0.9,
    "The draw comes and goes with the plug where a contact or its joint is at fault.",
    "Half of them are bad in every position.")
MOVES_ANYWAY = assumed(
    "moves_anyway", 0.015, "chance", 0.003, 0.05,
    "It does so with a sound port.",
    "A worn plug.")
LEAST_COMPLAINT = assumed(
    "least_complaint", 0.05, "chance", 0.01, 0.3,
    "That the owner of a unit with nothing wrong complains of anything is reckoned as at least so likely.",
    "In a pack whose symptoms hardly show by themselves a complaint would clear or prove too much.")
FLAT_UNSEEN = assumed(
    "flat_unseen", 0.1, "chance", 0.02, 0.3,
    "A unit came in with a flat cell, where the draw hasn't been read.",
    "Units wait for days before they are brought.")
