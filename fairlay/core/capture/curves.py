"""Cleaning a traced outline into straight lines and curves that have handles.

Straight stretches are found first, the longest before the others; where two meet near what was traced, there
is a corner. Between them cubics are fitted and split where they stand off too far (Schneider, "An algorithm
for automatically fitting digitized curves", Graphics Gems, 1990).
"""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from fairlay.core.pattern.contour import Contour, Node
from fairlay.core.shapes.rings import Ring

Floats = NDArray[np.float64]
Span = tuple[Floats, Floats, Floats, Floats]

WITHIN_MM = 0.35
"""How far a cleaned line may stand off what was traced: less than a pencil's line."""
CORNER_DEG = 32.0
ARM_MM = 5.0
SKIP_MM = 1.2
LEAST_STRAIGHT_MM = 14.0
STRAIGHT_RMS_MM = 0.11
BOW_MM = 0.13
FACET_DEG = 12.0
LEAST_CORNER_DEG = 20.0
EVEN_OVER = 3.0
"""Points (half a mm apart) over which a curve is evened out before it is fitted."""
SHARP_MM = 1.2
"""A corner within so much of what was traced was sharp: a camera's blur and the tracing round it off."""


def cleaned(ring: Ring, within_mm: float = WITHIN_MM) -> Contour:
    """Return a dense outline ``(n, 2)`` (points about half a mm apart) as a contour of lines and curves
    nowhere further than about ``within_mm`` from it.
    """
    noise = trembling_mm(ring)
    within_mm = max(within_mm, 4.0 * noise)
    straights = straight_runs(ring, max(STRAIGHT_RMS_MM, 1.4 * noise))
    if not straights:
        return _without_straights(ring, within_mm)
    n = len(ring)
    lines = [_line_through(ring[np.arange(a, b + 1) % n]) for a, b in straights]
    nodes: list[Node] = []
    for k, (_, end) in enumerate(straights):
        after = (k + 1) % len(straights)
        start = straights[after][0] + (n if straights[after][0] < end else 0)
        (p, d), (q, e) = lines[k], lines[after]
        run = ring[np.arange(end, start + 1) % n]
        met = _meet(p, d, q, e)
        if met is not None and np.hypot(*(run - met).T).min() < SHARP_MM and len(run) * 0.5 < 4 * ARM_MM:
            nodes.append(tuple(float(v) for v in (*met, *met, *met)))
            continue
        first, last = p + d * float((run[0] - p) @ d), q + e * float((run[-1] - q) @ e)
        nodes += _nodes(_curved(np.concatenate([first[None], run[1:-1], last[None]]), d, -e, within_mm))
    return _rounded(nodes)


def trembling_mm(ring: Ring) -> float:
    """Return by how much a traced outline trembles: the median distance of its points from the outline evened
    out over 4 mm, as a standard deviation.
    """
    evened = gaussian_filter1d(ring, 4.0, axis=0, mode="wrap")
    return float(np.median(np.hypot(*(ring - evened).T))) * 0.85


