"""An order shared among several hides: whole sets first, the rest into leather already used, then less and
less of it.

Sets whose pieces must come from one hide are laid as columns (``columns``), chosen together so that all
are made on the least money's worth of leather. What is left fills the hides in use. Then pieces at the
end of a hide are taken up and laid elsewhere, so that a larger straight end stays or a hide need not
be opened at all, and sets are laid another way or moved; what costs less is kept. Lays that single hides had
on the way are put together anew (``recombine``).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence

import numpy as np

from fairlay.core.engine.bank import Bank
from fairlay.core.engine.butt import Butting, Taste
from fairlay.core.engine.columns import Columns
from fairlay.core.engine.cut import EVERYWHERE, NOWHERE, Cut, Span
from fairlay.core.engine.draw_in import DrawIn
from fairlay.core.engine.in_parts import one_in_parts
from fairlay.core.engine.layer import Lying, Spot, same_spot
from fairlay.core.engine.pool import KeptPool, Pool
from fairlay.core.engine.recombine import Recombine
from fairlay.core.engine.refill import WAYS
from fairlay.core.engine.rows_again import RowsAgain
from fairlay.core.engine.table import HideTable, Mark, Wish
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.tolerances import REMNANT_MIN_M2

DRAWN_IN = 0.15
"""How often the end of a hide is drawn in by pushing pieces together: that takes ten times as long as laying
some pieces elsewhere.
"""
SETS_AGAIN, EVERYTHING = 0.06, 0.14
"""How often the sets of a hide are laid another way; how often that, or all its single pieces taken up."""
PARTS_FIRST = 0.5
"""How often what lies nowhere whole has its parts laid before anything else goes back."""
SETS_TOO = 0.5
"""How often pieces of sets from one hide are moved on it with the rest."""
JOINED = 0.1
"""How often a piece that lies in parts is tried whole again."""
DEARER = (0.75, 1.2)
"""What is held against pieces left out when hides are laid as they once lay, to begin from another lay."""
WARM = 0.004
"""At the start an order is kept that costs about this share more; at the end none is."""

Stop = Callable[[], bool]
Staying = list[tuple[int, Lying]]
"""Pieces of sets, taken up, and the hide each is to go back to."""


class Share:
    """A search on an order.

    ``tables`` hold what lies there; ``pool`` the single pieces that lie nowhere; ``home`` is the hide that a
    matched set, by name and number, lies on.
    """

    def __init__(
        self, job: Job, bank: Bank, tables: list[HideTable], rng: np.random.Generator, stop: Stop
    ) -> None:
        self.job, self.bank, self.tables, self.rng, self.stop = job, bank, tables, rng, stop
        self.cuts = [Cut(t, job.rack) for t in tables]
        members = {n: [p for p in job.pieces if p.set_name == n and not p.filler] for n in job.match_sets}
        self.columns = {
            name: Columns(name, own, bank, tables, rng, stop)
            for name, own in members.items()
            if own and not job.more_of
        }
        self.drawing = DrawIn(tables, self.cuts, self._set_of, rng, stop)
        self.pool = Pool(bank, tables, self.cuts, rng, stop)
        self.rows = RowsAgain(job, tables, self.cuts, self.pool, set(self.columns))
        self.had = Recombine(job, bank, tables, self.cuts, self.columns)
        self.home: dict[tuple[str, int], int] = {}
        self.read()
        for name, columns in self.columns.items():
            for h, table in enumerate(self.tables):
                columns.learn(
                    h, [lying for lying in table.lying.values() if lying.variant.piece.set_name == name]
                )

    def read(self) -> None:
        """Learn from the tables what lies where, and so what does not."""
        placed = {
            (lying.variant.piece.parent or lying.variant.piece.id, lying.copy)
            for t in self.tables
            for lying in t.lying.values()
        }
        self.home = {}
        nowhere: dict[int, list[int]] = {}
        for piece in self.job.pieces:
            if piece.filler or piece.set_name in self.columns or not self.job.lays(piece.id):
                continue
            variants = self.bank.of_piece[piece.id]
            for n in range(piece.quantity):
                if (piece.id, n) not in placed:
                    nowhere.setdefault(variants[n % len(variants)].index, []).append(n)
        self.pool.fill(nowhere)
        for h, table in enumerate(self.tables):
            for lying in table.lying.values():
                if self._in_set(lying):
                    self.home[
                        lying.variant.piece.set_name or "", lying.copy // lying.variant.piece.per_set
                    ] = h

    def load(self, placements: Sequence[Placement]) -> None:
        """Lay what a lay has on the hides, in place of what lies there."""
        fixed = {(p.piece, p.copy) for p in self.job.fixed}
        index = {t.hide.id: h for h, t in enumerate(self.tables)}
        for h in range(len(self.tables)):
            self.pool.empty(h)
        for p in placements:
            if (p.piece, p.copy) not in fixed:
                variant = next(v for v in self.bank.of_piece[p.piece] if v.mirrored == p.at.mirrored)
                x, y = variant.centre_of(p.at)
                self.tables[index[p.hide]].put(
                    Lying(variant, p.copy, Spot(index[p.hide], x, y, p.at.rotation_deg, 0.0))
                )
        self.read()
        for h in range(len(self.tables)):
            self.had.see(h)

    def placements(self) -> tuple[Placement, ...]:
        """Return what lies on the hides."""
        return tuple(p for t in self.tables for p in t.placements())

    def _in_set(self, lying: Lying) -> bool:
        return lying.variant.piece.set_name in self.columns

    def cost(self) -> float:
        """Money for all the leather in use, and for seams as if they were leather."""
        return sum(
            cut.cost(t.extent()) + cut.price * self._seams_m2(t)
            for cut, t in zip(self.cuts, self.tables, strict=True)
        )

    def _seams_m2(self, table: HideTable) -> float:
        seams = self.job.seams_m2
        return sum(seams.get(v.variant.piece.id, 0.0) for v in table.lying.values()) if seams else 0.0

    def missing(self) -> int:
        """Copies of the order that lie nowhere."""
        sets = sum(
            columns.per_set
            for name, columns in self.columns.items()
            for n in range(columns.sets)
            if (name, n) not in self.home
        )
        return sets + self.pool.left()

    def lay_out(self) -> None:
        """Lay the whole order afresh: columns chosen together, then the rest."""
        for h in range(len(self.tables)):
            self.pool.empty(h)
        for k, (name, columns) in enumerate(self.columns.items()):
            # The columns of a second name were laid on emptied hides: its sets go one by one into what is
            # left.
            if k == 0:
                free = list(range(columns.sets))
                for h, sets in enumerate(columns.choose(self.cuts)):
                    columns.put_some(h, sets, free)
            self.read()
            self._place_sets(name)
        self.read()
        self.pool.place_all(range(len(self.tables)), shuffle=float(self.rng.uniform(0.0, 0.3)), opening=True)
        self.pool.place_in_parts()

    def improve(self, warmth: float) -> bool:
        """Take some up and lay it elsewhere, once; whether that is kept."""
        opened = [h for h, t in enumerate(self.tables) if t.lying]
        if not opened:
            return False
        before, was_missing = self.cost(), self.missing()
        pool, home = self.pool.keep(), dict(self.home)
        marks = [t.mark() for t in self.tables]
        self._try_one(opened)
        changed = {h for h, mark in enumerate(marks) if not _same(self.tables[h].lying, mark.lying)}
        for h in changed:
            self.had.see(h)
        now, missing = self.cost(), self.missing()
        bar = before * (1.0 - WARM * warmth * math.log(max(1e-9, float(self.rng.random()))))
        if not self.stop() and (missing < was_missing or (missing == was_missing and now <= bar)):
            return True
        self._back_to(marks, pool, home, changed)
        return False

    def recombine(self, than: tuple[int, float], *, anyway: bool = False) -> bool:
        """Lay each hide as it once lay, and what that leaves out beside it, so that fewer pieces are missing
        or all costs less ``than`` this; ``anyway`` whatever it comes to. Whether that was done.
        """
        least, dearer = math.inf if anyway else than[1] + self._owed(than), 1.0
        if anyway:
            dearer = float(self.rng.uniform(*DEARER))
        chosen = self.had.choose(than[1], least, dearer)
        if chosen is None:
            return False
        pool, home = self.pool.keep(), dict(self.home)
        marks = [t.mark() for t in self.tables]
        for h in range(len(self.tables)):
            self.pool.empty(h)
        self.read()
        self.had.lay(chosen, self.pool.copies)
        self.read()
        for name in self.columns:
            self._place_sets(name)
        self.pool.place_all([h for h, t in enumerate(self.tables) if t.lying], shuffle=0.0, opening=True)
        self.pool.place_in_parts()
        if anyway or (not self.stop() and (self.missing(), round(self.cost(), 3)) < than):
            return True
        self._back_to(marks, pool, home, range(len(self.tables)))
        return False

    def _owed(self, than: tuple[int, float]) -> float:
        """What is held against what ``than`` leaves out, where it is as many as now."""
        if not than[0]:
            return 0.0
        if than[0] != self.missing():
            return math.inf
        left = {v: len(c) for v, c in self.pool.copies.items()}
        sets = {
            name: sum((name, n) not in self.home for n in range(columns.sets))
            for name, columns in self.columns.items()
        }
        return self.had.owed(left, sets, than[1])

    def _back_to(
        self,
        marks: Sequence[Mark],
        pool: KeptPool,
        home: dict[tuple[str, int], int],
        changed: Collection[int],
    ) -> None:
        for h in changed:
            self.tables[h].back_to(marks[h])
        self.pool.back_to(pool, changed)
        self.home = home

    def _try_one(self, opened: list[int]) -> None:
        rng = self.rng
        kind = rng.random()
        if self.columns and kind < SETS_AGAIN:
            self._sets_again(int(rng.integers(len(self.tables))))
            return
        if self.job.seams_m2 and rng.random() < JOINED and self._join():
            return
        if kind > 1.0 - DRAWN_IN:
            self._draw_in(opened)
            return
        h = opened[int(rng.integers(len(opened)))]
        if rng.random() < self.rows.often:
            self.rows.lay(h, self._loose(h), opened)
            return
        # What lies nowhere whole gets its parts laid first, while there is room.
        parts_first = any(c and self.bank.variants[v].piece.splits for v, c in self.pool.copies.items())
        staying: Staying = []
        everything = kind < EVERYTHING
        own = staying if self.columns and not everything and rng.random() < SETS_TOO else None
        span = self._draw_back(h, own, everything=everything)
        if span is None:
            return
        spans = {h: span}
        hosts = [g for g in opened if g != h]
        rng.shuffle(hosts)
        if rng.random() < 0.7:
            other = h if rng.random() < 0.4 or not hosts else hosts[0]
            self._shake(other, own)
            if rng.random() < 0.3 and not staying and self.pool.span(other, spans) == EVERYWHERE:
                Butting(self.tables[other], self.pool.copies, self.pool.demand, rng, self.stop).fill(
                    None, Taste(3.0, 0.3, 0.2)
                )
        if not self._stay(staying, spans):
            return
        if parts_first and rng.random() < PARTS_FIRST:
            self.pool.place_in_parts(1)
        order = [h, *hosts] if rng.random() < 0.5 else [*hosts, h]
        self.pool.place_all(order, shuffle=float(rng.uniform(0.0, 0.5)), spans=spans)
        if self.pool.left():
            others = [g for g in opened if g != h]
            self.pool.place_all(
                others + ([h] if span != NOWHERE and rng.random() < 0.5 else []), shuffle=0.2, opening=True
            )
            self.pool.place_in_parts()

    def _join(self) -> bool:
        """Take up the parts of a copy and lay it whole, or in parts again; whether any lay in parts."""
        found = one_in_parts(
            self.job, self.tables, lambda _h, _slot, lying: not self._in_set(lying), self.rng
        )
        if found is None:
            return False
        parent, copy, slots = found
        for h in {h for h, _ in slots}:
            self.pool.room_at(h, self.tables[h].take_up([s for g, s in slots if g == h]))
        self.pool.add(self.bank.of_piece[parent][0].index, copy)
        opened = sorted({h for h, _ in slots}) + [h for h, t in enumerate(self.tables) if t.lying]
        if self.rng.random() < 0.7:
            self._shake(opened[0])
        self.pool.place_all(list(dict.fromkeys(opened)), shuffle=0.2, opening=True)
        self.pool.place_in_parts()
        return True

    def _place_sets(self, name: str) -> None:
        """Lay sets that lie nowhere, each whole on the first hide that takes it, into leather in use and else
        wherever it goes.
        """
        columns = self.columns[name]
        hosts = sorted(range(len(self.tables)), key=lambda h: (not self.tables[h].lying, self.cuts[h].price))
        for n in range(columns.sets):
            if (name, n) not in self.home and not any(self._set_goes(columns, n, h) for h in hosts):
                return

    def _set_goes(self, columns: Columns, number: int, hide: int) -> bool:
        table, mark = self.tables[hide], self.tables[hide].mark()
        ways = WAYS[int(self.rng.integers(len(WAYS)))]
        for piece in sorted(columns.members, key=lambda p: -columns.demand[p.id]):
            variants = self.bank.of_piece[piece.id]
            for n in range(number * piece.per_set, (number + 1) * piece.per_set):
                variant = variants[n % len(variants)]
                spot = None if self.stop() else table.find(variant, hide, Wish(), self.rng).take(ways)
                if spot is None:
                    table.back_to(mark)
                    return False
                table.put(Lying(variant, n, spot))
        self.home[columns.name, number] = hide
        return True

    def _take(self, h: int, slots: list[int], staying: Staying | None) -> None:
        """Take pieces up from a hide; those of a set from one hide are to go back to it."""
        of_sets = [s for s in slots if self._in_set(self.tables[h].lying[s])]
        if of_sets and staying is not None:
            staying += [(h, self.tables[h].lying[s]) for s in of_sets]
            self.pool.room_at(h, self.tables[h].take_up(of_sets))
        self.pool.take(h, [s for s in slots if s not in set(of_sets)])

    def _stay(self, staying: Staying, spans: dict[int, Span]) -> bool:
        """Lay pieces of sets, taken up, elsewhere on their own hide; one that does not go is missing."""
        wish = Wish(
            tight=float(self.rng.choice([4.0, 12.0, 30.0])), noise=float(self.rng.choice([0.0, 1.0, 4.0]))
        )
        ways = WAYS[int(self.rng.integers(len(WAYS)))]
        shaken = {
            lying.variant.index: self.pool.demand[lying.variant.index] * math.exp(self.rng.normal(0.0, 0.3))
            for _, lying in staying
        }
        for h, lying in sorted(staying, key=lambda t: -shaken[t[1].variant.index]):
            v = lying.variant
            span = self.pool.span(h, spans)
            spot = (
                None
                if span is None or span == NOWHERE
                else self.tables[h].find(v, h, wish, self.rng, 8, span).take(ways)
            )
            if spot is None:
                del self.home[v.piece.set_name or "", lying.copy // v.piece.per_set]
                return False
            self.tables[h].put(Lying(v, lying.copy, spot))
        return True

    def _draw_back(self, h: int, staying: Staying | None, *, everything: bool) -> Span | None:
        """Take up the pieces at one end of a hide, those of sets from one hide only where ``staying`` holds
        them; return the span the hide is then held to, None if none were.
        """
        table, rng = self.tables[h], self.rng
        extent = table.extent()
        loose = self._loose(h, sets=staying is not None)
        if extent is None or not loose:
            return None
        held = [s for s in table.lying if s not in set(loose)]
        if everything and not held:
            self.pool.take(h, loose)
            return NOWHERE
        tail, neck = self.cuts[h].kept_m2(*extent)
        at_neck = (
            neck >= tail
            if max(tail, neck) >= REMNANT_MIN_M2 and rng.random() < 0.9
            else bool(rng.random() < 0.5)
        )
        by = 1e6 if everything else math.exp(rng.uniform(math.log(15.0), math.log(400.0)))
        # Where no end is worth keeping yet, less than one that is would save nothing.
        racked = self.cuts[h].racked_at()
        if at_neck:
            end = max([min(extent[1], racked[1]) - by, *(float(table.box(s)[2]) for s in held)])
            self._take(h, [s for s in loose if table.box(s)[2] > end], staying)
            return EVERYWHERE[0], end
        end = min([max(extent[0], racked[0]) + by, *(float(table.box(s)[0]) for s in held)])
        self._take(h, [s for s in loose if table.box(s)[0] < end], staying)
        return end, EVERYWHERE[1]

    def _shake(self, h: int, staying: Staying | None = None) -> None:
        """Take up pieces about a point of a hide, to be laid in another order with the rest."""
        table, loose = self.tables[h], self._loose(h, sets=staying is not None)
        if loose:
            at = np.array([(table.lying[s].spot.x, table.lying[s].spot.y) for s in loose])
            away = np.hypot(*(at - at[int(self.rng.integers(len(loose)))]).T)
            self._take(h, [loose[int(k)] for k in np.argsort(away)[: int(self.rng.integers(2, 14))]], staying)

    def _loose(self, h: int, *, sets: bool = False) -> list[int]:
        """Slots of single pieces, which may go anywhere; with ``sets``, also of pieces bound to this hide."""
        return [
            s
            for s, lying in self.tables[h].lying.items()
            if not (lying.fixed or (self._in_set(lying) and not sets) or lying.variant.piece.parent)
        ]

    def _draw_in(self, opened: list[int]) -> None:
        """Draw in the end of a hide, pieces pushed together on several; nothing changes where they do not
        go.
        """
        drawn = self.drawing.attempt(opened)
        if drawn is None:
            return
        for h, now in drawn.lying.items():
            table = self.tables[h]
            left = {(lying.variant.index, lying.copy): lying for lying in now}
            gone = []
            for slot, lying in table.lying.items():
                there = left.get((lying.variant.index, lying.copy))
                if there is not None and same_spot(lying, there):
                    del left[lying.variant.index, lying.copy]
                elif not lying.fixed:
                    gone.append(slot)
            if gone:
                self.pool.room_at(h, table.take_up(gone))
            for lying in left.values():
                if not lying.fixed:
                    table.put(lying)
                    if self._in_set(lying):
                        self.home[
                            lying.variant.piece.set_name or "", lying.copy // lying.variant.piece.per_set
                        ] = h

    def _set_of(self, lying: Lying) -> tuple[str, int] | None:
        """The set, to come from one hide, that a piece belongs to."""
        piece = lying.variant.piece
        return (piece.set_name or "", lying.copy // piece.per_set) if self._in_set(lying) else None

    def _sets_again(self, h: int) -> None:
        """Lay the sets of a hide another way, with one more where there is one to be had."""
        rng = self.rng
        name = list(self.columns)[int(rng.integers(len(self.columns)))]
        columns = self.columns[name]
        if any(
            lying.variant.piece.parent or (lying.fixed and self._in_set(lying))
            for lying in self.tables[h].lying.values()
        ):
            return
        columns.seek(h)
        own = sorted(n for (of, n), g in self.home.items() if of == name and g == h)
        if columns.most(h) > len(own) and rng.random() < 0.6:
            own += self._one_more_set(columns, h)
        if not own or columns.most(h) < len(own):
            return
        self.pool.take(h, self._loose(h))
        self.pool.empty(h)
        self.home = {key: g for key, g in self.home.items() if g != h}
        if columns.put(h, own):
            self.home.update({(name, n): h for n in own})
        for other in self.columns:
            self._place_sets(other)
        opened = [g for g, t in enumerate(self.tables) if t.lying]
        rng.shuffle(opened)
        self.pool.place_all(opened, shuffle=0.2)
        if self.pool.left():
            self.pool.place_all(opened, shuffle=0.2, opening=True)

    def _one_more_set(self, columns: Columns, h: int) -> list[int]:
        """Return the number of a set that lies nowhere, or of one taken up from another hide."""
        name = columns.name
        free = [n for n in range(columns.sets) if (name, n) not in self.home]
        if free:
            return free[:1]
        others = sorted({g for (of, _), g in self.home.items() if of == name and g != h})
        if not others:
            return []
        g = others[int(self.rng.integers(len(others)))]
        moved = max(n for (of, n), at in self.home.items() if of == name and at == g)
        slots = [
            s
            for s, lying in self.tables[g].lying.items()
            if lying.variant.piece.set_name == name and lying.copy // lying.variant.piece.per_set == moved
        ]
        if any(self.tables[g].lying[s].fixed for s in slots):
            return []
        self.pool.room_at(g, self.tables[g].take_up(slots))
        del self.home[name, moved]
        return [moved]


def _same(now: dict[int, Lying], then: dict[int, Lying]) -> bool:
    """Whether the same lies in all slots."""
    return len(now) == len(then) and all(then.get(slot) is lying for slot, lying in now.items())
