"""What is wrong with a value in a file, and what was expected, in plain words of the window's language.

The library that holds files against the program's own types speaks English, of types that no technician knows ("input
should be a valid tuple"). Its errors are told by what they are about; what is not known here is said in its words.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from dextrum.core.board.bounds import EXPECTED
from dextrum.tongue import tr

if TYPE_CHECKING:
    from pydantic_core import ErrorDetails

MOST_SHOWN = 60
"""Letters of a value that are shown."""
TEXT, NUMBER, LIST = tr("text"), tr("a number"), tr("a list")
NAMED_VALUES = tr("values with names")
BY_WHAT_IT_IS = {"string": TEXT, "int": tr("a whole number"), "float": NUMBER, "bool": tr("true or false"),
                 "tuple": LIST, "list": LIST, "iterable": LIST, "set": LIST, "frozen": LIST, "dict": NAMED_VALUES,
                 "mapping": NAMED_VALUES, "dataclass": NAMED_VALUES, "model": NAMED_VALUES,
                 "date": tr("a date, year first"), "datetime": tr("a date with a time")}
"""What is expected where the name of an error begins so: 'float_parsing', 'tuple_type'."""
BY_KIND: dict[str, Callable[[dict[str, Any]], str]] = {
    "finite_number": lambda _: tr("a finite number"),
    "greater_than": lambda limit: tr("more than {gt:g}", gt=limit["gt"]),
    "greater_than_equal": lambda limit: tr("{ge:g} or more", ge=limit["ge"]),
    "less_than": lambda limit: tr("less than {lt:g}", lt=limit["lt"]),
    "less_than_equal": lambda limit: tr("{le:g} or less", le=limit["le"]),
    "too_long": lambda limit: tr("at most {count} in the list", count=limit["max_length"]),
    "too_short": lambda limit: tr("at least {count} in the list", count=limit["min_length"]),
    "literal_error": lambda limit: _one_of(limit["expected"]),
    "enum": lambda limit: _one_of(limit["expected"]),
    "union_tag_invalid": lambda limit: _one_of(limit["expected_tags"]),
}
MISSING = frozenset({"missing", "missing_argument", "missing_positional_only_argument",
                     "missing_keyword_only_argument"})
NOT_KNOWN = frozenset({"unexpected_keyword_argument", "extra_forbidden", "unexpected_positional_argument"})


def wrong_and_expected(error: ErrorDetails) -> tuple[str, str]:
    """What is wrong, as it goes on after the name of the value, and what was expected there; the second empty where
    nobody can say."""
    kind = error["type"]
    if kind == "value_error":
        wrong, _, expected = str(error["ctx"]["error"]).partition(EXPECTED)
        return wrong, expected
    if kind in MISSING:
        return tr("is missing"), tr("a value here")
    if kind in NOT_KNOWN:
        return tr("is not known here"), tr("only what the format describes")
    limit = error.get("ctx", {})
    expected = BY_KIND[kind](limit) if kind in BY_KIND else BY_WHAT_IT_IS.get(kind.partition("_")[0], "")
    if expected:
        return tr("is {shown}", shown=shown(limit.get("tag", error["input"]))), expected
    return f"{error['msg'][:1].lower()}{error['msg'][1:]}", ""


def wrong_words(error: ErrorDetails, place: str = "") -> str:
    """'heat is 'warm'; expected a number'. place: of the value; before a whole sentence a colon stands between."""
    wrong, expected = wrong_and_expected(error)
    named = f"{place}{':' if error['type'] == 'value_error' else ''} {wrong}" if place else wrong
    return f"{named}{EXPECTED}{expected}" if expected and error["type"] not in MISSING else named


def _one_of(listed: str) -> str:
    """listed: 'a', 'b' or 'c'."""
    return tr("one of {known}", known=listed.replace(" or ", ", "))


def shown(value: object) -> str:
    """A value as it may stand in a file."""
    if value is None:
        return tr("nothing")
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, dict):
        return NAMED_VALUES
    if isinstance(value, list | tuple):
        return LIST
    return repr(value)[:MOST_SHOWN]
