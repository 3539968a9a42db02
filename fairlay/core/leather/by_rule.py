"""A hide measured without a camera: a rule laid along the backbone, and at stations along it where the edge
begins and ends below.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import PchipInterpolator
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.shapes.rings import Ring, pieces_of

MOST_MM = 5_000.0
STEP_MM = 25.0


@dataclass(frozen=True)
class Station:
    """At ``along`` mm from the tail, the edge begins ``begins`` mm below the rule (0 at a trued backbone) and
    ends ``ends`` mm below it.
    """

    along: float
    begins: float
    ends: float


def outline_by_rule(stations: Sequence[Station]) -> Ring:
    """Return the outline ``(n, 2)`` in mm through the stations' edges, smooth between them.

    Raises BadHide for stations that make none, naming the first that is wrong.
    """
    if len(stations) < 3:
        raise BadHide(
            f"{len(stations)} stations",
            value=len(stations),
            expected="at least three, better one every 100 mm",
        )
    own = sorted(stations, key=lambda s: s.along)
    for k, s in enumerate(own):
        if not all(np.isfinite(v) and -MOST_MM <= v <= MOST_MM for v in (s.along, s.begins, s.ends)):
            raise BadHide(
                f"a station at {s.along:g} mm", value=s.along, expected=f"lengths up to {MOST_MM:g} mm"
            )
        if s.ends < s.begins:
            raise BadHide(
                f"at {s.along:g} mm the edge ends at {s.ends:g} mm, before it begins at {s.begins:g} mm",
                value=s.ends,
                expected="where it begins first, then where it ends",
            )
        if k and s.along - own[k - 1].along < 1:
            raise BadHide(f"two stations at {s.along:g} mm", value=s.along, expected="each station once")
    along = np.array([s.along for s in own])
    x = np.unique(
        np.concatenate([along, np.linspace(along[0], along[-1], max(2, int(np.ptp(along) / STEP_MM)))])
    )
    # Fritsch and Carlson's curve runs smoothly and never beyond what was measured.
    upper, lower = (
        PchipInterpolator(along, np.array(edge))(x)
        for edge in ([s.begins for s in own], [s.ends for s in own])
    )
    curve = Polygon(
        np.concatenate([np.stack([x, upper], axis=1), np.stack([x, lower], axis=1)[::-1]])
    ).buffer(0)
    ring = np.asarray(
        max(pieces_of(curve), key=lambda p: p.area, default=Polygon([(0, 0), (0, 0), (0, 0)])).exterior.coords
    )[:-1]
    if len(ring) < 3 or Polygon(ring).area < 1_000:
        raise BadHide(
            "the stations enclose no leather", value=len(stations), expected="edges apart from each other"
        )
    moved: Ring = ring - ring.min(axis=0)
    return moved
