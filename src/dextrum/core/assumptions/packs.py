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
SURE_OF_SOURCE = assumed(
    "sure_of_source", {"probed": 0.995, "typed": 0.99, "file": 0.998, "measured": 0.995, "learned": 0.95,
                       "template": 0.8, "guessed": 0.85, "default": 0.7}, "chance", 0.3, 1.0,
    "A fact of a pack is so, by where it comes from.",
    "Probing at 3 % bad touches left 1 net in 500 wrong; 1 in 30 ends lay on the other side of a coil; the rest are "
    "estimates. Of a pack that says nothing of its sources, see point_sure.")
POINT_SURE = assumed(
    "point_sure", 0.995, "chance", 0.95, 1.0,
    "A point of the board is on the net that its pack says, where the pack says nothing of sources. The port's "
    "contacts have their names from the standard.",
    "One end in two hundred: what probing leaves wrong at its best.")
OPEN_ON_ONE = assumed(
    "open_on_one", 0.05, "chance", 0.005, 0.2,
    "A point that reads OL on the only good board reads a number on others; of two such boards, the square of it.",
    "Touches read open in bursts, and a contact of a board that works may be worn: one board in twenty, an estimate.")
MOST_UNSURE = assumed(
    "most_unsure", 0.8, "chance", 0.2, 0.9,
    "How far a point may come to be taken for one that the pack has wrong, by what was read there before a repair.",
    "Each further reading costs a fifth: what still explains it is not given up, and what is one thing is held once.")
SHARES_GUESSED = assumed(
    "shares_guessed", 0.3, "chance", 0.1, 0.7,
    "Where a part of the board is described by nobody: what is left on a line once something has opened reads anywhere "
    "above a good board, and not what equal shares say.",
    "Which of several junctions in parallel carried how much, nobody has measured.")
RAISED_VOLTS = assumed(
    "raised_volts", 0.35, "V", 0.2, 0.6,
    "How far above, evenly.",
    "A small protection diode reads 0.1 to 0.3 V above the pins of a supplied chip that it lies beside.")
SEEN_AGAIN_OFF = assumed(
    "seen_again_off", 0.1, "chance", 0.02, 0.4,
    "A point that the pack has on a wrong net reads anything after a repair, and not what it read before it.",
    "What was worked on, or a touch that slipped: mostly it reads as it did.")
SEEN_ELSEWHERE_OFF = assumed(
    "seen_elsewhere_off", 0.5, "chance", 0.1, 0.9,
    "A point that the pack has on a wrong net reads anything; else it reads as on a good board.",
    "Whatever net it is on may be the faulty one, or not: nobody knows.")
