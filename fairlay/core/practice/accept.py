"""Accept or avoid: a piece, and a mark on its leather; would the line that it is for take it?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from fairlay.core.errors import Refused
from fairlay.core.leather.hide import SEVERITY_NAMES, TIGHTNESS_NAMES, Flaw, Hide, Zone
from fairlay.core.leather.made_up import KINDS
from fairlay.core.pattern import Piece
from fairlay.core.practice.look import check_level
from fairlay.core.rules import Policy, forbidden_ground, show_face, unsound
from fairlay.core.rules import tightness as tightness_rule
from fairlay.core.rules.show_face import BEARS

QUESTIONS_AT: Final = {1: 6, 2: 8, 3: 10, 4: 12, 5: 14}
RULES: Final = frozenset({show_face.NAME, tightness_rule.NAME, unsound.NAME})
PATCH: Final = np.array([[0.0, 0.0], [300.0, 0.0], [300.0, 300.0], [0.0, 300.0]])
MARK: Final = PATCH / 10 + 120.0
SECONDS_EACH: Final = {1: 30.0, 2: 20.0, 3: 15.0, 4: 12.0, 5: 9.0}


@dataclass(frozen=True)
class Question:
    """A piece and what its leather has: a mark of a kind and severity, on its show face or where it will not
    be seen, or leather of a class (``severity`` 0). ``right``: whether the line accepts it, and ``why``.
    """

    piece: str
    needs: tuple[str, ...]
    words: str
    severity: int
    hidden: bool
    right: bool
    why: str


def questions(pieces: Sequence[tuple[str, Piece, tuple[str, ...]]], seed: int, level: int) -> list[Question]:
    """Return questions about a shop's own pieces (name, piece, its needs in words), as many accepted as
    avoided as far as the pieces allow. Raises Refused where there are no pieces.
    """
    check_level(level)
    if not pieces:
        raise Refused("the shop has no pieces yet", value=0, expected="an article with pieces first")
    rng = np.random.default_rng([seed, level, 5])
    out: list[Question] = []
    wanted = QUESTIONS_AT[level]
    for k in range(wanted):
        for _ in range(60):
            name, piece, needs = pieces[int(rng.integers(len(pieces)))]
            one = _one(name, piece, needs, rng, level)
            if one.right == (k % 2 == 0) and all((one.piece, one.words) != (q.piece, q.words) for q in out):
                out.append(one)
                break
    order = rng.permutation(len(out))
    return [out[i] for i in order]


def _one(name: str, piece: Piece, needs: tuple[str, ...], rng: np.random.Generator, level: int) -> Question:
    if level >= 2 and rng.random() < 0.25:
        tightness = int(rng.integers(1, 5))
        right = _takes(piece, zones=(Zone(PATCH, tightness),))
        loosest = TIGHTNESS_NAMES[piece.max_tightness]
        return Question(
            name,
            needs,
            f"It would lie on {TIGHTNESS_NAMES[tightness]} leather.",
            0,
            False,
            right,
            f"it takes {loosest} leather{'' if piece.max_tightness == 1 else ' or tighter'}",
        )
    severity = int(rng.integers(1, 4))
    hidden = bool(piece.hidden) and level >= 3 and rng.random() < 0.5
    kind = str(rng.choice(KINDS[severity]))
    where = "where it will not be seen" if hidden else "on its show face"
    return Question(
        name,
        needs,
        f"A {kind}, {SEVERITY_NAMES[severity]}, {where}.",
        severity,
        hidden,
        *_ruled(piece, severity, hidden),
    )


def _ruled(piece: Piece, severity: int, hidden: bool) -> tuple[bool, str]:
    """Whether the rules let a piece have a flaw, and why, in words."""
    right = _takes(piece, flaws=(Flaw("not named", severity, MARK),), hidden=hidden)
    if severity == 3:
        return right, "no piece may use unsound leather, seen or not"
    if hidden:
        return right, "a sound mark may lie where it will not be seen"
    if piece.show_limit >= 2:
        return right, "this line takes any sound mark"
    return right, f"its show face bears {BEARS[piece.show_limit]}"


def _takes(
    piece: Piece, *, zones: tuple[Zone, ...] = (), flaws: tuple[Flaw, ...] = (), hidden: bool = False
) -> bool:
    """Whether no rule forbids a piece some leather: under its show face, or where it is ``hidden``."""
    leather = Hide("asked", "offcut", PATCH, zones=zones, flaws=flaws)
    held = (f for f in forbidden_ground(piece, leather, Policy()) if f.rule in RULES)
    return all(hidden and f.show_only for f in held)


def accept_score(
    asked: Sequence[Question], answers: Sequence[bool | None], level: int, spent_s: float
) -> float:
    """Return 0 to 100: right answers over all, half a point less for each second over the time, guessing
    counted out (as many wrong as right is nothing).
    """
    right = sum(a is not None and a == q.right for q, a in zip(asked, answers, strict=True))
    wrong = len(asked) - right
    late = max(0.0, spent_s - SECONDS_EACH[level] * len(asked))
    return max(0.0, min(100.0, 100.0 * (right - wrong) / max(1, len(asked)) - 0.5 * late))
