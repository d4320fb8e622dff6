"""What can be seen without a meter, in the port and on the board, and what of it forbids what."""

from __future__ import annotations

from dextrum.tongue import tr

MISSING = "missing"
TORN = "torn"
"""A pad under a part, seen while the part is off."""
LOOKS = ("clean", "dirt", "bent", "crossed", "missing", "burnt", "loose", "anchors", "corroded")
BOARD_FINDINGS = ("missing", "burst", "askew", "corroded", "worked_on", "bridged", "swapped", "turned", "torn")
BOARD_FINDING_WORDS = {
    "missing": tr("missing"), "burst": tr("burst"), "askew": tr("askew"), "corroded": tr("corroded"),
    "worked_on": tr("worked on before"), "bridged": tr("bridged"), "swapped": tr("swapped"), "turned": tr("turned"),
    "torn": tr("pad torn")}
MOST_SEEN = 200
LOOK_WORDS = {
    "clean": tr("clean"), "dirt": tr("packed with dirt"), "bent": tr("bent"), "crossed": tr("crossed"),
    "missing": tr("missing"), "burnt": tr("burnt"), "loose": tr("contacts loose"), "anchors": tr("anchors loose"),
    "corroded": tr("corroded")}
FORBIDS_PLUGGING = frozenset({"bent", "crossed", "missing", "burnt"})
WASHES_OFF = frozenset({"dirt", "corroded"})
"""What is cleaned out of a port before anything is plugged in."""
ASKS_FOR_ANOTHER = frozenset({"burst", "turned"})
"""What no heat puts right where the part sits: it comes off."""
PUT_RIGHT_BY = {"reflow": frozenset({"askew", "bridged", "worked_on"}), "wire": frozenset({"torn"}),
                "clean": frozenset({"corroded"})}
"""What work on a part puts right, but for replacing it, which ends all that was seen of the one before."""
LOOKED_FOR_BY = {"bridged": "bridges", "torn": "pads"}
"""The step of an audit that looks for a finding; for all others the parts are counted."""
FORBIDS_POWER = frozenset({"burst", "bridged", "turned"})
"""What is seen of a part on the board, and holds power until it is put right."""
