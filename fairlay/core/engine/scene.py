"""One hide as the separation works on it: pieces with poses that may overlap, weights and pains."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.bank import BODIES, CIRCLES, NEAR, Bank, Bodies, Variant
from fairlay.core.engine.ground import CELL_MM, Ground
from fairlay.core.engine.layer import Floor, Lying, Spot, bare_floor
from fairlay.core.engine.sums import Sums, sums_of
from fairlay.core.engine.table import SLACK_MM, HideTable
from fairlay.core.rules.grain import any_way, fair_turns

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Grounds(NamedTuple):
    """Several compiled grounds of one hide in flat arrays; ground g is ``separate_kernels.ground_at``."""

    pts: Floats
    pt_at: Ints
    starts: Ints
    ring_at: Ints
    before: Ints
    edges: Ints
    edge_at: Ints
    bucket_at: Ints
    field: NDArray[np.float32]
    origin: Floats
    shape: Ints


class Scene(NamedTuple):
    """The state of a separation. Row i of ``pose`` is x, y, cos, sin and turn (radians) of item i's centroid.

    ``weight`` and ``pain`` (n, n) and ``ground_weight``, ``own_pain`` (n,) are between items and against
    the ground. ``fair_of`` and ``show_of`` give each variant's grounds (-1: none). Turns a variant v may
    have where line l holds: ``turns[turn_at[v, l]:turn_at[v, l + 1]]``, as middle and half width in
    radians. Cells where its largest circle fits: ``cells[cell_at[v]:cell_at[v + 1]]``. ``end[0]``: how far
    along the hide pieces may reach. ``least``: least pain of this separation, rounds since. ``before``: each
    point's neighbour in its ring, counted in its body. ``flat[g]``: bounds of a ground that is one upright
    rectangle (else nothing lies between them). ``state``: of each item in ``sums``, -1 where it has none
    there. ``count[0]``: poses weighed so far. The last row of ``floor``
    and ``discs`` (item, circle: x, y, r) is the pose that is being weighed; ``bounds`` are its boxes once
    more, (4, n). Circles about BLOCK sides of a body each: ``blocks[block_at[k]:block_at[k + 1]]``. ``near``, ``here``, ``hot``, ``unsure``, ``meets``,
    ``if_met``, ``tops``, ``order`` and ``scratch`` are room to work in.
    """

    bodies: Bodies
    floor: Floor
    pose: Floats
    weight: Floats
    ground_weight: Floats
    pain: Floats
    own_pain: Floats
    pinned: NDArray[np.bool_]
    fair_of: Ints
    show_of: Ints
    grounds: Grounds
    lines: NDArray[np.int16]
    turns: Floats
    turn_at: Ints
    cells: Ints
    cell_at: Ints
    end: Floats
    least: Floats
    scratch: Floats
    step: float
    before: Ints
    flat: Floats
    discs: Floats
    bounds: Floats
    blocks: Floats
    block_at: Ints
    meets: NDArray[np.bool_]
    near: Ints
    here: Ints
    hot: Floats
    unsure: Ints
    if_met: Floats
    tops: Floats
    order: Ints
    count: Ints
    state: Ints
    sums: Sums


@dataclass(frozen=True)
class Item:
    """What lies in a slot of a scene."""

    variant: Variant
    copy: int
    fixed: bool


@dataclass(frozen=True)
class Snapshot:
    """A scene's items with their poses, to return to."""

    items: dict[int, Item]
    pose: Floats


