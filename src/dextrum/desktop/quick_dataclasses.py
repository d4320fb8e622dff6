"""Dataclasses that are made without compiling what is the same for all, while the window's modules are imported.

In Python 3.11 a frozen dataclass compiles six functions of its own, a fifth of a millisecond each; two hundred classes
at the start are an eighth of it. Five of the six, how it is shown, compared, hashed and kept from being changed, differ
only in the names of the fields: here they are closures over these. What they do is what the standard library's do
(`tests/test_quick_dataclasses.py`). Later releases compile once a class and are left alone.
"""

from __future__ import annotations

import dataclasses
import re
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from operator import attrgetter
from typing import Any

COMPILES_EACH = (3, 11)
"""The release whose private functions are known."""
NAMES = re.compile(r"self\.(\w+)")


def _values(names: Sequence[str]) -> Callable[[Any], tuple[Any, ...]]:
    """The fields of an object as a tuple."""
    if len(names) > 1:
        return attrgetter(*names)
    return (lambda one: (getattr(one, names[0]),)) if names else (lambda _one: ())


def _repr_fn(fields: Sequence[Any], *_around: Any, **_named: Any) -> Callable[[Any], str]:
    names = [one.name for one in fields]

    def __repr__(self: Any) -> str:
        return f"{self.__class__.__qualname__}({', '.join(f'{name}={getattr(self, name)!r}' for name in names)})"

    shown: Callable[[Any], str] = dataclasses._recursive_repr(__repr__)  # type: ignore[attr-defined]
    return shown


def _cmp_fn(name: str, op: str, self_tuple: str, other_tuple: str, *around: Any,
            **named: Any) -> Callable[[Any, Any], Any]:
    if op != "==":  # orders are rare
        made: Callable[[Any, Any], Any] = _COMPILED["_cmp_fn"](name, op, self_tuple, other_tuple, *around,
                                                                     **named)
        return made
    values = _values(NAMES.findall(self_tuple))

    def __eq__(self: Any, other: Any) -> Any:
        return values(self) == values(other) if other.__class__ is self.__class__ else NotImplemented

    return __eq__


def _hash_fn(fields: Sequence[Any], *_around: Any, **_named: Any) -> Callable[[Any], int]:
    values = _values([one.name for one in fields])

    def __hash__(self: Any) -> int:
        return hash(values(self))

    return __hash__


def _frozen_get_del_attr(cls: type[Any], fields: Sequence[Any], *_around: Any,
                         **_named: Any) -> tuple[Callable[..., None], ...]:
    names = frozenset(one.name for one in fields)

    def __setattr__(self: Any, name: str, value: Any) -> None:
        if type(self) is cls or name in names:
            raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")
        super(cls, self).__setattr__(name, value)

    def __delattr__(self: Any, name: str) -> None:
        if type(self) is cls or name in names:
            raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")
        super(cls, self).__delattr__(name)

    return __setattr__, __delattr__


_QUICK = {"_repr_fn": _repr_fn, "_cmp_fn": _cmp_fn, "_hash_fn": _hash_fn, "_frozen_get_del_attr": _frozen_get_del_attr}
_COMPILED: dict[str, Any] = {name: getattr(dataclasses, name, None) for name in _QUICK}


@contextmanager
def quick_dataclasses() -> Iterator[None]:
    """Classes that are made within it are made so, where the release is the known one."""
    if sys.version_info[:2] != COMPILES_EACH or None in _COMPILED.values():
        yield
        return
    for name, quick in _QUICK.items():
        setattr(dataclasses, name, quick)
    try:
        yield
    finally:
        for name, compiled in _COMPILED.items():
            setattr(dataclasses, name, compiled)
