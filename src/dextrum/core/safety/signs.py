"""Signs of danger that intake and look ask for, and how they are recognised in what an owner said.

A sign that was written down in words only counts as well: 'got wet' beside an unticked box is still wet. What is said
not to be so ('no smell', 'never wet') is no sign.
"""

from __future__ import annotations

import re

from dextrum.tongue import tr

SIGNS = ("wet", "hot", "swollen", "smell", "smoke")
SIGN_WORDS = {"wet": tr("wet, or was wet"), "hot": tr("gets hot"), "swollen": tr("swollen cell or bulging case"),
              "smell": tr("smells burnt or sweet"), "smoke": tr("smoke or sparks")}
_SAID = {
    "wet": r"wet|water\w*|liquid|spill\w*|spilt|soaked|damp|drenched|drowned|rain(?:ed)?|submerged"
           r"|nass\w*|nässe|wasser\w*|feucht\w*|flüssigkeit|verschüttet|ertrunken|regen|durchnässt",
    "hot": r"hot|overheat\w*|too warm|scorch\w*|heiß\w*|heiss\w*|überhitzt?|zu warm|glüht",
    "swollen": r"swollen|swell\w*|bulg\w*|puffed|puffy|bloat\w*"
               r"|aufgebläht\w*|gebläht|gewölbt\w*|wölbt|geschwollen|bläht",
    "smell": r"smell\w*|smelt|odou?r|stinks?|riecht|roch|geruch|stinkt|gestunken",
    "smoke": r"smok(?:e|ed|ing|y)|spark(?:s|ed|ing)?|flames?"
             r"|rauch\w*|geraucht|qualm\w*|funken|flammen?|brennt|gebrannt",
}
_NOT_SO = re.compile(r"\b(?:no|not|never|without|non|isn't|wasn't|doesn't|didn't|hasn't|neither|nor|"
                     r"kein\w*|nicht|nie|ohne|weder)\b[^.;,]*$", re.IGNORECASE)
_CLEAR_AFTER = re.compile(r"^\W*(?:indicator|marker|sensor|dot)?\W*(?:is |are |reads |still )?"
                          r"(?:white|clear|clean|dry|not tripped|not triggered|untripped|air|proof|resistant|"
                          r"nicht|weiß|trocken|sauber)\b",
                          re.IGNORECASE)
_PATTERNS = {sign: re.compile(rf"\b(?:{words})\b", re.IGNORECASE) for sign, words in _SAID.items()}


def signs_in(*texts: str) -> frozenset[str]:
    """Signs of danger that these texts speak of."""
    return frozenset(sign for sign, pattern in _PATTERNS.items() for text in texts
                     if any(_is_so(text, found) for found in pattern.finditer(text)))


def _is_so(text: str, found: re.Match[str]) -> bool:
    clause = re.split(r"[.;,\n]| but | aber ", text[:found.start()])[-1]
    return not _NOT_SO.search(clause) and not _CLEAR_AFTER.match(text[found.end():])
