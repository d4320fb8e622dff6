"""How an instrument's line is set and how it is greeted: what every description has, whatever is measured."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.tongue import tr

FORMAT, SCHEMA = "dextrum-meter", 1
LONGEST_PATTERN = 400
LONGEST_ROW = 300
"""Letters of one reading or one row of a log; what is longer is nonsense, and patterns take their time over it."""
PLAIN = (r"(?P<value>[+-]?\s?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?)\s*,?\s*"
         r"(?P<unit>[A-Za-z\u00b5\u03bc\u03a9\u2126]*)")
"""A number, and a unit if it likes: what most meters send."""
OVERLOADED = r"[+-]?\s*(?:0?\.?O\.?L\.?|OVLD|OVER(?:LOAD)?|OPEN)\s*(?P<unit>[A-Za-z\u03a9]*)"
"""What most of them send for more than they can show."""


def compiled(pattern: str, what: str) -> re.Pattern[str]:
    """Raises ValueError for what is no pattern, or is so long that nobody wrote it."""
    if len(pattern) > LONGEST_PATTERN:
        raise ValueError(tr("{what} is {count} letters long; expected at most {longest_pattern}", what=what,
                            count=len(pattern), longest_pattern=LONGEST_PATTERN))
    try:
        return re.compile(pattern, re.IGNORECASE)
    except re.error as wrong:
        raise ValueError(tr("{what} is no pattern ({wrong}); expected a regular expression", what=what,
                            wrong=wrong)) from None


@dataclass(frozen=True)
class Wire:
    """How the line is set. baud, data_bits, parity, stop_bits, flow: of a serial port. ends: what ends its lines;
    ends_sent: what ends ours. timeout_seconds: until it counts as silent. pause_seconds: between what is sent and the
    next. echo: it repeats what it is told. prompt: what it sends when it is ready for more."""

    __pydantic_config__ = STRICT
    baud: int = 9600
    data_bits: Literal[7, 8] = 8
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    flow: Literal["none", "hardware", "software"] = "none"
    ends: Literal["\n", "\r\n", "\r"] = "\n"
    ends_sent: Literal["\n", "\r\n", "\r"] = "\n"
    timeout_seconds: float = 1.0
    pause_seconds: float = 0.0
    echo: bool = False
    prompt: str = ""

    def __post_init__(self) -> None:
        require(self.baud, 75, 4_000_000, "baud")
        require(self.timeout_seconds, 0.05, 30.0, "timeout_seconds")
        require(self.pause_seconds, 0.0, 5.0, "pause_seconds")
        if len(self.prompt) > 20:
            raise ValueError(tr("the prompt is long; expected at most 20 letters"))


@dataclass(frozen=True)
class Hello:
    """How it is greeted. send: first of all, such as to take it to remote. ask: what makes it say who it is, empty for
    one that says nothing. answers: pattern its answer must match to be this kind at all; 'name' and 'serial' in it are
    taken out. errors: what asks for its oldest error, no_error: pattern of none."""

    __pydantic_config__ = STRICT
    send: tuple[str, ...] = ()
    ask: str = "*IDN?"
    answers: str = r"[^,]*,(?P<name>[^,]*)(?:,(?P<serial>[^,]*))?.*"
    errors: str = ""
    no_error: str = r"[+-]?0\b.*"

    def __post_init__(self) -> None:
        compiled(self.answers, "answers")
        compiled(self.no_error, "no_error")


USUAL_WIRE, USUAL_HELLO = Wire(), Hello()
"""Of a description that says nothing of them."""
SWITCHES_ON = re.compile(
    r"\bOUT(?:P(?:UT)?)?\d*(?::STAT(?:E)?)?\d*\s*[:=,]?\s*ON\b|\bOUT(?:P(?:UT)?)?(?::STAT(?:E)?)?\s*[:=,]?\s*1\b"
    r"|\bOUTP(?:UT)?\d(?::STAT(?:E)?)?\s*[:=,]?\s*1\b", re.IGNORECASE)
"""What puts volts on the leads of a supply. The program sends none of it; a file that asks for it is refused."""


def check_head(identity: str, name: str) -> None:
    """Raises ValueError for an id that could be no file's name, or a name that can't be shown."""
    if not re.fullmatch(r"[a-z0-9][a-z0-9-]{0,39}", identity):
        raise ValueError(tr("id is {identity!r}; expected small letters, digits and hyphens", identity=identity[:40]))
    if not name.strip() or len(name) > 60:
        raise ValueError(tr("name is empty or long; expected up to 60 letters"))


def never_switches_on(hello: Hello, commands: Iterable[str], channels: Iterable[str] = ("",)) -> None:
    """Raises ValueError where anything that is sent would switch an output on: that is for whoever sees the board.
    channels: names that take the place of {channel} in commands."""
    sent = (*hello.send, hello.ask, hello.errors, *commands)
    for command in (line.replace("{channel}", channel) for channel in channels for line in sent):
        if SWITCHES_ON.search(command):
            raise ValueError(tr("{command!r} switches the output on; expected nothing that does", command=command[:30]))
