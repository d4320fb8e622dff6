"""Names by which instruments are remembered: plain ones of VISA, and those that say which file describes the meter."""

from __future__ import annotations

METER_PREFIX, LINE_PREFIX = "METER:", "LINE:"
"""METER:id:resource is a meter that a file describes. LINE:resource was, before there were files, one that sends a
reading a line; it is described by LINES_ID."""
LINES_ID, SCPI_ID = "lines-value-unit-mode", "scpi-configure"


def named(identity: str, resource: str) -> str:
    """The name of a meter by its description."""
    return f"{METER_PREFIX}{identity}:{resource}"


def split_resource(name: str) -> tuple[str, str]:
    """Id of the description and the plain resource name; an empty id for a plain one, of which nobody said."""
    if name.startswith(LINE_PREFIX):
        return LINES_ID, name.removeprefix(LINE_PREFIX)
    if not name.startswith(METER_PREFIX):
        return "", name
    identity, _, plain = name.removeprefix(METER_PREFIX).partition(":")
    return identity, plain
