"""One closed hide as the Book has it: from its ticks and its account to what is summed."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from fairlay.core.book.facts import WASTE, in_cents
from fairlay.core.cutting.left_over import Account
from fairlay.core.cutting.pace import LONGEST_S, SHORTEST_S
from fairlay.core.cutting.ticks import STATE_OF, Act
from fairlay.core.pattern import Piece

CLASS_WORTH: Final = {1: 1.0, 2: 0.85, 3: 0.6, 4: 0.4}
"""What leather of a class is worth beside tight leather, where a piece pays for what it needs: a cutter's
rule of thumb, and the shop's own to set."""
OVER: Final = 0.01
"""Pieces of so much more than their hide were ticked wrongly."""
KIND_OF: Final = {
    "edge": "edge",
    "flaw": "flaw",
    "too loose": "loose",
    "reserved": "reserved",
    "knife gap": "knife",
    "between": "between",
}
_OTHER_BATCH = re.compile(r"^([^/]*):")


@dataclass(frozen=True)
class Press:
    """A tick as the Book reads it: what was done with a piece, when (seconds), planned seconds, whose."""

    piece: str
    copy: int
    act: Act
    at_s: float
    planned_s: float
    by: int | None
    reason: str = ""


@dataclass
class PieceCut:
    """A piece of a hide by who cut it: ``done`` and ``spoilt`` copies, and the planned and true seconds of
    those whose time is known.
    """

    done: int = 0
    spoilt: int = 0
    planned_s: float = 0.0
    true_s: float = 0.0
    timed: int = 0


@dataclass(frozen=True)
class SheetTold:
    """What the ticks of a closed hide tell: by piece and person, and why pieces were spoilt."""

    pieces: dict[tuple[str, int | None], PieceCut]
    reasons: dict[str, int] = field(default_factory=dict)

    @property
    def done(self) -> int:
        return sum(p.done for p in self.pieces.values())

    @property
    def spoilt(self) -> int:
        return sum(p.spoilt for p in self.pieces.values())


def told_by(presses: Iterable[Press]) -> SheetTold:
    """Return what ticks tell, in whatever order they come.

    The time between two ticks is that of the later piece, where it can be cutting at all. A piece is spoilt
    as often as it was cut again, by whoever said that it was.
    """
    order = sorted(presses, key=lambda p: p.at_s)
    out: dict[tuple[str, int | None], PieceCut] = {}
    reasons: Counter[str] = Counter()
    last: dict[tuple[str, int], Press] = {}
    spoiler: dict[tuple[str, int], Press] = {}
    before: float | None = None
    for press in order:
        key = press.piece, press.copy
        last[key] = press
        if press.act == "spoilt":
            spoiler[key] = press
        elif press.act == "recut":
            who = spoiler.get(key, press)
            out.setdefault((press.piece, who.by), PieceCut()).spoilt += 1
            reasons[press.reason or who.reason or "no reason given"] += 1
        if press.act in ("done", "spoilt"):
            took = press.at_s - before if before is not None else 0.0
            before = press.at_s
            if press.act == "done" and SHORTEST_S <= took <= LONGEST_S and press.planned_s > 0:
                own = out.setdefault((press.piece, press.by), PieceCut())
                own.planned_s += press.planned_s
                own.true_s += took
                own.timed += 1
    for press in last.values():
        if STATE_OF[press.act] == "done":
            out.setdefault((press.piece, press.by), PieceCut()).done += 1
    return SheetTold(out, dict(reasons))


def waste_by_part(account: Account) -> dict[str, float]:
    """Return a closed hide's scrap by the Book's parts, in m2; untold where it was not told apart."""
    out = dict.fromkeys(WASTE, 0.0)
    for kind, m2 in account.waste.items():
        out[KIND_OF[kind]] += m2
    out["untold"] = max(0.0, account.scrap_m2 - sum(out.values()))
    if out["untold"] < 1e-6:
        out["between"] += out["untold"]
        out["untold"] = 0.0
    return out


def doubt_of(account: Account) -> str:
    """Return why nobody should trust an account yet; nothing where all is well."""
    if account.whole_m2 <= 1e-6:
        return "a hide of no size was closed"
    if account.pieces_m2 > account.whole_m2 * (1 + OVER):
        return (
            f"pieces of {account.pieces_m2:.2f} m2 were ticked on a hide of {account.whole_m2:.2f} m2: more "
            "pieces than leather"
        )
    counted = account.good_m2 + account.spoilt_m2
    if account.pieces_m2 > counted + account.whole_m2 * OVER:
        return (
            f"pieces of {account.pieces_m2:.2f} m2 were ticked, and {counted:.2f} m2 of them lie on the "
            "hide: some lie over each other, or beyond its edge"
        )
    return ""


def article_of(piece: str) -> tuple[str, str, str]:
    """Return of a job's piece the other batch it is cut for (empty: the lay's own), its article, and its
    name there: a part of a split piece counts as a piece of its own.
    """
    found = _OTHER_BATCH.match(piece)
    batch = found.group(1) if found else ""
    slug, _, name = piece[found.end() if found else 0 :].partition("/")
    return batch, slug, name


def money_of(
    cents: int, pieces: Sequence[tuple[Piece, int]], worth: Mapping[int, float] = CLASS_WORTH
) -> list[int]:
    """Return what each of some pieces of a hide pays of ``cents``, which they add up to: by area, and by what
    leather of the class it needs is worth. Without pieces nobody pays.
    """
    if not pieces:
        return []
    shares = np.array([[p.area_mm2 * n * worth[p.max_tightness] for p, n in pieces]])
    return [int(c) for c in in_cents(np.array([cents], np.int64), shares)[0]]
