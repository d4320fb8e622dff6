"""The job in hand, between the session and the views: views tell it what to record, it tells them what changed.

What is cheap (facts, verdicts) is up to date before `changed` is emitted; what is weighed (suspects, advice) is
computed on a thread of its own, latest wins, and comes with `assessed`.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QObject, QTimer, Signal

from dextrum.app.command import Command, InHand
from dextrum.app.handover.work_minutes import minutes_of_work
from dextrum.app.job.earlier_jobs import comeback_words, earlier_words
from dextrum.app.job.session import BenchSession
from dextrum.app.reading.comparing import Comparison, earlier_scans, known_good_boards
from dextrum.app.reading.judged import JudgedReading, judged_readings
from dextrum.core.board import Board, Method, Point
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.reference.table import NO_REFERENCES, ReferenceTable
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.safety.activities import Activity
from dextrum.core.safety.gates import Gate, asked_of, held_gates
from dextrum.core.trail import Entry, Payload, Photo, PointReading, standing, struck_ids
from dextrum.errors import DextrumError, StoreGoneError
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobRow
from dextrum.store.pictures import content_of
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.advising.assess import Assessment, Explanation
    from dextrum.app.outlook.outlooks import Outlooks
    from dextrum.core.entries.photo import Shows


JUDGING = tr("Judging the readings…")
"""Said in place of verdicts until what judges readings is made, a moment after the start."""
PASSING = tr("Not recorded; what you typed is kept. Ctrl+G: go past it, with your reason on record.")
STRUCK = tr("Struck out. Ctrl+Shift+Z brings it back.")


class JobModel(QObject):
    """Signals: changed (facts and verdicts are new), assessed (suspects and advice are new), problem (words). judging:
    readings are there, and what judges them is still being made: then nothing is judged."""

    changed = Signal()
    opened = Signal()
    assessed = Signal()
    explained = Signal(object)
    costed = Signal(str)
    problem = Signal(str)
    recorded = Signal(str)
    _done = Signal(int, object)
    _judges = Signal()

    def __init__(self, session: BenchSession) -> None:
        super().__init__()
        self.session = session
        self.job_id = ""
        self.trail: tuple[Entry, ...] = ()
        self.facts = JobFacts()
        self.board: Board | None = None
        self.earlier: tuple[JobRow, ...] = ()
        self.earlier_words = ""
        self.went_home: tuple[Comparison, ...] = ()
        self._came_from: tuple[JobFacts, float] | None = None
        self.judged: dict[str, JudgedReading] = {}
        self.gates: tuple[Gate, ...] = ()
        self.asked: Gate | None = None
        self.unsaved: tuple[Entry, ...] = ()
        self.assessment: Assessment | None = None
        self.fresh = False
        self.judging = False
        self._generation = 0
        self._may_weigh = False
        self._closed = False
        self.instruments_in_hand: Callable[[], dict[str, bool]] = dict
        self.calls: Callable[[], bool] = bool
        self.board_celsius: float | None = None
        self.turned = False
        self.diode_method = Method.DIODE_RED_GROUND
        self.ohms_method = Method.RESISTANCE
        self.comparison: Comparison | None = None
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="weighing")
        self._done.connect(self._take)
        self._judges.connect(self._judge_now)

    def open(self, job_id: str, trail: tuple[Entry, ...] | None = None) -> None:
        """Show another job. A job whose pack is missing opens too, without board and verdicts. trail: the whole of it,
        where it was just read."""
        if job_id != self.job_id:
            self.board_celsius = None
            self.turned = False
            self.comparison = None
        self.job_id = job_id
        self.assessment = None
        try:
            self.trail = trail if trail is not None else self.session.store.trail(job_id) if job_id else ()
        except DextrumError as problem:
            self.trail = ()
            self.problem.emit(str(problem))
        self.session.begin(job_id, self.trail)
        self.facts = job_facts(self.trail)
        self.board = None
        self.earlier, self.earlier_words, self.went_home, self._came_from = (), "", (), None
        if job_id:
            self._look_back()
            try:
                self.board = self.session.library.board(self.pack_key)
            except DextrumError as problem:
                self.problem.emit(str(problem))
        self._refresh()
        self.opened.emit()

    def _look_back(self) -> None:
        """Whether this unit was here before. A unit without a serial is nobody's."""
        if not self.facts.serial:
            return
        try:
            self.earlier, last = self.session.earlier_jobs(self.job_id, self.facts.serial, self.facts.opened_at)
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return
        self.earlier_words = earlier_words(self.earlier, last)
        if self.facts.comes_back:
            self._look_back_at(self.facts.comes_back)

    def _look_back_at(self, job_id: str) -> None:
        """What stood when the unit went home is what its readings are laid over, as long as nothing else is chosen."""
        try:
            trail = self.session.store.trail(job_id)
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return
        then = job_facts(trail)
        self._came_from = then, minutes_of_work(trail)
        self.went_home = tuple(replace(scan, name=tr("when it went home, {scan}", scan=scan.name))
                               for scan in earlier_scans(trail)[-1:])
        if self.comparison is None and self.went_home:
            self.comparison = self.went_home[0]

    def reload(self) -> None:
        """Read the trail anew; nothing happens when it is as it was, or holds what could not be kept. Raises
        StoreError."""
        if self.unsaved:
            return
        trail = self.session.store.trail(self.job_id) if self.job_id else ()
        if trail != self.trail:
            self.trail = trail
            self._refresh()

    @property
    def pack_key(self) -> str:
        """By what the library knows the pack of this job, in the state that it stays on."""
        facts = self.facts
        return self.session.library.at_version(facts.pack_id, facts.pack_version) if facts.pack_version \
            else facts.pack_id

    @property
    def stays(self) -> bool:
        """Whether this job stays on an earlier state of its pack."""
        return bool(self.facts.pack_version) and self.pack_key != self.facts.pack_id

    def pack_has_grown(self) -> None:
        """Show the job by its pack as it is now. Points that have gone stay in the trail."""
        self.board = self.session.library.board(self.pack_key)
        self._refresh()

    def set_meter(self, meter: str) -> None:
        self.session.meter = meter
        self._refresh()

    def weigh_anew(self) -> None:
        """Rates or prices have changed: the advice is computed again."""
        self._refresh()

    @property
    def references(self) -> ReferenceTable | None:
        """Known-good as the meter in hand sees it; made when first asked for. Before the window stands only what is
        made already: it takes a third of a second, and would hold up the painting."""
        if self.board is None:
            return None
        library, key = self.session.library, (self.pack_key, self.session.meter)
        return library.references(*key) if self._may_weigh or library.has_references(*key) else None

    def held_back(self, *payloads: Payload) -> str:
        """Why payloads are not recorded without a reason, in words; empty where nothing holds them. The gate is then
        the one that passing a gate speaks of."""
        if self.board is None:
            return ""
        # Never by less than is known: what is recorded is held by the readings whether they are shown yet or not.
        known = self.session.library.references(self.pack_key, self.session.meter)
        gates = asked_of(self.board, known, self.facts, *payloads)
        self.asked = gates[0] if gates else None
        return f"{gates[0].words} {gates[0].instead} {PASSING}" if gates else ""

    def record(self, *payloads: Payload) -> bool:
        """Commit payloads; False (with `problem` emitted) when nothing was recorded: what goes past a gate is recorded
        once the gate is lifted, or passed with a reason."""
        held = self.held_back(*payloads)
        if held:
            self.problem.emit(held)
            return False
        return self.record_as_it_was(*payloads)

    def record_as_it_was(self, *payloads: Payload) -> bool:
        """Commit what has already run, whatever holds by now: a live log that began before is not lost for it."""
        try:
            new = self.session.entries_for(self.facts, *payloads)
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return False
        return self._keep(new)

    def record_photo(self, job_id: str, data: bytes, width: int, height: int, shows: Shows, about: str = "",
                     words: str = "") -> bool:
        """Keep a picture with its entry, in the job it was taken for; False (with `problem` emitted) where it was
        not."""
        try:
            photo = Photo(content_of(data), width, height, shows, about, words)
            new = (new_entry(photo, self.session.who, self.session.clock()),)
            if job_id == self.job_id:
                return self._keep(new, (data,))
            self.session.keep(job_id, new, None, (data,))
        except (DextrumError, ValueError) as problem:
            self.problem.emit(str(problem))
            return False
        return True

    def _keep(self, new: tuple[Entry, ...], pictures: tuple[bytes, ...] = ()) -> bool:
        """Commit entries, with those that could not be kept before. Where the job file is gone they stay in memory, and
        it is said."""
        try:
            self.session.keep(self.job_id, (*self.unsaved, *new), None if self.unsaved else self.trail, pictures)
        except StoreGoneError as problem:
            if pictures:
                self.problem.emit(tr("The photo was not kept. {problem}", problem=problem))
                return False
            self.unsaved = (*self.unsaved, *new)
            self.trail = (*self.trail, *new)
            self._refresh()
            self.problem.emit(tr("NOT ON DISK. {problem}", problem=problem))
            return True
        except (DextrumError, ValueError) as problem:
            self.problem.emit(str(problem))
            return False
        self.unsaved = ()
        self._grow(new)
        self._say_notices()
        return True

    def _say_notices(self) -> None:
        """What followed for the stock; where this job was told of a bad lot meanwhile, its trail is read again."""
        said = self.session.take_notices()
        if said:
            self.costed.emit(" ".join(said))
            self.reload()

    def record_reading(self, reading: PointReading, method: Method, meter: str = "") -> bool:
        """Commit one reading with what it implies (a deeper access level). meter: that read it, where it isn't the one
        in hand."""
        try:
            payloads = self.session.reading_payloads(reading, method, self.facts, self.board_celsius,
                                                     self.turned and reading.point in self._port_points(), meter)
        except (DextrumError, ValueError) as problem:
            self.problem.emit(str(problem))
            return False
        return self.record(*payloads)

    @property
    def methods(self) -> frozenset[Method]:
        """The ways of measuring in hand: one polarity of diode mode, and what is read from point to point."""
        return frozenset({self.diode_method, Method.RESISTANCE, Method.CONTINUITY, Method.CAPACITANCE})

    def method_at(self, point: Point) -> Method:
        """How a point is measured now."""
        return point.method_of(self.diode_method, self.ohms_method)

    def measure_by(self, diode: Method | None = None, ohms: Method | None = None) -> None:
        """Take another polarity or another way of measuring ohms in hand; what was read by it is shown."""
        self.diode_method, self.ohms_method = diode or self.diode_method, ohms or self.ohms_method
        self._refresh()

    def turn_tester(self) -> None:
        """The tester or breakout goes in the other way up, or back."""
        self.turned = not self.turned
        self.changed.emit()

    def readings_of_this_way_up(self) -> dict[str, JudgedReading]:
        """While the tester is turned over: only what it read so."""
        if self.board is None or not self.turned:
            return self.judged
        way = {key[:3]: r for key, r in (self.facts.either_way_up or {}).items() if key[3]}
        return judged_readings(self.board, self.references or NO_REFERENCES, replace(self.facts, readings=way),
                               self.methods)

    def _port_points(self) -> frozenset[str]:
        return self.board.port_points if self.board is not None else frozenset()

    def comparisons(self) -> tuple[Comparison, ...]:
        """What this unit's readings can be compared with: its own earlier scans, and known-good boards."""
        if self.board is None:
            return ()
        known = self.session.library.pack(self.pack_key).known_good
        return (*self.went_home, *earlier_scans(self.trail), *known_good_boards(known, self.session.meter))

    def compare_with(self, comparison: Comparison | None) -> None:
        """Lay other readings under those in hand, or take them away."""
        self.comparison = comparison
        self.changed.emit()

    def strike_last(self) -> None:
        self._strike(lambda: self.session.strike_last(self.job_id), STRUCK, tr("Nothing left to strike out."))

    def strike(self, entry_id: str) -> None:
        def one() -> bool:
            self.session.strike(self.job_id, entry_id)
            return True

        self._strike(one, STRUCK, "")

    def bring_back(self) -> None:
        self._strike(lambda: self.session.bring_back(self.job_id), tr("Brought back."),
                     tr("Nothing to bring back here. Choose a struck entry in the trail: Ctrl+Del brings it back."))

    def bring_one_back(self, entry_id: str) -> None:
        self._strike(
            lambda: self.session.bring_one_back(self.job_id, entry_id), tr("Brought back."), tr("It counts already.")
        )

    def _strike(self, act: Callable[[], object], done: str, nothing: str) -> None:
        """Do it, show the trail as it then is, and say what came of it."""
        try:
            came_of_it = act()
            self.reload()
        except DextrumError as problem:
            self.problem.emit(str(problem))
            return
        self.recorded.emit(nothing if came_of_it is None else done)

    def _grow(self, new: tuple[Entry, ...]) -> None:
        self.trail = (*self.trail, *new)
        self._refresh()
        self.recorded.emit(tr("Recorded"))

    def _refresh(self) -> None:
        before = self.facts.pack_version
        self.facts = job_facts(self.trail)
        if self.job_id and self.facts.pack_version != before:
            with suppress(DextrumError):  # the board in hand stays
                self.board = self.session.library.board(self.pack_key)
        known = (self.references if self.facts.readings else None) or NO_REFERENCES
        self.judging = bool(self.facts.readings) and self.board is not None and known is NO_REFERENCES
        if self.board is not None and not self.judging:
            self.facts = facts_as_judged(self.board, known, self.facts)
        if self._came_from is not None:
            self.earlier_words = comeback_words(self.facts, *self._came_from) or self.earlier_words
        shown = self.board if not self.judging else None
        self.judged = {} if shown is None else judged_readings(shown, known, self.facts, self.methods)
        self.gates = () if shown is None else held_gates(shown, known, self.facts)
        self.fresh = False
        self.changed.emit()
        self._weigh()

    def readings_held(self) -> bool:
        """Whether diode readings and heat wait for the cell to be unplugged."""
        return self.board is not None and any(Activity.READINGS in gate.holds for gate in self.gates)

    def _weigh(self) -> None:
        """Ask for suspects and advice once what has changed is painted: the thread would slow the painting down."""
        self._generation += 1
        if self.board is not None and self._may_weigh:
            QTimer.singleShot(0, self, lambda generation=self._generation: self._submit(generation))

    @cached_property
    def outlooks(self) -> Outlooks:
        """How the open jobs go on, for all views that ask; what a job's trail says is worked out once."""
        from dextrum.app.outlook.outlooks import Outlooks

        return Outlooks(self.session.store, self.session.library, lambda: self.session.meter)

    def in_hand(self) -> InHand:
        """What commands ask for."""
        facts = self.facts
        return InHand(job=bool(self.job_id), board=self.board is not None, weighed=self.assessment is not None,
                      held=bool(self.gates) or self.asked is not None, entries=len(standing(self.trail)) > 1,
                      struck=bool(struck_ids(self.trail)), earlier=bool(self.earlier), calls=self.calls(),
                      compared=self.comparison is not None, removed=bool(facts.isolated), cell=facts.cell,
                      photos=bool(self.facts.photos), closed=self.facts.outcome is not None,
                      own_pack=self.board is not None and not self.stays and self.session.library.is_own(
                          self.board.pack_id), stays=self.stays,
                      **self.instruments_in_hand())

    def why_not(self, command: Command) -> str:
        """What keeps a command from being run now, in words."""
        return command.why_not(self.in_hand())

    def begin_weighing(self) -> None:
        """The window stands. What judges readings is made beside it, and then they are judged; the first weighing
        imports what only it needs, which would hold up the painting."""
        if self._may_weigh or self._closed:
            return
        self._may_weigh = True
        library, key = self.session.library, (self.pack_key, self.session.meter)
        if self.board is None or library.has_references(*key):
            self._weigh()
            return
        self._pool.submit(lambda: library.references(*key)).add_done_callback(lambda _done: self._judges.emit())

    def _judge_now(self) -> None:
        """What judges readings is made; a window that was shut meanwhile has nothing left to show."""
        if not self._closed:
            self._refresh()

    def _submit(self, generation: int) -> None:
        if generation != self._generation:
            return
        trail, now = self.trail, self.session.clock()
        pack_id, meter, library = self.pack_key, self.session.meter, self.session.library

        def work() -> Assessment | Exception:
            if generation != self._generation:
                raise _Overtaken
            from dextrum.app.advising.assess import assess_once

            return assess_once(library.advice_model(pack_id, meter), trail, now)

        def finished(future: Future[Assessment | Exception]) -> None:
            if future.cancelled():
                return
            error = future.exception()
            self._done.emit(generation, future.result() if error is None else error)

        self._pool.submit(work).add_done_callback(finished)

    def _take(self, generation: int, result: object) -> None:
        if generation != self._generation or isinstance(result, _Overtaken):
            return
        if isinstance(result, DextrumError):
            self.problem.emit(str(result))
        elif isinstance(result, Exception):
            raise result
        else:
            self.assessment = cast("Assessment", result)
            self.fresh = True
            self.assessed.emit()

    def explain(self, part: str) -> None:
        """Ask why a part is suspected or not; the answer comes with `explained`, of the assessment that is shown."""
        done = self.assessment
        if done is None or self.board is None:
            return
        pack_id, meter, library = self.pack_key, self.session.meter, self.session.library

        def work() -> Explanation:
            from dextrum.app.advising.assess import explain_part

            return explain_part(library.advice_model(pack_id, meter), done, part)

        def finished(future: Future[Explanation]) -> None:
            if not future.cancelled() and future.exception() is None:
                self.explained.emit(future.result())

        self._pool.submit(work).add_done_callback(finished)

    def cost_of(self, name: str) -> None:
        """Ask what another step would cost; the answer comes with `costed`, in words."""
        done = self.assessment
        if done is None or self.board is None:
            return
        pack_id, meter, library = self.pack_key, self.session.meter, self.session.library

        def work() -> str:
            from dextrum.app.advising.assess import cost_of_step

            return cost_of_step(library.advice_model(pack_id, meter), done, name)

        def finished(future: Future[str]) -> None:
            if not future.cancelled() and future.exception() is None:
                self.costed.emit(future.result())

        self._pool.submit(work).add_done_callback(finished)

    def close(self) -> None:
        """Weigh no more: a window that is shut before it was painted has not begun yet."""
        self._generation += 1
        self._may_weigh = False
        self._closed = True
        self._pool.shutdown(wait=True, cancel_futures=True)


class _Overtaken(Exception):
    """A newer trail is already waiting to be weighed."""
