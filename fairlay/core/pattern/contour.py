"""Contours: outlines kept as lines and curves, so that they can be mended by their handles.

A *contour* is a closed run of *nodes*; a node is ``(x, y)`` or ``(x, y, in_x, in_y, out_x, out_y)``
in mm. Between two nodes runs a straight line, or, where the first has an out handle that is not the
node itself or the second such an in handle, a cubic Bezier curve. A plain ring of points is a contour.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from fairlay.core.errors import BadShape
from fairlay.core.shapes.rings import Ring, clean_ring
from fairlay.core.tolerances import FLATTEN_MM, SAME_POINT_MM

Node = tuple[float, ...]
Contour = tuple[Node, ...]


def flatten(contour: Sequence[Sequence[float]], name: str = "outline") -> Ring:
    """Return a contour as a ring ``(n, 2)`` that is nowhere further than ``FLATTEN_MM`` from it.

    Raises BadShape for a node that has neither 2 nor 6 numbers, and for whatever ``clean_ring`` refuses.
    """
    for i, node in enumerate(contour):
        if len(node) not in (2, 6) or not all(isinstance(v, (int, float)) and math.isfinite(v) for v in node):
            raise BadShape(
                f"{name}: node {i + 1} is {list(node)!r}",
                value=list(node),
                expected="x and y, or x, y and the two handles, finite numbers in mm",
            )
    points: list[NDArray[np.float64]] = []
    for a, b in zip(contour, [*contour[1:], *contour[:1]], strict=True):
        points.append(curve_points(*_span(a, b))[:-1])
    return clean_ring(np.concatenate(points) if points else np.empty((0, 2)), name)


def _span(
    a: Sequence[float], b: Sequence[float]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    p, q = np.array(a[:2], float), np.array(b[:2], float)
    return p, np.array(a[4:6], float) if len(a) == 6 else p, np.array(b[2:4], float) if len(b) == 6 else q, q


def curve_points(
    p0: NDArray[np.float64],
    p1: NDArray[np.float64],
    p2: NDArray[np.float64],
    p3: NDArray[np.float64],
    within_mm: float = FLATTEN_MM,
) -> NDArray[np.float64]:
    """Return points ``(n, 2)`` along a cubic from ``p0`` to ``p3``, both ends with it, within ``within_mm``
    of it.

    The number of chords is Wang's bound: sqrt(6 max|second difference| / (8 within)).
    """
    bend = max(float(np.hypot(*(p0 - 2 * p1 + p2))), float(np.hypot(*(p1 - 2 * p2 + p3))))
    straight = np.allclose(p0, p1, atol=SAME_POINT_MM) and np.allclose(p2, p3, atol=SAME_POINT_MM)
    n = 1 if straight else max(1, math.ceil(math.sqrt(6 * bend / (8 * within_mm))))
    t = np.linspace(0, 1, n + 1)[:, None]
    return np.asarray((1 - t) ** 3 * p0 + 3 * (1 - t) ** 2 * t * p1 + 3 * (1 - t) * t**2 * p2 + t**3 * p3)


def contour_of(points: Iterable[Sequence[float]], decimals: int = 3) -> Contour:
    """Return a ring of points as a contour of straight lines, rounded to ``decimals``."""
    return tuple((round(float(p[0]), decimals), round(float(p[1]), decimals)) for p in points)


def arc(cx: float, cy: float, radius: float, start_deg: float, end_deg: float) -> list[Node]:
    """Return the nodes of a circular arc from one angle to another (either way round), both ends with it.

    Each span turns 45 degrees at most, where a cubic with handles of 4/3 tan(turn / 4) radii is
    off the circle by less than a thousandth of a percent of the radius.
    """
    spans = max(1, math.ceil(abs(end_deg - start_deg) / 45.0 - 1e-9))
    step = math.radians(end_deg - start_deg) / spans
    reach = 4 / 3 * math.tan(step / 4) * radius
    nodes: list[Node] = []
    for k in range(spans + 1):
        turn = math.radians(start_deg) + k * step
        x, y = cx + radius * math.cos(turn), cy + radius * math.sin(turn)
        tx, ty = -math.sin(turn) * reach, math.cos(turn) * reach
        nodes.append(
            (
                x,
                y,
                x if k == 0 else x - tx,
                y if k == 0 else y - ty,
                x if k == spans else x + tx,
                y if k == spans else y + ty,
            )
        )
    return nodes


def rounded_off(corners: Sequence[tuple[float, float]], radius: float) -> list[Node]:
    """Return the nodes of a polygon whose every corner is an arc of ``radius`` that both its sides run into.

    Raises BadShape where a side is shorter than its two arcs need.
    """
    nodes: list[Node] = []
    spare = [math.dist(a, b) for a, b in zip(corners, [*corners[1:], *corners[:1]], strict=True)]
    for i, (x, y) in enumerate(corners):
        before, after = corners[i - 1], corners[(i + 1) % len(corners)]
        u, v = (math.atan2(p[1] - y, p[0] - x) for p in (before, after))
        turn = (v - u + math.pi) % (2 * math.pi) - math.pi
        half = abs(turn) / 2
        for side in (i - 1, i):
            spare[side] -= radius / math.tan(half)
        away, middle = radius / math.sin(half), u + turn / 2
        cx, cy = x + away * math.cos(middle), y + away * math.sin(middle)
        square = math.copysign(math.pi / 2, turn)
        start, end = math.degrees(u - square), math.degrees(v + square)
        swept = (end - start + 180.0) % 360.0 - 180.0
        nodes += arc(cx, cy, radius, start, start + swept)
    if min(spare) < -SAME_POINT_MM:
        raise BadShape(
            f"corners of {radius:g} mm radius meet", value=radius, expected="sides longer than their arcs"
        )
    return nodes


def joined(nodes: Iterable[Node], decimals: int = 3) -> Contour:
    """Return nodes as a contour, those that lie upon each other made one with the in handle of the first and
    the out handle of the second.
    """
    out: list[Node] = []
    for node in nodes:
        if out and math.dist(out[-1][:2], node[:2]) < SAME_POINT_MM:
            out[-1] = _merged(out[-1], node)
        else:
            out.append(node)
    if len(out) > 1 and math.dist(out[0][:2], out[-1][:2]) < SAME_POINT_MM:
        out[0] = _merged(out.pop(), out[0])
    return tuple(tuple(round(v, decimals) for v in _plain(node)) for node in out)


def _full(node: Node) -> Node:
    return node if len(node) == 6 else (*node, *node, *node)


def _merged(first: Node, second: Node) -> Node:
    return (*_full(second)[:2], *_full(first)[2:4], *_full(second)[4:6])


def _plain(node: Node) -> Node:
    """A node whose handles lie on it needs none."""
    return (
        node[:2]
        if len(node) == 6
        and math.dist(node[:2], node[2:4]) < SAME_POINT_MM
        and math.dist(node[:2], node[4:6]) < SAME_POINT_MM
        else node
    )


def moved(contour: Iterable[Node], dx: float, dy: float) -> Contour:
    """Return a contour moved by (dx, dy)."""
    return tuple(tuple(v + (dx if i % 2 == 0 else dy) for i, v in enumerate(node)) for node in contour)


def scaled(contour: Iterable[Node], factor: float) -> Contour:
    """Return a contour made larger about the origin."""
    return tuple(tuple(round(v * factor, 4) for v in node) for node in contour)


def turned(contour: Iterable[Node], degrees: float) -> Contour:
    """Return a contour turned about the origin by an angle, in the way placings turn."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return tuple(
        tuple(
            v
            for i in range(0, len(node), 2)
            for v in (node[i] * c - node[i + 1] * s, node[i] * s + node[i + 1] * c)
        )
        for node in contour
    )
