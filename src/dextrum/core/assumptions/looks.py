"""What is seen in a port, on a board, and warming."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

CLEAN_PORT = assumed(
    "clean_port", 0.85, "chance", 0.6, 0.97,
    "A port looks clean whose fault can't be seen in it.",
    "The rest are dirt and wear that mean nothing.")
SEEN_AT_FAULT = assumed(
    "seen_at_fault", 0.6, "chance", 0.3, 0.9,
    "Damage is seen in the port where a contact there is at fault.",
    "A bent contact shows, a worn one does not.")
SEEN_ELSEWHERE = assumed(
    "seen_elsewhere", 0.04, "chance", 0.01, 0.15,
    "Damage is seen in the port though nothing there is at fault.",
    "Old scars.")
SHOWN_BY_MISTAKE = assumed(
    "shown_by_mistake", {"missing": 2e-4, "burst": 2e-5, "askew": 3e-4, "corroded": 3e-4, "worked_on": 3e-4,
                         "bridged": 3e-4, "swapped": 1e-4, "turned": 1e-4, "torn": 2e-3}, "chance", 1e-6, 0.002,
    "Each finding is made at one part though nothing of the kind is there, or it means nothing.",
    "Two boards in a hundred, of some hundred parts, have a place that was never fitted; a crater is hardly mistaken; "
    "burnt flux on bare board looks like a torn pad.")
COUNTED_BY_MISTAKE = assumed(
    "counted_by_mistake", 0.1, "share", 0.01, 1.0,
    "Of those mistakes, what is left where parts are counted against the list and photo made before.",
    "What was empty before stands in the list.")
SEEN_TORN = assumed(
    "seen_torn", 0.8, "chance", 0.5, 0.97,
    "A torn pad is seen while the part is off, before the next one goes on.",
    "Bare board where copper was; flux and old solder hide some.")
REGION_MM = assumed(
    "region_mm", 8.0, "mm", 3, 20,
    "How far corrosion, earlier work and bridges speak for what is round them.",
    "A drop of liquid; a hand with an iron.")
RAISED = assumed(
    "raised", {'corroded': 6.0, 'worked_on': 2.5, 'bridged': 30.0}, "times", 1, 100,
    "A part of that region is at fault, right at the finding, beside one elsewhere; it fades with the "
    "distance.",
    "Estimate; nobody has counted it here.")
RAIL_OHMS = assumed(
    "rail_ohms", 1.0, "ohm", 0.2, 5,
    "Nets joined through less warm together.",
    "Beyond a filter's winding the current is seen in the winding.")
SEEN_WATTS = assumed(
    "seen_watts", {'camera': 0.06, 'spray': 0.03, 'alcohol': 0.06, 'touch': 0.3}, "W", 0.005, 1,
    "A small part is seen warming at this in about two of three tries.",
    "A few degrees for a camera, the first spot to thaw for freeze spray.")
METAL_OHMS = assumed(
    "metal_ohms", (0.02, 0.08, 0.3), "ohm", 0.005, 1,
    "What a short that is as good as metal has, one as likely as the other; of the most of these or less is metal.",
    "A fused die or a cracked capacitor has some tens of milliohms; no meter in diode mode tells them apart.")
SEEN_AT_MOST = assumed(
    "seen_at_most", 0.95, "chance", 0.8, 0.99,
    "Warmth is seen, however much there is.",
    "Shields and the far side of the board.")
RIGHT_PART = assumed(
    "right_part", 0.94, "chance", 0.7, 0.99,
    "What warms is named rightly.",
    "Next to it are others of a millimetre.")
NEXT_PART = assumed(
    "next_part", 0.05, "chance", 0.005, 0.2,
    "A neighbour is named instead.",
    "As above.")
NEAR_MM = assumed(
    "near_mm", 6.0, "mm", 2, 15,
    "How far such a neighbour sits at most.",
    "Heat spreads in copper.")
FALSE_WARMTH = assumed(
    "false_warmth", 0.02, "chance", 0.005, 0.1,
    "Something is seen to warm though no current goes there.",
    "A reflection, a hand.")
ELSE_WARMS = assumed(
    "else_warms", 0.3, "chance", 0.1, 0.6,
    "'Something else' warms.",
    "Nothing is known of it.")
