"""An instrument listened to by a thread of its own: it may hang, talk nonsense or vanish, and nothing waits for it."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from dextrum.errors import InstrumentError
from dextrum.instruments.protocols import KIND_WORDS, MULTIMETER, POWER_METER, SUPPLY, Declaration
from dextrum.tongue import tr

READY, CONNECTING, SLOW = "ready", "connecting", "slow"
AGAIN_SECONDS = 0.5
SLOW_SHARE = 0.3
"""Of the declared rate, below which an instrument is called slow."""
KEPT_SAMPLES = 20_000
"""Of what nobody takes; twenty seconds of the quickest meter."""
STATE_WORDS = {READY: tr("ready"), CONNECTING: tr("connecting"), SLOW: tr("slow"), "gone": tr("not there"),
               "silent": tr("silent"),
               "babbling": tr("sends nonsense"), "mode": tr("in another mode"), "range": tr("out of range")}
Clock = Callable[[], float]


@dataclass(frozen=True)
class InstrumentStatus:
    """state: one of STATE_WORDS; words: what is wrong, in a sentence; at: when the last value came, by the clock.
    identity: model and serial number, whatever it is called here."""

    kind: str
    name: str
    resource: str
    state: str = CONNECTING
    words: str = ""
    value: float | None = None
    unit: str = ""
    at: float = float("nan")
    identity: str = ""

    def line(self, now: float) -> str:
        """State, last value and its age, for the strip."""
        head = f"{self.name or KIND_WORDS[self.kind]}: {STATE_WORDS.get(self.state, self.state)}"
        if self.value is None:
            return head
        shown = "OL" if self.value == float("inf") else f"{self.value + 0.0:.3f} {self.unit}"
        age = now - self.at
        old = "" if age < 1.5 else tr(", {age:.0f} s ago",
                                      age=age) if age < 90 else tr(", {age:.0f} min ago", age=age / 60)
        return f"{head}, {shown}{old}"


@dataclass(frozen=True)
class Heard:
    """One reading of a multimeter. at: seconds of the poller's clock."""

    at: float
    value: float


class InstrumentPoller:
    """Opens, listens, and opens again after trouble. Everything may be called from any thread.

    open_driver: makes the driver, may raise InstrumentError. pace: seconds on the wall for one of the clock, where that
    runs faster, as for tests.
    """

    def __init__(self, kind: str, resource: str, open_driver: Callable[[], Any], clock: Clock = time.monotonic,
                 pace: float = 1.0) -> None:
        self._pace = pace
        self._open_driver = open_driver
        self._clock = clock
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._wake = threading.Event()
        self._status = InstrumentStatus(kind, "", resource)
        self._heard: deque[Any] = deque(maxlen=KEPT_SAMPLES)
        self._tasks: deque[tuple[Callable[[Any], object], Callable[[object], None]]] = deque()
        self._quantity = ""
        self._listening = False
        self._gaps: deque[float] = deque(maxlen=8)
        self._thread = threading.Thread(target=self._run, name=f"listen {resource}", daemon=True)
        self._thread.start()

    @property
    def status(self) -> InstrumentStatus:
        with self._lock:
            return self._status

    def listen(self, quantity: str = "", on: bool = True) -> None:
        """Ask it for readings of a quantity from now on, or leave it in peace."""
        with self._lock:
            if (quantity, on) != (self._quantity, self._listening):
                self._heard.clear()
                self._gaps.clear()
            self._quantity, self._listening = quantity, on
        self._wake.set()

    def drain(self) -> list[Any]:
        """What was heard since the last call: `Heard` of a multimeter, samples of a power meter."""
        with self._lock:
            found = list(self._heard)
            self._heard.clear()
        return found

    def ask(self, task: Callable[[Any], object], answer: Callable[[object], None]) -> None:
        """Have something done with the driver on its own thread; `answer` is called there with what came of it, an
        InstrumentError where it failed."""
        with self._lock:
            self._tasks.append((task, answer))
        self._wake.set()

    def close(self, wait: bool = True) -> None:
        self._stop.set()
        self._wake.set()
        if wait:
            self.join(5.0)

    def join(self, seconds: float) -> None:
        """Wait for the thread to end, so long at most."""
        if self._thread is not threading.current_thread():
            self._thread.join(timeout=seconds)

    def _set(self, **changes: Any) -> None:
        with self._lock:
            self._status = replace(self._status, **changes)

    def _run(self) -> None:
        while not self._stop.is_set():
            driver: Any = None
            try:
                driver = self._open_driver()
                self._set(name=driver.name, identity=getattr(driver, "identity", driver.name))
                if not self._listening or self.status.state in (CONNECTING, "gone"):
                    self._set(state=READY, words="")  # else the first good reading says so
                self._serve(driver)
            except InstrumentError as problem:
                self._set(state=problem.state, words=f"{problem.happened} {problem.next_step}")
                self._refuse_tasks(problem)
            finally:
                if driver is not None:
                    driver.close()
            self._stop.wait(AGAIN_SECONDS)

    def _refuse_tasks(self, problem: InstrumentError) -> None:
        with self._lock:
            tasks, self._tasks = list(self._tasks), deque()
        for _, answer in tasks:
            answer(problem)

    def _serve(self, driver: Any) -> None:
        """Until it is to stop, or something is wrong with the wire. A value out of range or of another mode is told,
        and the wire kept."""
        while not self._stop.is_set():
            with self._lock:
                task = self._tasks.popleft() if self._tasks else None
                quantity, listening = self._quantity, self._listening
            if task is not None:
                try:
                    result: object = task[0](driver)
                except InstrumentError as problem:
                    task[1](problem)
                    raise
                task[1](result)
                continue
            if not listening:
                self._wake.wait(AGAIN_SECONDS)
                self._wake.clear()
                continue
            begun = self._clock()
            try:
                self._listen_once(driver, quantity)
            except InstrumentError as problem:
                if problem.state not in ("range", "mode"):
                    raise
                self._set(state=problem.state, words=f"{problem.happened} {problem.next_step}")
            pause = 1.0 / driver.declaration.readings_per_second - (self._clock() - begun)
            if pause > 0:
                self._stop.wait(pause * self._pace)

    def _listen_once(self, driver: Any, quantity: str) -> None:
        declaration: Declaration = driver.declaration
        if declaration.kind == MULTIMETER:
            begun = self._clock()
            value = driver.read(quantity)
            now = self._clock()
            self._gaps.append(now - begun)
            slow = len(self._gaps) == 8 and sum(self._gaps) / 8 > 1.0 / (SLOW_SHARE * declaration.readings_per_second)
            with self._lock:
                if (quantity, True) == (self._quantity, self._listening):
                    self._heard.append(Heard(now, value))
            self._set(state=SLOW if slow else READY, value=value, unit=declaration.quantity(quantity).unit, at=now,
                      words=tr("{driver} takes {gaps:.1f} s for a reading: hold the probe longer.", driver=driver.name,
                               gaps=sum(self._gaps) / 8)
                      if slow else "")
        elif declaration.kind in (POWER_METER, SUPPLY):
            taken = driver.samples()
            doubt = getattr(driver, "doubt", "")
            if taken:
                with self._lock:
                    self._heard.extend(taken)
                self._set(state=READY, value=taken[-1][2], unit="A", at=self._clock(), words=doubt)
