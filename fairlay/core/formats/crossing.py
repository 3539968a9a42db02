"""Lines that share a corner with two others, end on another line or run past it: what they enclose."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree
from shapely.geometry import LineString
from shapely.ops import polygonize_full, unary_union

from fairlay.core.formats.joining import Line
from fairlay.core.tolerances import JOIN_MM, MIN_PIECE_AREA_MM2

MOST_CROSSING = 1000
"""More loose lines than this are a hatch or a texture: they are joined end to end only."""


def at_junctions(lines: Sequence[Line]) -> list[int]:
    """Which lines hang together, end by end, with a place where more than two ends meet: an edge that two
    pieces share is drawn once.
    """
    if not lines:
        return []
    ends = np.array([line[k] for line in lines for k in (0, -1)])
    pairs = cKDTree(ends).query_pairs(JOIN_MM, output_type="ndarray")
    n = len(ends)
    _, place = connected_components(
        coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(n, n)), directed=False
    )
    meeting = np.bincount(place)
    one, two = place[0::2], place[1::2]
    places = len(meeting)
    _, whole = connected_components(
        coo_array((np.ones(len(lines)), (one, two)), shape=(places, places)), directed=False
    )
    crowded = np.zeros(whole.max() + 1, bool)
    crowded[whole[meeting > 2]] = True
    return [k for k in range(len(lines)) if crowded[whole[one[k]]]]


def faces(lines: Sequence[Line], near_mm: float) -> tuple[list[Line], list[Line]]:
    """Return the rings that some lines enclose between them, and the lines that bound none.

    Ends are first taken on to whatever line is within reach; what runs past a crossing is let go.
    """
    whole = [LineString(line) for line in lines]
    tree = shapely.STRtree(whole)
    bridges = []
    for k, line in enumerate(lines):
        for end in (shapely.Point(line[0]), shapely.Point(line[-1])):
            for j in tree.query(end, predicate="dwithin", distance=near_mm).tolist():
                far = whole[j].distance(end)
                if j != k and 0 < far <= near_mm:
                    bridges.append(shapely.shortest_line(end, whole[j]))
    polygons, *_ = polygonize_full(unary_union([*whole, *bridges]))
    rings = [np.asarray(p.exterior.coords)[:-1] for p in polygons.geoms if p.area >= MIN_PIECE_AREA_MM2]
    if not rings:
        return [], list(lines)
    edges = unary_union([LineString(np.concatenate([r, r[:1]])) for r in rings]).buffer(1e-6)
    left = [
        line for line, own in zip(lines, whole, strict=True) if own.intersection(edges).length < 0.5 * JOIN_MM
    ]
    return rings, left
