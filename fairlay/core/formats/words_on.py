"""Words on a drawn piece: what it is called, and how many are cut of it ("Seat, cut 2", "2 x Keeper",
"cut 1 + 1 mirrored").
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

MOST_EACH: Final = 99
BOTH_HANDS: Final = re.compile(
    r"\bcut\s*1\s*\+\s*1\s*mirrored\b|\b1\s*l\s*[+&/]\s*1\s*r\b|\bleft\s*(?:and|&|\+|/)\s*right\b"
    r"|\bmirrored\b|\bone pair\b|\b(?:1\s*)?pair\b|\bl\s*[+&/]\s*r\b",
    re.IGNORECASE,
)
HOW_MANY: Final = (
    re.compile(r"\bcut\W{0,3}(\d{1,2})(?:\s*x\b)?(?![\d.,]*\s*(?:mm|cm|in\b|\d))", re.IGNORECASE),
    re.compile(r"\b(?:qty|quantity|no\. off|pcs?|pieces)\b\W{0,3}(\d{1,2})\b", re.IGNORECASE),
    re.compile(r"(?<![\w.,])(\d{1,2})\s*(?:off|pcs?|pieces)\b", re.IGNORECASE),
    re.compile(r"(?<![\w.,])(\d{1,2})\s*[x×](?=\s|$)(?!\s*\d)", re.IGNORECASE),
    re.compile(r"(?:^|(?<=[^\d\s.,])\s)\s*[x×]\s*(\d{1,2})\b(?!\s*(?:mm|cm|in\b|[x×.,]))", re.IGNORECASE),
)
NO_NAMES: Final = re.compile(
    r"(?:grain ?(?:line|direction)?|(?:cut )?(?:on )?(?:the )?fold(?: line)?"
    r"|(?:centre|center) ?(?:line|front|back)?|cut|scale|test|mm|cm|in|inch|inches|top|up|this side up)?",
    re.IGNORECASE,
)
"""Words that stand on pieces and call them nothing."""
MEASURE: Final = re.compile(r"[\W_]*\d+([.,/]\d+)*\s*(mm|cm|m|in|inch|inches|\"|')?[\W_]*", re.IGNORECASE)
"""How long something is, and no name."""


@dataclass(frozen=True)
class Words:
    """What some words tell of the piece they stand on: its name, how many, and whether half of them are
    turned over; nothing of what they do not say.
    """

    name: str = ""
    each: int | None = None
    pair: bool = False


def read_words(text: str) -> Words:
    """Return what words on a piece tell."""
    left, each = text, None
    pair = bool(BOTH_HANDS.search(left))
    left = BOTH_HANDS.sub(" ", left)
    for pattern in HOW_MANY:
        found = pattern.search(left)
        if found and 0 < int(found[1]) <= MOST_EACH:
            each = int(found[1])
            left = left[: found.start()] + " " + left[found.end() :]
            break
    if pair:
        each = 2 if each is None else each + each % 2
    name = " ".join(left.split()).strip(" ,;:-–()[]/.+&")
    if not re.search(r"[^\W\d_]{2}", name) or NO_NAMES.fullmatch(name) or MEASURE.fullmatch(name):
        name = ""
    return Words(name, each, pair)
