"""Which faults can be there together, how likely before anything is seen, and where they meet in the circuit.

Fixed for a board: made once per model. Collateral raises a pair: a crushed port takes what hangs on its lines with it,
a short blows what feeds it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from dextrum.core.assumptions.breaking import UNDESCRIBED_ON_LINES
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, ComponentKind, Fault, NetRole
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.islands import island_of
from dextrum.core.circuit.network import Circuit
from dextrum.core.diagnosis.apart_prior import ApartPrior, apart_prior
from dextrum.core.diagnosis.farads_of_rows import changes_farads
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, Hypotheses
from dextrum.core.diagnosis.swapped_parts import in_each_others_place
from dextrum.core.faults.registry import KINDS

FEEDERS = frozenset({ComponentKind.FUSE, ComponentKind.FILTER, ComponentKind.LINK})


@dataclass(frozen=True)
class FaultPairs:
    """log_prior: (R, R), ln of the prior of both rows together, symmetric, -inf where they can't be; meets: (R, R),
    whether what they change is joined; cuts: (R,), rows that cut the network; near_ends: (R, P), whether a row changes
    an island at either end of a point measured from end to end, or the capacitance between them. first, second: (M,)
    the rows of every pair that meets; apart: what those weigh that don't. spans: (R,), rows that change more than one
    island, and so can join what sits on them. caused: (F, F), whether the first fault may be what the second took with
    it.
    """

    log_prior: np.ndarray
    meets: np.ndarray
    cuts: np.ndarray
    near_ends: np.ndarray
    first: np.ndarray
    second: np.ndarray
    log_prior_one: np.ndarray
    log_triple_constant: float
    apart: ApartPrior
    spans: np.ndarray
    caused: np.ndarray

    @cached_property
    def each_by_itself(self) -> FaultPairs:
        """The same where every fault is there or not whatever else is: the odds of a set are the product of its faults'
        odds. So it is once the chance of each has been told by itself; what one takes with it is in those chances."""
        share = self.apart.share
        rows = np.flatnonzero(share > 0)
        if not len(rows) or not np.isfinite(self.log_prior).any():
            return self
        nothing = float(self.log_prior_one[NOTHING_ROW])
        beyond_share = float(self.log_prior_one[rows[0]] - np.log(share[rows[0]]))
        odds = self.log_prior_one - nothing
        together = np.where(self.possible, nothing + odds[:, None] + odds[None, :], -np.inf)
        apart = apart_prior(np.where(self.meets, -np.inf, together), share, np.zeros(len(share), dtype=int),
                            np.ones((1, 1)))
        return replace(self, log_prior=together, apart=apart, log_triple_constant=3.0 * beyond_share - 2.0 * nothing
                       if np.isfinite(self.log_triple_constant) else self.log_triple_constant)

    @cached_property
    def possible(self) -> np.ndarray:
        """Which rows can be there together, (R, R)."""
        return np.asarray(np.isfinite(self.log_prior))

    @cached_property
    def log_prior_meeting(self) -> np.ndarray:
        """Of the pairs that meet, (M,)."""
        return np.asarray(self.log_prior[self.first, self.second])

    @cached_property
    def spans_meeting(self) -> np.ndarray:
        """Whether either of the two changes more than one island, (M,)."""
        return np.asarray(self.spans[self.first] | self.spans[self.second])

    @cached_property
    def cuts_meeting(self) -> np.ndarray:
        """Whether either of the two cuts the network, (M,)."""
        return np.asarray(self.cuts[self.first] | self.cuts[self.second])


def islands_of_nodes(circuit: Circuit) -> tuple[dict[int, int], int]:
    """Node to the number of its island in the healthy network, and how many there are."""
    of_node: dict[int, int] = {}
    count = 0
    for node in range(len(circuit.nodes)):
        if node not in of_node:
            for member in island_of(circuit, node).nodes:
                of_node[member] = count
            count += 1
    return of_node, count


def touched_islands(circuit: Circuit, edits: list[Edit]) -> np.ndarray:
    """Which islands of the healthy network each row's fault changes, (R, I)."""
    of_node, count = islands_of_nodes(circuit)
    found = np.zeros((len(edits), count), dtype=bool)
    for row, edit in enumerate(edits):
        for node in edit.touched(circuit):
            if node in of_node:
                found[row, of_node[node]] = True
    return found


