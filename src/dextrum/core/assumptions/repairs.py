"""What repairs do besides mending."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

REPAIR_FAILS = assumed(
    "repair_fails", 0.04, "chance", 0.01, 0.15,
    "A repair leaves the fault it was meant for.",
    "A joint that did not take, the wrong part in the bag.")
DEAD_AGAIN = assumed(
    "dead_again", 0.005, "chance", 0.002, 0.05,
    "A part put in place of a dead one is dead as well, and reads as well, of what killed the first.",
    "That a new part is bad in itself counts with new_part_fails; joints that did not take are faults of their own, "
    "and most of them are read.")
NEW_PART_FAILS = assumed(
    "new_part_fails", 0.05, "chance", 0.01, 0.15,
    "A part just fitted has a fault of its own.",
    "An estimate, higher for chips with hidden pins.")
OF_JOINTS = assumed(
    "of_joints", 0.75, "share", 0.4, 0.95,
    "Of those, joints that did not take; the rest are parts that were bad.",
    "New parts are tested by their makers, joints are not.")
REEL_PART_BAD = assumed(
    "reel_part_bad", 0.1, "times", 0.01, 1.0,
    "How much less often a new capacitor, resistor, link, coil, filter or fuse is bad in itself than a chip or a port.",
    "They come from tested reels, and nobody copies or salvages them; bad ones were cracked or overheated.")
HEAT_HURTS = assumed(
    "heat_hurts", 0.04, "chance", 0.01, 0.15,
    "Heat lifts or knocks off a neighbour.",
    "Small parts beside a port float.")
HEAT_REACH_MM = assumed(
    "heat_reach_mm", 8.0, "mm", 3, 20,
    "From the edge of the part that was heated to the middle of another.",
    "The nozzle and the air that strays.")
SOFTENED_USUALLY = assumed(
    "softened_usually", 4.0, "parts", 1, 20,
    "Whose joints soften round a repair of the usual kind; one that softens twice as many hurts one twice as often.",
    "Round the ports, chips and small parts of the packs at hand the heat model softens two to nine.")
SOFTENED_LEAST = assumed(
    "softened_least", 0.25, "times", 0.05, 1.0,
    "How much less than usual a repair can hurt that softens nothing beside it.",
    "Tweezers and irons knock parts off as well.")
SOFTENED_MOST = assumed(
    "softened_most", 2.5, "times", 1.0, 5.0,
    "How much more than usual one can hurt.",
    "What many soften, one hand disturbs only in places.")
TOUCHED_BY_HAND = assumed(
    "touched_by_hand", 0.1, "chance", 0.0, 0.5,
    "A part near a repair is loosened though the heat model leaves its joints solid, beside one whose joints soften.",
    "Tweezers, braid and a nozzle that strays; the model's degrees are a plan.")
SOFTENS_WITHIN = assumed(
    "softens_within", 12.0, "K", 4, 40,
    "By how much the heat model's degrees may be off where a joint is about to melt.",
    "Its range over copper and flow is some twenty either way at the joints that float.")
FAR_SIDE_SOFTENED = assumed(
    "far_side_softened", 0.2, "times", 0.0, 1.0,
    "How likely a softened part on the other side of the board is hurt, beside one on the same.",
    "It hangs on by its solder; neither tweezers nor the jet touch it.")
ASKED_FROM = assumed(
    "asked_from", 0.5, "chance", 0.2, 0.9,
    "No fault is left, from which nothing needs to be explained.",
    "Likelier than not.")
UNEXPLAINED_NATS = assumed(
    "unexplained_nats", 4.0, "nats", 2, 8,
    "By how much a fault explains something seen after a repair better than a board with none, from which the board is "
    "weighed as it left the repair.",
    "A good board scatters less; a part seen missing stands out by more than ten.")
NEW_FROM = assumed(
    "new_from", 0.15, "chance", 0.05, 0.9,
    "Something new is wrong, from which the board is weighed as it left the repair.",
    "Below it a fault that nobody lists took the place of the new part's own, which was no hypothesis at all.")
NOT_SO_SURE = assumed(
    "not_so_sure", 0.03, "share", 0, 0.2,
    "Of a unit's first prior, what counts again after a repair.",
    "What a repair has refuted had been weighed too surely.")
AGAIN_SO_LIKELY = assumed(
    "again_so_likely", 0.3, "share", 0.05, 1,
    "A new part of the same place is bad once more, beside the one before.",
    "What goes on as it was has another cause.")
BELIEVED = assumed(
    "believed", 3.0, "jobs", 1, 20,
    "How many closed jobs the pack's own rate of a part is worth.",
    "A handful of own jobs should be felt.")
EARLIER = assumed(
    "earlier", 0.5, "weight", 0, 1,
    "Weight of a repair that was not the last one.",
    "The unit did not work yet after it.")
CAME_BACK = assumed(
    "came_back", 0.3, "weight", 0, 1,
    "Weight of a closed job after which the unit came back.",
    "What was repaired may not have been what was wrong.")
LEARNED_LEAST = assumed(
    "learned_least", 0.25, "times", 0.05, 1.0,
    "How far a shop's closed jobs can lower a part's rate, beside its pack's.",
    "A shop sees some dozens of units, a pack's maker perhaps hundreds.")
LEARNED_MOST = assumed(
    "learned_most", 4.0, "times", 1.0, 20.0,
    "How far they can raise it.",
    "As above.")
