"""Spot the fault: a lay that looks well, with one thing in it that would spoil the batch."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal, get_args

import numpy as np
from shapely.affinity import rotate
from shapely.geometry import LineString, Polygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.engine import lay_job
from fairlay.core.errors import Refused
from fairlay.core.forecast.stock import Source, made_up
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.practice.look import check_level
from fairlay.core.rules import Policy
from fairlay.core.shapes.placing import Placing, place_points, place_region
from fairlay.core.shapes.rings import Ring, pieces_of

Fault = Literal["missing mirror", "too loose", "twisted half", "across the grain", "on unsound leather"]
FAULTS: Final[tuple[Fault, ...]] = get_args(Fault)
FAULT_WORDS: Final[dict[str, str]] = {
    "missing mirror": "a pair has no mirror",
    "too loose": "a piece lies on leather too loose for it",
    "twisted half": "a half pattern was turned over out of square",
    "across the grain": "a piece lies across its grain",
    "on unsound leather": "a piece lies over unsound leather",
}
PIECES_AT: Final = {1: 8, 2: 14, 3: 22, 4: 32, 5: 44}
TWIST_AT: Final = {1: 14.0, 2: 10.0, 3: 7.0, 4: 5.0, 5: 3.5}
"""Degrees by which half a piece was turned over out of square."""
OFF_GRAIN_AT: Final = {1: 90.0, 2: 75.0, 3: 60.0, 4: 45.0, 5: 35.0}
SECONDS_AT: Final = {1: 120.0, 2: 120.0, 3: 90.0, 4: 75.0, 5: 60.0}
LATE_PER_S: Final = 0.5
WRONG_PRESS: Final = 30.0


@dataclass(frozen=True)
class FaultRound:
    """A lay with a fault: ``rings`` are the outlines as they are drawn, by placement; ``guilty``: the index
    of the placement, ``also``: others that it is just as right to name (the rest of a pair).
    """

    hide: Hide
    job: Job
    lies: tuple[Placement, ...]
    rings: tuple[Ring, ...]
    fault: Fault
    guilty: int
    also: tuple[int, ...]
    seconds: float


def fault_round(pieces: Sequence[Piece], seed: int, level: int, clock: Callable[[], float]) -> FaultRound:
    """Return a lay with a fault, of some pieces (quantities are set here). The same seed gives the same.

    Raises Refused where no piece allows for a fault.
    """
    check_level(level)
    rng = np.random.default_rng([seed, level, 11])
    source = Source("practice", "side", "practice", area_m2=1.9, flaws_per_m2=(1.5, 1.5, 1.2))
    hide = made_up(source, "practice", rng)
    own = [p for p in pieces if p.area_mm2 > 1500]
    if not own:
        raise Refused("the shop has no pieces yet", value=0, expected="an article with pieces first")
    each = max(2, math.ceil(PIECES_AT[level] / len(own)))
    each += each % 2
    job = Job(
        "fault",
        (hide,),
        tuple(replace(p, quantity=each, splits=()) for p in own),
        Policy(),
        "fill",
        seed=seed,
    )
    lay = lay_job(job, clock, seconds=60.0, steps=1, reasons=False)
    lies = sorted(lay.placements, key=lambda p: -job.pieces_by_id[p.piece].area_mm2)[: 2 * PIECES_AT[level]]
    order = [FAULTS[i] for i in rng.permutation(len(FAULTS))]
    for fault in order:
        for index in rng.permutation(len(lies)):
            made = _with(fault, job, hide, lies, int(index), level, rng)
            if made is not None:
                return replace(made, seconds=SECONDS_AT[level])
    raise Refused("none of these pieces allows for a fault", value=len(own), expected="pieces with needs")


def _with(
    fault: Fault,
    job: Job,
    hide: Hide,
    lies: Sequence[Placement],
    index: int,
    level: int,
    rng: np.random.Generator,
) -> FaultRound | None:
    """A lay with one fault at one of its placements; None where that piece has no such fault."""
    p = lies[index]
    piece = job.pieces_by_id[p.piece]
    rest = [q for k, q in enumerate(lies) if k != index]
    also: list[Placement] = []
    ring: Ring | None = None
    if fault == "missing mirror":
        twins = [q for q in rest if q.piece == p.piece]
        if not piece.pair or not twins or _mirrors_itself(piece):
            return None
        moved = _about_middle(piece, p.at, mirrored=not p.at.mirrored)
        also = [q for q in twins if q.at.mirrored == moved.mirrored]
        if sum(q.at.mirrored for q in (*twins, replace(p, at=moved))) * 2 == len(twins) + 1:
            return None
    elif fault == "too loose":
        if piece.max_tightness > 2:
            return None
        ground = [shown for zone, shown in hide.zone_regions if zone.tightness == 4]
        found = _onto(piece, p.at, ground, hide, rng)
        if found is None:
            return None
        moved = found
    elif fault == "on unsound leather":
        ground = [shown for flaw, shown in hide.flaw_regions if flaw.severity == 3]
        found = _onto(piece, p.at, ground, hide, rng)
        if found is None:
            return None
        moved = found
    elif fault == "across the grain":
        if piece.grain.any_way or piece.grain.tolerance_deg > OFF_GRAIN_AT[level] / 2:
            return None
        turn = OFF_GRAIN_AT[level] * float(rng.choice((-1.0, 1.0)))
        moved = _about_middle(
            piece, replace(p.at, rotation_deg=p.at.rotation_deg + turn), mirrored=p.at.mirrored, keep=p.at
        )
    else:
        twisted = _twisted(piece, TWIST_AT[level] * float(rng.choice((-1.0, 1.0))))
        if twisted is None:
            return None
        ring, moved = place_points(twisted, p.at), p.at
    mine = replace(p, at=moved)
    shape = place_region(piece.region, moved) if ring is None else Polygon(ring)
    if not hide.within_margin.buffer(1.0).covers(shape):
        return None
    # What would lie under it gives way: the lay looks as if somebody had laid it so.
    kept = [
        q
        for q in rest
        if place_region(job.pieces_by_id[q.piece].region, q.at).intersection(shape).area < 30.0
    ]
    out = (*kept, mine)
    own = place_points(piece.outline, moved) if ring is None else ring
    rings = (*(place_points(job.pieces_by_id[q.piece].outline, q.at) for q in kept), own)
    return FaultRound(
        hide,
        job,
        out,
        rings,
        fault,
        len(out) - 1,
        tuple(k for k, q in enumerate(kept) if q in also),
        0.0,
    )


def _mirrors_itself(piece: Piece) -> bool:
    """Whether a piece turned over is the same again, some way round."""
    middle = piece.region.centroid
    over = Polygon([(2 * middle.x - x, y) for x, y in piece.region.exterior.coords])
    same = min(
        rotate(over, turn, origin=middle).symmetric_difference(piece.region).area
        for turn in range(0, 360, 15)
    )
    return bool(same < 0.06 * piece.area_mm2)


def _about_middle(piece: Piece, at: Placing, *, mirrored: bool, keep: Placing | None = None) -> Placing:
    """A placing turned or turned over about the middle of the piece where it lies."""
    was = place_region(piece.region, keep or at).centroid
    new = replace(at, mirrored=mirrored)
    now = place_region(piece.region, new).centroid
    return replace(new, x=new.x + was.x - now.x, y=new.y + was.y - now.y)


def _onto(
    piece: Piece, at: Placing, grounds: Sequence[BaseGeometry], hide: Hide, rng: np.random.Generator
) -> Placing | None:
    """The piece moved, as it lies, onto one of some grounds, wholly on the leather."""
    shape = place_region(piece.region, at)
    for k in rng.permutation(len(grounds)):
        to, mine = grounds[int(k)].centroid, shape.centroid
        moved = replace(at, x=at.x + to.x - mine.x, y=at.y + to.y - mine.y)
        if hide.within_margin.covers(place_region(piece.region, moved)):
            return moved
    return None


def _twisted(piece: Piece, deg: float) -> Ring | None:
    """The outline of a piece whose one half was turned over out of square, about its middle line; None for
    one that is no two halves.
    """
    region = piece.region
    middle = region.centroid
    over = Polygon([(2 * middle.x - x, y) for x, y in region.exterior.coords])
    if over.symmetric_difference(region).area > 0.05 * region.area:
        return None
    x0, y0, x1, y1 = region.bounds
    half = region.intersection(box(x0 - 1, y0 - 1, middle.x, y1 + 1))
    other = region.intersection(box(middle.x - 0.5, y0 - 1, x1 + 1, y1 + 1))
    line = LineString([(middle.x, y0), (middle.x, y1)]).intersection(region)
    pivot = line.interpolate(0.0) if not line.is_empty else middle
    both = half.union(rotate(other, deg, origin=pivot)).buffer(0.4).buffer(-0.4)
    part = max(pieces_of(both), key=lambda p: p.area, default=None)
    if part is None or part.symmetric_difference(region).area < 0.01 * region.area:
        return None
    ring: Ring = np.asarray(part.exterior.coords)[:-1]
    return ring


def fault_score(asked: FaultRound, pressed: Sequence[int], named: str, spent_s: float) -> float:
    """Return 0 to 100: the right piece named with its fault is 100, less for each wrong piece pressed before
    it, and for being late; the right piece with another fault is half.
    """
    if not pressed or pressed[-1] not in (asked.guilty, *asked.also):
        return 0.0
    score = 100.0 if named == asked.fault else 50.0
    late = max(0.0, spent_s - asked.seconds)
    return max(0.0, score - WRONG_PRESS * (len(set(pressed)) - 1) - LATE_PER_S * late)
