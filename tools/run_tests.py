"""Run the tests with unittest, warnings as errors, and end with one plain line of counts.

All tests are run by as many processes as there are cores (at most WORKERS), each taking the next file as it becomes
free, and by one more those that mostly wait; named ones by this process. `--long` runs the files with studies that are
cut short otherwise (they ask for `LONG` of `tests.support`) at their full length: ten whole jobs against the simulated
bench, 10,000 random trails a pack against the rules of safety, every view of every job, and more, some hours on one
core.
"""

from __future__ import annotations

import faulthandler
import gc
import io
import json
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import warnings
from pathlib import Path
from typing import Any

from dextrum.one_thread import ONE_THREAD

ROOT = Path(__file__).resolve().parent.parent
WORKERS = 2
"""More would slow each other down where windows and simulated benches wait for the clock."""
LONGEST_FIRST = ("test_outlook", "test_window", "test_own_board_job", "test_window_words", "test_any_size",
                 "test_stated", "test_evaluation", "test_walk", "test_packmaking", "test_keys_x11")
"""Begun first, so that no process is left alone with one of them at the end."""
MOSTLY_WAIT = ("test_instrument_links", "test_undescribed", "test_bench_process")
"""Done by one process more: most of their time they wait for the clock of instruments."""


def keep_within(folder: str) -> None:
    """What is worked out of boards is kept there, by all processes of this run and for no other."""
    os.environ.update(XDG_CACHE_HOME=folder, DEXTRUM_TESTS_KEEP="1")


def strict() -> None:
    """Warnings are errors, but for those of libraries that warn about their own imports on some versions."""
    sys.path.insert(0, str(ROOT))
    warnings.simplefilter("error")
    warnings.filterwarnings("default", module=r"(pypdf|pyqtgraph|alembic|sqlalchemy)(\..*)?")


def counts(result: unittest.TestResult) -> tuple[int, int, int]:
    """Passed, failed, skipped."""
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return result.testsRun - failed - len(result.skipped), failed, len(result.skipped)


def work() -> int:
    """Run the files that are named on the input, one a line; tell of each on the output as a line of JSON."""
    strict()
    faulthandler.enable()  # should a library bring the process down, its last lines tell where
    with os.fdopen(os.dup(1), "w") as told:
        os.dup2(2, 1)  # what tests print themselves is no answer
        for line in sys.stdin:
            name, begun, text = line.strip(), time.perf_counter(), io.StringIO()
            suite = unittest.TestLoader().loadTestsFromName(f"tests.{name}")
            result = unittest.TextTestRunner(stream=text, verbosity=0, warnings=None).run(suite)
            passed, failed, skipped = counts(result)
            told.write(json.dumps({"name": name, "passed": passed, "failed": failed, "skipped": skipped,
                                   "seconds": time.perf_counter() - begun, "text": text.getvalue()}) + "\n")
            told.flush()
            del suite, result
            # What stays is not looked through again and again while the next files run.
            gc.collect()
            gc.freeze()
    return 0


class Files:
    """Files still to be run, and what came of those that were; shared by the threads that talk to the workers."""

    def __init__(self, names: list[str]) -> None:
        self.left = names
        self.results: list[dict[str, Any]] = []
        self.lock = threading.Lock()

    def take(self) -> str:
        """The next file; empty when none is left."""
        with self.lock:
            return self.left.pop(0) if self.left else ""

    def tell(self, result: dict[str, Any]) -> None:
        with self.lock:
            self.results.append(result)
            print(f"{result['name']}: {result['passed']} passed, {result['failed']} failed, "
                  f"{result['skipped']} skipped in {result['seconds']:.0f} s", flush=True)
            if result["failed"]:
                print(result["text"], flush=True)


def serve(files: Files) -> None:
    """Give files to one process after the other, a new one where one has died."""
    worker: subprocess.Popen[str] | None = None
    while name := files.take():
        if worker is None or worker.poll() is not None:
            worker = subprocess.Popen([sys.executable, __file__, "--worker"], stdin=subprocess.PIPE,
                                      stdout=subprocess.PIPE, text=True, cwd=ROOT)
        assert worker.stdin is not None and worker.stdout is not None
        try:
            worker.stdin.write(name + "\n")
            worker.stdin.flush()
            line = worker.stdout.readline()
        except BrokenPipeError:
            line = ""
        if not line:
            worker.wait()
            files.tell({"name": name, "passed": 0, "failed": 1, "skipped": 0, "seconds": 0.0,
                        "text": f"The process ended with {worker.returncode} while it ran {name}."})
            worker = None
            continue
        files.tell(json.loads(line))
    if worker is not None and worker.stdin is not None:
        worker.stdin.close()
        worker.wait()


def all_files() -> list[str]:
    """Every file of tests, those that take longest first."""
    found = sorted(path.stem for path in (ROOT / "tests").glob("test_*.py"))
    return [n for n in LONGEST_FIRST if n in found] + [n for n in found if n not in LONGEST_FIRST]


def long_files() -> list[str]:
    """Files with studies whose every run takes a part of them only."""
    asks = re.compile(r"from tests\.support import [^)]*?\bLONG\b", re.DOTALL)
    return [name for name in all_files() if asks.search((ROOT / "tests" / f"{name}.py").read_text(encoding="utf-8"))]


def run_all() -> int:
    files, waiting = Files([n for n in all_files() if n not in MOSTLY_WAIT]), Files(list(MOSTLY_WAIT))
    begun = time.perf_counter()
    threads = [threading.Thread(target=serve, args=(files,)) for _ in range(min(WORKERS, os.cpu_count() or 1))]
    threads.append(threading.Thread(target=serve, args=(waiting,)))
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    results = files.results + waiting.results
    passed, failed, skipped = (sum(result[key] for result in results) for key in ("passed", "failed", "skipped"))
    told = {result["name"] for result in results}
    missing = [name for name in all_files() if name not in told]
    failed += len(missing)
    wrong = [result["name"] for result in results if result["failed"]] + missing
    print(f"{len(results)} files in {time.perf_counter() - begun:.0f} s"
          + (f"; failed in {', '.join(wrong)}" if wrong else ""))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if passed and not failed else 1


def run_named(names: list[str]) -> int:
    strict()
    suite = unittest.TestLoader().loadTestsFromNames([n if n.startswith("tests.") else f"tests.{n}" for n in names])
    passed, failed, skipped = counts(result := unittest.TextTestRunner(verbosity=1, warnings=None).run(suite))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if result.testsRun and not failed else 1


USAGE = """./dextrum test              all tests, by two processes and one that mostly waits
./dextrum test NAME …       files, classes or single tests, such as test_alloy or test_alloy.MixTest
./dextrum test --long       the studies that are cut short otherwise, at their full length (hours)
./dextrum test --list       the files, those that take longest first"""


def main(names: list[str]) -> int:
    os.environ.update(ONE_THREAD)  # before anything loads linear algebra; the processes inherit it
    if names == ["--worker"]:
        return work()
    if {"-h", "--help"} & set(names):
        print(USAGE)
        return 0
    if names == ["--list"]:
        print("\n".join(all_files()))
        return 0
    unknown = [name for name in names if name.startswith("-") and name != "--long"]
    if unknown:
        print(f"{unknown[0]} is nothing that can be asked for.\n{USAGE}", file=sys.stderr)
        return 2
    if "--long" in names:
        names = [n for n in names if n != "--long"] or long_files()
        os.environ["DEXTRUM_LONG_TESTS"] = "1"
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        keep_within(folder)
        return run_all() if not names else run_named(names)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
