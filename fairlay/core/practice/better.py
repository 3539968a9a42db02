"""The changes that would gain a lay most, each by itself, to be replayed step by step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Final

from shapely import STRtree
from shapely.geometry.base import BaseGeometry

from fairlay.core.hand.moves import best_angle
from fairlay.core.hand.open_ground import HandTable
from fairlay.core.lay.check import broken_rules
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.shapes.placing import Placing, place_region

Key = tuple[str, int]
TOUCH_MM2: Final = 20.0
MOST_TRIED: Final = 24


@dataclass(frozen=True)
class Gain:
    """One change of a lay: taken ``up``, put ``down`` (moved or new), and the m2 of worth it gains. ``words``
    says it.
    """

    up: tuple[Key, ...]
    down: tuple[Placement, ...]
    m2: float
    words: str


def gains(job: Job, lay: Lay, better: Lay, most: int = 3) -> tuple[Gain, ...]:
    """Return the changes that gain most, in an order in which they can be made one after another: pieces
    that find a place as it is first, then what a ``better`` lay does otherwise, parted into changes that have
    nothing to do with each other.
    """
    lies = list(lay.placements)
    out = list(_into_gaps(job, lies, most))
    for gain in out:
        lies += gain.down
    if len(out) < most:
        now = replace(lay, placements=tuple(lies))
        fair = (g for g in _parted(job, lies, better) if not broken_rules(job, made(now, g)))
        out += islice(fair, most - len(out))
    return tuple(sorted(out, key=lambda g: -g.m2)) if _apart(out) else tuple(out)


def _apart(found: Sequence[Gain]) -> bool:
    keys = [k for g in found for k in {*g.up, *((p.piece, p.copy) for p in g.down)}]
    return len(keys) == len(set(keys))


def _into_gaps(job: Job, lies: Sequence[Placement], most: int) -> list[Gain]:
    now = list(lies)
    out: list[Gain] = []
    tables = [HandTable(job, h) for h in job.hides]
    tried: set[str] = set()
    wanted = sorted(_left(job, now), key=lambda k: -_worth(job, k[0]))
    for piece, copy in wanted[:MOST_TRIED]:
        if piece in tried or len(out) == most:
            continue
        for table in tables:
            found = best_angle(
                table, Placement(piece, copy, table.hide.id, Placing(0, 0, 0, _mirror(job, piece, now))), now
            )
            if found is not None:
                now.append(found[0])
                out.append(Gain((), (found[0],), _worth(job, piece), f"{piece} fits in a gap as it is"))
                break
        else:
            tried.add(piece)
    return out


def _mirror(job: Job, piece: str, lies: Sequence[Placement]) -> bool:
    """Whether the next copy of a pair is the mirrored one."""
    own = [p.at.mirrored for p in lies if p.piece == piece]
    return job.pieces_by_id[piece].pair and own.count(True) < own.count(False)


def _left(job: Job, lies: Sequence[Placement]) -> list[Key]:
    there = {(p.piece, p.copy) for p in lies}
    return [(p.id, k) for p in job.pieces for k in range(p.quantity) if (p.id, k) not in there]


def _worth(job: Job, piece: str) -> float:
    own = job.pieces_by_id[piece]
    return own.area_mm2 * own.value / 1e6


def _parted(job: Job, lies: Sequence[Placement], better: Lay) -> list[Gain]:
    before = {(p.piece, p.copy): p for p in lies}
    after = {(p.piece, p.copy): p for p in better.placements}
    keys = [k for k in dict.fromkeys((*before, *after)) if before.get(k) != after.get(k)]
    old = {k: _shape(job, before[k]) for k in keys if k in before}
    new = {k: _shape(job, after[k]) for k in keys if k in after}
    group = {k: k for k in keys}

    def root(k: Key) -> Key:
        while group[k] != k:
            k = group[k]
        return k

    names, shapes = list(old), list(old.values())
    tree = STRtree(shapes)
    for k, shape in new.items():
        for i in tree.query(shape):
            if names[i] != k and shape.intersection(shapes[i]).area > TOUCH_MM2:
                group[root(k)] = root(names[i])
    parts: dict[Key, list[Key]] = {}
    for k in keys:
        parts.setdefault(root(k), []).append(k)
    found = []
    for own in parts.values():
        gain = sum(_worth(job, k[0]) for k in own if k in after) - sum(
            _worth(job, k[0]) for k in own if k in before
        )
        if gain <= 1e-6:
            continue
        down = tuple(after[k] for k in own if k in after)
        up = tuple(k for k in own if k not in after)
        fresh = [k for k in own if k not in before]
        words = (
            f"{len(down) - len(fresh)} moved"
            + (f", {len(up)} taken up" if up else "")
            + " to lay "
            + ", ".join(sorted({k[0] for k in fresh})[:3])
        )
        found.append(Gain(up, down, gain, words))
    return sorted(found, key=lambda g: -g.m2)


def _shape(job: Job, p: Placement) -> BaseGeometry:
    return place_region(job.pieces_by_id[p.piece].region, p.at)


def made(lay: Lay, gain: Gain) -> Lay:
    """Return a lay with one change made."""
    down = {(p.piece, p.copy) for p in gain.down}
    rest = tuple(
        p for p in lay.placements if (p.piece, p.copy) not in down and (p.piece, p.copy) not in gain.up
    )
    return replace(lay, placements=(*rest, *gain.down))
