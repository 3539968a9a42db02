"""Sets that must come from one hide: the ways found of laying so many on each, and which to take together."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from fairlay.core.engine.bank import Bank
from fairlay.core.engine.cut import Cut
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.refill import WAYS, demand
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.pattern import Piece

USED_SHARE = 0.8
"""How much of a hide an order is taken to use, when hides are chosen before they are laid."""
PRICE_SHAKEN = 0.12
KEPT = 6
"""Ways kept of laying the same number of sets on a hide."""

Stop = Callable[[], bool]


@dataclass(frozen=True)
class Column:
    """So many sets on one hide: what lies where, copies counted from the first of these sets.

    Where the hand of one of a pair goes by its set's number, sets are counted so that odd ones stay odd.
    """

    sets: int
    lying: tuple[Lying, ...]

    def own_sets(self) -> list[int]:
        """The numbers that the sets have here, in order."""
        return sorted({lying.copy // lying.variant.piece.per_set for lying in self.lying})


class Columns:
    """Columns of the sets of one name, hide by hide."""

    def __init__(
        self,
        name: str,
        members: Sequence[Piece],
        bank: Bank,
        tables: Sequence[HideTable],
        rng: np.random.Generator,
        stop: Stop,
    ) -> None:
        self.name, self.members, self.bank, self.tables, self.rng, self.stop = (
            name,
            tuple(members),
            bank,
            tables,
            rng,
            stop,
        )
        self.sets = min(p.quantity // p.per_set for p in members)
        self.per_set = sum(p.per_set for p in members)
        self.by_twos = any(p.pair and p.per_set % 2 for p in members)
        self.known: list[dict[int, list[Column]]] = [{} for _ in tables]
        self.demand = {p.id: demand(bank.of_piece[p.id][0]) for p in members}

    def most(self, hide: int) -> int:
        """The most sets that a hide has taken."""
        return max(self.known[hide], default=0)

    def seek(self, hide: int) -> bool:
        """Try to lay one set more on a hide than it ever took, or at times as many in another way; whether it
        went.
        """
        most = self.most(hide)
        wanted = most + 1 if most == 0 or self.rng.random() < 0.7 else most
        if wanted > self.sets:
            return False
        column = self._lay(hide, wanted)
        if column is None:
            return False
        self.known[hide].setdefault(wanted, []).append(column)
        del self.known[hide][wanted][:-KEPT]
        return True

    def learn(self, hide: int, lying: Sequence[Lying]) -> None:
        """Keep what lies on a hide already as a column; ``lying`` are whole sets of this name."""
        numbers: dict[int, int] = {}
        taken = [0, 0]
        for n in sorted({li.copy // li.variant.piece.per_set for li in lying}):
            hand = n % 2 if self.by_twos else 0
            numbers[n] = 2 * taken[hand] + hand if self.by_twos else taken[hand]
            taken[hand] += 1
        if numbers:
            own = tuple(renumbered(li, numbers[li.copy // li.variant.piece.per_set]) for li in lying)
            self.known[hide].setdefault(len(numbers), []).append(Column(len(numbers), own))

    def _lay(self, hide: int, sets: int) -> Column | None:
        """Lay so many whole sets on a hide emptied for it, the same kind together, hardest first; the hide is
        left as it was.
        """
        table, rng = self.tables[hide], self.rng
        mark = table.mark()
        loose = [slot for slot, lying in table.lying.items() if not lying.fixed]
        if loose:
            table.take_up(loose)
        ways = WAYS[int(rng.integers(len(WAYS)))]
        wish = Wish(
            along=float(rng.choice([-0.05, 0.0, 0.05])),
            tight=float(rng.choice([0.0, 8.0, 30.0])),
            noise=float(rng.choice([0.0, 2.0, 12.0])),
        )
        spread = bool(rng.random() < 0.7)
        order = {
            p.id: self.demand[p.id] * math.exp(rng.normal(0.0, float(rng.choice([0.2, 0.6]))))
            for p in self.members
        }
        out: list[Lying] = []
        for piece in sorted(self.members, key=lambda p: -order[p.id]):
            variants = self.bank.of_piece[piece.id]
            for n in range(sets * piece.per_set):
                variant = variants[n % len(variants)]
                spot = (
                    None if self.stop() else table.find(variant, hide, wish, rng, 8, spread=spread).take(ways)
                )
                if spot is None:
                    table.back_to(mark)
                    return None
                out.append(Lying(variant, n, spot))
                table.put(out[-1])
        table.back_to(mark)
        return Column(sets, tuple(out))

    def choose(self, cuts: Sequence[Cut]) -> list[int]:
        """Return how many sets each hide makes: all of them if that can be, on the hides that cost least,
        prices shaken a little.
        """
        price = [c.price * c.whole * USED_SHARE * math.exp(self.rng.normal(0.0, PRICE_SHAKEN)) for c in cuts]
        least = np.full(self.sets + 1, np.inf)
        least[0] = 0.0
        took: list[list[int]] = []
        for h in range(len(cuts)):
            now, here = least.copy(), [0] * (self.sets + 1)
            for k in range(1, self.most(h) + 1):
                for n in range(k, self.sets + 1):
                    if least[n - k] + price[h] < now[n] - 1e-9:
                        now[n], here[n] = least[n - k] + price[h], k
            least = now
            took.append(here)
        n = int(np.flatnonzero(np.isfinite(least)).max())
        out = [0] * len(cuts)
        for h in range(len(cuts) - 1, -1, -1):
            out[h] = took[h][n]
            n -= out[h]
        return out

    def put(self, hide: int, numbers: Sequence[int]) -> bool:
        """Lay the sets of these numbers on a hide by one of the columns known; whether one has them all."""
        return bool(numbers) and self.put_some(hide, len(numbers), list(numbers)) == len(numbers)

    def put_some(self, hide: int, sets: int, free: list[int]) -> int:
        """Lay so many sets on a hide, by a column with as few more as there is; return how many, 0 where not
        all go. Their numbers are taken out of those that are ``free``.
        """
        for k in sorted(k for k in self.known[hide] if k >= sets):
            found = [
                (column, given)
                for column in self.known[hide][k]
                if (given := self._given(column, free, sets))
            ]
            if not found or not sets:
                continue
            column, given = found[int(self.rng.integers(len(found)))]
            for lying in column.lying:
                number = given.get(lying.copy // lying.variant.piece.per_set)
                if number is not None:
                    self.tables[hide].put(renumbered(lying, number))
            for number in given.values():
                free.remove(number)
            return sets
        return 0

    def _given(self, column: Column, free: Sequence[int], sets: int) -> dict[int, int]:
        """Which number so many of a column's sets get, by the number they have there; none where hands do not
        go so.
        """
        left, given = list(free), dict[int, int]()
        for own in column.own_sets():
            number = next((n for n in left if self.keeps_hands(own, n)), None)
            if number is not None and len(given) < sets:
                left.remove(number)
                given[own] = number
        return given if len(given) == sets else {}

    def keeps_hands(self, number: int, other: int) -> bool:
        """Whether a set may be given another's number: the hand of one of a pair goes by its number."""
        return not self.by_twos or (number - other) % 2 == 0


def renumbered(lying: Lying, number: int) -> Lying:
    """Return a piece of a set as that of the set of another number."""
    per_set = lying.variant.piece.per_set
    return Lying(lying.variant, number * per_set + lying.copy % per_set, lying.spot)
