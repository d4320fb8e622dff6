"""Ways of seeing what warms on a rail that is on the bench supply: one member each, the first of them to begin with."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.entries.injection import SeenBy
from dextrum.tongue import tr


@dataclass(frozen=True)
class WayOfSeeing:
    """by: as it is recorded. again: what looking once more in this way is called. how: what to look for, and what to
    mind, where it is not a camera; empty for one."""

    by: SeenBy
    again: str
    how: str = ""


WAYS_OF_SEEING = (
    WayOfSeeing("camera", tr("Look again with a camera")),
    WayOfSeeing("spray", tr("Look again with freeze spray"), tr(
        "Freeze spray shows smaller powers than a camera: the first spot to thaw is it. Spray away from flames and "
        "eyes.")),
    WayOfSeeing("alcohol", tr("Look again with alcohol"), tr(
        "Wet a cool board thinly with alcohol, then switch the supply on: it dries first over what is warm. Away from "
        "flames and hot tools.")),
)
"""A camera is looked through first, since nothing gets wet."""
WAY_BY_WORD: dict[str, WayOfSeeing] = {way.by: way for way in WAYS_OF_SEEING}
