"""Lots of parts, orders, lots of units, and what a day takes, where the shop's own records say nothing yet."""

from __future__ import annotations

from dextrum.core.assumptions.assumption import assumed

BAD_LOT_TOLD_FROM = assumed(
    "bad_lot_told_from", 10.0, "times", 3, 100,
    "How much likelier a bad lot must make what came of it than a usual one, to be told.",
    "Strong evidence as Kass and Raftery call it; a drawer is not set aside for one bad part.")
BAD_LOT_PRIOR_PARTS = assumed(
    "bad_lot_prior_parts", 40.0, "parts", 10, 400,
    "How many fitted parts the assumed rate of new parts that fail is worth, beside those counted.",
    "A shop's first dozen parts should not set its usual rate alone.")
BAD_LOT_SHARE = assumed(
    "bad_lot_share", 0.05, "share", 0.01, 0.3,
    "Of all lots, those that are bad.",
    "An estimate; it only weighs what the next part of a lot does.")
PART_LIES_ABOUT = assumed(
    "part_lies_about", 0.1, "share of its price", 0.01, 1,
    "What a part costs that was ordered and isn't wanted before the next order.",
    "A drawer, money tied up, models that go out of use.")
COVERED_AT_MOST = assumed(
    "covered_at_most", 0.99, "share of demand", 0.8, 0.999,
    "For how much of the demand an order is made at most, however little a part costs.",
    "A part whose price nobody typed still takes room; one order in a hundred that runs out is early enough to order.")
LOST_A_WAITING_DAY = assumed(
    "lost_a_waiting_day", 2.0, "currency a day", 0.1, 50,
    "What a unit loses that waits for its part, where the shop hasn't said.",
    "An owner who asks, a loaner that isn't lent.")
SHARED_SPREAD = assumed(
    "shared_spread", 0.25, "of the logarithm", 0, 1,
    "What hands' minutes of all units of a lot bought unseen have in common.",
    "Who sold them, how they were kept; an estimate.")
SHARED_LOSS = assumed(
    "shared_loss", 0.12, "share", 0, 0.5,
    "Spread of the share of good ends between lots with the same complaints.",
    "Sellers keep the easy ones; an estimate.")
ARRIVALS_A_WEEK = assumed(
    "arrivals_a_week", 6.0, "units", 0, 200,
    "Units that come in, where the bench has no record yet.",
    "One a working day.")
SETUP_MINUTES = assumed(
    "setup_minutes", {"hot air": 6.0, "meter": 1.0, "dock": 2.0}, "min", 0, 30,
    "Changing over to hot air and plate, to meter and breakout, or to dock and supply.",
    "Warm up once and do several; estimates.")
NO_PACK_MINUTES = assumed(
    "no_pack_minutes", 45.0, "min", 5, 240,
    "Of hands for a job whose board nobody has described.",
    "A port scan and a decision.")
