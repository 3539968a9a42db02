"""One hide as the separation works on it: pieces with poses that may overlap, weights and pains."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.bank import BODIES, NEAR, Bank, Bodies, Variant
from fairlay.core.engine.ground import CELL_MM, Ground
from fairlay.core.engine.layer import Floor, Lying, Spot, bare_floor
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
    along the hide pieces may reach. ``least``: least pain of this separation, rounds since.
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
        return len(self.state.pose)

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
            kernels.set_down(self.state, slot, x, y, turn)
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
        s.weight[:] = 1.0
        s.ground_weight[:] = 1.0
        s.pain[:] = 0.0
        s.own_pain[:] = 0.0
        self.items = {}
        for slot, item in kept.items.items():
            self.open(slot, item.variant, item.copy, item.fixed)
            kernels.set_down(s, slot, kept.pose[slot, 0], kept.pose[slot, 1], kept.pose[slot, 4])
            s.floor.live[slot] = True

    def lying(self) -> list[Lying]:
        """Return what lies here as the table knows it."""
        pose = self.state.pose
        return [
            Lying(
                item.variant,
                item.copy,
                Spot(0, float(pose[i, 0]), float(pose[i, 1]), math.degrees(pose[i, 4]), 0.0),
                item.fixed,
            )
            for i, item in self.items.items()
        ]


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
    floor = bare_floor(capacity, points)
    return Scene(
        bank.apart,
        floor,
        np.zeros((capacity, 5)),
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
    )


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
