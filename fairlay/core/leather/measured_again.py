"""A hide measured once more: how its new outline lies to the one known before, and what was known carried
over onto it.

The new outline may be the same hide, or what a cut left of it: wherever the two edges agree, they are one
edge. Leather is turned and moved to fit, never mirrored, unless it was seen from its flesh side.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import fft
from scipy.spatial import KDTree
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.leather.looking_over import LookingOver, RingedFlaw
from fairlay.core.leather.reshaped import kept_on, moved
from fairlay.core.shapes.rings import Ring, common

Floats = NDArray[np.float64]
Counts = NDArray[np.float32]
Matrix = tuple[float, float, float, float, float, float]

GRID_MM: Final = 20.0
"""Where the edges might agree is looked for on a grid of this, the turn every ``TURN_DEG``; then each likely
place is fitted closely.
"""
TURN_DEG: Final = 5.0
WAYS: Final = 8
"""Edges are told apart by the way they face, in so many classes all round."""
EVERY_MM: Final = 8.0
LIKELY: Final = 8
REACHES_MM: Final = (60.0, 40.0, 25.0, 16.0, 12.0, 12.0, 12.0)
AGREES_MM: Final = 8.0
"""Two measures of one edge lie within this: what cameras and hands differ by, and how leather lies otherwise
on another day.
"""
FACING: Final = 0.6
LEAST_SHARE: Final = 0.45
"""So much of the new edge has to be edge of old; a cut straight across the middle of a side leaves well over
half.
"""
MOST_OUTSIDE: Final = 0.03
"""No more of the new edge than this may lie outside the old: leather that is cut gets less, and a hide of
much the same shape lies outside as often as inside.
"""
AS_WELL: Final = 0.06
"""Another place that fits but so much worse: the outline alone does not tell how the leather lies."""
CUT_SHARE: Final = 0.97
"""Two measures of one hide differ by less than this in area, even where it dried between them."""
SAME_MARK: Final = 0.3
"""Two rings that share so much of the smaller one are rings round one flaw."""


@dataclass(frozen=True)
class Fit:
    """How what was known lies on the new outline: ``matrix`` (a, b, c, d, e, f as SVG writes it) takes old mm
    onto new ones; ``share`` of the new edge agrees, within ``rms_mm``.
    """

    matrix: Matrix
    share: float
    rms_mm: float


def fit_again(before: Ring, now: Ring, flesh_up: bool = False) -> Fit:
    """Return how an outline known before ``(n, 2)`` lies on a new one ``(m, 2)``, both in mm; ``flesh_up``:
    the new one was seen from the flesh side.

    Raises BadHide where they do not agree, or agree in more than one way.
    """
    target = now * [-1.0, 1.0] if flesh_up else now
    fits = sorted(_fits(before, target), key=lambda f: -f.share)
    if not fits or fits[0].share < LEAST_SHARE:
        raise BadHide(
            "this outline is not the one that was known, nor what a cut left of it",
            value=fits[0].share if fits else 0.0,
            expected=f"at least {100 * LEAST_SHARE:.0f} % of its edge along the old one; see that it is the "
            "right hide, and that its flesh side is told",
        )
    best = fits[0]
    if any(_apart(best, f, before) > 50.0 and best.share - f.share < AS_WELL for f in fits[1:]):
        raise BadHide(
            "the outline fits the old one in more than one way",
            value=best.share,
            expected="an edge that tells its ends apart; what was known must be put on by hand",
        )
    if not flesh_up:
        return best
    a, b, c, d, e, f = best.matrix
    return replace(best, matrix=(-a, b, -c, d, -e, f))


def carried(
    before: LookingOver, onto: LookingOver, fit: Fit, rings: Sequence[RingedFlaw] = ()
) -> LookingOver:
    """Return ``onto``, freshly outlined, with what was known ``before`` put on it by a fit: flaws, pull
    tests, readings and the map.

    A flaw ringed anew takes the new ring and severity, and keeps its kind where the new one has none, its
    note and its photograph. What lies off the new outline is left away, with the leather it lay on.
    """
    known = moved(before, fit.matrix)
    flaws, left = [], list(rings)
    for flaw in known.flaws:
        again = next((r for r in left if _same(r, flaw)), None)
        if again is None:
            flaws.append(flaw)
            continue
        left.remove(again)
        kind = flaw.kind if again.kind == "not named" else again.kind
        flaws.append(
            replace(
                flaw,
                outline=again.outline,
                severity=again.severity,
                kind=kind,
                chalk=again.chalk,
                note=flaw.note or again.note,
            )
        )
    names = {f.id for f in flaws}
    for ring in left:
        name, k = ring.id, 1
        while name in names:
            name, k = f"{ring.id}-{k}", k + 1
        names.add(name)
        flaws.append(replace(ring, id=name))
    whole = replace(onto, flaws=flaws, pulls=known.pulls, readings=known.readings, guess=known.guess)
    return kept_on(whole, Polygon(onto.ring, onto.hole_rings).buffer(0))


def ends_before(before: LookingOver, fit: Fit) -> tuple[tuple[float, float], tuple[float, float]]:
    """Return where the tail and the neck end of the backbone, as they were known before, lie on the new
    outline, mm.
    """
    ring = before.ring
    (x0, y0), x1 = map(float, ring.min(axis=0)), float(ring[:, 0].max())
    a, b, c, d, e, f = fit.matrix
    left, right = ((a * x + c * y0 + e, b * x + d * y0 + f) for x in (x0, x1))
    return (right, left) if before.neck_left else (left, right)


def was_cut(before: Ring, now: Ring) -> bool:
    """Return whether so much less is left of an outline that leather was cut from it, and it was not only
    measured otherwise.
    """
    return bool(Polygon(now).area < CUT_SHARE * Polygon(before).area)


def _same(ring: RingedFlaw, flaw: RingedFlaw) -> bool:
    one, other = Polygon(ring.outline).buffer(0), Polygon(flaw.outline).buffer(0)
    return bool(common(one, other).area >= SAME_MARK * min(one.area, other.area))


def _apart(one: Fit, other: Fit, ring: Ring) -> float:
    """How far apart two fits put the same leather at most, mm."""
    return float(np.hypot(*(_through(ring, one.matrix) - _through(ring, other.matrix)).T).max())


def _through(points: Floats, m: Matrix) -> Floats:
    out: Floats = points @ np.array([[m[0], m[1]], [m[2], m[3]]]) + np.array([m[4], m[5]])
    return out


def _edge(ring: Ring) -> tuple[Floats, Floats]:
    """Points along an outline, one each ``EVERY_MM``, and the way it faces at each: unit vectors out of the
    leather.
    """
    line = shapely.orient_polygons(Polygon(ring).simplify(1.0)).exterior
    at = np.arange(0.0, line.length, EVERY_MM)
    points = shapely.get_coordinates(shapely.line_interpolate_point(line, at))
    span = 2 * EVERY_MM
    along = shapely.get_coordinates(
        shapely.line_interpolate_point(line, (at + span) % line.length)
    ) - shapely.get_coordinates(shapely.line_interpolate_point(line, (at - span) % line.length))
    long = np.maximum(np.hypot(*along.T), 1e-9)
    # Outlines run counterclockwise (x right, y up), so the outside is to the right of the way along.
    return points, np.column_stack([along[:, 1], -along[:, 0]]) / long[:, None]


def _fits(before: Ring, now: Ring) -> list[Fit]:
    old, old_way = _edge(before)
    new, new_way = _edge(now)
    middle = new.mean(axis=0)
    tree = KDTree(old)
    inside = Polygon(before).buffer(AGREES_MM)
    out: list[Fit] = []
    for turn, shift in _likely(old, old_way, new - middle, new_way):
        placed = _close(tree, old, old_way, new, new_way, turn, shift - _rotated(middle[None], turn)[0])
        if placed is None:
            continue
        way, move, share, rms = placed
        if 1.0 - float(shapely.contains_xy(inside, _rotated(new, way) + move).mean()) > MOST_OUTSIDE:
            continue
        # Placed is new onto old; what is wanted is old onto new.
        c, s = math.cos(way), math.sin(way)
        back = _rotated(-move[None], -way)[0]
        out.append(Fit((c, -s, s, c, float(back[0]), float(back[1])), share, rms))
    return out


def _rotated(points: Floats, angle: float) -> Floats:
    c, s = math.cos(angle), math.sin(angle)
    out: Floats = points @ np.array([[c, s], [-s, c]])
    return out


def _likely(old: Floats, old_way: Floats, new: Floats, new_way: Floats) -> list[tuple[float, Floats]]:
    """Turns in radians and moves in mm by which edges that face alike agree best, counted on a grid
    (correlation through Fourier's transform).
    """
    low = old.min(axis=0)
    reach, span = float(np.hypot(*new.T).max()), float((old.max(axis=0) - low).max())
    n = fft.next_fast_len(math.ceil((span + 2 * reach) / GRID_MM) + 12, real=True)
    field = fft.rfft2(_counted(old - low, old_way, n, spread=2))
    found: list[tuple[float, float, Floats]] = []
    for deg in np.arange(0.0, 360.0, TURN_DEG):
        turn = math.radians(float(deg))
        own = _counted(_rotated(new, turn) + reach, _rotated(new_way, turn), n)
        score = fft.irfft2((np.conj(fft.rfft2(own)) * field).sum(axis=0), s=(n, n))
        for _ in range(2):
            best = int(score.argmax())
            row, column = divmod(best, n)
            # The grid runs round: a move farther than the old outline is long is one the other way.
            cells = np.array([k if k * GRID_MM < span + 4 * GRID_MM else k - n for k in (column, row)], float)
            found.append((float(score[row, column]), turn, cells * GRID_MM + low + reach))
            score[max(0, row - 3) : row + 4, max(0, column - 3) : column + 4] = -np.inf
    found.sort(key=lambda f: -f[0])
    out: list[tuple[float, Floats]] = []
    for _, turn, shift in found:
        near = [
            1
            for t, m in out
            if abs(math.remainder(t - turn, 2 * math.pi)) < math.radians(12) and np.hypot(*(m - shift)) < 120
        ]
        if not near:
            out.append((turn, shift))
        if len(out) == LIKELY:
            break
    return out


def _counted(points: Floats, ways: Floats, n: int, spread: int = 0) -> Counts:
    """Edge points counted on a grid ``(WAYS, n, n)``, each class of facing on its own; ``spread`` cells to
    each side.
    """
    out: Counts = np.zeros((WAYS, n, n), np.float32)
    facing = np.round(np.arctan2(ways[:, 1], ways[:, 0]) / (2 * np.pi) * WAYS).astype(int) % WAYS
    cell = np.floor(points / GRID_MM).astype(int)
    weights = [
        1.0 / (1 + max(abs(i), abs(j)))
        for i in range(-spread, spread + 1)
        for j in range(-spread, spread + 1)
    ]
    shifts = [(i, j) for i in range(-spread, spread + 1) for j in range(-spread, spread + 1)]
    for (i, j), weight in zip(shifts, weights, strict=True):
        at = (facing, (cell[:, 1] + i) % n, (cell[:, 0] + j) % n)
        np.maximum.at(out, at, weight)
    return out


def _close(
    tree: KDTree, old: Floats, old_way: Floats, new: Floats, new_way: Floats, turn: float, move: Floats
) -> tuple[float, Floats, float, float] | None:
    """Turn and move fitted closely: each point of the new edge to the nearest of the old one that faces its
    way, far ones left out (Besl and McKay 1992, trimmed).
    """
    for reach in REACHES_MM:
        here = _rotated(new, turn) + move
        far, which = tree.query(here)
        fits = (far < reach) & ((_rotated(new_way, turn) * old_way[which]).sum(axis=1) > FACING)
        if fits.sum() < 12:
            return None
        # To the old edge's line, not to its nearest counted point, so that points slide along.
        off = ((here - old[which]) * old_way[which]).sum(axis=1)[fits]
        normal, at = old_way[which][fits], here[fits]
        rows = np.column_stack([normal, normal[:, 1] * at[:, 0] - normal[:, 0] * at[:, 1]])
        # A little hold on what nothing in the edge holds: a straight edge may slide along itself.
        held = np.vstack([rows, np.diag([0.05, 0.05, 0.05 * 500.0]) * math.sqrt(fits.sum())])
        step = np.linalg.lstsq(held, np.concatenate([-off, np.zeros(3)]), rcond=None)[0]
        turn, move = turn + float(step[2]), _rotated(move[None], float(step[2]))[0] + step[:2]
    here = _rotated(new, turn) + move
    far, which = tree.query(here)
    ways = (_rotated(new_way, turn) * old_way[which]).sum(axis=1)
    off = np.abs(((here - old[which]) * old_way[which]).sum(axis=1))
    fits = (off < AGREES_MM) & (far < AGREES_MM + EVERY_MM) & (ways > FACING)
    if not fits.any():
        return None
    return turn, move, float(fits.mean()), float(np.sqrt((off[fits] ** 2).mean()))
