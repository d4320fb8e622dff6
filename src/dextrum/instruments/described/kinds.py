"""The kinds of instrument that a file can describe: for each its class, and what makes its driver.

Another kind is one file beside these, and one row here.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field

from dextrum.instruments.described.described_meters import meter_of
from dextrum.instruments.described.description import MeterDescription
from dextrum.instruments.described.port_testers import DescribedTester, TesterDescription
from dextrum.instruments.described.power_meters import PowerMeterDescription, power_meter_of
from dextrum.instruments.described.supplies import DescribedSupply, SupplyDescription
from dextrum.instruments.protocols import MULTIMETER, PORT_TESTER, POWER_METER, SUPPLY, Link

Description = MeterDescription | PowerMeterDescription | SupplyDescription | TesterDescription
AnyDescription = Annotated[Description, Field(discriminator="kind")]
"""As a file holds it: 'kind' says which."""


@dataclass(frozen=True)
class DescribedKind:
    """driver: from a description, a link, and the channel in use, empty for the usual one. first: the description that
    is tried first, and that a plain name means."""

    description: type[Any]
    driver: Callable[[Any, Link, str], Any]
    first: str


DESCRIBED: Mapping[str, DescribedKind] = {
    MULTIMETER: DescribedKind(MeterDescription, lambda d, link, _channel: meter_of(d, link), "scpi-configure"),
    POWER_METER: DescribedKind(PowerMeterDescription, lambda d, link, _channel: power_meter_of(d, link),
                               "power-fetch-rows"),
    PORT_TESTER: DescribedKind(TesterDescription, lambda d, link, _channel: DescribedTester(link, d), "tester-scan"),
    SUPPLY: DescribedKind(SupplyDescription, lambda d, link, channel: DescribedSupply(link, d, channel), "supply-scpi"),
}
"""By kind, in the order in which a search tries them: what a multimeter proves to be is no supply."""


def driver_of(description: Description, link: Link, channel: str = "") -> Any:
    """Raises InstrumentError where it does not greet as described."""
    return DESCRIBED[description.kind].driver(description, link, channel)
