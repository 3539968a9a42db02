"""Why a piece may not lie where it is held: each rule that forbids it, the ground in question, and what would
clear it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from fairlay.core.hand.open_ground import HandTable, Held
from fairlay.core.lay.check import Because, why_not
from fairlay.core.lay.lay import Placement
from fairlay.core.leather import Hide
from fairlay.core.rules import gap, grain, reserved, show_face, thickness, tightness, unsound
from fairlay.core.shapes.placing import Placing, place_region
from fairlay.core.shapes.rings import union

NEAR_MM: Final = 400.0
"""A place farther off than this is another place, and no nudge."""
CRUMB_MM2: Final = 1e-9
WEIGHT: Final = (grain.NAME, thickness.NAME, tightness.NAME, show_face.NAME, reserved.NAME, unsound.NAME)
"""What the leather itself forbids comes first, since a nudge seldom cures it: the angle, then the leather
under the piece, then marks; edge and neighbours come last.
"""


@dataclass(frozen=True)
class Why:
    """Why a piece may not lie where it is held: nothing in ``because`` where it may. What weighs most comes
    first, by ``WEIGHT`` and then by how much of the piece it is; neighbours are one reason, the last.

    ``nearest`` is where its origin would go, nearest to where it is, and ``help`` says so in words.
    """

    because: tuple[Because, ...]
    nearest: tuple[float, float] | None
    help: str


def why(table: HandTable, held: Held, at: tuple[float, float], lying: Sequence[Placement]) -> Why:
    """Return why a held piece may not lie with its origin at a place, beside what lies on the hide."""
    because = _by_weight(reasons(table, held, held.at(*at), lying))
    if not because:
        return Why((), at, "it may lie here")
    open_to_it = table.open_ground(held, lying)
    if open_to_it.region.is_empty:
        words = "As it is held there is no place for it on this hide"
        return Why(because, None, words + (f": {open_to_it.sentence}" if open_to_it.sentence else ""))
    near, _ = nearest_points(open_to_it.region, Point(at))
    dx, dy = near.x - at[0], near.y - at[1]
    return Why(because, (near.x, near.y), _help(table.hide, dx, dy))


def reasons(table: HandTable, held: Held, at: Placing, lying: Sequence[Placement]) -> list[Because]:
    """Return each rule of distance, place and angle that a held piece breaks at a placing, with where on the
    piece.
    """
    shape = place_region(held.piece.region, at)
    placed = [
        replace(found, sentence=found.sentence + _whereabouts(table.hide, shape, found.ground))
        for found in why_not(held.piece, table.hide, table.job.policy, at)
    ]
    return placed + _too_near(table, held, at, lying)


def _by_weight(found: Sequence[Because]) -> tuple[Because, ...]:
    def weight(b: Because) -> tuple[int, float]:
        rank = WEIGHT.index(b.rule) if b.rule in WEIGHT else len(WEIGHT) + (b.rule == gap.NAME)
        return rank, -b.ground.area

    return tuple(sorted(found, key=weight))


def _too_near(table: HandTable, held: Held, at: Placing, lying: Sequence[Placement]) -> list[Because]:
    """The pieces that a held one is too near to, by the rule of the gap, as one reason: the one that it lies
    over most is named.
    """
    job = table.job
    slim = place_region(held.piece.slim, at)
    x0, y0, x1, y1 = slim.bounds
    reach = math.hypot(x1 - x0, y1 - y0) + table.widest_mm
    near = [p for p in lying if p.hide == table.hide.id and math.hypot(p.at.x - at.x, p.at.y - at.y) <= reach]
    pieces = [job.pieces_by_id[p.piece] for p in near]
    slims = [slim, *(place_region(q.slim, p.at) for q, p in zip(pieces, near, strict=True))]
    gaps = [gap.gap_of(q, job.policy) for q in (held.piece, *pieces)]
    over: list[tuple[str, BaseGeometry]] = []
    beside: list[tuple[str, BaseGeometry, str]] = []
    for _, k, sentence in gap.too_near(slims, gaps, [0]):
        other, p = pieces[k - 1], near[k - 1]
        met = place_region(held.piece.region, at).intersection(place_region(other.region, p.at))
        name = f"{{{p.piece}}} {p.copy + 1}"
        if met.area > CRUMB_MM2:
            over.append((name, met))
        else:
            beside.append((name, place_region(other.region, p.at), sentence))
    if len(over) + len(beside) > 1:
        return [_neighbours(over, beside)]
    return [
        *(Because(gap.NAME, f"it would lie {met.area / 100:.1f} cm2 over {name}", met) for name, met in over),
        *(Because(gap.NAME, f"it and {name} {sentence}", ground) for name, ground, sentence in beside),
    ]


def _neighbours(over: list[tuple[str, BaseGeometry]], beside: list[tuple[str, BaseGeometry, str]]) -> Because:
    """Several pieces that a held one lies over or too near to, as one reason."""
    ground = union([*(met for _, met in over), *(own for _, own, _ in beside)])
    close = f"too near to {len(beside)} neighbours" if len(beside) > 1 else "too near to a neighbour"
    if not over:
        return Because(gap.NAME, f"it would lie {close}, {beside[0][0]} among them", ground)
    name, most = max(over, key=lambda one: one[1].area)
    if len(over) == 1:
        words = f"{most.area / 100:.1f} cm2 over {name}"
    else:
        words = f"over {len(over)} neighbours, most over {name} ({most.area / 100:.1f} cm2)"
    return Because(gap.NAME, f"it would lie {words}" + (f", and {close}" if beside else ""), ground)


def _whereabouts(hide: Hide, shape: BaseGeometry, ground: BaseGeometry) -> str:
    """Where on the piece, as it lies, some ground meets it."""
    if ground.is_empty or ground.area > 0.8 * shape.area:
        return ""
    x0, y0, x1, y1 = shape.bounds
    at = ground.centroid
    along = (at.x - (x0 + x1) / 2) / max(x1 - x0, 1e-9)
    down = (at.y - (y0 + y1) / 2) / max(y1 - y0, 1e-9)
    words = [
        *([] if abs(along) < 0.2 else [f"{hide.end_name(along > 0)} end"]),
        *([] if abs(down) < 0.2 else ["belly side" if down > 0 else "backbone side"]),
    ]
    return f", at its {' and '.join(words)}" if words else ", in its middle"


def _help(hide: Hide, dx: float, dy: float) -> str:
    """A move in the trade's words."""
    far = math.hypot(dx, dy)
    if far > NEAR_MM:
        return "There is no place near; the nearest is lit elsewhere on this hide"
    parts = []
    if abs(dx) >= 0.05 and abs(dx) > 0.05 * far:
        parts.append(f"{_mm(dx)} toward the {hide.end_name(dx > 0)}")
    if abs(dy) >= 0.05 and abs(dy) > 0.05 * far:
        parts.append(f"{_mm(dy)} toward the {'belly' if dy > 0 else 'backbone'}")
    return " and ".join(parts or [f"{_mm(far)}"]) + " would clear it"


def _mm(length: float) -> str:
    return f"{abs(length):.1f} mm" if abs(length) < 9.95 else f"{abs(length):.0f} mm"