class SceneOf:
    """A scene of a hide table, and what lies in each of its slots: what lies on the table, or ``lying``
    instead.
    """

    def __init__(self, table: HideTable, capacity: int, lying: Iterable[Lying] | None = None) -> None:
        self.table, self.bank = table, table.bank
        self.items: dict[int, Item] = {}
        self.state = build_scene(table, capacity)
        for item in table.lying.values() if lying is None else lying:
            self.add(
                item.variant,
                item.copy,
                item.spot.x,
                item.spot.y,
                math.radians(item.spot.turn_deg),
                fixed=item.fixed,
            )

    @property
    def capacity(self) -> int:
        return len(self.state.pose) - 1

    def free_slot(self) -> int:
        """Return a slot that nothing lies in; -1 where all are taken."""
        return next((i for i in range(self.capacity) if i not in self.items), -1)

    def open(self, slot: int, variant: Variant, copy: int, fixed: bool = False) -> None:
        """Take a slot for a variant without laying it down yet."""
        s = self.state
        self.items[slot] = Item(variant, copy, fixed)
        s.floor.variant[slot] = variant.index
        s.floor.live[slot] = False
        s.floor.used[0] = max(int(s.floor.used[0]), slot + 1)
        s.pinned[slot] = fixed
        s.weight[slot, :] = s.weight[:, slot] = 1.0
        s.ground_weight[slot] = 1.0
        s.pain[slot, :] = s.pain[:, slot] = 0.0
        s.own_pain[slot] = 0.0

    def add(self, variant: Variant, copy: int, x: float, y: float, turn: float, fixed: bool = False) -> int:
        """Lay a variant down, overlapping or not; return its slot, or -1 where all are taken."""
        slot = self.free_slot()
        if slot >= 0:
            self.open(slot, variant, copy, fixed)
            kernels.set_down(self.state, slot, variant.index, x, y, turn)
            self.state.floor.live[slot] = True
        return slot

    def take(self, slot: int) -> Item:
        """Take an item up."""
        self.state.floor.live[slot] = False
        self.state.pain[slot, :] = self.state.pain[:, slot] = 0.0
        self.state.own_pain[slot] = 0.0
        return self.items.pop(slot)

    def snapshot(self) -> Snapshot:
        """Remember what lies where."""
        return Snapshot(dict(self.items), self.state.pose.copy())

    def back_to(self, kept: Snapshot) -> None:
        """Return to what was remembered."""
        s = self.state
        s.floor.live[:] = False
        self.items = dict(kept.items)
        for slot, item in kept.items.items():
            s.floor.variant[slot] = item.variant.index
            s.floor.live[slot] = True
            s.pinned[slot] = item.fixed
        s.floor.used[0] = max(kept.items, default=-1) + 1
        s.pose[:] = kept.pose
        kernels.lay_all(s)

    def show(self, lying: Mapping[int, Lying]) -> None:
        """Lay what lies in each slot of a table, in place of what lies here."""
        pose = np.zeros_like(self.state.pose)
        for slot, item in lying.items():
            turn = math.radians(item.spot.turn_deg)
            pose[slot] = item.spot.x, item.spot.y, math.cos(turn), math.sin(turn), turn
        self.back_to(Snapshot({i: Item(v.variant, v.copy, v.fixed) for i, v in lying.items()}, pose))

    def lying(self) -> list[Lying]:
        """Return what lies here as the table knows it."""
        return list(self.lying_by_slot().values())

    def lying_by_slot(self) -> dict[int, Lying]:
        """Return what lies in each slot as the table knows it."""
        pose = self.state.pose
        return {
            i: Lying(
                item.variant,
                item.copy,
                Spot(0, float(pose[i, 0]), float(pose[i, 1]), math.degrees(pose[i, 4]), 0.0),
                item.fixed,
            )
            for i, item in self.items.items()
        }


def build_scene(table: HideTable, capacity: int) -> Scene:
    """Return an empty scene of a hide: grounds, turns and cells of every variant of its bank."""
    bank: Bank = table.bank
    grounds: list[Ground] = []
    index: dict[int, int] = {}
    fair_of, show_of = [], []

    def number(ground: Ground | None) -> int:
        if ground is None:
            return -1
        if id(ground) not in index:
            index[id(ground)] = len(grounds)
            grounds.append(ground)
        return index[id(ground)]

    for variant in bank.variants:
        own = table.ground(variant)
        fair_of.append(number(own.fair))
        show_of.append(number(own.off_show))
    lines, line_cells = table.lines(grounds[0])
    turns, turn_at = _turns(table, lines)
    cells, cell_at = _cells(table, grounds, fair_of)
    points = bank.max_points
    # One row more, for the pose that is being weighed.
    floor = bare_floor(capacity + 1, points)
    return Scene(
        bank.apart,
        floor,
        np.zeros((capacity + 1, 5)),
        np.ones((capacity, capacity)),
        np.ones(capacity),
        np.zeros((capacity, capacity)),
        np.zeros(capacity),
        np.zeros(capacity, np.bool_),
        np.array(fair_of),
        np.array(show_of),
        _flatten(grounds),
        line_cells,
        turns,
        turn_at,
        cells,
        cell_at,
        np.array([1e9]),
        np.zeros(2),
        np.zeros((points, 2)),
        CELL_MM,
        _before(bank.apart),
        np.array([_rectangle(g) for g in grounds]),
        np.zeros((capacity + 1, CIRCLES, 3)),
        np.zeros((4, capacity + 1)),
        *_blocks(bank.apart),
        np.zeros(capacity + 1, np.bool_),
        np.zeros(CIRCLES, np.int64),
        np.zeros(points, np.int64),
        np.zeros((points, 3)),
        np.zeros(capacity, np.int64),
        np.zeros(capacity),
        np.zeros((3, 4)),
        np.zeros(capacity, np.int64),
        np.zeros(1, np.int64),
        np.full(capacity, -1, np.int64),
        sums_for(bank, turns, turn_at),
    )