def _nets(board: Board, fault: Fault) -> frozenset[str]:
    part = board.component_by_designator.get(fault.part)
    if part is None:
        return frozenset(board.net_of(address) for address in fault.terminals)
    names = fault.terminals or tuple(t.name for t in part.terminals)
    return frozenset(net for name in names if board.net_by_name[net := part.terminal(name).net].role
                     is not NetRole.GROUND)


def _port_lines(board: Board) -> frozenset[str]:
    """Nets that reach the port, straight or through one part in series."""
    lines = {board.net_of(f"{port.component}.{contact.name}") for port in board.ports for contact in port.contacts}
    lines = {net for net in lines if board.net_by_name[net].role is not NetRole.GROUND}
    for part in board.components:
        for one, two in part.lines:
            ends = {part.terminal(one).net, part.terminal(two).net}
            if ends & lines and part.kind in FEEDERS:
                lines |= ends
    return frozenset(lines)


def _beside_port(board: Board) -> np.ndarray:
    """How much likelier a fault is beside one in the port, (C,), by where it is (`collateral`)."""
    times = as_stated(board, "port_collateral")
    return np.array([1.0, 1.0, times, 1.0 + UNDESCRIBED_ON_LINES * (times - 1.0)])


def collateral(board: Board, hypotheses: Hypotheses) -> tuple[np.ndarray, np.ndarray]:
    """Factor on the prior of the first fault where the second is there and may have caused it, (F, F), and of each
    fault (F,) whether it is in a port (1), on a port's lines (2), in what stands there undescribed (3), or elsewhere
    (0)."""
    faults = hypotheses.faults
    count = len(faults)
    factor = np.ones((count, count))
    receptacles = {p.designator for p in board.components if p.kind is ComponentKind.RECEPTACLE}
    lines = _port_lines(board)
    nets = [_nets(board, fault) for fault in faults]
    in_port = np.array([f.part in receptacles for f in faults], dtype=bool)
    on_lines = np.array([bool(n & lines) for n in nets], dtype=bool) & ~in_port
    undescribed = {part.designator for part in board.components if part.undescribed}
    place = np.where(in_port, 1, np.where(on_lines, np.where([f.part in undescribed for f in faults], 3, 2), 0))
    factor[:, in_port] *= _beside_port(board)[place][:, None]
    names = sorted({net for n in nets for net in n})
    column = {net: i for i, net in enumerate(names)}
    on = np.zeros((count, len(names)), dtype=np.float32)
    for i, own in enumerate(nets):
        on[i, [column[net] for net in own]] = 1.0
    same = (on @ on.T) > 0
    kinds = [board.component_by_designator[f.part].kind if f.part in board.component_by_designator else None
             for f in faults]
    short = np.array([KINDS[f.kind].blows_feeders for f in faults], dtype=bool)
    feeder = np.array([k in FEEDERS for k in kinds], dtype=bool) & ~short
    blown = np.ix_(feeder, short)
    factor[blown] = np.where(same[blown], as_stated(board, "feeder_collateral"), factor[blown])
    return factor, place


def _together(board: Board, hypotheses: Hypotheses) -> np.ndarray:
    """Which two faults count as two, (F, F): of one part only a receptacle's do, with no contact in common."""
    receptacles = {p.designator for p in board.components if p.kind is ComponentKind.RECEPTACLE}
    by_part: dict[str, list[int]] = {}
    for i, fault in enumerate(hypotheses.faults):
        by_part.setdefault(fault.part, []).append(i)
    allowed = ~np.eye(len(hypotheses.faults), dtype=bool)
    for part, members in by_part.items():
        for i in members:
            for j in members:
                own, other = hypotheses.faults[i].terminals, hypotheses.faults[j].terminals
                if part not in receptacles or set(own) & set(other):
                    allowed[i, j] = False
    return allowed


