"""Make a lay of one hide better: take up what lies about a point, fill the place again, keep what is worth
more.

Large neighbourhood search (Shaw 1998) over the constructive lay, with the acceptance of simulated
annealing: a lay a little worse is kept for a while, less so as the time runs out.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from fairlay.core.engine.bank import BODIES, NEAR, Variant, sizes
from fairlay.core.engine.butt import Butting, Taste
from fairlay.core.engine.construct import squareness
from fairlay.core.engine.ground import CELL_MM
from fairlay.core.engine.in_parts import one_in_parts
from fairlay.core.engine.lanes import Lanes, is_strip
from fairlay.core.engine.layer import Lying, Spot, same_spot
from fairlay.core.engine.rows import Rows, how_often
from fairlay.core.engine.squeeze import Squeeze
from fairlay.core.engine.table import SLACK_MM, HideTable, Wish
from fairlay.core.lay.lay import Job
from fairlay.core.rules.grain import any_way

Stop = Callable[[], bool]
WAYS = tuple(
    np.array([a, b, a, b], float)
    for a, b in (
        ((0, -1), (-1, 0)),
        ((-1, 0), (0, -1)),
        ((0, -1), (1, 0)),
        ((0, 1), (-1, 0)),
        ((0, 1), (1, 0)),
        ((1, 0), (0, 1)),
    )
)
"""Ways a piece is slid into contact when a place is filled again."""
TRIES = 40
TAKEN = (0.02, 0.16)
"""How much of the lay is taken up at once."""
TURNS = (2, 4, 4, 12)
"""Turns tried of a piece that may lie any way: a few at a time, since more cost more than they find."""
LOOKS_FOR_WASTE = 24
LONG_MM = 380.0
"""Straps longer than this mostly stay: taking one up opens half the hide, and its lane is hard to find again.
"""
Move = Literal["scan", "butt", "room", "trade", "join", "rows", "lanes"]
"""A place filled again by scanning, or side to side first, or with rows of one piece, or lanes of straps,
first; room made for something left over; pieces traded for others that are pushed in; a piece that lies in
parts laid whole.
"""
TRADED, TRADED_HELD, TRADED_FREE = 0.4, 0.75, 0.5
"""How often pieces are traded: where most are held to their line exactly, within a tolerance, and not at all.
A little to turn by is what lets pieces be pushed together.
"""
HARDLY_DEG = 0.5
BUTTED, BUTTED_HELD, BUTTED_FREE = 0.06, 0.01, 0.03
"""How often of the rest a place is filled side to side first: where most are held to their line exactly,
within a tolerance, and not at all. It takes far longer where pieces may turn.
"""
ROWS_SHARE, ROWS_ALL = (0.05, 0.4), 0.2
"""How much of the lay is taken up for them, and how often all of it."""
LANES_ALL, AMONG = 0.5, 0.5
"""How often all of it is for lanes, and how often strips alone, laid again among what else lies there."""
LONG_ALONE = 0.3
"""How often lanes are laid of the longer strips only."""
JOINED = 0.05
"""How often a piece that lies in parts is tried whole again."""
EJECT, EJECT_LOOSE = 0.015, 0.4
"""How often of the rest room is made for something left over, on a hide that is full and on one far from it.
"""
ANYWHERE_MM = 60.0
"""Noise on a place's worth when any fair place will do."""
LOOSE = 0.75
"""A hide of which less than this share is under pieces has room elsewhere for what lost its place."""
LEAST_GAIN = -0.5
"""A trade gains at least this share of the least piece's worth: it may lose a little, since what lies about
is
filled again after it."""
LARGE_FIRST, LEANING_STEP = 0.1, 0.001
"""At the start a piece counts for its worth times its size to this power, at the end for its worth; reckoned
anew where the power changed by the step.
"""
WARM = 0.001
WARM_OF_LEAST = 0.4
"""At the start, a lay is kept that is worth about this share of the hide, and of the least piece, less; at
the end none is.
"""


@dataclass(frozen=True)
class Kept:
    """What lies on a hide, and what lies nowhere, to come back to."""

    lying: tuple[Lying, ...]
    pool: dict[int, tuple[int, ...]]
    value: float


