"""The closed vocabularies of a board pack."""

from __future__ import annotations

from enum import StrEnum

from dextrum.tongue import tr


class Side(StrEnum):
    TOP = "top"
    BOTTOM = "bottom"

    @property
    def other(self) -> Side:
        """The far side."""
        return Side.BOTTOM if self is Side.TOP else Side.TOP


class NetRole(StrEnum):
    GROUND = "ground"
    VBUS = "vbus"
    RAIL = "rail"
    CORE_RAIL = "core_rail"
    CC = "cc"
    USB2 = "usb2"
    SBU = "sbu"
    LANE = "lane"
    SIGNAL = "signal"


FEED_ROLES = frozenset({NetRole.VBUS, NetRole.RAIL, NetRole.CORE_RAIL})
"""Nets that supply something."""
DATA_ROLES = frozenset({NetRole.USB2, NetRole.SBU, NetRole.LANE})
"""Lines that carry data and nothing else. Any other signal may be a converter's switching node, or in a pack made at
the bench a supply that nobody has named."""


class ComponentKind(StrEnum):
    RECEPTACLE = "receptacle"
    CONNECTOR = "connector"
    FUSE = "fuse"
    LINK = "link"
    RESISTOR = "resistor"
    INDUCTOR = "inductor"
    FILTER = "filter"
    CAPACITOR = "capacitor"
    ESD_ARRAY = "esd_array"
    IC = "ic"


KIND_WORDS = {
    ComponentKind.RECEPTACLE: tr("port"), ComponentKind.CONNECTOR: tr("connector"), ComponentKind.FUSE: tr("fuse"),
    ComponentKind.LINK: tr("link"), ComponentKind.RESISTOR: tr("resistor"), ComponentKind.INDUCTOR: tr("coil"),
    ComponentKind.FILTER: tr("filter"), ComponentKind.CAPACITOR: tr("capacitor"),
    ComponentKind.ESD_ARRAY: tr("ESD array"), ComponentKind.IC: tr("chip"),
}
"""What a part is called that says no more of itself."""
SERIES_KINDS = frozenset({
    ComponentKind.FUSE, ComponentKind.LINK, ComponentKind.RESISTOR, ComponentKind.INDUCTOR,
    ComponentKind.FILTER, ComponentKind.RECEPTACLE,
})
"""Kinds a direct current goes through from one net to another."""


class FaultKind(StrEnum):
    OPEN_CONTACT = "open_contact"
    LIFTED_JOINT = "lifted_joint"
    CROSSED_CONTACTS = "crossed_contacts"
    SHELL_CONTACT = "shell_contact"
    BLOWN_FUSE = "blown_fuse"
    OPEN_WINDING = "open_winding"
    BRIDGED_WINDINGS = "bridged_windings"
    HARD_SHORT = "hard_short"
    PARTIAL_SHORT = "partial_short"
    LEAKY_PART = "leaky_part"
    MISSING_PART = "missing_part"
    BROKEN_TRACE = "broken_trace"
    QUIET_FAILURE = "quiet_failure"
    BRIDGED_PINS = "bridged_pins"
    TORN_PAD = "torn_pad"
    WRONG_PART = "wrong_part"
    TURNED_PART = "turned_part"


class Method(StrEnum):
    """How a reading was taken. A reading is only compared with references of the same method."""

    DIODE_RED_GROUND = "diode_red_ground"
    DIODE_BLACK_GROUND = "diode_black_ground"
    RESISTANCE = "resistance"
    CONTINUITY = "continuity"
    CAPACITANCE = "capacitance"

    @property
    def compared(self) -> Method:
        """The method whose readings these are compared with: continuity is resistance, with a beep."""
        return Method.RESISTANCE if self is Method.CONTINUITY else self

    @property
    def is_diode(self) -> bool:
        return self is Method.DIODE_RED_GROUND or self is Method.DIODE_BLACK_GROUND

    @property
    def unit(self) -> str:
        return "V" if self.is_diode else "nF" if self is Method.CAPACITANCE else "\u03a9"

    @property
    def words(self) -> str:
        return {
            Method.DIODE_RED_GROUND: tr("diode mode, red on ground"),
            Method.DIODE_BLACK_GROUND: tr("diode mode, black on ground"),
            Method.RESISTANCE: tr("resistance, point to point"),
            Method.CONTINUITY: tr("continuity, point to point"),
            Method.CAPACITANCE: tr("capacitance, point to point"),
        }[self]
