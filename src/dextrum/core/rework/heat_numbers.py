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
AIR_FULL = HeatNumber(100.0, 60.0, 130.0, "l/min", "Cold, at full flow: hot-air stations of benches for handhelds")
AIR_LOW = HeatNumber(20.0, 10.0, 30.0, "l/min", "The same at the least flow")
AIR_DENSITY = HeatNumber(1.2, 1.15, 1.25, "kg/m³", "Of the air that goes in, 20 °C")
AIR_VISCOSITY = HeatNumber(2.7e-5, 2.5e-5, 2.9e-5, "Pa s", "Of air at 250 °C, between nozzle and board")
AIR_CONDUCTION = HeatNumber(0.042, 0.039, 0.046, "W/(m K)", "Of air at 250 °C")
AIR_PRANDTL = HeatNumber(0.69, 0.68, 0.71, "1", "Of air at 250 °C")
JET_STRENGTH = HeatNumber(0.6, 0.3, 1.1, "share of Martin's exchange",
                          "His nozzle stands still, square and near over a smooth plate; one in the hand is slanted, "
                          "begins at a distance and moves. Estimated; a thermocouple on a scrap board tells")
JET_PLATEAU = HeatNumber(1.25, 0.9, 2.0, "nozzle widths",
                         "Radius of nearly full exchange; beyond it falls as one over the distance (Martin)")
JET_SPREAD = HeatNumber(0.10, 0.08, 0.12, "radius by distance",
                        "Widening of a free round jet (H. Schlichting, Boundary-Layer Theory)")
CORE_LENGTHS = HeatNumber(6.0, 5.0, 7.0, "nozzle widths", "Length over which a free jet keeps its temperature")
PLATE_CONTACT = HeatNumber(400.0, 200.0, 1000.0, "W/(m² K)", "From below: by paste and flatness")
HEATER_EXCHANGE = HeatNumber(40.0, 20.0, 80.0, "W/(m² K)",
                             "A heater below the board with air between: radiation and rising air")
PART_CAPACITY = HeatNumber(2.0e6, 1.6e6, 2.4e6, "J/(m³ K)", "Moulded packages and ceramics")
PART_HEIGHT = HeatNumber(0.8e-3, 0.4e-3, 1.4e-3, "m", "Of a part whose height the pack does not say")
CONNECTOR_CAPACITY = HeatNumber(6400.0, 4000.0, 9000.0, "J/(m² K)",
                                "Of a connector on the place it takes: steel of 0.25 mm, twice round 9 × 3.2 mm and 7 "
                                "mm long, 80 mm³ at 3.9 MJ/(m³ K); 60 mm³ of plastic and contacts at 1.8 MJ/(m³ K)")
ROOM = 21.0
"""Degrees Celsius of air and board at the beginning."""
EVERY_NUMBER: dict[str, HeatNumber] = {
    name: value for name, value in globals().items() if isinstance(value, HeatNumber)}
