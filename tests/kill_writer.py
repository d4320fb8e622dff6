"""Helper of test_store: forks writers on one file and kills each in the middle of writing.

Prints one JSON line: how many were killed, how many entries a writer had been told were recorded, how many of
those are missing, and whether the file is whole.
"""

from __future__ import annotations

import json
import os
import random
import signal
import sqlite3
import sys
import time
from pathlib import Path

from dextrum.core.trail import JobOpened, Supply
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore


def write_for_ever(place: Path, job_id: str, pipe: int) -> None:
    store = JobStore(place)
    while True:
        entry = new_entry(Supply("a", 9.0, 1.9), "writer")
        store.append(job_id, entry)
        os.write(pipe, entry.id.encode() + b"\n")


def main(place: Path, kills: int, seed: int) -> None:
    store = JobStore(place)
    job_id = store.create(new_entry(JobOpened("K-1", "Duo", "x"), "test"))
    store.close()
    chance = random.Random(seed)
    told: set[str] = set()
    for _ in range(kills):
        reader, writer = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(reader)
            try:
                write_for_ever(place, job_id, writer)
            finally:
                os._exit(1)
        os.close(writer)
        first = os.read(reader, 33)
        time.sleep(chance.uniform(0.0, 0.03))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        rest = first
        while block := os.read(reader, 65536):
            rest += block
        os.close(reader)
        told.update(line for line in rest.decode().split("\n")[:-1] if len(line) == 32)
    kept = {entry.id for entry in JobStore(place).trail(job_id)}
    whole = sqlite3.connect(place).execute("pragma integrity_check").fetchone()[0]
    print(json.dumps({"kills": kills, "told": len(told), "missing": len(told - kept), "whole": whole}))


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]))
