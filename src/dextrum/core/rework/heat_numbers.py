"""Numbers of the heat model, each with its unit, range and source. A shop's calibration scales those that matter."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class HeatNumber:
    """value with the range in which boards and tools lie; source: where it is from."""

    value: float
    low: float
    high: float
    unit: str
    source: str


LAMINATE_CAPACITY = HeatNumber(1850.0 * 1100.0, 1.8e6, 2.3e6, "J/(m³ K)",
                               "FR-4: 1850 kg/m³ times 1100 J/(kg K), copper excluded")
CONDUCTIVITY = HeatNumber(20.0, 10.0, 40.0, "W/(m K)",
                          "Along a dense handheld board: sum over layers of conductivity, thickness and coverage")
THICKNESS = HeatNumber(0.9e-3, 0.8e-3, 1.0e-3, "m", "Handhelds' boards")
STILL_AIR = HeatNumber(12.0, 10.0, 15.0, "W/(m² K) a side", "Convection and radiation, rising with temperature")
JET_FULL = HeatNumber(250.0, 120.0, 300.0, "W/(m² K)",
                      "Under the nozzle at full flow and near: H. Martin, Adv. Heat Transfer 13 (1977)")
JET_LOW = HeatNumber(70.0, 50.0, 120.0, "W/(m² K)", "The same at the least flow")
JET_PLATEAU = HeatNumber(1.25, 0.9, 2.0, "nozzle widths",
                         "Radius of nearly full exchange; beyond it falls as one over the distance (Martin)")
JET_SPREAD = HeatNumber(0.10, 0.08, 0.12, "radius by distance",
                        "Widening of a free round jet (H. Schlichting, Boundary-Layer Theory)")
CORE_LENGTHS = HeatNumber(6.0, 5.0, 7.0, "nozzle widths", "Length over which a free jet keeps its temperature")
PLATE_CONTACT = HeatNumber(400.0, 200.0, 1000.0, "W/(m² K)", "From below: by paste and flatness")
PART_CAPACITY = HeatNumber(2.0e6, 1.6e6, 2.4e6, "J/(m³ K)", "Moulded packages and ceramics")
PART_HEIGHT = HeatNumber(0.8e-3, 0.4e-3, 1.4e-3, "m", "Of a part whose height the pack does not say")
ROOM = 21.0
"""Degrees Celsius of air and board at the beginning."""
EVERY_NUMBER: dict[str, HeatNumber] = {
    name: value for name, value in globals().items() if isinstance(value, HeatNumber)}
