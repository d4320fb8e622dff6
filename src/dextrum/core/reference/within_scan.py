"""Points of one scan judged by each other, where no known-good board has been read: twins, one node, like roles.

Weaker, since a fault that pulls both down alike is not seen; the verdict says what it rests on.
"""

from __future__ import annotations

from collections.abc import Mapping

from dextrum.core.board import Board, Method
from dextrum.core.reference.table import PointReference

ONE_NODE_VOLTS = 0.006
TWIN_VOLTS = 0.025
LIKE_ROLE_VOLTS = 0.05
FREEDOM = 4.0
FEWEST_LIKE = 3
LIKE = {"TX": "lane", "RX": "lane", "CC": "cc", "SBU": "sbu", "D": "data"}


def _role(signal: str) -> str:
    """Signals of like role: high-speed lanes, CC, side-band, data."""
    return LIKE.get(signal.rstrip("+-0123456789"), signal)


def _middle(values: list[float]) -> float:
    ordered = sorted(values)
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


def _centre(values: list[float]) -> float:
    """The middle of what the others read; OL where most of them do."""
    finite = [v for v in values if v != float("inf")]
    return float("inf") if 2 * len(finite) < len(values) or not finite else _middle(finite)


def references_within_scan(board: Board, values: Mapping[str, float], method: Method,
                           off: frozenset[str] = frozenset()) -> dict[str, PointReference]:
    """References for the port contacts of one scan from its other contacts, by point id.

    values: point id to volts, inf for OL. off: points that are off by what they are for, and speak for no other. The
    closest kin speaks: the same node, then the twin, then like roles; one whose node or twin is off altogether is not
    judged, since a partner that is off says nothing of it. Only diode readings are compared so.
    """
    found: dict[str, PointReference] = {}
    if not method.is_diode:
        return found
    for port in board.ports:
        by_at = {p.at: p.id for p in board.points if p.to is None}
        point_of = {c.name: by_at.get(f"{port.component}.{c.name}", "") for c in port.contacts}
        signal = {c.name: c.signal for c in port.contacts}
        node = {name: set(group) - {name} for group in port.one_node for name in group}
        twin = {name: ({a, b} - {name}) for a, b in port.twins for name in (a, b)}
        for name, point in point_of.items():
            like = {other for other in signal if other != name and _role(signal[other]) == _role(signal[name])}
            for kin, spread, fewest in ((node.get(name, set()), ONE_NODE_VOLTS, 1),
                                        (twin.get(name, set()), TWIN_VOLTS, 1), (like, LIKE_ROLE_VOLTS, FEWEST_LIKE)):
                read = [point_of[other] for other in kin if point_of[other] in values]
                others = [values[p] for p in read if p not in off]
                if point and kin is not like and read and not others:
                    break
                if point and len(others) >= fewest:
                    centre = _centre(others)
                    found[point] = PointReference(point, method, centre, spread if centre != float("inf") else 0.0,
                                                  FREEDOM, 0, True, "scan")
                    break
    return found
