"""What faults break: severities, shares, and what comes together."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

SURE = assumed(
    "sure", 0.98, "chance", 0.9, 0.999,
    "A function is broken by what plainly cuts or shorts what it needs.",
    "The rest is a pack that says more needs than there are.")
REDUNDANT_CONTACT = assumed(
    "redundant_contact", 0.03, "chance", 0.005, 0.1,
    "A function suffers from one contact of several that carry the same.",
    "The others carry the current; a marginal one shows under load now and then.")
MISSING_CAPACITOR = assumed(
    "missing_capacitor", 0.08, "chance", 0.02, 0.3,
    "One capacitor less is noticed.",
    "A rail has several, and its chip some margin.")
MISSING_PULL_UP = assumed(
    "missing_pull_up", 0.6, "chance", 0.3, 0.9,
    "A resistor off a line breaks what the line is for.",
    "A pull-up does, a damping resistor that is cut does too, a spare does not.")
CHIP_PIN = assumed(
    "chip_pin", 0.95, "chance", 0.8, 0.99,
    "A chip's lifted pin breaks what needs the chip and the pin's line, or a feed.",
    "A chip without a supply pin does nothing.")
SIGNAL_PIN = assumed(
    "signal_pin", 0.2, "chance", 0.05, 0.5,
    "A chip's lifted pin breaks what needs the line alone.",
    "By way of another chip that waits for this one's answer.")
OTHER_PIN = assumed(
    "other_pin", 0.2, "chance", 0.03, 0.5,
    "A chip's lifted, shorted or bridged pin breaks what needs the chip, but neither that pin's line nor a feed.",
    "It waits for what never comes, or what hurt the pin hurt more of the chip. Were it impossible, a chip that is "
    "dead beside its bad pin would look like two faults.")
CROSSED_DISTURB = assumed(
    "crossed_disturb", 0.9, "chance", 0.7, 0.98,
    "Two lines that touch disturb what runs over them.",
    "Two of the same volts may bear it.")
DISTURBS_AT_A_KILOHM = assumed(
    "disturbs_at_a_kilohm", 0.5, "chance", 0.2, 0.9,
    "A leak of a kilohm disturbs a function; falls with its current.",
    "Estimate: half of the lines of a handheld are driven strongly enough to bear it.")
TRACE_WEIGHT = assumed(
    "trace_weight", 0.3, "weight", 0.05, 1,
    "Weight of a trace that a pack says can break, beside its rates for parts.",
    "Between a filter and a capacitor of the shipped packs.")
FEED_SPARED = assumed(
    "feed_spared", 0.2, "share", 0.05, 0.5,
    "Shorts and leaks that leave up what feeds their rail, and of leaks and partial ones as many again that leave up "
    "the rail itself, and yet break what needs it.",
    "What trips a supply and what a chip needs are not one threshold; a regulator limits what its rail draws.")
ELSE_BROKEN = assumed(
    "else_broken", 0.5, "chance", 0.2, 0.8,
    "Something that no pack lists breaks any one function.",
    "Nothing is known of it.")
LOW_OHMS = assumed(
    "low_ohms", 1.0, "ohm", 0.2, 5,
    "Below it a link or coil carries a short on to the next net.",
    "Windings and links of power paths lie well below, signal filters above.")
ODD_DRAW = assumed(
    "odd_draw", 0.01, "chance", 0.002, 0.05,
    "A draw has nothing to do with what is broken.",
    "A plug half in, a meter read at a wrong moment, a fault that is away just then: one draw must not "
    "clear or convict for good.")
BREAKS_ONE = assumed(
    "breaks_one", 0.5, "share", 0.2, 0.8,
    "Of 'something else', what breaks one function alone and shows in no reading.",
    "The other half may do anything.")
PORT_COLLATERAL = assumed(
    "port_collateral", 5.0, "times", 1, 20,
    "A part on a damaged port's own lines is at fault too, beside a part elsewhere.",
    "What tore or shorted the port went on along the line.")
UNDESCRIBED_ON_LINES = assumed(
    "undescribed_on_lines", 0.3, "share", 0.1, 0.7,
    "Of what stands for the whole board behind a port, what lies on the line that a damaged contact of it has.",
    "It has a pin on each line, but few of the parts that it stands for are on any one of them.")
FEEDER_COLLATERAL = assumed(
    "feeder_collateral", 12.0, "times", 1, 40,
    "A fuse, filter or link is blown where something behind or before it is shorted, beside one that is not.",
    "A short is what blows them.")
