"""What a meter reads at a point of the unpowered board, given faults."""

from dextrum.core.circuit.edit import NOTHING, Edit, edit_for
from dextrum.core.circuit.fit import fit_to_known_good
from dextrum.core.circuit.network import Circuit, build_circuit, with_shifts
from dextrum.core.circuit.solve import diode_volts, resistance_ohms

__all__ = ["NOTHING", "Circuit", "Edit", "build_circuit", "diode_volts", "edit_for", "fit_to_known_good",
           "resistance_ohms", "with_shifts"]