def _without_straights(ring: Ring, within: float) -> Contour:
    """An outline of curves alone, with or without corners."""
    corners = traced_corners(ring)
    if not corners:
        return _rounded(_fitted_loop(ring, within))
    points = ring.copy()
    for i in corners:
        points[i] = _sharp_corner(ring, i)
    nodes: list[Node] = []
    for a, b in zip(corners, [*corners[1:], corners[0]], strict=True):
        run = np.concatenate([points[a:], points[: b + 1]]) if b <= a else points[a : b + 1]
        run = _evened(_without_rounding(run))
        k = max(2, min(len(run) // 3, 8))
        nodes += _nodes(_fit(run, _unit(run[k] - run[0]), _unit(run[-1 - k] - run[-1]), within))
    return _rounded(nodes)


def straight_runs(ring: Ring, rms_mm: float = STRAIGHT_RMS_MM) -> list[tuple[int, int]]:
    """Return the straight stretches of a traced outline as (first, last) indices in order, the last one past
    the end where it goes over index 0.

    Longest first: a stretch is straight where its points lie within ``rms_mm`` of a line, in the mean square,
    and it bows by no more than ``BOW_MM`` (or ``rms_mm``). Short ones that follow each other with a slight
    turn are facets of a curve, and left out.
    """
    n = len(ring)
    step = float(np.median(np.hypot(*np.diff(ring, axis=0).T)))
    least = max(6, round(LEAST_STRAIGHT_MM / step))
    if n < 2 * least:
        return []
    twice = np.concatenate([ring, ring])
    sums = _Sums(twice, rms_mm)
    free = np.ones(n, bool)
    found: list[tuple[int, int]] = []
    starts = np.arange(0, n, 3)
    reach = np.array([sums.furthest(int(i), min(int(i) + n - 1, 2 * n - 1), least) for i in starts])
    for k in np.argsort(-(reach - starts)):
        a, b = int(starts[k]), int(reach[k])
        # What was taken by a longer one is cut off its ends.
        while b - a >= least and not free[a % n]:
            a += 1
        while b - a >= least and not free[b % n]:
            b -= 1
        if (
            b - a < least
            or not free[np.arange(a, b + 1) % n].all()
            or _bow(twice[a : b + 1]) > max(BOW_MM, rms_mm)
        ):
            continue
        trim = max(1, round(SKIP_MM / step))
        free[np.arange(a, b + 1) % n] = False
        found.append((a + trim, b - trim) if b - a > least + 2 * trim else (a, b))
    found = sorted((a % n, a % n + b - a) for a, b in found)
    return _without_facets(ring, found, step)


class _Sums:
    """Running sums over points, by which the spread of any stretch about its own line is known at once."""

    def __init__(self, points: Floats, most: float) -> None:
        self.most = most
        x, y = (points - points.mean(axis=0)).T
        self.sums = np.concatenate(
            [np.zeros((1, 5)), np.cumsum(np.stack([x, y, x * x, x * y, y * y], axis=1), axis=0)]
        )

    def rms(self, a: int, b: int) -> float:
        m = b - a + 1
        sx, sy, xx, xy, yy = (self.sums[b + 1] - self.sums[a]) / m
        xx, xy, yy = xx - sx * sx, xy - sx * sy, yy - sy * sy
        least = (xx + yy) / 2 - math.sqrt(((xx - yy) / 2) ** 2 + xy * xy)
        return math.sqrt(max(0.0, least))

    def furthest(self, a: int, end: int, least: int) -> int:
        """The furthest index to which the stretch from ``a`` is straight; ``a`` where it is not even for
        ``least``.
        """
        if a + least > end or self.rms(a, a + least) > self.most:
            return a
        low, high = a + least, a + least
        while high < end and self.rms(a, high) <= self.most:
            low, high = high, min(end, a + (high - a) * 2)
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if self.rms(a, middle) <= self.most else (low, middle)
        return low


def _bow(run: Floats) -> float:
    """How far a stretch bows in the middle, by the parabola through it."""
    centre, d = _line_through(run)
    along = (run - centre) @ d
    across = (run - centre) @ np.array([-d[1], d[0]])
    return (
        abs(float(np.polyfit(along, across, 2)[0])) * float(np.ptp(along)) ** 2 / 4 if len(run) > 3 else 0.0
    )


def _line_through(points: Floats) -> tuple[Floats, Floats]:
    """A point and unit direction of the line through points by least squares, in their order."""
    centre = points.mean(axis=0)
    d = np.linalg.svd(points - centre, full_matrices=False)[2][0]
    return centre, d if float(d @ (points[-1] - points[0])) > 0 else -d


def _without_facets(ring: Ring, runs: list[tuple[int, int]], step: float) -> list[tuple[int, int]]:
    n = len(ring)
    lines = [_line_through(ring[np.arange(a, b + 1) % n]) for a, b in runs]
    facet = [False] * len(runs)
    for k in range(len(runs)):
        after = (k + 1) % len(runs)
        gap = (runs[after][0] - runs[k][1]) % n
        if after == k or gap * step > 10.0:
            continue
        d, e = lines[k][1], lines[after][1]
        turn = abs(math.degrees(math.atan2(d[0] * e[1] - d[1] * e[0], float(d @ e))))
        if turn < FACET_DEG:
            for i in (k, after):
                facet[i] = facet[i] or (runs[i][1] - runs[i][0]) * step < 4 * LEAST_STRAIGHT_MM
    return [run for run, is_facet in zip(runs, facet, strict=True) if not is_facet]


def _meet(p: Floats, d: Floats, q: Floats, e: Floats) -> Floats | None:
    """Where two lines meet, if they turn enough to tell."""
    across = float(d[0] * e[1] - d[1] * e[0])
    if abs(across) < math.sin(math.radians(LEAST_CORNER_DEG)):
        return None
    w = q - p
    return np.asarray(p + d * float(w[0] * e[1] - w[1] * e[0]) / across)


def _curved(run: Floats, t1: Floats, t2: Floats, within: float) -> list[Span]:
    """Curves from one straight to the next; corners on the way split them."""
    corners = _corners_between(run)
    if not corners:
        return _fit(_evened(run), t1, t2, within)
    spans: list[Span] = []
    ends = [0, *corners, len(run) - 1]
    for a, b in itertools.pairwise(ends):
        part = _evened(run[a : b + 1])
        k = max(1, min(len(part) // 3, 8))
        spans += _fit(
            part,
            t1 if a == 0 else _unit(part[k] - part[0]),
            t2 if b == len(run) - 1 else _unit(part[-1 - k] - part[-1]),
            within,
        )
    return spans


def _evened(run: Floats) -> Floats:
    """An open stretch without its trembling, its ends as they are."""
    out = gaussian_filter1d(run, EVEN_OVER, axis=0, mode="nearest")
    out[0], out[-1] = run[0], run[-1]
    return np.asarray(out)


def _corners_between(run: Floats) -> list[int]:
    """Corners of an open stretch that are sharper than any bend beside them."""
    if len(run) < 30:
        return []
    arm = 10
    out: list[int] = []
    index = np.arange(arm, len(run) - arm)
    before = _direction(run[index[:, None] - np.arange(arm, 1, -1)])
    after = _direction(run[index[:, None] + np.arange(2, arm + 1)])
    turn = np.degrees(
        np.abs(
            np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1))
        )
    )
    for i in np.argsort(-turn):
        if turn[i] < 2 * CORNER_DEG:
            break
        if all(abs(int(index[i]) - j) > 2 * arm for j in out):
            out.append(int(index[i]))
    return sorted(out)


def traced_corners(ring: Ring) -> list[int]:
    """Return the indices of a traced outline's corners: where lines fitted to ``ARM_MM`` on both sides turn
    by ``CORNER_DEG`` or more.
    """
    step = float(np.median(np.hypot(*np.diff(ring, axis=0).T)))
    arm, skip = max(3, round(ARM_MM / step)), max(1, round(SKIP_MM / step))
    n = len(ring)
    if n < 4 * arm:
        return []
    index = np.arange(n)
    before = _direction(ring[(index[:, None] - np.arange(arm, skip - 1, -1)) % n])
    after = _direction(ring[(index[:, None] + np.arange(skip, arm + 1)) % n])
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    turn = np.abs(np.degrees(np.arctan2(cross, (before * after).sum(axis=1))))
    out: list[int] = []
    for i in np.argsort(-turn):
        if turn[i] < CORNER_DEG:
            break
        if all(min((i - j) % n, (j - i) % n) > arm for j in out) and _is_sharp(turn, int(i), arm):
            out.append(int(i))
    return sorted(out)


def _is_sharp(turn: Floats, i: int, arm: int) -> bool:
    """A corner's turning falls away on both sides of it; along a bend it goes on."""
    n = len(turn)
    return bool(max(turn[(i - 2 * arm) % n], turn[(i + 2 * arm) % n]) < 0.6 * turn[i])


def _direction(arms: Floats) -> Floats:
    """Unit direction of each row of points ``(n, k, 2)``, by least squares."""
    k = arms.shape[1]
    t = np.arange(k) - (k - 1) / 2
    d = (arms * t[None, :, None]).sum(axis=1)
    return np.asarray(d / np.maximum(np.hypot(*d.T), 1e-12)[:, None])


def _sharp_corner(ring: Ring, i: int) -> Floats:
    """The corner that a blurred picture rounded off: where lines through both arms meet, if that is near."""
    n = len(ring)
    step = float(np.median(np.hypot(*np.diff(ring, axis=0).T)))
    arm, skip = max(3, round(ARM_MM / step)), max(1, round(SKIP_MM / step))
    a = ring[(i - np.arange(skip, arm + 1)) % n]
    b = ring[(i + np.arange(skip, arm + 1)) % n]
    (pa, da), (pb, db) = ((p.mean(axis=0), np.linalg.svd(p - p.mean(axis=0))[2][0]) for p in (a, b))
    across = da[0] * db[1] - da[1] * db[0]
    if abs(across) < 0.3:
        return np.asarray(ring[i])
    d = pb - pa
    met = pa + da * (d[0] * db[1] - d[1] * db[0]) / across
    return np.asarray(met if np.hypot(*(met - ring[i])) < 1.5 else ring[i])


def _without_rounding(run: Floats) -> Floats:
    """A run from corner to corner without what was rounded off near its ends."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(run, axis=0).T))])
    if along[-1] <= 4 * SKIP_MM:
        return run
    keep = (along > SKIP_MM * 0.8) & (along < along[-1] - SKIP_MM * 0.8)
    keep[0] = keep[-1] = True
    return np.asarray(run[keep])


def _fitted_loop(ring: Ring, within: float) -> list[Node]:
    """Nodes of an outline without corners: fitted from its four extremes, so that its handles lie along the
    axes where they can.
    """
    ends = sorted(
        {
            int(ring[:, 0].argmin()),
            int(ring[:, 0].argmax()),
            int(ring[:, 1].argmin()),
            int(ring[:, 1].argmax()),
        }
    )
    ring = gaussian_filter1d(ring, EVEN_OVER, axis=0, mode="wrap")
    n, spans = len(ring), []
    k = max(2, min(8, n // 20))
    tangent = {i: _unit(ring[(i + k) % n] - ring[(i - k) % n]) for i in ends}
    for a, b in zip(ends, [*ends[1:], ends[0]], strict=True):
        run = np.concatenate([ring[a:], ring[: b + 1]]) if b <= a else ring[a : b + 1]
        spans += _fit(run, tangent[a], -tangent[b], within)
    return _nodes(spans)


def _unit(v: Floats) -> Floats:
    return np.asarray(v / max(float(np.hypot(*v)), 1e-12))


def _fit(run: Floats, t1: Floats, t2: Floats, within: float, depth: int = 0) -> list[Span]:
    if len(run) < 3:
        third = float(np.hypot(*(run[-1] - run[0]))) / 3
        return [(run[0], run[0] + t1 * third, run[-1] + t2 * third, run[-1])]
    u = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(run, axis=0).T))])
    u = u / u[-1]
    span = _bezier(run, u, t1, t2)
    worst, at = _worst(run, span, u)
    for _ in range(4):
        if worst <= within:
            return [span]
        if worst > within * 6:
            break
        u = _nearer(run, span, u)
        span = _bezier(run, u, t1, t2)
        worst, at = _worst(run, span, u)
    if worst <= within or depth > 12:
        return [span]
    at = min(max(at, 1), len(run) - 2)
    k = max(1, min(10, at, len(run) - 1 - at))
    middle = _unit(run[at - k] - run[at + k])
    return _fit(run[: at + 1], t1, middle, within, depth + 1) + _fit(run[at:], -middle, t2, within, depth + 1)


def _bezier(run: Floats, u: Floats, t1: Floats, t2: Floats) -> Span:
    b0, b1, b2, b3 = (1 - u) ** 3, 3 * u * (1 - u) ** 2, 3 * u**2 * (1 - u), u**3
    a1, a2 = t1 * b1[:, None], t2 * b2[:, None]
    c = np.array([[(a1 * a1).sum(), (a1 * a2).sum()], [(a1 * a2).sum(), (a2 * a2).sum()]])
    rest = run - (run[0] * (b0 + b1)[:, None] + run[-1] * (b2 + b3)[:, None])
    x = np.array([(a1 * rest).sum(), (a2 * rest).sum()])
    length = float(np.hypot(*(run[-1] - run[0])))
    det = float(np.linalg.det(c))
    reach = np.linalg.solve(c, x) if abs(det) > 1e-12 else np.zeros(2)
    if (reach < 1e-3 * length).any() or (reach > 3 * max(length, 1e-6)).any():
        reach = np.full(2, length / 3)
    return run[0], run[0] + t1 * reach[0], run[-1] + t2 * reach[1], run[-1]


def _at(span: Span, u: Floats) -> Floats:
    p0, p1, p2, p3 = span
    v = u[:, None]
    return np.asarray((1 - v) ** 3 * p0 + 3 * v * (1 - v) ** 2 * p1 + 3 * v**2 * (1 - v) * p2 + v**3 * p3)


def _worst(run: Floats, span: Span, u: Floats) -> tuple[float, int]:
    off = np.hypot(*(_at(span, u) - run).T)
    return float(off.max()), int(off.argmax())


def _nearer(run: Floats, span: Span, u: Floats) -> Floats:
    """One step of Newton's method toward the nearest place of the curve for each point."""
    p0, p1, p2, p3 = span
    v = u[:, None]
    off = _at(span, u) - run
    d1 = 3 * ((1 - v) ** 2 * (p1 - p0) + 2 * v * (1 - v) * (p2 - p1) + v**2 * (p3 - p2))
    d2 = 6 * ((1 - v) * (p2 - 2 * p1 + p0) + v * (p3 - 2 * p2 + p1))
    below = (d1 * d1).sum(axis=1) + (off * d2).sum(axis=1)
    step = (off * d1).sum(axis=1) / np.where(np.abs(below) < 1e-12, 1.0, below)
    return np.asarray(np.clip(u - step, 0, 1))


def _nodes(spans: list[Span]) -> list[Node]:
    """Spans one after the other as nodes; each node's in handle is set from the span before, the last span's
    from the next run's first node.
    """
    out: list[list[float]] = []
    carried: Floats | None = None
    for p0, p1, p2, _ in spans:
        back = p0 if carried is None else carried
        out.append([*p0, *back, *p1])
        carried = p2
    if carried is not None and spans:
        p3 = spans[-1][3]
        out.append([*p3, *carried, *p3])
    return [tuple(float(v) for v in node) for node in out]


def _merge(nodes: list[Node]) -> list[Node]:
    """Runs joined where the last node of one is the first of the next: its in handle from the one, its out
    handle from the other.
    """
    out: list[Node] = []
    for node in nodes:
        if out and math.dist(out[-1][:2], node[:2]) < 1e-6:
            out[-1] = (*node[:2], *out[-1][2:4], *node[4:6])
        else:
            out.append(node)
    if len(out) > 1 and math.dist(out[0][:2], out[-1][:2]) < 1e-6:
        last = out.pop()
        out[0] = (*out[0][:2], *last[2:4], *out[0][4:6])
    return out


def _rounded(nodes: list[Node]) -> Contour:
    merged = _merge(nodes)
    out: list[Node] = []
    for node in merged:
        plain = math.dist(node[:2], node[2:4]) < 1e-3 and math.dist(node[:2], node[4:6]) < 1e-3
        out.append(tuple(round(v, 3) for v in (node[:2] if plain else node)))
    return tuple(out)
