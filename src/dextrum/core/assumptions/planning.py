"""What a step costs where the pack says nothing, and from which chance it is taken."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed
from dextrum.core.board.kinds import ComponentKind

SURE_ENOUGH = assumed(
    "sure_enough", 0.995, "chance", 0.97, 0.9999,
    "A part is at fault, from which nothing more is asked for.",
    "A test can hardly save more than it costs.")
ACROSS_FROM = assumed(
    "across_from", 0.1, "chance", 0.02, 0.5,
    "From end to end a suspected part reads off, from which it is read there before it is changed.",
    "Half a minute against half an hour, of the one reading that speaks of this part alone.")
NEARLY = assumed(
    "nearly", 0.6, "chance", 0.3, 0.9,
    "A part is at fault, from which a test is worth its while too if it only shakes the suspicion.",
    "Below it tests are chosen by what they decide.")
DECIDES = assumed(
    "decides", 0.9, "chance", 0.7, 0.99,
    "A check fails if the chip is dead, from which it is tried before the chip is changed.",
    "Less would not clear it.")
LEAST_SURPRISE = assumed(
    "least_surprise", 0.01, "chance", 0.001, 0.1,
    "And it works after all, from which that is worth trying.",
    "A trial is some minutes, a chip an hour.")
AS_GOOD_AS_FOUND = assumed(
    "as_good_as_found", 0.9, "chance", 0.7, 0.99,
    "A part is at fault, from which it is mended before a chip that is not sure.",
    "It has to be mended anyway.")
KNOWN = assumed(
    "known", 0.95, "chance", 0.8, 0.999,
    "An outcome, from which nobody looks whether it is so.",
    "Nothing would be learned.")
CHEAPER = assumed(
    "cheaper", 0.6, "share", 0.3, 1,
    "Of the cost of a change, what a test before it may cost.",
    "Two tests for the price of a change decide nothing better.")
MEANT_BY_SYMPTOM = assumed(
    "meant_by_symptom", 0.5, "weight", 0.2, 0.9,
    "Weight of a function in a symptom, from which the symptom means that this function fails.",
    "Likelier than not.")
JOINED_READ_FROM = assumed(
    "joined_read_from", 0.15, "share", 0.02, 0.5,
    "Of what speaks for a part, faults that would join a line that was not read, from which that line is read first.",
    "A touch is a third of a minute, and shows whether the two read the same.")
AGAINST_FROM = assumed(
    "against_from", 3.0, "nats", 1.5, 6,
    "By how much a single touch speaks against all that a part may have, from which it is made once more first.",
    "Then only a slip of the hand leaves the part suspected, and that is told in a third of a minute.")
LEAST_BEYOND = assumed(
    "least_beyond", 0.02, "chance", 0.005, 0.1,
    "A part that cannot be mended is at fault, from which its rail is read before another chip is changed.",
    "A touch is cheap beside a chip.")
MOST_WAITS = assumed(
    "most_waits", 4, "waits", 2, 10,
    "After them a draw that is still in doubt isn't waited for any more.",
    "A known-good cell tells at once.")
GOOD_CHIP = assumed(
    "good_chip", 2.0, "times", 1, 5,
    "What lifting a good chip costs, beside its work.",
    "The risk that it doesn't come back as it was.")
ON_AND_OFF = assumed(
    "on_and_off", 2.0, "times", 1.5, 3,
    "What taking a part off in vain costs, beside taking it off.",
    "It goes back on, which is the same work once more.")
LEAST_LOAD = assumed(
    "least_load", 0.01, "chance", 0.001, 0.05,
    "A load is the short, from which it is worth taking off for itself.",
    "Others come off in the order of the rail.")
LIKELY_LEAK = assumed(
    "likely_leak", 0.5, "chance", 0.2, 0.9,
    "Something pulls a point down, from which its rail is taken apart though it reads within.",
    "Likelier than not.")
LIKELY_SHORT = assumed(
    "likely_short", 0.5, "chance", 0.2, 0.9,
    "A rail that has not been read is on ground, from which reading it counts with the injection after it.",
    "Likelier than not.")
FOUND_LOAD = assumed(
    "found_load", 0.95, "chance", 0.8, 0.999,
    "One part on the rail is at fault, from which there is nothing left to eliminate.",
    "Changing it is the test.")
INJECT_MINUTES = assumed(
    "inject_minutes", {'camera': 6.0, 'spray': 9.0, 'alcohol': 8.0}, "min", 2, 30,
    "Wiring to the rail, setting the supply, looking.",
    "Estimate; the shop sees its own in the trail.")
LOOK_AGAIN_MINUTES = assumed(
    "look_again_minutes", {'camera': 1.0, 'spray': 3.0, 'alcohol': 2.0}, "min", 0.5, 15,
    "Looking once more, or another way, while the rail is still on the bench supply.",
    "Nothing is wired or set anew; spray and alcohol are fetched and dry.")
NAMED_WRONGLY = assumed(
    "named_wrongly", 4.0, "times", 1, 10,
    "How much oftener than `next_part` says a neighbour may be named, where a chip would be changed for it.",
    "`next_part` may be as much as 0.2: it is known least of all, and a chip is an hour.")
FED_FROM_OHMS = assumed(
    "fed_from_ohms", 1000.0, "ohm", 300, 3000,
    "A rail that reads fewer to ground is not held at its volts beside a line that is injected.",
    "Some milliamperes at the volts of a rail, less than any pull-up of a line takes.")
FEED_MINUTES = assumed(
    "feed_minutes", 3.0, "min", 1, 10,
    "Putting a rail on a second output at its own voltage, before a line that idles at it is injected.",
    "Two more wires, set and checked before the first.")
INJECT_RISK = assumed(
    "inject_risk", 0.004, "share of the value", 0, 0.05,
    "Of the unit, what an injection puts at risk.",
    "Held by the limits of volts and current.")
LEAST_SEEN = assumed(
    "least_seen", 0.15, "chance", 0.05, 0.5,
    "Something is seen to warm, from which an injection is worth it.",
    "Less is a morning with a camera.")
RAIL_SETUP_MINUTES = assumed(
    "rail_setup_minutes", 1.0, "min", 0.2, 5,
    "Propping the board up and plugging in, before rails are read under power.",
    "Estimate.")
LEAST_UP = assumed(
    "least_up", 0.05, "chance", 0.01, 0.3,
    "A rail is up after all, from which it is read once more.",
    "A slip of the probe.")
SIGNAL_VOLTS = assumed(
    "signal_volts", 0.45, "V", 0.2, 0.5,
    "Injected on a line that is no rail.",
    "Below the knee of a junction, so that next to nothing but the short conducts.")
BEYOND_REPAIR = assumed(
    "beyond_repair", 0.8, "chance", 0.6, 0.98,
    "Nothing on the board can be mended, above which giving up competes with going on.",
    "A unit is not scrapped on a guess.")
RAIL_MINUTES = assumed(
    "rail_minutes", 2.0, "min", 0.5, 5,
    "Reaching a point with power on, and reading it.",
    "Estimate.")
SAFE_MINUTES = assumed(
    "safe_minutes", 10.0, "min", 3, 30,
    "Setting a unit apart, opening it and taking its cell out, and looking it over.",
    "Estimate.")
CLEAN_MINUTES = assumed(
    "clean_minutes", 3.0, "min", 1, 15,
    "Blowing and brushing a port out, letting the alcohol dry.",
    "Estimate.")
AUDIT_MINUTES = assumed(
    "audit_minutes", 2.0, "min", 0.5, 10,
    "Looking round the joints, counting, flux off.",
    "Estimate.")
COUNT_MINUTES = assumed(
    "count_minutes", 1.0, "min", 0.2, 5,
    "Counting the parts round a chip against the list before it is heated; photo and list are part of the work.",
    "Estimate: a dozen places under magnification.")
UNPLUG_MINUTES = assumed(
    "unplug_minutes", 0.5, "min", 0.1, 5,
    "Unplugging the cell of an open unit.",
    "Estimate.")
CLEARED = assumed(
    "cleared", 0.75, "chance", 0.5, 0.95,
    "No fault is left, above which the device goes to proof.",
    "A failed proof costs its minutes and tells something.")
TRIED_AGAIN = assumed(
    "tried_again", 0.3, "chance", 0.1, 0.6,
    "No fault is left, from which a check that failed is tried once more before anything else.",
    "Three in a hundred trials slip.")
MOST_TRIES = assumed(
    "most_tries", 5, "trials", 2, 10,
    "Of one check, after which it counts as failed whatever else is known.",
    "Then no slip explains it.")
LEAST_GAIN_MINUTES = assumed(
    "least_gain_minutes", 0.125, "min", 0, 1,
    "Of expected work, what a test must save to come before deciding the job.",
    "Less is lost in the rounding of minutes.")
USUAL_LIFTING = assumed(
    "usual_lifting", 5.0, "min", 2, 15,
    "Putting back a part of a kind of which nothing else is known.",
    "Estimate.")
GUILTY = assumed(
    "guilty", 0.5, "chance", 0.3, 0.9,
    "A part is at fault, from which it stays off until it is replaced.",
    "Likelier than not.")
OPEN_TOUCHES = assumed(
    "open_touches", 3, "touches", 2, 6,
    "In a row that a point must read OL to count as read, where a unit is about to be given up.",
    "Slips come in bursts: the same hand at the same angle.")
MOST_TIMES = assumed(
    "most_times", 2, "repairs", 1, 4,
    "Of the same kind on one part that are advised in a job.",
    "What goes on as it was after two has another cause.")
LIKELY_WHOLE = assumed(
    "likely_whole", 0.5, "chance", 0.3, 0.8,
    "No fault is left, from which a unit is proved before it is given up.",
    "Likelier than not.")
LIKELY_PART = assumed(
    "likely_part", 0.5, "chance", 0.3, 0.8,
    "A part is at fault, below which it is likelier good than not.",
    "As it says.")
PLANNING_PENALTY = assumed(
    "planning_penalty", 2.0, "times", 1, 5,
    "What an unmended unit weighs while planning, of its value.",
    "One step of look-ahead cannot see how two measurements together pay, and would give up too early at "
    "the bare value.")
SEARCH_MINUTES = assumed(
    "search_minutes", 20.0, "min", 5, 90,
    "Finding a further fault once the proof has failed, where nothing is known of it yet.",
    "A port scan and some rails.")
LIFTING_MINUTES = assumed(
    "lifting_minutes", {
        ComponentKind.CONNECTOR: 1.0, ComponentKind.LINK: 4.0, ComponentKind.FUSE: 5.0, ComponentKind.FILTER: 6.0,
        ComponentKind.INDUCTOR: 7.0, ComponentKind.CAPACITOR: 4.0, ComponentKind.ESD_ARRAY: 5.0}, "min", 0.2, 20.0,
    "Taking a part off, and as many to put it back.",
    "Estimate; a chip takes half of what the pack says replacing it takes.")
LIFTING_RISK = assumed(
    "lifting_risk", {
        ComponentKind.CONNECTOR: 0.0, ComponentKind.LINK: 0.005, ComponentKind.FUSE: 0.01, ComponentKind.FILTER: 0.01,
        ComponentKind.INDUCTOR: 0.01, ComponentKind.CAPACITOR: 0.005, ComponentKind.ESD_ARRAY: 0.01},
    "share of the value", 0.0, 0.1,
    "Of the unit, what taking a part off puts at risk.",
    "A pad that lifts is a repair of its own.")
LEAST_CHARGE_MINUTES = assumed(
    "least_charge_minutes", 1.0, "min", 0.2, 10.0,
    "Of charging that is still missing, from which a unit is left to charge before it is tried.",
    "Plugging in takes as long.")
MENDED_ANYWAY = assumed(
    "mended_anyway", 0.5, "chance", 0.3, 0.95,
    "A fault is there, from which it is mended even where it breaks nothing; a chip's is not.",
    "Likelier than not, and cheap.")
