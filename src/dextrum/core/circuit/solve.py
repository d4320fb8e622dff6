"""Newton on the nodal equations of many islands at once.

The equations are G·V + i(V) = I·e with i convex and increasing and G an M-matrix, so after its first step
Newton comes down on the solution from above, monotonely, without damping: J. M. Ortega and W. C. Rheinboldt,
Iterative Solution of Nonlinear Equations in Several Variables (1970), theorem 13.3.4.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.edit import NOTHING, Edit, place_of
from dextrum.core.circuit.islands import Island, island_of, reached
from dextrum.core.circuit.junction import TEST_AMPS, Junctions, junction_volts
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.errors import SolveError
from dextrum.tongue import tr

MOST_STEPS = 60
STEP_TOLERANCE = 1e-8
FEW_ISLANDS, FILLED_UP_TO = 200, 4
"""Islands at once up to which unlike sizes are solved together, and the nodes of which each is filled up to a multiple:
of two hundred a step takes longer for what is filled up than it costs to begin another."""
USUAL_VOLTS, HIGH_VOLTS = 0.5, 0.9
"""Where networks are begun, and drops of a junction from which one is begun higher."""


def solve_batch(siemens: np.ndarray, junction_node: np.ndarray, log_is: np.ndarray,
                source: np.ndarray, amps: float = TEST_AMPS) -> np.ndarray:
    """Node volts of B networks of N nodes with J junctions each, driven at node `source`.

    Shapes: siemens (B, N, N), junction_node (B, J), log_is (B, J; -inf where there is none), source (B,).
    Returns (B, N). Raises SolveError when Newton does not settle.
    """
    batch, size, slots = siemens.shape[0], siemens.shape[1], junction_node.shape[1]
    active = np.arange(batch)
    drive = np.zeros((batch, size))
    drive[active, source] = amps
    volts = np.full((batch, size), USUAL_VOLTS)
    real = np.isfinite(log_is)
    safe_log = np.where(real, log_is, -30.0)
    incidence = np.zeros((batch, slots, size))
    if slots:
        # From below, a junction of a volt or more has no slope to go by: such networks are begun at its own drop.
        drop = np.where(real, junction_volts(amps, safe_log), 0.0).max(axis=1)
        volts[drop > HIGH_VOLTS] = drop[drop > HIGH_VOLTS, None]
        incidence[active[:, None], np.arange(slots), junction_node] = real
    junctions, found, diagonal = Junctions.of(safe_log), np.empty((batch, size)), np.arange(size)
    for _ in range(MOST_STEPS):
        current, slope = junctions.amps(volts[np.arange(len(volts))[:, None], junction_node])
        residual = (siemens @ volts[..., None])[..., 0] + (current[:, None] @ incidence)[:, 0] - drive
        jacobian = siemens.copy()
        jacobian[:, diagonal, diagonal] += (slope[:, None] @ incidence)[:, 0]
        try:
            step = np.linalg.solve(jacobian, residual[..., None])[..., 0]
        except np.linalg.LinAlgError:
            break  # currents so small or so large that nothing is left of the rest
        volts = volts - step
        level = np.abs(volts)
        # A floating island sits at ten kilovolts, where rounding alone moves the last digits.
        tolerance = np.where(level > 10.0, 1e-5, STEP_TOLERANCE)
        still = (np.abs(step) > tolerance * (1.0 + level)).any(axis=1)
        if still.all():
            continue
        found[active[~still]] = volts[~still]
        if not still.any():
            return found
        active, volts, siemens, drive, incidence = (
            every[still] for every in (active, volts, siemens, drive, incidence))
        junction_node, junctions = junction_node[still], junctions.some(still)
    raise SolveError(tr("The circuit of this pack does not settle."), tr("Nothing was changed."),
                     tr("Check the junction volts and the resistances of the pack."))


def _up_to(count: int, step: int) -> int:
    """The next multiple of the step."""
    return -(-count // step) * step


def solve_islands(islands: Sequence[Island], sources: Sequence[int], amps: float = TEST_AMPS) -> np.ndarray:
    """Volts at the driven node of each island; sources are indices into each island's nodes. Shape (B,).

    Islands of like size are solved together; of few of them all, what is missing in size filled up with nodes of their
    own on which nothing hangs, since each step takes the same hundred microseconds for one network as for fifty.
    """
    result = np.empty(len(islands))
    groups: dict[tuple[int, int], list[int]] = {}
    step = 1 if len(islands) > FEW_ISLANDS else FILLED_UP_TO
    for index, island in enumerate(islands):
        groups.setdefault((_up_to(len(island.nodes), step), _up_to(len(island.log_is), 4 * step)), []).append(index)
    for (size, slots), members in groups.items():
        siemens = np.zeros((len(members), size, size))
        nodes = np.zeros((len(members), slots), dtype=int)
        logs = np.full((len(members), slots), -np.inf)
        for row, i in enumerate(members):
            own, count = len(islands[i].nodes), len(islands[i].log_is)
            siemens[row, :own, :own] = islands[i].siemens
            alone = np.arange(own, size)
            siemens[row, alone, alone] = 1.0
            nodes[row, :count] = islands[i].junction_node
            logs[row, :count] = islands[i].log_is
        driven = np.array([sources[i] for i in members])
        volts = solve_batch(siemens, nodes, logs, driven, amps)
        result[members] = volts[np.arange(len(members)), driven]
        assert volts.shape == (len(members), size)
    return result


def diode_volts(circuit: Circuit, address: str, method: Method = Method.DIODE_RED_GROUND,
                edit: Edit = NOTHING) -> float:
    """What an ideal meter's current makes at one address, in volts; far above compliance when open."""
    node = place_of(circuit, edit, address)
    if node == GROUND:
        return 0.0
    return float(solve_islands([island_of(circuit, node, method, edit)], [0])[0])


