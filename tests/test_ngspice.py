"""The circuit held against ngspice, where that is installed: every shipped pack, healthy, with faults and with pairs.

The netlist is written here from the board and the fault alone, not from the program's network.
"""

from __future__ import annotations

import math
import re
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np

from dextrum.core.board import Board, ComponentKind, Fault, FaultKind
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import CONTACT_OHMS, DEFAULT_OHMS, JOINT_OHMS, build_circuit
from dextrum.core.circuit.solve import diode_volts
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.faults.registry import edit_for
from tests.support import DUO, ORB, library

AMPS, IDEALITY, SERIES = 1e-3, 1.55, 10.0
THERMAL = 0.02535
"""Volts, at the 21 degC at which readings are compared."""
CELSIUS = THERMAL / 8.617333262e-5 - 273.15
COMPLIANCE = 2.5


class Netlist:
    """Elements by what they are: pins of parts sit on nodes that a fault may part or move."""

    def __init__(self, board: Board, faults: list[tuple[Fault, float]]) -> None:
        self.board, self.count = board, 0
        self.lines: list[str] = []
        self.cut: set[str] = set()
        self.turned: set[str] = set()
        self.moved: dict[str, str] = {}
        for k, (fault, _) in enumerate(faults):
            self._cuts(fault, k)
        for part in board.components:
            self._part(part.designator)
        for fault, ohms in faults:
            self._adds(fault, ohms)

    def node(self, address: str) -> str:
        if address in self.moved:
            return self.moved[address]
        part, _, terminal = address.partition(".")
        net = self.board.component_by_designator[part].terminal(terminal).net
        return "0" if self.board.net_by_name[net].role == "ground" else f"n_{net}"

    def element(self, kind: str, a: str, b: str, value: str) -> None:
        if a != b:
            self.count += 1
            self.lines.append(f"{kind}{self.count} {a} {b} {value}")

    def _cuts(self, fault: Fault, k: int) -> None:
        first = fault.terminals[0] if fault.terminals else ""
        part = self.board.component_by_designator.get(fault.part)
        if fault.kind is FaultKind.MISSING_PART:
            self.cut.add(fault.part)
        elif fault.kind is FaultKind.OPEN_CONTACT:
            self.cut.add(f"{fault.part}.{first}/contact")
        elif fault.kind is FaultKind.WRONG_PART and part is not None and part.kind is ComponentKind.RESISTOR:
            self.cut.add(fault.part)  # another one takes its place, below
        elif fault.kind is FaultKind.TURNED_PART:
            self.turned.add(fault.part)
        elif fault.kind in (FaultKind.LIFTED_JOINT, FaultKind.TORN_PAD):
            receptacle = part is not None and part.kind is ComponentKind.RECEPTACLE
            self.cut.add(f"{fault.part}.{first}/joint" if receptacle else f"{fault.part}.{first}")
        elif fault.kind in (FaultKind.OPEN_WINDING, FaultKind.BLOWN_FUSE):
            self.cut.add(f"{fault.part}.{first}-{fault.terminals[1]}")
        elif fault.kind is FaultKind.BROKEN_TRACE:
            self.moved.update(dict.fromkeys(fault.terminals, f"far{k}"))

    def _part(self, name: str) -> None:
        part = self.board.component_by_designator[name]
        if name in self.cut:
            return
        if part.kind is ComponentKind.RECEPTACLE:
            for terminal in part.terminals:
                at = f"{name}.{terminal.name}"
                if f"{at}/contact" not in self.cut:
                    self.element("R", self.surface(at), f"t_{at.replace('.', '_')}", f"{CONTACT_OHMS}")
                if f"{at}/joint" not in self.cut:
                    self.element("R", f"t_{at.replace('.', '_')}", self.node(at), f"{JOINT_OHMS}")
            return
        half = len(part.terminals) // 2
        for k, terminal in enumerate(part.terminals):
            at = f"{name}.{terminal.name}"
            if name in self.turned:
                ground = self.node(at) == "0"
                at = f"{name}.{part.terminals[(k + half) % len(part.terminals)].name}"
                if ground:
                    self.element("R", self.node(at), "0", "0.05")
            if at in self.cut or self.node(at) == "0":
                continue
            if terminal.junction_volts is not None:
                saturation = AMPS / math.expm1((terminal.junction_volts - AMPS * SERIES) / (IDEALITY * THERMAL))
                self.lines.append(f".model d{self.count} D(IS={saturation:.12e} N={IDEALITY} RS={SERIES})")
                self.element("D", self.node(at), "0", f"d{self.count}")
            if terminal.ohms_to_ground is not None:
                self.element("R", self.node(at), "0", f"{terminal.ohms_to_ground}")
        ohms = part.ohms if part.ohms is not None else DEFAULT_OHMS.get(part.kind, 0.02)
        for one, two in part.lines:
            ends = f"{name}.{one}", f"{name}.{two}"
            if f"{name}.{one}-{two}" not in self.cut and not set(ends) & self.cut:
                self.element("R", self.node(ends[0]), self.node(ends[1]), f"{max(ohms, 1e-3)}")

    def surface(self, at: str) -> str:
        return f"c_{at.replace('.', '_')}"

    def _adds(self, fault: Fault, ohms: float) -> None:
        receptacle = (part := self.board.component_by_designator.get(fault.part)) is not None \
            and part.kind is ComponentKind.RECEPTACLE
        shorts = (FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT, FaultKind.LEAKY_PART, FaultKind.SHELL_CONTACT,
                  FaultKind.CROSSED_CONTACTS, FaultKind.BRIDGED_WINDINGS, FaultKind.BRIDGED_PINS)
        if fault.kind is FaultKind.WRONG_PART and part is not None and part.kind is ComponentKind.RESISTOR:
            one, two = (self.node(f"{fault.part}.{t.name}") for t in part.terminals[:2])
            self.element("R", one, two, f"{ohms}")
        if fault.kind in shorts:
            ends = [self.surface(f"{fault.part}.{t}") if receptacle else self.node(f"{fault.part}.{t}")
                    for t in fault.terminals[:2]]
            self.element("R", ends[0], ends[1] if len(ends) > 1 else "0", f"{max(ohms, 1e-3)}")

    def deck(self, nodes: list[str]) -> str:
        """One operating point for each probed node: the meter's current at one after the other."""
        used = set(re.findall(r"\b(?:n_|c_|t_|far)\w*", " ".join(self.lines)))
        probes = [n for n in nodes if n in used]
        text = ["* board", *self.lines, *(f"Rleak{k} {n} 0 1e9" for k, n in enumerate(sorted(used)))]
        text += [f"Iprobe{k} 0 {n} DC 0" for k, n in enumerate(probes)]
        text += [".options reltol=1e-9 abstol=1e-15 vntol=1e-9 gmin=1e-15 itl1=2000",
                 f".options tnom={CELSIUS:.6f}", f".temp {CELSIUS:.6f}", ".control"]
        for k, n in enumerate(probes):
            text += [f"alter Iprobe{k} = {AMPS}", "op", f"print v({n})", f"alter Iprobe{k} = 0"]
        return "\n".join([*text, ".endc", ".end", ""])




