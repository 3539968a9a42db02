"""The constructive lay: most demanding pieces first, each into the snuggest fair place."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np

from fairlay.core.engine.bank import Bank, Variant
from fairlay.core.engine.butt import Butting, Taste
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.table import ALL_TRIES, TRIES, Candidates, HideTable, Wish
from fairlay.core.engine.table import Mark as TableMark
from fairlay.core.lay.lay import Job, Lay, Placement, Unplaced
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece, Split
from fairlay.core.tolerances import REMNANT_MIN_M2

UP_AND_TAILWARD = np.array([(0.0, -1.0), (-1.0, 0.0), (0.0, -1.0), (-1.0, 0.0)])
"""Ways a piece is slid once placed: to the backbone, then to the tail, twice."""
SMALL_SHARE = 0.002
"""A piece under this share of its hide is placed several times from one scan."""
SCAN_REUSE = 6
MANY_COPIES = 40
"""Of a piece of which hundreds are wanted, one in so many more."""

Stop = Callable[[], bool]
Mark = tuple[dict[int, TableMark], set[tuple[str, int]]]


@dataclass(frozen=True)
class Copy:
    """One copy of a piece, in the hand that its number asks for."""

    piece: Piece
    number: int
    variant: Variant


@dataclass(frozen=True)
class Plan:
    """How one constructive lay goes about it: the order of pieces, and what places are preferred.

    ``shuffle`` shakes the order; ``square`` lays what is nearly a rectangle earlier, which fills a hide
    better where more is wanted than fits; ``straight_first`` turns a piece off its line only where it must;
    ``butt`` lays single pieces side to side first, by that taste; ``one_by_one`` lays whole sets one after
    another, which is soon done, rather than together from the most there might be.
    """

    wish: Wish = field(default_factory=Wish)
    turns: int = 8
    shuffle: float = 0.0
    straight_first: bool = True
    square: float = 0.0
    butt: Taste | None = None
    one_by_one: bool = False
    ways: tuple[tuple[float, float], ...] = tuple((float(x), float(y)) for x, y in UP_AND_TAILWARD)


class Construction:
    """One constructive lay of a job, piece by piece."""

    def __init__(
        self,
        job: Job,
        bank: Bank,
        plan: Plan,
        rng: np.random.Generator,
        stop: Stop,
        grounds: dict[int, HideTable] | None = None,
    ) -> None:
        self.job, self.bank, self.plan, self.rng, self.stop = job, bank, plan, rng, stop
        capacity = (
            sum(p.quantity * max(1, max((len(s.parts) for s in p.splits), default=1)) for p in job.pieces)
            + len(job.fixed)
            + 1
        )
        self.tables = [HideTable(job, hide, bank, capacity) for hide in job.hides]
        if grounds:
            for i, table in grounds.items():
                self.tables[i].share_ground(table)
        self.ways = np.array(plan.ways)
        self.placed: set[tuple[str, int]] = set()
        self._lists: dict[tuple[int, int], tuple[Candidates, int]] = {}
        for fixed in job.fixed:
            self._lay_fixed(fixed)

    def _lay_fixed(self, fixed: Placement) -> None:
        index = next(i for i, hide in enumerate(self.job.hides) if hide.id == fixed.hide)
        variant = next(v for v in self.bank.of_piece[fixed.piece] if v.mirrored == fixed.at.mirrored)
        x, y = variant.centre_of(fixed.at)
        self.tables[index].put(
            Lying(variant, fixed.copy, Spot(index, x, y, fixed.at.rotation_deg, 0.0), fixed=True)
        )
        piece = variant.piece
        self.placed.add((piece.parent or piece.id, fixed.copy))

    def copies(self, pieces: Iterable[Piece]) -> list[Copy]:
        """Return every copy not yet placed, most demanding piece first."""
        out: list[Copy] = []
        for piece in pieces:
            variants = self.bank.of_piece[piece.id]
            out += [
                Copy(piece, n, variants[n % len(variants)])
                for n in range(piece.quantity if self.job.lays(piece.id) else 0)
                if (piece.id, n) not in self.placed
            ]
        demand = {
            p.id: self.demand(p) * float(np.exp(self.rng.normal(0.0, self.plan.shuffle)))
            for p in self.job.pieces
        }
        return sorted(out, key=lambda c: (-demand[c.piece.id], c.number))

    def demand(self, piece: Piece) -> float:
        """How hard a piece is to place: its size, its length, and how little leather bears it."""
        span = float(np.hypot(*np.ptp(piece.outline, axis=0)))
        hard: float = (
            piece.area_mm2**0.35
            * span**1.3
            / max(share_borne(piece, self.tables, self.bank), 0.02)
            * max(piece.value, 0.05)
            * squareness(piece) ** self.plan.square
        )
        return hard

    def easiest_first(self, names: Iterable[str]) -> list[tuple[str, list[Piece]]]:
        """Return sets by name with their pieces: where the number of sets counts, those first that take least
        leather.
        """
        of = {name: [p for p in self.job.pieces if p.set_name == name and not p.filler] for name in names}
        if self.job.objective != "sets" or len(of) < 2:
            return list(of.items())
        takes = {name: leather_of_set(members, self.tables, self.bank) for name, members in of.items()}
        shaken = np.exp(self.rng.normal(0.0, 2.0 * self.plan.shuffle, len(of)))
        keys = dict(zip(of, shaken * np.array([*takes.values()]), strict=True))
        return sorted(of.items(), key=lambda own: keys[own[0]])

    def hides_in_order(self) -> list[int]:
        """Return hide indices in the order they are opened: offcuts and cheap leather first where money
        counts.
        """
        order = list(range(len(self.job.hides)))
        if self.job.objective != "order":
            return order
        hides = self.job.hides
        return sorted(order, key=lambda i: (hides[i].kind != "offcut", hides[i].cost_per_m2))

    def place_on(self, copy: Copy, index: int, keep_within: tuple[float, float] | None = None) -> Spot | None:
        """Lay a copy on a hide at the best fair place; None where there is none."""
        table = self.tables[index]
        if copy.variant.index in table.full_for and keep_within is None:
            return None
        small = copy.variant.area_mm2 < SMALL_SHARE * table.hide.region.area
        key = (index, copy.variant.index)
        found, left = self._lists.pop(key, (None, 0)) if keep_within is None else (None, 0)
        spot = found.take(self.ways) if found is not None and left > 0 else None
        for spread, tries in ((False, TRIES), (True, TRIES), (True, ALL_TRIES))[
            0 if self.plan.straight_first else 1 :
        ]:
            if spot is None:
                found = table.find(
                    copy.variant, index, self.plan.wish, self.rng, self.plan.turns, keep_within, spread, tries
                )
                left = max(SCAN_REUSE, copy.piece.quantity // MANY_COPIES)
                spot = found.take(self.ways)
        if spot is None:
            if keep_within is None:
                table.full_for.add(copy.variant.index)
            return None
        if found is not None and small and left > 1 and keep_within is None:
            self._lists[key] = (found, left - 1)
        table.put(Lying(copy.variant, copy.number, spot))
        self.placed.add((copy.piece.id, copy.number))
        return spot

    def place(self, copy: Copy, hides: Iterable[int]) -> bool:
        """Lay a copy on the first hide that takes it, whole or by one of its splits."""
        order = list(hides)
        for index in order:
            if self.place_on(copy, index) is not None:
                return True
        return any(
            self._place_split(copy, split, order)
            for split in sorted(copy.piece.splits, key=lambda s: s.penalty_m2)
        )

    def _place_split(self, copy: Copy, split: Split, hides: list[int]) -> bool:
        marks = self.mark(hides)
        for part in split.parts:
            own = Copy(part, copy.number, self.bank.of_piece[part.id][0])
            if not any(self.place_on(own, index) is not None for index in hides):
                self.back_to(marks)
                return False
        self.placed.add((copy.piece.id, copy.number))
        return True

    def butt(self, pieces: Iterable[Piece], taste: Taste) -> None:
        """Lay copies side to side, hide after hide, as far as that goes."""
        pool: dict[int, list[int]] = {}
        for copy in self.copies(pieces):
            pool.setdefault(copy.variant.index, []).append(copy.number)
        demand = {v.index: self.demand(v.piece) for v in self.bank.variants if v.index in pool}
        for index in self.hides_in_order():
            Butting(self.tables[index], pool, demand, self.rng, self.stop).fill(None, taste)
        self.placed |= {
            (lying.variant.piece.id, lying.copy) for table in self.tables for lying in table.lying.values()
        }

    def mark(self, hides: Iterable[int]) -> Mark:
        """Remember the state of some hides, for ``back_to``."""
        return {i: self.tables[i].mark() for i in hides}, set(self.placed)

    def back_to(self, mark: Mark) -> None:
        """Return to a remembered state."""
        for index, own in mark[0].items():
            self.tables[index].back_to(own)
        self.placed = mark[1]
        self._lists.clear()

    def place_together(self, copies: list[Copy], hides: Iterable[int]) -> bool:
        """Lay all of the copies, or none."""
        order = list(hides)
        marks = self.mark(order)
        for copy in copies:
            if self.stop() or not self.place(copy, order):
                self.back_to(marks)
                return False
        return True

    def lay(self) -> Lay:
        """Return what lies on the table as a lay, with counts of what does not."""
        placements = tuple(p for table in self.tables for p in table.placements())
        lay = Lay(placements)
        counts = lay.counts(self.job)
        missing = tuple(
            Unplaced(p.id, p.quantity - counts[p.id], "")
            for p in self.job.pieces
            if counts[p.id] < p.quantity
        )
        return Lay(placements, missing)


def squareness(piece: Piece) -> float:
    """Return a piece's area over that of the least rectangle around it, 0 to 1."""
    return float(piece.area_mm2 / piece.region.minimum_rotated_rectangle.area)


