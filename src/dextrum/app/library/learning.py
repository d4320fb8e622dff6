"""What closed jobs say about how often parts fail, kept as a setting and used from the next weighing on."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from dextrum.progress import Told, go_on, unheard
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.library.library import PackLibrary
    from dextrum.store.jobs import JobStore

LEARNED = "learned_rates"
MOST_JOBS = 5000
SHOWN, TELLING = 3, 0.15


def kept_factors(store: JobStore) -> dict[str, dict[str, float]]:
    """By pack and part; what can't be read counts as nothing learned."""
    try:
        kept = json.loads(store.setting(LEARNED) or "{}")
        return {str(pack): {str(part): float(f) for part, f in parts.items()} for pack, parts in kept.items()}
    except (ValueError, AttributeError, TypeError):
        return {}


def learn(store: JobStore, library: PackLibrary, pack_id: str, told: Told = unheard) -> str:
    """Count what the newest closed jobs of a pack show, and weigh by it from now on; says what was learned.

    Raises StoreError, StoppedError; then nothing has changed.
    """
    # Here, since it brings the diagnosis along, which the first window does without.
    from dextrum.core.assumptions.repairs import CAME_BACK
    from dextrum.core.diagnosis.learned import learned_factors, parts_at_fault

    board = library.board(pack_id)
    closed = store.closed_of_pack(pack_id, MOST_JOBS)
    jobs, came_back = [], store.came_back()
    for place, job in enumerate(closed):
        go_on(told, place / len(closed), tr("What was learned before stands."))
        share = CAME_BACK if job in came_back else 1.0
        jobs.append({part: share * weight for part, weight in parts_at_fault(store.trail(job)).items()})
    counted = [job for job in jobs if job]
    factors = learned_factors(board, counted)
    kept = kept_factors(store)
    kept[pack_id] = {part: round(f, 4) for part, f in factors.items()}
    store.set_setting(LEARNED, json.dumps(kept))
    library.use_learned(kept)
    if not factors:
        return tr("No closed and proved job of this board yet: the pack's own rates are used.")
    telling = sorted((part for part, f in factors.items() if abs(f - 1.0) > TELLING), key=lambda p: -factors[p])
    words = ", ".join(f"{part} \u00d7{factors[part]:.1f}" for part in telling[:SHOWN])
    back = len(came_back & set(closed))
    came = tr(", {back} of which came back", back=back) if back else ""
    return (tr("Learned from {count} closed job{s}{came}: {words}.", count=len(counted),
               s="s" if len(counted) != 1 else "", came=came, words=words or tr("nothing stands out")))


def forget(store: JobStore, library: PackLibrary, pack_id: str) -> None:
    """Back to the pack's own rates."""
    kept = kept_factors(store)
    kept.pop(pack_id, None)
    store.set_setting(LEARNED, json.dumps(kept))
    library.use_learned(kept)
