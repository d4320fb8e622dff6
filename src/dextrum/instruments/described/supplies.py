"""Bench supplies by their description: limits set, read back, and believed only so; the output is never switched on."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.errors import InstrumentError
from dextrum.instruments.described.asked import AskedInstrument
from dextrum.instruments.described.samples import Sample
from dextrum.instruments.described.wire import (
    PLAIN,
    USUAL_HELLO,
    USUAL_WIRE,
    Hello,
    Wire,
    check_head,
    compiled,
    never_switches_on,
)
from dextrum.instruments.parse import parse_value
from dextrum.instruments.protocols import AMPS, SUPPLY, VOLTS, Declaration, Link, Quantity
from dextrum.tongue import tr

MOST_ERRORS = 16
"""Read off its queue before limits are set: what is in it then is not about them."""
WITHIN_VOLTS, WITHIN_AMPS, WITHIN_SHARE = 0.02, 0.005, 0.02
"""How far a limit that is read back may be from what was asked: the last digit that cheap supplies show, and of the
current two per cent more."""
STATE = r"[01]|ON|OFF"
BY_HAND = tr("Do not switch it on. Set it by hand, and look twice.")


@dataclass(frozen=True)
class SupplyDescription:
    """A kind of bench supply by its manner of speaking.

    set_volts, set_amps: what sets a limit, with {volts}, {amps} and {channel} in them; decimals: of those. ask_volts,
    ask_amps: what reads a limit back; measure_volts, measure_amps: what reads what it gives, empty where it doesn't
    say. value: pattern of an answer, with 'value' and, where it carries one, 'unit'. channels: names of its outputs,
    where it has several; select: what chooses one, selected: what asks which is chosen. output: what asks whether it is
    on. denies: questions that other kinds of instrument answer and this one doesn't, for a search.
    """

    __pydantic_config__ = STRICT
    format: Literal["dextrum-meter"]
    schema: Literal[1]
    kind: Literal["supply"]
    id: str
    name: str
    set_volts: str
    set_amps: str
    ask_volts: str
    ask_amps: str
    words: str = ""
    wire: Wire = USUAL_WIRE
    hello: Hello = USUAL_HELLO
    decimals: int = 3
    measure_volts: str = ""
    measure_amps: str = ""
    value: str = PLAIN
    channels: tuple[str, ...] = ()
    select: tuple[str, ...] = ()
    selected: str = ""
    output: str = ""
    denies: tuple[str, ...] = ()
    readings_per_second: float = 5.0
    most_volts: float = 60.0
    most_amps: float = 10.0

    def __post_init__(self) -> None:
        check_head(self.id, self.name)
        never_switches_on(self.hello, (*self.select, self.set_volts, self.set_amps, self.ask_volts, self.ask_amps,
                                       self.measure_volts, self.measure_amps, self.selected, self.output,
                                       *self.denies), self.channels or ("",))
        if "{volts}" not in self.set_volts or "{amps}" not in self.set_amps:
            raise ValueError(tr("set_volts and set_amps say no limit; expected {volts} and {amps} in them"))
        if "value" not in compiled(self.value, "value").groupindex:
            raise ValueError(tr("value names no value; expected a group (?P<value>…)"))
        if bool(self.select) and not self.channels:
            raise ValueError(tr("select goes with channels; expected their names"))
        if len(set(self.channels)) != len(self.channels) or any(not one.strip() or "@" in one or ":" in one
                                                                for one in self.channels):
            raise ValueError(tr("channels are named twice, not at all, or with @ or a colon; expected plain names"))
        if bool(self.measure_volts) != bool(self.measure_amps):
            raise ValueError(tr("measure_volts and measure_amps go together; expected both or neither"))
        if not 0 <= self.decimals <= 5:
            raise ValueError(tr("decimals is {decimals}; expected 0 to 5", decimals=self.decimals))
        require(self.readings_per_second, 0.1, 1000.0, "readings_per_second")
        require(self.most_volts, 0.1, 1000.0, "most_volts")
        require(self.most_amps, 0.01, 100.0, "most_amps")

    @cached_property
    def declaration(self) -> Declaration:
        return Declaration(SUPPLY, (Quantity(VOLTS, "V", -0.5, self.most_volts),
                                    Quantity(AMPS, "A", -0.1, self.most_amps)), self.readings_per_second)


class DescribedSupply(AskedInstrument):
    """channel: the output in use; the first one where nobody said."""

    def __init__(self, link: Link, description: SupplyDescription, channel: str = "") -> None:
        """Raises InstrumentError where it does not greet as described, or has no such channel."""
        super().__init__(link, description.name, description.wire, description.hello)
        self.description, self.declaration = description, description.declaration
        self.channel = channel or next(iter(description.channels), "")
        if channel and channel not in description.channels:
            raise InstrumentError("gone", tr("{self} has no channel {channel}.", self=self.name, channel=channel[:20]),
                                  tr("Choose one of its channels again."))
        self._started: float | None = None
        self._chosen = False

    def _choose(self) -> None:
        """Choose the channel, and look. Raises InstrumentError."""
        about = self.description
        for line in about.select:
            self.send(line.replace("{channel}", self.channel))
        if about.select and about.selected:
            told = self.ask(about.selected).strip().strip("\"'").strip()
            if told.casefold() != self.channel.casefold():
                raise InstrumentError("mode", tr("{self} is at channel {told}, not {channel}.", self=self.name,
                                                 told=told[:20], channel=self.channel), BY_HAND)
        self._chosen = True

    def _read(self, question: str, unit: str) -> float:
        if not self._chosen:
            self._choose()
        told = self.ask(question.replace("{channel}", self.channel))
        found = compiled(self.description.value, "value").fullmatch(told)
        if found is None:
            raise InstrumentError("babbling", tr("'{told}' is not a reading.", told=told[:24]))
        sent = (found.groupdict().get("unit") or "").strip()
        return parse_value(f"{found['value']}{sent}", self.declaration.quantity(unit))

    def limit(self, volts: float, amps: float) -> None:
        """Set both limits, and believe them only as read back, with nothing in the error queue. The current goes first,
        so that no moment has the new voltage with the old current. Raises InstrumentError; once anything was sent it
        always says not to switch it on, since nobody knows then at what it is."""
        about = self.description
        if not (0.0 <= volts <= about.most_volts and 0.0 <= amps <= about.most_amps):
            most = tr("{most_volts:g} V and {most_amps:g} A", most_volts=about.most_volts, most_amps=about.most_amps)
            raise InstrumentError("range", tr("{self} gives at most {most}.", self=self.name,
                                              most=most), tr("Nothing was set."))
        self._choose()
        for _ in range(MOST_ERRORS):
            if not self.oldest_error():
                break
        try:
            for line in (about.set_amps, about.set_volts):
                self.send(line.replace("{volts}", f"{volts:.{about.decimals}f}")
                          .replace("{amps}", f"{amps:.{about.decimals}f}").replace("{channel}", self.channel))
            self._take_back(volts, amps)
        except InstrumentError as problem:
            raise InstrumentError(problem.state, problem.happened, BY_HAND) from problem

    def _take_back(self, volts: float, amps: float) -> None:
        """Read both limits and the error queue. Raises InstrumentError unless they are as asked."""
        about = self.description
        refused = self.oldest_error()
        step = 10.0 ** -about.decimals
        for question, wanted, unit, sign, within in (
                (about.ask_amps, amps, AMPS, "A", WITHIN_SHARE * amps + max(WITHIN_AMPS, step)),
                (about.ask_volts, volts, VOLTS, "V", max(WITHIN_VOLTS, step))):
            told = self._read(question, unit)
            if not abs(told - wanted) <= within:
                raise InstrumentError("mode", tr("{self} did not take {wanted:.2f} {sign}; it is at {told:.2f} "
                                                 "{sign}.", self=self.name, wanted=wanted, sign=sign,
                                                 told=told), BY_HAND)
        if refused:
            raise InstrumentError("mode", tr("{self} reports an error: {refused}.", self=self.name,
                                             refused=refused[:60]), BY_HAND)

    def measured(self) -> tuple[float, float]:
        """Volts and amps that it gives. Raises InstrumentError."""
        about = self.description
        if not about.measure_volts:
            raise InstrumentError("mode", tr("{self} doesn't say what it gives.",
                                             self=self.name), tr("Read it off its display."))
        return self._read(about.measure_volts, VOLTS), self._read(about.measure_amps, AMPS)

    def samples(self) -> Sequence[Sample]:
        """What it gives now, as a row of a log, with the moment between its two answers. Raises InstrumentError."""
        began = time.monotonic()
        volts, amps = self.measured()
        at = (began + time.monotonic()) / 2.0
        if self._started is None:
            self._started = at
        return [(at - self._started, volts, amps)]

    def verify(self) -> None:
        """Raises InstrumentError unless it is a supply beyond doubt: it says its limits, what it gives and whether it
        is on, and does not answer what only others do. Nothing is set."""
        about = self.description
        self._read(about.ask_volts, VOLTS)
        self._read(about.ask_amps, AMPS)
        if about.measure_volts:
            self.measured()
        if not about.output:
            raise InstrumentError("babbling", tr("{about} can't be told from other instruments by its answers.",
                                                 about=about.name))
        told = self.ask(about.output)
        if compiled(STATE, "state").fullmatch(told.strip()) is None:
            raise InstrumentError("babbling", tr("'{told}' is no state of an output.", told=told[:12]))
        for question in about.denies:
            try:
                told = self.ask(question)
            except InstrumentError as problem:
                if problem.state != "silent":
                    raise
                continue
            # Some say in words that they don't know a question; that is no answer to it.
            if compiled(STATE, "state").fullmatch(told.strip()):
                raise InstrumentError("babbling", tr("It answers {question}, which no supply does.",
                                                     question=question[:20]))