def share_borne(piece: Piece, tables: Iterable[HideTable], bank: Bank) -> float:
    """Return the share of the leather that bears a piece."""
    tables = list(tables)
    fair = sum(t.ground(bank.of_piece[piece.id][0]).area_mm2 for t in tables)
    return fair / float(sum(t.hide.region.area for t in tables))


def leather_of_set(members: Iterable[Piece], tables: Iterable[HideTable], bank: Bank) -> float:
    """Return how much leather one set of some pieces takes, in mm2: the scarcer what bears them, the more."""
    tables = list(tables)
    return sum(p.per_set * p.area_mm2 / max(share_borne(p, tables, bank), 0.02) for p in members)


def construct(
    job: Job,
    bank: Bank,
    plan: Plan,
    rng: np.random.Generator,
    stop: Stop,
    grounds: dict[int, HideTable] | None = None,
    only_fillers: bool = False,
    growing: Callable[[Construction], None] = lambda _: None,
) -> Construction:
    """Return one constructive lay of a job.

    ``grounds`` are tables whose compiled ground may be shared; ``only_fillers`` adds those to what is fixed;
    ``growing`` is told after each piece, or each set, that lies.
    """
    work = Construction(job, bank, plan, rng, stop, grounds)
    order = work.hides_in_order()
    if only_fillers:
        _fillers(work, [p for p in job.pieces if p.filler], order)
        return work
    wanted = [p for p in job.pieces if not p.filler]
    if job.objective == "sets":
        _whole_sets(work, wanted, order, growing)
    for _, members in work.easiest_first(job.match_sets):
        _matched_sets(work, members, order, growing)
    single = [p for p in wanted if p.set_name not in job.match_sets]
    if plan.butt is not None:
        work.butt(single, plan.butt)
    for copy in work.copies(single):
        if stop():
            break
        if work.place(copy, order):
            growing(work)
    if job.objective != "order":
        leftover = [p for p in wanted if p.set_name in job.match_sets]
        _leftovers_of_matched(work, leftover, order)
    _fillers(work, [p for p in job.pieces if p.filler], order)
    return work


