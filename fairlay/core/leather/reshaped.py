"""A hide that is known, turned, moved, cut or outlined anew: what is known of it goes along."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadHide
from fairlay.core.leather.hide import Zone
from fairlay.core.leather.looking_over import LookingOver, Points, _drawn, with_step
from fairlay.core.leather.mend import painted, parted
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.shapes.rings import as_points, clean_ring, common, pieces_of, writable
from fairlay.core.tolerances import MIN_PIECE_AREA_MM2

DECIMALS = 2
"""Figures after the point of what is cut or painted: hundredths of a mm."""
LEAST_LEFT_MM2 = 4.0
"""Less of a ring than this is nothing to lay around."""


def with_outline(looking: LookingOver, outline: Points, holes: Sequence[Points] = ()) -> LookingOver:
    """Return the document with an outline drawn anew where the hide lies; the usual map is laid on it
    anew.
    """
    ring = clean_ring(outline, "the outline")
    inner = [clean_ring(h, f"hole {i + 1}") for i, h in enumerate(holes)]
    for i, h in enumerate(inner):
        if not Polygon(ring).contains(Polygon(h)):
            raise BadHide(
                f"hole {i + 1} is not inside the outline", value=i + 1, expected="holes inside the hide"
            )
    return relaid(
        at_origin(
            replace(
                looking, outline=as_points(ring, 2), holes=[as_points(h, 2) for h in inner], measured=True
            )
        )
    )


def turned(looking: LookingOver, tail: tuple[float, float], neck: tuple[float, float]) -> LookingOver:
    """Return the document turned so that the backbone runs along the top, and the usual map laid on it anew;
    the step is done.

    ``tail`` and ``neck`` are places on the backbone as the hide lies now, in mm. Raises BadHide for two
    places that are one.
    """
    return with_step(relaid(placed(looking, tail, neck)), "backbone", True)


def placed(
    looking: LookingOver, tail: tuple[float, float], neck: tuple[float, float], turn_over: bool = False
) -> LookingOver:
    """Return the document turned so that the line from ``tail`` to ``neck`` runs along the top with the
    leather below.

    Leather is never mirrored on the way, or screen and table would not agree: a side of the other hand hangs
    with its neck at the left, and says so. Only ``turn_over`` mirrors it: it was seen from its flesh side.
    Raises BadHide for two places that are one.
    """
    if turn_over:
        looking = moved(looking, (-1.0, 0.0, 0.0, 1.0, 0.0, 0.0))
        tail, neck = (-tail[0], tail[1]), (-neck[0], neck[1])
    dx, dy = neck[0] - tail[0], neck[1] - tail[1]
    long = math.hypot(dx, dy)
    if long < 50:
        raise BadHide(
            f"tail and neck are {long:.0f} mm apart", value=long, expected="the two ends of the backbone"
        )
    c, s = dx / long, dy / long
    middle = Polygon(looking.ring).centroid
    below = -s * (middle.x - tail[0]) + c * (middle.y - tail[1])
    other = below < 0 and looking.kind != "whole"
    if other:
        c, s = -c, -s
    return replace(at_origin(moved(looking, (c, -s, s, c, 0.0, 0.0))), neck_left=other)


def moved(looking: LookingOver, m: tuple[float, float, float, float, float, float]) -> LookingOver:
    """Return everything of a document through x' = a x + c y + e, y' = b x + d y + f, a turn and a move;
    mirrored where that turns over.
    """
    a, b, c, d, e, f = m

    def point(x: float, y: float) -> tuple[float, float]:
        return round(a * x + c * y + e, 3), round(b * x + d * y + f, 3)

    def ring(points: Points) -> Points:
        return [list(point(x, y)) for x, y in points]

    def way(deg: float) -> float:
        t = math.radians(deg)
        return (
            math.degrees(math.atan2(b * math.cos(t) + d * math.sin(t), a * math.cos(t) + c * math.sin(t)))
            % 180.0
        )

    pulls = [replace(p, x=point(p.x, p.y)[0], y=point(p.x, p.y)[1], deg=way(p.deg)) for p in looking.pulls]
    if a * d - b * c < 0:
        # Turned over, "half way between" lies on the other side: along and across change places, and so do
        # the two ways.
        pulls = [
            p
            if p.between_mm is None
            else replace(p, deg=(p.deg + 90.0) % 180.0, along_mm=p.across_mm, across_mm=p.along_mm)
            for p in pulls
        ]
    drop = looking.backdrop
    if drop is not None:
        p, q, r, s, t, u = drop.matrix
        drop = replace(
            drop,
            matrix=(
                a * p + c * q,
                b * p + d * q,
                a * r + c * s,
                b * r + d * s,
                a * t + c * u + e,
                b * t + d * u + f,
            ),
        )
    return replace(
        looking,
        outline=ring(looking.outline),
        holes=[ring(h) for h in looking.holes],
        pulls=pulls,
        backdrop=drop,
        guess=[replace(z, outline=ring(z.outline), stretch_deg=way(z.stretch_deg)) for z in looking.guess],
        flaws=[replace(w, outline=ring(w.outline)) for w in looking.flaws],
        readings=[replace(r, x=point(r.x, r.y)[0], y=point(r.x, r.y)[1]) for r in looking.readings],
    )


def at_origin(looking: LookingOver) -> LookingOver:
    """Return the document moved so that the hide's bounds begin at (0, 0)."""
    x0, y0 = np.asarray(looking.outline).min(axis=0)
    return moved(looking, (1.0, 0.0, 0.0, 1.0, -float(x0), -float(y0)))


