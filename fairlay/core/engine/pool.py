"""Single pieces of an order that lie nowhere, and laying them: into leather in use, onto more of it where
that is cheapest, or in parts.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine.bank import Bank
from fairlay.core.engine.cut import EVERYWHERE, NOWHERE, Cut, Span
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.refill import WAYS, demand
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.pattern import Piece

SMALL_MM2 = 6000.0
"""A piece no larger is laid several times from one scan."""
SCAN_REUSE = 6
MANY_TRIES = 1500
"""Cells tried before a hide is taken to have no room for a piece."""
MOST_OPENED = 4
OPENING_SHARE = 0.35
"""A hide newly opened will serve for more than the piece it is opened for, and so weighs only this much of
its cost.
"""

Stop = Callable[[], bool]
Ways = NDArray[np.float64]
Window = tuple[float, float, float, float]
Places = dict[int, Spot]
"""A place that each of some hides has for a variant."""


@dataclass(frozen=True)
class Full:
    """A hide had no room for a piece within a span; ``opened`` are bounds of what was taken up there
    since.
    """

    span: Span
    opened: tuple[Window, ...] = ()


@dataclass(frozen=True)
class KeptPool:
    """What a pool held, and where there was no room, to come back to."""

    copies: dict[int, list[int]]
    no_room: dict[tuple[int, int], Full]


class Pool:
    """Copies of single pieces that lie nowhere, by variant (``copies``), and the hides to lay them on."""

    def __init__(
        self, bank: Bank, tables: list[HideTable], cuts: list[Cut], rng: np.random.Generator, stop: Stop
    ) -> None:
        self.bank, self.tables, self.cuts, self.rng, self.stop = bank, tables, cuts, rng, stop
        self.demand = {v.index: demand(v) for v in bank.variants}
        self.no_room: dict[tuple[int, int], Full] = {}
        self.copies: dict[int, list[int]] = {}

    def keep(self) -> KeptPool:
        """Remember what lies nowhere."""
        return KeptPool({v: list(c) for v, c in self.copies.items()}, dict(self.no_room))

    def back_to(self, kept: KeptPool, changed: Collection[int]) -> None:
        """Return to what was remembered; what was learned of hides that are not ``changed`` still holds."""
        learned = {k: f for k, f in self.no_room.items() if k[0] not in changed}
        self.copies, self.no_room = kept.copies, {**kept.no_room, **learned}

    def fill(self, copies: dict[int, list[int]]) -> None:
        """Hold these copies instead, with all room to be looked for anew."""
        self.copies = copies
        self.no_room.clear()

    def add(self, v: int, copy: int) -> None:
        """Take a copy in that lies nowhere."""
        self.copies.setdefault(v, []).append(copy)

    def left(self) -> int:
        """How many copies lie nowhere."""
        return sum(len(c) for c in self.copies.values())

    def place_all(
        self,
        hosts: Sequence[int],
        shuffle: float,
        spans: dict[int, Span] | None = None,
        opening: bool = False,
    ) -> None:
        """Lay what lies nowhere: into leather in use; with ``opening``, onto more of it, where that is
        cheapest.
        """
        rng = self.rng
        wish = Wish(tight=float(rng.uniform(4.0, 20.0)), noise=float(rng.choice([0.0, 1.0])))
        ways = WAYS[int(rng.integers(len(WAYS)))]
        order = {
            v: self.demand[v] * math.exp(rng.normal(0.0, shuffle))
            for v, copies in self.copies.items()
            if copies
        }
        for v in sorted(order, key=lambda v: -order[v]):
            known: Places = {}
            while self.copies[v] and not self.stop():
                at = next((h for h in hosts if self._place(v, h, self.span(h, spans), wish, ways)), None)
                if at is None and opening:
                    at = self._open_more(v, hosts, wish, ways, known)
                if at is None:
                    break
                known.pop(at, None)

    def place_in_parts(self, most: int = 1_000_000) -> None:
        """Lay in parts what went nowhere whole, so many copies at most."""
        for v, copies in list(self.copies.items()):
            for split in sorted(self.bank.variants[v].piece.splits, key=lambda s: s.penalty_m2):
                while most > 0 and copies and not self.stop() and self._parts_go(split.parts, copies[-1]):
                    copies.pop()
                    most -= 1

    def span(self, hide: int, spans: dict[int, Span] | None = None) -> Span | None:
        """Return where on a hide laying costs nothing (x from, to), or what ``spans`` says of it."""
        if spans and hide in spans:
            return spans[hide]
        return self.cuts[hide].free_span(self.tables[hide].extent())

    def take(self, h: int, slots: list[int]) -> None:
        """Take single pieces up from a hide."""
        if slots:
            table = self.tables[h]
            for lying in (table.lying[s] for s in slots):
                self.add(lying.variant.index, lying.copy)
            self.room_at(h, table.take_up(slots))

    def room_at(self, h: int, window: Window) -> None:
        """Remember that there is room again on a hide, where a piece found none before."""
        for v in range(len(self.bank.variants)):
            full = self.no_room.pop((h, v), None)
            if full is not None and len(full.opened) < MOST_OPENED:
                self.no_room[h, v] = Full(full.span, (*full.opened, window))

    def empty(self, h: int) -> None:
        """Take up all that is not fixed from a hide: what of it lies nowhere then, whoever calls must say."""
        table = self.tables[h]
        loose = [s for s, lying in table.lying.items() if not lying.fixed]
        if loose:
            table.take_up(loose)
            for v in range(len(self.bank.variants)):
                self.no_room.pop((h, v), None)

    def _place(self, v: int, hide: int, span: Span | None, wish: Wish, ways: Ways) -> bool:
        """Lay a copy of a variant within a span of a hide; several of a small one from one scan."""
        if span is None or span == NOWHERE:
            return False
        table, variant = self.tables[hide], self.bank.variants[v]
        full = self.no_room.get((hide, v))
        spot = None
        if full is not None and full.span[0] <= span[0] and full.span[1] >= span[1]:
            for window in full.opened:
                found = table.find(variant, hide, wish, self.rng, 8, span, tries=MANY_TRIES, window=window)
                spot = found.take(ways)
                if spot is not None:
                    break
        else:
            found = table.find(variant, hide, wish, self.rng, 8, span, spread=False)
            spot = found.take(ways)
            if spot is None:
                found = table.find(variant, hide, wish, self.rng, 8, span, tries=MANY_TRIES)
                spot = found.take(ways)
            full = Full(span)
        if spot is None:
            self.no_room[hide, v] = Full(full.span)
            return False
        laid = 0
        while spot is not None:
            table.put(Lying(variant, self.copies[v].pop(), spot))
            laid += 1
            spot = (
                found.take(ways)
                if laid < SCAN_REUSE and self.copies[v] and variant.area_mm2 <= SMALL_MM2
                else None
            )
        return True

    def _open_more(self, v: int, hosts: Iterable[int], wish: Wish, ways: Ways, known: Places) -> int | None:
        """Lay one copy where it makes the leather dearer by least: further along a hide in use, or on one not
        opened; return which, None where it has no place. ``known`` are places that hides have for it.
        """
        variant = self.bank.variants[v]
        reach = float(self.bank.own(variant).bodies.reach[variant.index * 3])
        found = []
        for h in hosts:
            if self.no_room.get((h, v)) == Full(EVERYWHERE):
                continue
            cut, extent = self.cuts[h], self.tables[h].extent()
            spot = known.get(h)
            if spot is None:
                towards = -1.0 if extent is not None and np.argmax(cut.kept_m2(*extent)) == 0 else 1.0
                wished = Wish(along=0.3 * towards, tight=wish.tight)
                spot = self.tables[h].find(variant, h, wished, self.rng).take(ways)
            if spot is None:
                self.no_room[h, v] = Full(EVERYWHERE)
                continue
            known[h] = spot
            lo, hi = spot.x - reach, spot.x + reach
            after = cut.cost((min(lo, extent[0]), max(hi, extent[1])) if extent else (lo, hi))
            found.append(((after - cut.cost(extent)) * (1.0 if extent else OPENING_SHARE), h, spot))
        if not found:
            return None
        _, h, spot = min(found, key=lambda f: f[:2])
        self.tables[h].put(Lying(variant, self.copies[v].pop(), spot))
        return h

    def _parts_go(self, parts: Sequence[Piece], copy: int) -> bool:
        """Lay the parts of a copy into leather in use, or onto more of it; whether all went."""
        wish, ways, hosts = Wish(), WAYS[0], range(len(self.tables))
        marks, no_room = [t.mark() for t in self.tables], dict(self.no_room)
        for part in parts:
            v = self.bank.of_piece[part.id][0].index
            self.add(v, copy)
            if any(self._place(v, h, self.span(h), wish, ways) for h in hosts):
                continue
            if self._open_more(v, hosts, wish, ways, {}) is not None:
                continue
            self.copies[v].remove(copy)
            for table, mark in zip(self.tables, marks, strict=True):
                table.back_to(mark)
            self.no_room = no_room
            return False
        return True