@unittest.skipUnless(shutil.which("ngspice"), "no ngspice here: apt-get install ngspice")
class NgspiceTest(unittest.TestCase):
    """To a millivolt and a hundredth, whichever is more; far above compliance is open for both."""

    def compare(self, board: Board, faults: list[tuple[Fault, float]], points: list[str]) -> None:
        circuit = build_circuit(board)
        edit = Edit()
        for k, (fault, ohms) in enumerate(faults):
            edit = edit | edit_for(board, circuit, fault, ohms, k)
        netlist = Netlist(board, faults)
        at = {p: board.point_by_id[p].at for p in points}
        nodes = {p: netlist.surface(a) if a.startswith("J1.") and "/" not in a else netlist.node(a)
                 for p, a in at.items() if not a.startswith("@") and "/" not in a}
        probed = list(dict.fromkeys(n for n in nodes.values() if n != "0"))
        with tempfile.TemporaryDirectory() as folder:
            deck = Path(folder) / "board.cir"
            deck.write_text(netlist.deck(probed), encoding="ascii")
            said = subprocess.run(["ngspice", "-b", str(deck)], capture_output=True, text=True, timeout=120,
                                  check=False).stdout
        volts = {m[1]: float(m[2]) for m in re.finditer(r"^v\((\S+)\) = (\S+)", said, re.MULTILINE)}
        checked = 0
        for point, node in nodes.items():
            if node.lower() not in volts:
                continue
            theirs, ours = volts[node.lower()], diode_volts(circuit, at[point], edit=edit)
            names = [fault.id for fault, _ in faults]
            if theirs > COMPLIANCE or ours > COMPLIANCE:
                self.assertGreater(min(theirs, ours), COMPLIANCE, f"{names} at {point}: {ours} and {theirs}")
            else:
                self.assertLess(abs(theirs - ours), max(1e-3, 0.01 * theirs), f"{names} at {point}")
            checked += 1
        self.assertGreater(checked, len(points) // 2, said[-500:])

    def points(self, board: Board, draw: np.random.Generator) -> list[str]:
        single = [p.id for p in board.points if p.to is None and "/" not in p.at]
        return [str(p) for p in draw.choice(single, min(len(single), 14), replace=False)]

    def test_healthy_and_every_kind_of_fault(self) -> None:
        draw = np.random.default_rng(5)
        for pack in (DUO, ORB):
            board = library().board(pack)
            self.compare(board, [], self.points(board, draw))
            by_kind: dict[FaultKind, list[Fault]] = {}
            for fault in enumerate_faults(board):
                by_kind.setdefault(fault.kind, []).append(fault)
            for faults in by_kind.values():
                fault = faults[int(draw.integers(len(faults)))]
                self.compare(board, [(fault, fault.variants[0][0])], self.points(board, draw))

    def test_a_hundred_pairs(self) -> None:
        draw = np.random.default_rng(6)
        for pack in (DUO, ORB):
            board = library().board(pack)
            faults = [f for f in enumerate_faults(board) if f.kind is not FaultKind.QUIET_FAILURE]
            for _ in range(50):
                pair = [faults[int(k)] for k in draw.choice(len(faults), 2, replace=False)]
                if pair[0].part != pair[1].part:
                    self.compare(board, [(f, f.variants[0][0]) for f in pair], self.points(board, draw))

    def test_a_short_behind_a_broken_trace(self) -> None:
        board = library().board(DUO)
        faults = enumerate_faults(board)
        checked = 0
        for trace in (f for f in faults if f.kind is FaultKind.BROKEN_TRACE):
            for short in (f for f in faults if f.kind is FaultKind.HARD_SHORT
                          and any(f"{f.part}.{t}" in trace.terminals for t in f.terminals)):
                near = [p.id for p in board.points if p.to is None and "/" not in p.at and board.net_of(p.at) in {
                    board.net_of(t) for t in trace.terminals}]
                self.compare(board, [(trace, 0.0), (short, 0.3)], near)
                checked += 1
        self.assertGreater(checked, 5)


if __name__ == "__main__":
    unittest.main()
