"""Hides that were closed, as columns: one entry a hide, in the order they were closed.

Every hide's leather is parted into ``PARTS``, which add up to what was bought; its money follows the area, in
whole cents, so that sums over any set of hides add up as well.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
PARTS: Final = (
    "good",
    "spoilt",
    "kept",
    "edge",
    "flaw",
    "loose",
    "reserved",
    "knife",
    "between",
    "untold",
)
"""Where leather goes, in the order it is told. Untold: waste of hides closed before it was told apart."""
PART_WORDS: Final[dict[str, str]] = {
    "good": "in good pieces",
    "spoilt": "spoilt and cut again",
    "kept": "on the rack again",
    "edge": "edge and shanks",
    "flaw": "flaws",
    "loose": "too loose for anything wanted",
    "reserved": "kept free for straps",
    "knife": "for the knife",
    "between": "between pieces",
    "untold": "scrap, not told apart",
}
WASTE: Final = PARTS[3:]
LABELS: Final = ("number", "kind", "material", "mill", "lot", "grade", "month", "currency")
CENTS: Final = 100


@dataclass(frozen=True, eq=False)
class Facts:
    """``n`` closed hides. ``sheet``, ``batch``: ids, ``(n,)``; ``label``: words for each of ``LABELS``,
    ``(n,)``; ``m2``: what went where, ``(n, len(PARTS))`` in m2; ``cost`` in cents, ``(n,)``; ``day``: days
    since the first of them; ``minutes``: planned and true, ``(n, 2)``, true 0 where nobody ticked;
    ``planned``: yield of what is used that its lay promised, ``(n,)``, nan where that was not written down.
    """

    sheet: NDArray[np.int64]
    batch: NDArray[np.int64]
    label: dict[str, NDArray[np.str_]]
    m2: Floats
    cost: NDArray[np.int64]
    day: Floats
    minutes: Floats
    planned: Floats

    def __len__(self) -> int:
        return len(self.sheet)

    def of(self, which: NDArray[Any]) -> Facts:
        """Return some of the hides: a mask or indices, ``(n,)``."""
        return replace(
            self,
            sheet=self.sheet[which],
            batch=self.batch[which],
            label={k: v[which] for k, v in self.label.items()},
            m2=self.m2[which],
            cost=self.cost[which],
            day=self.day[which],
            minutes=self.minutes[which],
            planned=self.planned[which],
        )

    @property
    def bought(self) -> Floats:
        """m2 bought of each hide."""
        return np.asarray(self.m2.sum(axis=1))

    @property
    def used(self) -> Floats:
        """m2 bought of each hide less what went back on the rack."""
        return self.bought - self.m2[:, PARTS.index("kept")]

    @property
    def good(self) -> Floats:
        return np.asarray(self.m2[:, 0])

    @property
    def yields(self) -> Floats:
        """Good pieces over what was used, of each hide; nan where nothing was used."""
        out: Floats = np.full(len(self), np.nan)
        np.divide(self.good, self.used, out=out, where=self.used > 1e-9)
        return out

    @property
    def money(self) -> NDArray[np.int64]:
        """Cents of each part of each hide, ``(n, len(PARTS))``: they add up to its cost to the cent."""
        return in_cents(self.cost, self.m2)


def in_cents(cost: NDArray[np.int64], m2: Floats) -> NDArray[np.int64]:
    """Part costs ``(n,)`` in cents by areas ``(n, k)``; the rows of what is returned add up to ``cost``.

    Largest remainders get the odd cents. Where there is no area all of it stands in the last column.
    """
    whole = m2.sum(axis=1)
    exact = np.zeros(m2.shape)
    np.divide(m2 * cost[:, None], whole[:, None], out=exact, where=whole[:, None] > 1e-12)
    exact[whole <= 1e-12, -1] = cost[whole <= 1e-12]
    out = np.floor(exact + 1e-9).astype(np.int64)
    odd = cost - out.sum(axis=1)
    order = np.argsort(np.argsort(-(exact - out), axis=1, kind="stable"), axis=1)
    out += order < odd[:, None]
    return out


def facts_of(rows: Sequence[Sequence[Any]]) -> Facts:
    """Return facts from rows: sheet, batch, each of ``LABELS``, m2 of each of ``PARTS``, cost in cents, day,
    planned and true minutes, planned yield (None: not written down).
    """
    k, p = 2 + len(LABELS), len(PARTS)
    columns = list(zip(*rows, strict=True)) if rows else [()] * (k + p + 5)

    def floats(values: Sequence[Any]) -> Floats:
        return np.array([np.nan if v is None else v for v in values], np.float64)

    day = floats(columns[k + p + 1])
    return Facts(
        np.array(columns[0], np.int64),
        np.array(columns[1], np.int64),
        {name: np.array(columns[2 + i], np.str_) for i, name in enumerate(LABELS)},
        np.stack([floats(columns[k + i]) for i in range(p)], axis=1),
        np.array(columns[k + p], np.int64),
        day - (day[0] if len(day) else 0.0),
        np.stack([floats(columns[k + p + 2]), floats(columns[k + p + 3])], axis=1),
        floats(columns[k + p + 4]),
    )