def _whole_sets(
    work: Construction, wanted: list[Piece], order: list[int], growing: Callable[[Construction], None]
) -> None:
    """Lay as many whole sets as go, trying the most that area allows first."""
    names = [p.set_name for p in wanted if p.set_name and p.set_name not in work.job.match_sets]
    for _, members in work.easiest_first(names):
        most = min(p.quantity // p.per_set for p in members)
        area = sum(p.area_mm2 * p.per_set for p in members)
        most = min(most, int(sum(t.hide.usable.area for t in work.tables) // area))
        if work.plan.one_by_one:
            for number in range(most):
                copies = [c for c in work.copies(members) if c.number // c.piece.per_set == number]
                if work.stop() or not work.place_together(copies, order):
                    break
                growing(work)
            continue
        for sets in range(most, 0, -1):
            copies = [c for c in work.copies(members) if c.number < sets * c.piece.per_set]
            if work.stop() or work.place_together(copies, order):
                break


def _matched_sets(
    work: Construction, members: list[Piece], order: list[int], growing: Callable[[Construction], None]
) -> None:
    """Lay each set whole on one hide, where one takes it."""
    if not members:
        return
    sets = min(p.quantity // p.per_set for p in members)
    open_hides = list(order)
    begun = {
        lying.copy // lying.variant.piece.per_set: h
        for h, t in enumerate(work.tables)
        for lying in t.lying.values()
        if lying.variant.piece.set_name == members[0].set_name
    }
    for number in range(sets):
        copies = [c for c in work.copies(members) if c.number // c.piece.per_set == number]
        if number in begun:
            work.place_together(copies, [begun[number]])
            continue
        while open_hides and copies and not work.place_together(copies, open_hides[:1]):
            open_hides.pop(0)
        if work.stop() or not open_hides:
            break
        growing(work)


def _leftovers_of_matched(work: Construction, members: list[Piece], order: list[int]) -> None:
    homes: dict[tuple[str | None, int], int] = {}
    for index, table in enumerate(work.tables):
        for lying in table.lying.values():
            homes[lying.variant.piece.set_name, lying.copy // lying.variant.piece.per_set] = index
    for copy in work.copies(members):
        if work.stop():
            return
        key = (copy.piece.set_name, copy.number // copy.piece.per_set)
        for index in [homes[key]] if key in homes else order:
            if work.place_on(copy, index) is not None:
                homes[key] = index
                break


def _fillers(work: Construction, fillers: list[Piece], order: list[int]) -> None:
    """Fill gaps with small goods, most worth first; on an order, only inside the leather already used."""
    counted = Counter[str]()
    for copy in sorted(work.copies(fillers), key=lambda c: (-c.piece.value, -c.piece.area_mm2, c.number)):
        if work.stop():
            return
        if counted[copy.piece.id] > 0:
            continue
        for index in order:
            within: tuple[float, float] | None = None
            if work.job.objective == "order":
                within = _used_span(work.tables[index])
                if within is None:
                    continue
            if work.place_on(copy, index, within) is not None:
                break
        else:
            counted[copy.piece.id] += 1


def _used_span(table: HideTable) -> tuple[float, float] | None:
    """The x range that costs nothing to fill: up to the straight cut of a remnant, or the whole hide."""
    extent = table.extent()
    if extent is None:
        return None
    hide: Hide = table.hide
    x0, _, x1, _ = hide.region.bounds
    if hide.is_roll:
        return x0, extent[1]
    kept, right = hide.end_kept_mm2(*extent)
    if kept < REMNANT_MIN_M2 * 1e6:
        return x0, x1
    return (x0, extent[1]) if right else (extent[0], x1)
