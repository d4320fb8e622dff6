"""Linear algebra on one thread, for every process of Dextrum.

Its matrices are small: with a thread a core, those wait for one another by spinning, at twice the work and no gain
(83 judgements of the Duo's trails: 3.4 s of processor time, 7.1 s with two threads), on a core that the window needs.
"""

from __future__ import annotations

ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
"""What the libraries read when they are loaded."""
