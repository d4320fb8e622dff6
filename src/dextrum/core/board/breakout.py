"""How a breakout board counts the contacts of a port: each has its own order, so the mapping is kept, never guessed."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from dextrum.tongue import tr

_RANGE = re.compile(r"([AB])(\d{1,2})(?:-([AB])(\d{1,2}))?")


@dataclass(frozen=True)
class Breakout:
    """order: contact names in the order in which the breakout counts them from 1."""

    name: str
    order: tuple[str, ...]

    @property
    def numbers(self) -> Mapping[str, int]:
        return {contact: i for i, contact in enumerate(self.order, start=1)}

    @property
    def words(self) -> str:
        """'A1-A12 B12-B1': the order with runs drawn together."""
        runs: list[list[str]] = []
        for contact in self.order:
            run = runs[-1] if runs else []
            step = int(contact[1:]) - int(run[-1][1:]) if run and run[-1][0] == contact[0] else 0
            wanted = int(run[1][1:]) - int(run[0][1:]) if len(run) > 1 else step
            if step in (1, -1) and step == wanted:
                run.append(contact)
            else:
                runs.append([contact])
        return " ".join(run[0] if len(run) == 1 else f"{run[0]}-{run[-1]}" for run in runs)


def contact_order(text: str, contacts: Iterable[str]) -> tuple[str, ...]:
    """'A1-A12 B12-B1' as single contacts; each of `contacts` exactly once. Raises ValueError with what is wrong."""
    order: list[str] = []
    for word in text.upper().replace(",", " ").split():
        found = _RANGE.fullmatch(word)
        if found is None or (found[3] and found[3] != found[1]):
            raise ValueError(tr("{word!r} is no contact or run of them; expected such as A1-A12 B12-B1",
                                word=word[:12]))
        first, last = int(found[2]), int(found[4] or found[2])
        step = 1 if last >= first else -1
        order += [f"{found[1]}{n}" for n in range(first, last + step, step)]
    wanted = tuple(contacts)
    twice = sorted({c for c in order if order.count(c) > 1})
    missing = [c for c in wanted if c not in order]
    strange = [c for c in order if c not in wanted]
    if twice or missing or strange:
        said = [f"{', '.join(names[:4])} {what}" for names, what in
                ((twice, "twice"), (missing, "missing"), (strange, tr("not on this port"))) if names]
        raise ValueError(tr("{said}; expected each contact of the port once", said="; ".join(said)))
    return tuple(order)
