"""What readings scatter by, and how they mislead."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

WRONG_POINT = assumed(
    "wrong_point", 0.01, "chance", 0.002, 0.05,
    "A reading is of another point.",
    "Probes slip to the neighbour.")
BROAD_VOLTS = assumed(
    "broad_volts", 1.0 / 2.0, "1/V", 0.2, 1,
    "Density of a value in diode mode of which nothing is known.",
    "Even over the two volts a meter drives.")
BROAD_LOG_OHMS = assumed(
    "broad_log_ohms", 1.0 / 8.0, "1/decade", 0.05, 0.3,
    "Density of a resistance of which nothing is known.",
    "Even over eight decades.")
ELSE_SHARE = assumed(
    "else_share", 0.08, "chance", 0.02, 0.3,
    "'Something else' makes a reading take any value.",
    "About two of a port scan's.")
ELSE_OPEN = assumed(
    "else_open", 0.3, "share", 0.1, 0.6,
    "Of those, open.",
    "Estimate.")
ELSE_GROUND = assumed(
    "else_ground", 0.2, "share", 0.05, 0.5,
    "Of those, on ground.",
    "Estimate.")
ELSE_GROUND_VOLTS = assumed(
    "else_ground_volts", 0.03, "V", 0.01, 0.1,
    "How far from 0 V such a reading lies.",
    "Copper and leads.")
UNREFERENCED_VOLTS = assumed(
    "unreferenced_volts", 0.035, "V", 0.01, 0.1,
    "Spread of a point in diode mode that no good board was read at, round the circuit's prediction.",
    "A junction is stated to a few percent.")
UNREFERENCED_LOG_OHMS = assumed(
    "unreferenced_log_ohms", 0.25, "log10 ohm", 0.05, 1,
    "The same of a resistance.",
    "What a part is, and what hangs beside it, is stated to a factor of two or so.")
UNREFERENCED_FREEDOM = assumed(
    "unreferenced_freedom", 4.0, "degrees", 1, 30,
    "Freedom of a spread that no good board's readings have told.",
    "Tails as heavy as a handful of boards would leave it.")
TOUCH_OHMS = assumed(
    "touch_ohms", 0.05, "ohm", 0.01, 0.2,
    "What leads and tips scatter by, from touch to touch and from meter to meter.",
    "A clean pair of leads is 0.05 to 0.1 ohm, and the pressure of a tip changes it.")
MODEL_SHARE = assumed(
    "model_share", 0.06, "share", 0.01, 0.2,
    "How far the circuit may be wrong about a change that it predicts.",
    "Junctions in parallel are not one junction.")
MODEL_VOLTS = assumed(
    "model_volts", 0.003, "V", 0.001, 0.01,
    "And at least.",
    "The last digit of a meter, three times.")
LEAK_SIZE_SHARE = assumed(
    "leak_size_share", 0.4, "share", 0.1, 1,
    "Of what a leak lowers a reading by, how far it may be another.",
    "Its ohms are known to the next size only, a factor of four away, and what it takes goes by their inverse.")
SHORT_OHMS_SHARE = assumed(
    "short_ohms_share", 0.35, "share", 0.1, 1,
    "How far a short's resistance may be another.",
    "Known to the next size only.")
SHORT_VOLTS = assumed(
    "short_volts", 0.002, "V", 0.0005, 0.01,
    "How far a short's reading scatters besides.",
    "Copper and leads.")
OPEN_READS_NUMBER = assumed(
    "open_reads_number", 0.01, "chance", 0.002, 0.05,
    "A point that reads OL on a good board reads a number at one touch.",
    "A tip that slips.")
PARTED_LEAKS = assumed(
    "parted_leaks", {True: 0.12, False: 0.35}, "chance", 0.02, 0.7,
    "What a fault has opened reads a number all the same, in diode mode (True) and in ohms.",
    "Boards leak round an open part, through flux, moisture, what is charred of it, or the meter's other lead.")
LEAK_LOG_OHMS = assumed(
    "leak_log_ohms", (1.48, 8.3), "decades of ohm", 1, 9,
    "Where such a resistance may lie, evenly by its logarithm.",
    "30 ohms to 200 megohms.")
LEAK_VOLTS = assumed(
    "leak_volts", (0.55, 3.0), "V", 0.3, 4,
    "Where such a drop may lie, evenly.",
    "From above a junction's knee up.")
TOUCH_VOLTS = assumed(
    "touch_volts", 0.001, "V", 0.0003, 0.005,
    "Scatter of one touch.",
    "The last digit.")
AS_BEFORE_VOLTS = assumed(
    "as_before_volts", 0.004, "V", 0.001, 0.01,
    "A point that reads within this of what it read before a repair reads as before.",
    "Three times what two touches differ by.")
EXPLAINS_NATS = assumed(
    "explains_nats", 1.0, "nats", 0.5, 3,
    "By how much a fault explains such a reading better than a board with none, from which it counts as explaining it.",
    "Less is how boards scatter.")
ODD_PART = assumed(
    "odd_part", 0.003, "chance", 0.0005, 0.02,
    "A junction is another maker's or from another lot, and reads so however often it is touched.",
    "Without it a board that reads oddly for good convicts whatever sits there, again and again.")
OTHER_MAKE = assumed(
    "other_make", 0.01, "chance", 0.001, 0.05,
    "A chip on the board is of another make or lot than on the good boards, and all its lines read off together.",
    "One board in fifty to a hundred has had a chip changed, or was made after its maker did.")
MOST_OF_MAKE = assumed(
    "most_of_make", 2.5, "ln", 1, 4,
    "By how much its saturation currents are then larger or smaller at most, as a natural logarithm.",
    "A tenth of a volt at a junction.")
MAKE_FREEDOM = assumed(
    "make_freedom", 4.0, "degrees", 2, 10,
    "Freedom of the Student t that each of its lines is then held to.",
    "Single lines scatter beside what they share.")
FEWEST_LINES_OF_MAKE = assumed(
    "fewest_lines_of_make", 2, "lines", 2, 6,
    "So many of its lines must be off by themselves, and be explained by it.",
    "One line that is off is a fault or another maker's pin.")
PLAINLY_BETTER = assumed(
    "plainly_better", 3.0, "nats", 1, 8,
    "By how much it must explain the readings better than nothing at all, and than the best single fault.",
    "Twenty to one: what a fault explains is not explained away.")
ODD_VOLTS = assumed(
    "odd_volts", 0.04, "V", 0.01, 0.1,
    "How far its drop is then off.",
    "Between makers of one kind of chip.")
ODD_FROM_VOLTS = assumed(
    "odd_from_volts", 0.2, "V", 0.1, 0.35,
    "Below it no junction decides what a point reads.",
    "The knee of the smallest junctions.")
SHARED_SHARE = assumed(
    "shared_share", 0.97, "share", 0.8, 0.995,
    "How much of a point's spread is the board's own, common to all points of the same copper.",
    "The rest is the touch.")
LEAST_LEVEL_VOLTS = assumed(
    "least_level_volts", 0.05, "V", 0.02, 0.1,
    "Below it a reading says nothing of how far its copper is off.",
    "A grounded point has no level.")
COMPLIANCE_VOLTS = assumed(
    "compliance_volts", 2.5, "V", 1.5, 5,
    "What a meter can drive in diode mode when its own limit isn't known; above it shows OL.",
    "Handheld meters state 1.5 to 3 V.")
OL_OHMS = assumed(
    "ol_ohms", 5e7, "ohm", 1e+07, 2e+08,
    "What a meter shows OL from, where its own limit is not known.",
    "Ranges of handheld meters end at 40 to 60 megohms.")
COPPER_OHMS = assumed(
    "copper_ohms", 5.0, "ohm", 1, 20,
    "Points joined through less share how far their board is off.",
    "Windings and links are one copper to a meter.")
SAME_OHMS = assumed(
    "same_ohms", 0.1, "share", 0.02, 0.3,
    "Ohms to ground that a fault lowers by less are not looked at with parts off: nothing would be plain there.",
    "Three times what a meter's last digits and its leads make of some hundred ohms.")
UNCHANGED_VOLTS = assumed(
    "unchanged_volts", 0.0005, "V", 0.0001, 0.002,
    "What moves a point by less leaves how far it is off as known as before.",
    "Half a digit.")
