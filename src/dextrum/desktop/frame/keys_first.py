"""What is reckoned beside the window waits while somebody types: two threads of Python share one interpreter, and a key
would be painted three times as late."""

from __future__ import annotations

import time
from collections.abc import Callable

QUIET_SECONDS = 0.25
"""After the last key. Typists leave less between two keys, and nobody misses a forecast by so much."""
LOOK_AGAIN_SECONDS = 0.02
_last_key = float("-inf")


def key_pressed() -> None:
    """On the window's thread, with every key."""
    global _last_key
    _last_key = time.monotonic()


def wait_for_quiet(over: Callable[[], bool]) -> None:
    """On a thread that reckons: until no key has been pressed for a while, or it is over."""
    while time.monotonic() - _last_key < QUIET_SECONDS and not over():
        time.sleep(LOOK_AGAIN_SECONDS)
