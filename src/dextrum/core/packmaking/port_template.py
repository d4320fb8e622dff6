"""Kinds of port that a new pack can begin with: contacts, which are one node, which are twins, and what each net is.

Contact names and signals of the 24-, 16- and 6-contact receptacles are those of the USB Type-C Cable and Connector
Specification, release 2.2, section 3.2; the 6-contact power-only one has no data contacts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from dextrum.core.board import Contact, NetRole
from dextrum.tongue import tr

MOST_OWN_CONTACTS = 40

SIGNALS: Mapping[str, str] = {
    "A1": "GND", "A2": "TX1+", "A3": "TX1-", "A4": "VBUS", "A5": "CC1", "A6": "D+", "A7": "D-", "A8": "SBU1",
    "A9": "VBUS", "A10": "RX2-", "A11": "RX2+", "A12": "GND", "B1": "GND", "B2": "TX2+", "B3": "TX2-", "B4": "VBUS",
    "B5": "CC2", "B6": "D+", "B7": "D-", "B8": "SBU2", "B9": "VBUS", "B10": "RX1-", "B11": "RX1+", "B12": "GND"}
NUMBERS: Mapping[str, int] = {name: (int(name[1:]) if name[0] == "A" else 25 - int(name[1:])) for name in SIGNALS}
TWINS = (("A5", "B5"), ("A8", "B8"), ("A2", "B2"), ("A3", "B3"), ("A10", "B10"), ("A11", "B11"), ("A6", "B6"),
         ("A7", "B7"))
"""Contacts that do the same the other way up, and read alike on a good board."""
ONE_NODE = (("A1", "A12", "B1", "B12"), ("A4", "A9", "B4", "B9"), ("A6", "B6"), ("A7", "B7"))
ROLE_OF: Mapping[str, NetRole] = {
    "GND": NetRole.GROUND, "VBUS": NetRole.VBUS, "CC1": NetRole.CC, "CC2": NetRole.CC, "D+": NetRole.USB2,
    "D-": NetRole.USB2, "SBU1": NetRole.SBU, "SBU2": NetRole.SBU,
    **{f"{lane}{sign}": NetRole.LANE for lane in ("TX1", "TX2", "RX1", "RX2") for sign in "+-"}}
OWN_ROLE: Mapping[str, NetRole] = {"GND": NetRole.GROUND, "SHELL": NetRole.GROUND, "VIN": NetRole.VBUS,
                                   "VBUS": NetRole.VBUS, "PLUS": NetRole.VBUS, "MINUS": NetRole.GROUND}
"""What the technician may have written beside a contact of a socket of its own kind; anything else is a signal."""


@dataclass(frozen=True)
class PortTemplate:
    """words: as it is offered. roles: by net; net_of: contact to net. is_usb_c: whether both ways up exist."""

    id: str
    words: str
    contacts: tuple[Contact, ...]
    one_node: tuple[tuple[str, ...], ...]
    twins: tuple[tuple[str, str], ...]
    net_of: Mapping[str, str]
    roles: Mapping[str, NetRole]
    is_usb_c: bool = True


def net_name(signal: str) -> str:
    """A net's name from a contact's signal: 'D+' is DP, 'TX1-' is TX1N."""
    if signal in ("D+", "D-"):
        return "DP" if signal == "D+" else "DM"
    return signal.replace("+", "P").replace("-", "N").upper()


def _usb_c(template: str, words: str, names: Sequence[str]) -> PortTemplate:
    there = set(names)
    contacts = tuple(Contact(name, NUMBERS[name], SIGNALS[name]) for name in names)
    one_node = tuple(found for group in ONE_NODE if len(found := tuple(n for n in group if n in there)) > 1)
    twins = tuple(pair for pair in TWINS if set(pair) <= there)
    net_of = {c.name: net_name(c.signal) for c in contacts}
    return PortTemplate(template, words, contacts, one_node, twins, net_of,
                        {net_name(c.signal): ROLE_OF[c.signal] for c in contacts})


_16 = [f"{row}{k}" for row in "AB" for k in (1, 4, 5, 6, 7, 8, 9, 12)]
_POWER = ["A5", "A9", "A12", "B5", "B9", "B12"]
TEMPLATES: Mapping[str, PortTemplate] = {one.id: one for one in (
    _usb_c("usb-c-24", "USB-C, 24 contacts", list(SIGNALS)),
    _usb_c("usb-c-16", "USB-C, 16 contacts", _16),
    _usb_c("usb-c-power", tr("USB-C, 6 contacts, power only"), _POWER))}
OWN_SOCKET = "own-socket"
OWN_SOCKET_WORDS = tr("a socket of its own kind")


def own_socket(signals: Sequence[str]) -> PortTemplate:
    """A proprietary socket with one contact for each signal, in their order from one end; '' where nobody knows yet.
    Contacts of one named signal are one node.

    Raises ValueError for none, or too many.
    """
    if not 1 <= len(signals) <= MOST_OWN_CONTACTS:
        raise ValueError(tr("{count} contacts; expected 1 to {most_own_contacts}", count=len(signals),
                            most_own_contacts=MOST_OWN_CONTACTS))
    named = [signal.strip().upper() or f"C{k}" for k, signal in enumerate(signals, start=1)]
    contacts = tuple(Contact(f"A{k}", k, signal) for k, signal in enumerate(named, start=1))
    groups: dict[str, list[str]] = {}
    for contact in contacts:
        groups.setdefault(contact.signal, []).append(contact.name)
    net_of = {c.name: net_name(c.signal) for c in contacts}
    return PortTemplate(OWN_SOCKET, OWN_SOCKET_WORDS, contacts,
                        tuple(tuple(group) for group in groups.values() if len(group) > 1), (), net_of,
                        {net_name(c.signal): OWN_ROLE.get(c.signal, NetRole.SIGNAL) for c in contacts}, False)