def sums_for(bank: Bank, turns: Floats, turn_at: Ints) -> Sums:
    """Return the sums of a bank, made once for the same turns."""
    key = (turns.tobytes(), turn_at.tobytes())
    if key not in bank.sums:
        bank.sums[key] = sums_of(bank, turns, turn_at)
    return bank.sums[key]


def _before(bodies: Bodies) -> Ints:
    """Each point's neighbour in its ring, counted from the first point of its body."""
    out = np.zeros(len(bodies.pts), np.int64)
    for k in range(len(bodies.pt_at) - 1):
        starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
        for a, b in pairwise(starts):
            out[bodies.pt_at[k] + a : bodies.pt_at[k] + b] = np.roll(np.arange(a, b), 1)
    return out


def _blocks(bodies: Bodies) -> tuple[Floats, Ints]:
    """Circles (x, y, r) about each BLOCK sides of every body in turn, and where a body's begin."""
    before = _before(bodies)
    out, at = [], [0]
    for k in range(len(bodies.pt_at) - 1):
        a, b = int(bodies.pt_at[k]), int(bodies.pt_at[k + 1])
        for first in range(a, b, kernels.BLOCK):
            own = np.arange(first, min(first + kernels.BLOCK, b))
            ends = np.concatenate([bodies.pts[own], bodies.pts[a + before[own]]])
            middle = (ends.min(axis=0) + ends.max(axis=0)) / 2
            out.append((*middle, float(np.hypot(*(ends - middle).T).max()) + 1e-9))
        at.append(len(out))
    return np.array(out).reshape(-1, 3), np.array(at, np.int64)


def _rectangle(ground: Ground) -> tuple[float, float, float, float]:
    """Bounds of a ground that is one upright rectangle; nothing lies between them where it is not."""
    if len(ground.pts) == 4 and len(ground.starts) == 2:
        lo, hi = ground.pts.min(axis=0), ground.pts.max(axis=0)
        if np.all((ground.pts == lo) | (ground.pts == hi)):
            return float(lo[0]), float(lo[1]), float(hi[0]), float(hi[1])
    return 0.0, 0.0, 0.0, 0.0


def _turns(table: HideTable, lines: tuple[float, ...]) -> tuple[Floats, Ints]:
    out: list[tuple[float, float]] = []
    at = np.zeros((len(table.bank.variants), len(lines) + 1), np.int64)
    policy = table.job.policy
    for variant in table.bank.variants:
        for k, line in enumerate(lines):
            at[variant.index, k] = len(out)
            fair = (
                ((0.0, 180.0),)
                if any_way(variant.piece, policy)
                else fair_turns(variant.piece, line, variant.mirrored, policy)
            )
            out += [(math.radians(middle), math.radians(half)) for middle, half in fair]
        at[variant.index, len(lines)] = len(out)
    return np.array(out), at


def _cells(table: HideTable, grounds: list[Ground], fair_of: list[int]) -> tuple[Ints, Ints]:
    bodies = table.bank.apart
    out: list[Any] = []
    at = [0]
    # A roll is only looked at as far as it is in use.
    extent = table.extent() if table.hide.is_roll else None
    within = math.ceil((extent[1] - table.origin[0]) / CELL_MM) if extent else None
    for variant, g in zip(table.bank.variants, fair_of, strict=True):
        k = variant.index * BODIES + NEAR
        x, y, r = bodies.circles[bodies.circle_at[k]]
        # The largest circle's centre may lie off the centroid by so much, whatever the turn.
        field = grounds[g].field[:, :within]
        rows, cols = np.nonzero(field >= r - SLACK_MM - math.hypot(x, y))
        out.append(rows * grounds[g].field.shape[1] + cols)
        at.append(at[-1] + len(rows))
    return np.concatenate(out).astype(np.int64), np.array(at, np.int64)


def _flatten(grounds: list[Ground]) -> Grounds:
    def starts_of(sizes: list[int]) -> Ints:
        return np.cumsum([0, *sizes]).astype(np.int64)

    first = grounds[0]
    return Grounds(
        np.concatenate([g.pts for g in grounds]),
        starts_of([len(g.pts) for g in grounds]),
        np.concatenate([g.starts for g in grounds]),
        starts_of([len(g.starts) for g in grounds]),
        np.concatenate([g.before for g in grounds]),
        np.concatenate([g.edges for g in grounds]),
        starts_of([len(g.edges) for g in grounds]),
        np.stack([g.bucket_at for g in grounds]),
        np.stack([g.field for g in grounds]),
        first.field_origin,
        first.shape,
    )