def relaid(looking: LookingOver) -> LookingOver:
    """Return the document with the usual map laid on its outline anew, from whichever end the neck is at."""
    ring = looking.ring
    if not looking.neck_left:
        return replace(looking, guess=_drawn(usual_map(looking.kind, ring)))
    x0, x1 = float(ring[:, 0].min()), float(ring[:, 0].max())
    zones = usual_map(looking.kind, ring * [-1, 1] + [x0 + x1, 0])
    return replace(
        looking,
        guess=_drawn(
            [
                Zone(z.outline * [-1, 1] + [x0 + x1, 0], z.tightness, (180.0 - z.stretch_deg) % 180.0)
                for z in zones
            ]
        ),
    )


def brushed(looking: LookingOver, stroke: Points, width_mm: float, add: bool) -> LookingOver:
    """Return the document with leather painted on to its outline, or off it, by a stroke of a width.

    The map and all else stay. Raises BadHide where nothing would be left.
    """
    return _with_region(
        looking, painted(Polygon(looking.ring, looking.hole_rings).buffer(0), stroke, width_mm, add)
    )


def cut_along(looking: LookingOver, line: Points) -> tuple[LookingOver, tuple[LookingOver, ...]]:
    """Return the document cut along a line drawn across the hide, the largest part kept; and those of the
    parts that came off, larger ones first: offcuts that take along what lies on them. Raises BadHide for a
    line that parts nothing.
    """
    kept, off = parted(Polygon(looking.ring, looking.hole_rings).buffer(0), line)
    if not off:
        raise BadHide(
            "the line does not part the hide",
            value=len(line),
            expected="a line from edge to edge; nothing was cut",
        )
    came_off = tuple(replace(_with_region(looking, part), kind="offcut") for part in off)
    return _with_region(looking, kept), came_off


def part_of(looking: LookingOver, ground: Polygon) -> LookingOver:
    """Return what is known of a part of a hide, as an offcut of its own: what lies on it comes along."""
    return replace(_with_region(looking, ground), kind="offcut")


def _with_region(looking: LookingOver, region: Polygon) -> LookingOver:
    kept = writable(region, DECIMALS)
    outlined = replace(
        looking,
        outline=as_points(np.asarray(kept.exterior.coords)[:-1], DECIMALS),
        holes=[
            as_points(np.asarray(r.coords)[:-1], DECIMALS)
            for r in kept.interiors
            if Polygon(r).area >= MIN_PIECE_AREA_MM2
        ],
        measured=True,
    )
    return at_origin(kept_on(outlined, kept))


def kept_on(looking: LookingOver, leather: Polygon) -> LookingOver:
    """Return the document with only what lies on a region in mm.

    A ring that its edge runs through is kept as far as it lies on leather, but for a sliver.
    """
    shown = (
        (f, max(pieces_of(common(Polygon(f.outline).buffer(0), leather)), key=lambda p: p.area, default=None))
        for f in looking.flaws
    )
    inside = [
        replace(f, outline=as_points(np.asarray(writable(p, DECIMALS).exterior.coords)[:-1], DECIMALS))
        for f, p in shown
        if p is not None and p.area >= LEAST_LEFT_MM2
    ]
    near = leather.buffer(5.0)
    return replace(
        looking,
        flaws=inside,
        pulls=[p for p in looking.pulls if near.contains(Point(p.x, p.y))],
        readings=[r for r in looking.readings if near.contains(Point(r.x, r.y))],
    )
