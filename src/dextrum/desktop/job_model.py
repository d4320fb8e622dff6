"""The job in hand, between the session and the views: views tell it what to record, it tells them what changed.

What is cheap (facts, verdicts) is up to date before `changed` is emitted; what is weighed (suspects, advice) is
computed on a thread of its own, latest wins, and comes with `assessed`.
"""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor

from PySide6.QtCore import QObject, Signal

from dextrum.app.assess import Assessment, JudgedReading, assess, judged_readings
from dextrum.app.session import BenchSession
from dextrum.core.advice import Gate, held_gates
from dextrum.core.board import Board, Method
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.reference import ReferenceTable
from dextrum.core.trail import Entry, Payload, PointReading
from dextrum.errors import DextrumError


class JobModel(QObject):
    """Signals: changed (facts and verdicts are new), assessed (suspects and advice are new), problem (words)."""

    changed = Signal()
    opened = Signal()
    assessed = Signal()
    problem = Signal(str)
    recorded = Signal(str)
    _done = Signal(int, object)

    def __init__(self, session: BenchSession) -> None:
        super().__init__()
        self.session = session
        self.job_id = ""
        self.trail: tuple[Entry, ...] = ()
        self.facts = JobFacts()
        self.board: Board | None = None
        self.references: ReferenceTable | None = None
        self.judged: dict[str, JudgedReading] = {}
        self.gates: tuple[Gate, ...] = ()
        self.assessment: Assessment | None = None
        self.fresh = False
        self._generation = 0
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="weighing")
        self._done.connect(self._take)

    def open(self, job_id: str) -> None:
        """Show another job. A job whose pack is missing opens too, without board and verdicts."""
        self.job_id = job_id
        self.assessment = None
        try:
            self.trail = self.session.store.trail(job_id) if job_id else ()
        except DextrumError as problem:
            self.trail = ()
            self.problem.emit(str(problem))
        self.facts = job_facts(self.trail)
        self.board = self.references = None
        if job_id:
            try:
                self.board = self.session.library.board(self.facts.pack_id)
                self.references = self.session.library.references(self.facts.pack_id, self.session.meter)
            except DextrumError as problem:
                self.problem.emit(str(problem))
        self._refresh()
        self.opened.emit()

    def reload(self) -> None:
        """Read the trail anew, when another window may have recorded something."""
        if self.job_id:
            self.trail = self.session.store.trail(self.job_id)
            self._refresh()

    def set_meter(self, meter: str) -> None:
        self.session.meter = meter
        if self.board is not None:
            self.references = self.session.library.references(self.facts.pack_id, meter)
        self._refresh()

    def record(self, *payloads: Payload) -> bool:
        """Commit payloads; False (with `problem` emitted) when nothing was recorded."""
        try:
            new = self.session.record(self.job_id, *payloads)
        except (DextrumError, ValueError) as problem:
            self.problem.emit(str(problem))
            return False
        self._grow(new)
        return True

    def record_reading(self, reading: PointReading, method: Method) -> bool:
        """Commit one reading with what it implies (a deeper access level)."""
        try:
            new = self.session.record_reading(self.job_id, reading, method)
        except (DextrumError, ValueError) as problem:
            self.problem.emit(str(problem))
            return False
        self._grow(new)
        return True

    def strike_last(self) -> None:
        try:
            struck = self.session.strike_last(self.job_id)
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return
        self.reload()
        self.recorded.emit("Nothing left to strike out." if struck is None
                           else "Struck out. Ctrl+Shift+Z brings it back.")

    def strike(self, entry_id: str) -> None:
        try:
            self.session.strike(self.job_id, entry_id)
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return
        self.reload()
        self.recorded.emit("Struck out. Ctrl+Shift+Z brings it back.")

    def bring_back(self) -> None:
        try:
            back = self.session.bring_back(self.job_id)
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return
        self.reload()
        self.recorded.emit("Nothing was struck out." if back is None else "Brought back.")

    def _grow(self, new: tuple[Entry, ...]) -> None:
        self.trail = (*self.trail, *new)
        self._refresh()
        self.recorded.emit("Recorded")

    def _refresh(self) -> None:
        self.facts = job_facts(self.trail)
        self.judged = {} if self.board is None or self.references is None else judged_readings(
            self.board, self.references, self.facts)
        self.gates = () if self.board is None or self.references is None else held_gates(
            self.board, self.references, self.facts)
        self.fresh = False
        self.changed.emit()
        self._weigh()

    def readings_held(self) -> bool:
        """Whether diode readings and heat wait for the cell to be unplugged."""
        return self.board is not None and any(gate.holds_back == "readings" for gate in self.gates)

    def _weigh(self) -> None:
        self._generation += 1
        if self.board is None:
            return
        generation, trail = self._generation, self.trail
        pack_id, meter, library = self.facts.pack_id, self.session.meter, self.session.library

        def work() -> Assessment | Exception:
            if generation != self._generation:
                raise _Overtaken
            return assess(library.advice_model(pack_id, meter), trail)

        def finished(future: Future[Assessment | Exception]) -> None:
            if future.cancelled():
                return
            error = future.exception()
            self._done.emit(generation, future.result() if error is None else error)

        self._pool.submit(work).add_done_callback(finished)

    def _take(self, generation: int, result: object) -> None:
        if generation != self._generation or isinstance(result, _Overtaken):
            return
        if isinstance(result, Assessment):
            self.assessment = result
            self.fresh = True
            self.assessed.emit()
        elif isinstance(result, DextrumError):
            self.problem.emit(str(result))
        elif isinstance(result, Exception):
            raise result

    def close(self) -> None:
        self._generation += 1
        self._pool.shutdown(wait=True, cancel_futures=True)


class _Overtaken(Exception):
    """A newer trail is already waiting to be weighed."""