def resistance_ohms(circuit: Circuit, one: str, two: str, edit: Edit = NOTHING) -> float:
    """Point to point at a test voltage too low for junctions, in ohms; inf when nothing joins them."""
    a, b = place_of(circuit, edit, one), place_of(circuit, edit, two)
    if a == b:
        return 0.0
    nodes: tuple[int, ...] = ()
    edges: list[tuple[int, int, float]] = []
    for start in (a, b):
        if start != GROUND and start not in nodes:
            more, joined = reached(circuit, edit, start)
            nodes += more
            edges.extend(joined)
    root = {node: node for node in (*nodes, GROUND)}

    def find(node: int) -> int:
        while root[node] != node:
            node = root[node]
        return node

    for u, v, _ in edges:
        root[find(u)] = find(v)
    if find(a) != find(b):
        return float("inf")
    both = find(a)
    place = {node: i for i, node in enumerate(n for n in root if n != b and find(n) == both)}
    matrix = np.zeros((len(place), len(place)))
    for u, v, ohms in edges:
        i, j, g = place.get(u), place.get(v), 1.0 / ohms
        if i is not None:
            matrix[i, i] += g
        if j is not None:
            matrix[j, j] += g
        if i is not None and j is not None:
            matrix[i, j] -= g
            matrix[j, i] -= g
    drive = np.zeros(len(place))
    drive[place[a]] = 1.0
    return float(np.linalg.solve(matrix, drive)[place[a]])


CONTINUITY_OHMS = 30.0
"""Below this a meter beeps; makers differ between 10 and 50 ohms."""


def continuous(circuit: Circuit, one: str, two: str, edit: Edit = NOTHING,
               most_ohms: float = CONTINUITY_OHMS) -> bool:
    """Whether a meter in continuity mode beeps between two addresses."""
    return resistance_ohms(circuit, one, two, edit) <= most_ohms