class Refill:
    """A search on one hide.

    ``pool`` holds the copies that lie nowhere, by variant; slots ``held`` stay. Rows of one piece are laid
    now and then where ``in_rows``: they fill a hide, which is no help where a few pieces must go.
    """

    def __init__(
        self,
        table: HideTable,
        pool: dict[int, list[int]],
        rng: np.random.Generator,
        stop: Stop,
        held: set[int] | None = None,
        in_rows: bool = True,
    ) -> None:
        self.table, self.rng, self.stop, self.held = table, rng, stop, held or set()
        self.pool: dict[int, list[int]] = defaultdict(list, {v: list(copies) for v, copies in pool.items()})
        seams = table.job.seams_m2
        self.worth = {v.index: worth_of(v) - 1e6 * seams.get(v.piece.id, 0.0) for v in table.bank.variants}
        self.prized = dict(self.worth)
        self.size = sizes(table.bank.variants)
        self.demand = {v.index: demand(v) for v in table.bank.variants}
        self.usable = float(table.hide.usable.area)
        self.scarce = {
            v.index: self.usable / max(table.ground(v).area_mm2, 0.02 * self.usable)
            for v in table.bank.variants
        }
        self.value = self._sum(self.worth)
        self.warm = WARM * self.usable + WARM_OF_LEAST * min(
            (w for w in self.worth.values() if w > 0), default=0.0
        )
        self.free = (
            sum(any_way(v.piece, table.job.policy) for v in table.bank.variants)
            > len(table.bank.variants) / 2
        )
        exact = mostly_exact(table.job)
        self.large_first = LARGE_FIRST if exact else 0.0
        self.leaning = 0.0
        self.traded = TRADED_FREE if self.free else TRADED if exact else TRADED_HELD
        self.butted = BUTTED_FREE if self.free else BUTTED if exact else BUTTED_HELD
        self.squeeze: Squeeze | None = None
        self.rows = Rows(table, rng, stop)
        self.rowed = self._rows_how_often() if in_rows else 0.0
        self.lanes = Lanes(table, rng, stop)
        self.strips = [v for v in table.bank.variants if is_strip(v)]
        self.laned = self._lanes_how_often() if in_rows else 0.0
        self.least_gain = min((w for w in self.worth.values() if w > 0), default=0.0) * LEAST_GAIN
        self.best = self.keep()

    def keep(self) -> Kept:
        """Remember the lay as it is."""
        copies = {v: tuple(c) for v, c in self.pool.items()}
        return Kept(tuple(self.table.lying.values()), copies, self._sum(self.worth))

    def _sum(self, each: Mapping[int, float]) -> float:
        """What lies, by the worth of each variant."""
        return sum(each[lying.variant.index] for lying in self.table.lying.values())

    def _prize(self, warmth: float) -> None:
        """Count large pieces for more and small ones for less than they are worth, less so toward the end:
        small ones go into gaps then, while none are left for them where they were laid first.
        """
        leaning = self.large_first * warmth
        if abs(leaning - self.leaning) < LEANING_STEP:
            return
        self.leaning = leaning
        self.prized.update({v: worth * self.size[v] ** leaning for v, worth in self.worth.items()})
        self.value = self._sum(self.prized)

    def attempt(self, warmth: float) -> bool:
        """Take up and fill again once; whether the best got better.

        ``warmth`` 1 at the start, 0 at the end.
        """
        table = self.table
        self._prize(warmth)
        mark, pool = table.mark(), {v: list(c) for v, c in self.pool.items()}
        if not self._make(self._choose()):
            return False
        value = self._sum(self.prized)
        bar = self.value + self.warm * warmth * math.log(max(1e-9, float(self.rng.random())))
        if value >= bar and not self.stop():
            self.value = value
            if self._sum(self.worth) > self.best.value + 1.0:
                self.best = self.keep()
                return True
            return False
        table.back_to(mark)
        self.pool = defaultdict(list, pool)
        return False

    def _choose(self) -> Move:
        """Return the next move."""
        if self.table.job.seams_m2 and self.rng.random() < JOINED:
            return "join"
        if self.rng.random() < self.traded:
            return "trade"
        if self.rng.random() < self.rowed:
            return "rows"
        if self.rng.random() < self.laned:
            return "lanes"
        if self.rng.random() < (EJECT_LOOSE if self.value < LOOSE * self.usable else EJECT):
            return "room"
        return "butt" if self.rng.random() < self.butted else "scan"

    def _make(self, move: Move) -> bool:
        """Make a move; whether it went."""
        if move == "trade":
            return self._trade()
        if move == "room":
            return self._make_room()
        if move == "join":
            return self._join()
        if move == "rows":
            return self._lay_rows()
        if move == "lanes":
            return self._lay_lanes()
        return self._lay_again(butted=move == "butt")

    def _lay_again(self, butted: bool) -> bool:
        """Take up what lies about a point and fill the place again, side to side first where ``butted``;
        whether anything was.
        """
        chosen = self._about_a_point()
        if not chosen:
            return False
        window = self._take(chosen)
        if butted:
            self._butt(window)
        self._fill(window)
        return True

    def _rows_how_often(self) -> float:
        """How often of the rest a place is filled with rows first."""
        copies = {v: len(c) for v, c in self.pool.items()}
        for lying in self.table.lying.values():
            copies[lying.variant.index] = copies.get(lying.variant.index, 0) + 1
        variants = self.table.bank.variants
        most = max((n * variants[v].area_mm2 for v, n in copies.items()), default=0.0) / self.usable
        return how_often(most)

    def _lanes_how_often(self) -> float:
        """How often of the rest a place is filled with lanes of strips first."""
        strips = {v.index for v in self.strips}
        copies = {v: len(c) for v, c in self.pool.items() if v in strips}
        for lying in self.table.lying.values():
            if lying.variant.index in strips:
                copies[lying.variant.index] = copies.get(lying.variant.index, 0) + 1
        areas = {v.index: v.area_mm2 for v in self.strips}
        return how_often(sum(n * areas[v] for v, n in copies.items()) / self.usable)

    def _lay_lanes(self) -> bool:
        """Take up what lies about a point, or all, and lay lanes of strips there, then the rest; whether
        anything was taken up.
        """
        rng, table = self.rng, self.table
        everything = bool(rng.random() < LANES_ALL)
        chosen = self._about_a_point(ROWS_SHARE, everything)
        if rng.random() < AMONG:
            strips = {v.index for v in self.strips}
            chosen = [slot for slot in chosen if table.lying[slot].variant.index in strips]
        if not chosen:
            return False
        freed = self._take(chosen)
        window = None if everything else freed
        may = [v for v in self.strips if self.pool[v.index]]
        if len(may) > 1 and rng.random() < LONG_ALONE:
            long = [float(np.ptp(v.piece.outline, axis=0).max()) for v in may]
            least = float(rng.choice(long))
            may = [v for v, own in zip(may, long, strict=True) if own >= least]
        self.lanes.fill(self.pool, self.lanes.strips(may, int(rng.integers(4))), window)
        self._fill(window)
        return True

    def _lay_rows(self) -> bool:
        """Take up what lies about a point, or all, and lay rows of one piece or two there, then the rest;
        whether anything was taken up.
        """
        everything = bool(self.rng.random() < ROWS_ALL)
        chosen = self._about_a_point(ROWS_SHARE, everything)
        if not chosen:
            return False
        freed = self._take(chosen)
        window = None if everything else freed
        for _ in range(1 + int(self.rng.integers(2))):
            may = [v for v, copies in self.pool.items() if copies]
            if not may:
                break
            weights = np.array([len(self.pool[v]) * max(self.worth[v], 1e-9) for v in may])
            v = may[int(self.rng.choice(len(may), p=weights / weights.sum()))]
            self.rows.fill(self.pool, self.table.bank.variants[v], window)
        self._fill(window)
        return True

    def _trade(self) -> bool:
        """Trade some pieces for others that are worth a little more; whether it went."""
        table = self.table
        if self.squeeze is None:
            self.squeeze = Squeeze(table, self.prized, self.held, self.rng, self.stop)
        traded = self.squeeze.attempt(self.pool, self.least_gain)
        if traded is None:
            return False
        for v, copy in traded.came:
            self.pool[v].remove(copy)
        for slot in traded.out:
            lying = table.lying[slot]
            self.pool[lying.variant.index].append(lying.copy)
        moved = [
            i
            for i, lying in table.lying.items()
            if i not in traded.out and not same_spot(lying, traded.lying[i])
        ]
        slots = [*moved, *traded.out]
        window = table.take_up(slots) if slots else None
        known = set(table.lying)
        for slot, lying in traded.lying.items():
            if slot not in known:
                table.put(lying)
        if window is not None:
            self._fill(window)
        return True

    def _make_room(self) -> bool:
        """Lay something that lies nowhere where it might, take up what it lies on, and lay that elsewhere;
        whether it went.
        """
        table, rng = self.table, self.rng
        over = [v for v, copies in self.pool.items() if copies]
        if not over:
            return False
        weights = np.array([max(self.worth[v], 1e-9) for v in over]) ** float(rng.choice([0.0, 0.5, 1.0]))
        v = over[int(rng.choice(len(over), p=weights / weights.sum()))]
        variant = table.bank.variants[v]
        spot = table.fair_when_bare(
            variant, Wish(tight=0.0, noise=ANYWHERE_MM), rng, int(rng.choice(TURNS)), TRIES
        )
        return spot is not None and self._lay_over(variant, self.pool[v][-1], spot)

    def _join(self) -> bool:
        """Lay whole a piece that lies in parts, on what it lies on; whether it went."""
        table, rng = self.table, self.rng
        found = one_in_parts(table.job, [table], lambda _h, slot, _lying: slot not in self.held, rng)
        if found is None:
            return False
        parent, copy, where = found
        slots = [slot for _, slot in where]
        mark, variant = table.mark(), table.bank.of_piece[parent][0]
        window = table.take_up(slots)
        wish, turns = Wish(tight=0.0, noise=ANYWHERE_MM), int(rng.choice(TURNS))
        spot = table.find(variant, 0, wish, rng, turns, tries=TRIES).take(WAYS[int(rng.integers(len(WAYS)))])
        spot = spot or table.fair_when_bare(variant, wish, rng, turns, TRIES)
        self.pool[variant.index].append(copy)
        if spot is None or not self._lay_over(variant, copy, spot):
            self.pool[variant.index].remove(copy)
            table.back_to(mark)
            return False
        self._fill(window)
        return True

    def _lay_over(self, variant: Variant, copy: int, spot: Spot) -> bool:
        """Lay a copy of the pool at a fair place, and what lies there elsewhere; whether that may be taken
        up.
        """
        table = self.table
        under = table.under(variant, spot)
        if any(
            slot in self.held or table.lying[slot].fixed or table.lying[slot].variant.piece.parent
            for slot in under
        ):
            return False
        self.pool[variant.index].remove(copy)
        window = self._take(under) if under else None
        table.put(Lying(variant, copy, spot))
        self._fill(window, elsewhere=True)
        return True

    def _take(self, slots: list[int]) -> tuple[float, float, float, float]:
        for lying in (self.table.lying[slot] for slot in slots):
            self.pool[lying.variant.index].append(lying.copy)
        return self.table.take_up(slots)

    def _about_a_point(self, shares: tuple[float, float] = TAKEN, everything: bool = False) -> list[int]:
        """Choose slots to take up: nearest about an item, or about the emptiest of some cells, up to a share
        of the value between two; or all that may be.
        """
        table = self.table
        loose = [
            i
            for i, lying in table.lying.items()
            if i not in self.held and not lying.fixed and lying.variant.piece.parent is None
        ]
        if not loose or everything:
            return loose
        at = np.array([(table.lying[i].spot.x, table.lying[i].spot.y) for i in loose])
        if self.rng.random() < 0.5:
            middle = at[int(self.rng.integers(len(loose)))]
        else:
            fair = table.ground(table.lying[loose[0]].variant).fair.field
            rows = self.rng.integers(0, fair.shape[0], LOOKS_FOR_WASTE)
            cols = self.rng.integers(0, fair.shape[1], LOOKS_FOR_WASTE)
            k = int(np.argmax(np.minimum(fair[rows, cols], table.layers[0].taken[rows, cols])))
            middle = table.origin + CELL_MM * np.array([cols[k], rows[k]])
        stretch = np.exp(self.rng.normal(0.0, 0.5, 2))
        away = np.hypot(*((at - middle) * stretch).T)
        share, taken = float(self.rng.uniform(*shares)) * self.value, 0.0
        chosen: list[int] = []
        long_too = self.rng.random() < 0.35
        for k in np.argsort(away):
            slot = loose[int(k)]
            if not long_too and len(chosen) > 0 and table.box(slot)[2] - table.box(slot)[0] > LONG_MM:
                continue
            chosen.append(slot)
            taken += self.worth[table.lying[slot].variant.index]
            if taken > share:
                break
        return chosen

    def _butt(self, window: tuple[float, float, float, float]) -> None:
        """Lay what goes side to side into a window."""
        rng = self.rng
        taste = Taste(
            float(rng.uniform(1.0, 5.0)),
            float(rng.choice([0.0, 0.3, 1.0])),
            float(rng.choice([0.0, 0.1, 0.4])),
        )
        Butting(self.table, self.pool, self.demand, rng, self.stop).fill(window, taste)

    def _fill(self, window: tuple[float, float, float, float] | None, elsewhere: bool = False) -> None:
        """Lay what goes into a window, then ``elsewhere``: hardest first, the order shaken."""
        table, rng = self.table, self.rng
        shuffle = float(rng.uniform(0.05, 0.7))
        wish = Wish(tight=float(rng.uniform(0.0, 15.0)), noise=float(rng.choice([0.0, 0.5, 2.0])))
        ways = WAYS[int(rng.integers(len(WAYS)))]
        spread, turns = bool(rng.random() < 0.6), int(rng.choice(TURNS))
        scarce = float(rng.choice([0.0, 0.5, 1.0])) if self.value < LOOSE * self.usable else 0.0
        order = {
            v: self.demand[v] * self.scarce[v] ** scarce * math.exp(rng.normal(0.0, shuffle))
            for v, copies in self.pool.items()
            if copies
        }
        # Where the hide is far from full, what lost its place may go elsewhere on it.
        elsewhere = elsewhere or rng.random() < (0.7 if self.value < LOOSE * self.usable else 0.08)
        for place in dict.fromkeys((window, None) if elsewhere else (window,)):
            for v in sorted(order, key=lambda v: -order[v]):
                variant = table.bank.variants[v]
                while self.pool[v] and not self.stop() and (place is None or self._has_room(variant, place)):
                    spot = table.find(
                        variant, 0, wish, rng, turns, spread=spread, tries=TRIES, window=place
                    ).take(ways)
                    if spot is None:
                        break
                    table.put(Lying(variant, self.pool[v].pop(), spot))

    def _has_room(self, variant: Variant, window: tuple[float, float, float, float]) -> bool:
        """Whether the largest circle of a variant may fit anywhere about a window: most that does not go is
        found out here.
        """
        table, layer = self.table, self.table.layer(variant)
        bodies = layer.bodies
        x, y, r = bodies.circles[bodies.circle_at[variant.index * BODIES + NEAR]]
        off = math.hypot(x, y)
        c0, c1 = (int((v - table.origin[0]) / CELL_MM) for v in (window[0] - off, window[2] + off))
        r0, r1 = (int((v - table.origin[1]) / CELL_MM) for v in (window[1] - off, window[3] + off))
        rows, cols = slice(max(0, r0), max(0, r1) + 2), slice(max(0, c0), max(0, c1) + 2)
        fair = table.ground(variant).fair.field[rows, cols]
        return bool(np.minimum(fair, layer.taken[rows, cols]).max(initial=-1.0) >= r - SLACK_MM)


def mostly_exact(job: Job) -> bool:
    """Whether most kinds of pieces are held to their line exactly."""
    if job.policy.grain_school == "free":
        return False
    return sum(p.grain.tolerance_deg < HARDLY_DEG for p in job.pieces) > len(job.pieces) / 2


def worth_of(variant: Variant) -> float:
    """Value of a piece lying: its area, weighted."""
    return variant.area_mm2 * variant.piece.value


def demand(variant: Variant) -> float:
    """How early a piece is laid: large, long, of worth, and close to a rectangle, since those fill a hide
    best.
    """
    span = float(np.hypot(*np.ptp(variant.piece.outline, axis=0)))
    return float(
        max(variant.piece.value, 0.01) * variant.area_mm2**0.35 * span**1.3 * squareness(variant.piece) ** 2
    )
