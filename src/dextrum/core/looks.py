"""What can be seen without a meter, in the port and on the board, and what of it forbids what."""

from __future__ import annotations

LOOKS = ("clean", "dirt", "bent", "crossed", "missing", "burnt", "loose", "anchors", "corroded")
BOARD_FINDINGS = ("missing", "burst", "askew", "corroded", "worked_on", "bridged", "swapped", "turned")
BOARD_FINDING_WORDS = {"worked_on": "worked on before"}
MOST_SEEN = 200
LOOK_WORDS = {"dirt": "packed with dirt", "loose": "contacts loose", "anchors": "anchors loose"}
FORBIDS_PLUGGING = frozenset({"bent", "crossed", "missing", "burnt"})
WASHES_OFF = frozenset({"dirt", "corroded"})
"""What is cleaned out of a port before anything is plugged in."""
FORBIDS_POWER = frozenset({"burst", "bridged", "turned"})
"""What is seen of a part on the board, and holds power until it is put right."""
