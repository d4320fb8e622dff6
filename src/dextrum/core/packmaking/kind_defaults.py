"""How often kinds of part fail, how they are mended and what one costs, where nobody has counted it for a model.

They stand in an open file that ships, `data/kinds.toml`, which says what its fields mean. The weights are relative, as
packs have them; a shop's closed jobs move them (`diagnosis.learned`).
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from importlib.resources import files
from typing import Any

from dextrum.core.board import ComponentKind, FaultKind
from dextrum.tongue import tr

FORMAT, SCHEMA = "dextrum-kinds", 1
Rule = tuple[str, tuple[FaultKind, ...], float, float]


def _kinds() -> Mapping[str, Any]:
    data = tomllib.loads((files("dextrum") / "data" / "kinds.toml").read_text(encoding="utf-8"))
    if (data["format"], data["schema"]) != (FORMAT, SCHEMA):
        raise ValueError(tr("kinds.toml is {data!r}, schema {data2!r}; expected {format!r}, {schema}",
                            data=data["format"], data2=data["schema"], format=FORMAT, schema=SCHEMA))
    found: Mapping[str, Any] = data["kind"]
    return found


_KINDS = _kinds()
RATES: Mapping[ComponentKind, Mapping[FaultKind, float]] = {
    ComponentKind(kind): {FaultKind(mode): float(weight) for mode, weight in own["fails"].items()}
    for kind, own in _KINDS.items()}
REPAIRS: Mapping[ComponentKind, tuple[Rule, ...]] = {
    ComponentKind(kind): tuple((str(one["action"]), tuple(FaultKind(mode) for mode in one["mends"]),
                                float(one["minutes"]), float(one["risk"])) for one in own.get("repair", ()))
    for kind, own in _KINDS.items()}
"""Action, what it mends, minutes once the unit is open, chance of harm."""
PRICES: Mapping[ComponentKind, float] = {ComponentKind(kind): float(own["price"]) for kind, own in _KINDS.items()}
SIZE_MM: Mapping[ComponentKind, tuple[float, float]] = {
    ComponentKind(kind): (float(own["width_mm"]), float(own["height_mm"])) for kind, own in _KINDS.items()
    if "width_mm" in own}
REST_RATES: Mapping[FaultKind, float] = {
    FaultKind.QUIET_FAILURE: 8.0, FaultKind.HARD_SHORT: 7.0, FaultKind.PARTIAL_SHORT: 2.5, FaultKind.LEAKY_PART: 1.2,
    FaultKind.LIFTED_JOINT: 7.0}
"""Of all that lies behind the slow and behind the fast lines of a port, each: fuse, filters, chips. An estimate for any
board with a port; the Duo's fuse, filters and chips together fail about so often beside its port."""
UNDESCRIBED_ELSE = 0.2
"""Chance of something that no row of the pack explains, while most of the board is one part: 0.1 to 0.4, an estimate.
Six times that of a whole pack, so that nothing is ever sure by default."""
