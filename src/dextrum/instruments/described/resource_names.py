"""Names by which instruments are remembered: plain ones of VISA, and those that say which file describes the meter."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.instruments.described.kinds import Description

METER_PREFIX, LINE_PREFIX = "METER:", "LINE:"
"""METER:id:resource is a meter that a file describes. LINE:resource was, before there were files, one that sends a
reading a line; it is described by LINES_ID."""
LINES_ID, SCPI_ID = "lines-value-unit-mode", "scpi-configure"
CHANNEL_MARK = "@"
"""Between the id of a description and the channel that is used: METER:id@CH2:resource."""


def named(identity: str, resource: str) -> str:
    """The name of a meter by its description."""
    return f"{METER_PREFIX}{identity}:{resource}"


def manners_of(description: Description) -> tuple[tuple[str, str], ...]:
    """What may stand for a description in a name, and in words: its id, or one for each of its channels."""
    channels = getattr(description, "channels", ())
    if not channels:
        return ((description.id, tr(description.name)),)
    return tuple((f"{description.id}{CHANNEL_MARK}{one}", tr("{description}, channel {one}",
                                                             description=tr(description.name),
                                                             one=one)) for one in channels)


def split_resource(name: str) -> tuple[str, str]:
    """Id of the description and the plain resource name; an empty id for a plain one, of which nobody said."""
    if name.startswith(LINE_PREFIX):
        return LINES_ID, name.removeprefix(LINE_PREFIX)
    if not name.startswith(METER_PREFIX):
        return "", name
    identity, _, plain = name.removeprefix(METER_PREFIX).partition(":")
    return identity, plain
