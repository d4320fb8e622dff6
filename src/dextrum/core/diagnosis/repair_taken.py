"""Whether a repair has taken is one thing, not one for each reading since: the correction that makes it so.

Each witness says of a mended row what a healthy board would show, or with the chance that a repair
leaves it what the fault shows. Taken
one by one, a repair that did not take would have to fail anew at every reading: four contacts that read as before would
speak against it four times over, and convict a part that was never touched. So what is read since is counted one after
the other, each given those before it: a chain of two states, there and gone, that each further repair may end (a hidden
Markov chain; L. R. Rabiner, Proceedings of the IEEE 77(2), 1989, forward recursion).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dextrum.core.diagnosis.hypotheses import LeftByRepair
from dextrum.core.diagnosis.witness import LocatedWitness, Witness


def taken_once(witnesses: Sequence[Witness], epochs: Sequence[int], repairs_of: Sequence[np.ndarray],
               left: LeftByRepair) -> np.ndarray | None:
    """What to add to each witness's ln likelihood under single rows, (E, R), so that its rows add up to one chain over
    all that was seen at places since the repairs; None where nothing was mended before any of them.

    epochs: of each witness. repairs_of: by epoch, how often each row has been repaired by then, (R,).
    """
    order = sorted(range(len(witnesses)), key=lambda k: epochs[k])
    located = [(k, w) for k in order if isinstance(w := witnesses[k], LocatedWitness) and w.gone.any()]
    if not located:
        return None
    count = len(witnesses[0].rows)
    found = np.zeros((len(witnesses), count))
    there, gone = np.zeros(count), np.full(count, -np.inf)
    repaired = np.zeros(count, dtype=int)
    for k, witness in located:
        for _ in range(int((repairs_of[epochs[k]] - repaired).max())):
            now = repairs_of[epochs[k]] > repaired
            gone = np.where(now, np.logaddexp(gone, there + left.log_works), gone)
            there = np.where(now, there + left.log_fails, there)
            repaired = repaired + now
        rows = witness.gone
        before = np.logaddexp(gone[rows], there[rows])
        gone[rows] += witness.worked[rows]
        there[rows] += witness.unmended[rows]
        found[k, rows] = np.logaddexp(gone[rows], there[rows]) - before - witness.rows[rows]
    return found