def build_fault_pairs(board: Board, circuit: Circuit, hypotheses: Hypotheses, edits: list[Edit]) -> FaultPairs:
    """Priors of one, two and three faults share what is left beside 'nothing' and 'something else'."""
    rows = hypotheses.count
    log_prior = np.full((rows, rows), -np.inf)
    islands = touched_islands(circuit, edits).astype(np.float32)
    # What takes or gives capacitance conducts as before, and meets what else is read there all the same.
    near = _near_ends(board, circuit, islands) | changes_farads(board, hypotheses)
    ends = near.astype(np.float32)
    meets = ((islands @ islands.T) > 0) | ((ends @ ends.T) > 0)
    cuts = np.array([bool(e.cut_resistances or e.moved) for e in edits], dtype=bool)
    one = hypotheses.log_prior.copy()
    constant = -np.inf
    raised, place = collateral(board, hypotheses)
    own_share, category = np.zeros(rows), np.zeros(rows, dtype=int)
    if rows > FIRST_FAULT_ROW:
        of = hypotheses.fault_of_row[FIRST_FAULT_ROW:]
        weight = np.exp(hypotheses.log_prior[FIRST_FAULT_ROW:])
        faulty = float(weight.sum())
        share = weight / faulty
        own_share[FIRST_FAULT_ROW:], category[FIRST_FAULT_ROW:] = share, place[of]
        factor = np.where(_together(board, hypotheses), np.maximum(raised, raised.T) * in_each_others_place(
            board, hypotheses), 0.0)
        joint = factor[np.ix_(of, of)] * np.outer(share, share)
        total = float(np.triu(joint, 1).sum())
        with np.errstate(divide="ignore"):
            if total > 0 and board.share_of_two > 0:
                log_prior[FIRST_FAULT_ROW:, FIRST_FAULT_ROW:] = np.log(joint) + np.log(
                    board.share_of_two * faulty / total)
            single = 1.0 - board.share_of_two - board.share_of_three if total > 0 else 1.0
            one[FIRST_FAULT_ROW:] += np.log(single)
            constant = _triple_constant(hypotheses, share, board.share_of_three * faulty)
    first, second = np.nonzero(np.triu(meets & np.isfinite(log_prior), 1))
    beside = _beside_port(board)
    by_place = np.ones((len(beside), len(beside)))
    by_place[1], by_place[:, 1] = beside, beside
    apart = apart_prior(np.where(meets, -np.inf, log_prior), own_share, category, by_place)
    return FaultPairs(log_prior, meets, cuts, near, first, second, one, constant, apart, islands.sum(axis=1) > 1,
                      raised > 1.0)


def _near_ends(board: Board, circuit: Circuit, islands: np.ndarray) -> np.ndarray:
    of_node, _ = islands_of_nodes(circuit)
    found = np.zeros((len(islands), len(board.points)), dtype=bool)
    for column, point in enumerate(board.points):
        if point.to is not None:
            for address in (point.at, point.to):
                node = circuit.address_node[address]
                if node in of_node:
                    found[:, column] |= islands[:, of_node[node]] > 0
    return found


def _triple_constant(hypotheses: Hypotheses, share: np.ndarray, mass: float) -> float:
    """ln c, so that c times the shares of three different faults adds up to `mass` over all triples (Newton's
    identities for the third elementary symmetric sum)."""
    per_fault = np.bincount(hypotheses.fault_of_row[FIRST_FAULT_ROW:], weights=share, minlength=len(hypotheses.faults))
    s1, s2, s3 = (float((per_fault ** k).sum()) for k in (1, 2, 3))
    triples = (s1 ** 3 - 3 * s1 * s2 + 2 * s3) / 6
    return float(np.log(mass / triples)) if mass > 0 and triples > 1e-15 else -np.inf


def share_of_rows(hypotheses: Hypotheses) -> np.ndarray:
    """ln of each fault row's share among the faulty, (R,); -inf for the first two."""
    found = np.full(hypotheses.count, -np.inf)
    if hypotheses.count > FIRST_FAULT_ROW:
        own = hypotheses.log_prior[FIRST_FAULT_ROW:]
        found[FIRST_FAULT_ROW:] = own - np.log(np.exp(own).sum())
    return found

