"""What was seen of a hide, taken as the cutter left it: outline, holes, rings, lines and ends become what is
known of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from fairlay.core.leather import looking_over, reshaped
from fairlay.core.leather.backbone import backbone_of
from fairlay.core.leather.looking_over import Backdrop, LookingOver, Points, RingedFlaw
from fairlay.core.leather.measured_again import carried, ends_before, fit_again
from fairlay.core.leather.pull import PullTest
from fairlay.core.leather.severity import suggested_severity
from fairlay.core.shapes.rings import Ring, clean_ring

ARROW_REACH_MM: Final = 200.0
"""So far round a chalked arrow the line of least stretch is taken to run its way."""
End = tuple[float, float]


@dataclass(frozen=True)
class RingTaken:
    """A ring that stands; ``severity`` 0 asks for the one its kind and size suggest."""

    outline: Points
    kind: str = "not named"
    severity: int = 0
    chalk: str = ""


@dataclass(frozen=True)
class LineTaken:
    """A line that stands, and what it means."""

    means: Literal["backbone", "least stretch"]
    points: Points


@dataclass(frozen=True)
class Taken:
    """What the cutter takes, mm on the table.

    ``ends``: tail and neck on the backbone, where they were pressed; ``flesh_up``: it lay flesh side up;
    ``keep_known``: what was known before is put on it; ``off_m2``: how far off the area may be.
    """

    outline: Points
    holes: Sequence[Points] = ()
    rings: Sequence[RingTaken] = ()
    lines: Sequence[LineTaken] = ()
    ends: tuple[End, End] | None = None
    flesh_up: bool = False
    keep_known: bool = False
    backdrop: Backdrop | None = None
    off_m2: float = 0.0


def taken(before: LookingOver, asked: Taken) -> LookingOver:
    """Return what is known of a hide once what was seen is taken, laid with its backbone along the top.

    Without ``keep_known`` flaws, tests and readings known before are put away with the old outline; the steps
    stay done. Raises BadHide, BadShape for rings that are none, and where what was known does not fit the new
    outline.
    """
    outline, holes = (
        clean_ring(asked.outline, "the outline"),
        [clean_ring(h, f"hole {i + 1}") for i, h in enumerate(asked.holes)],
    )
    fit = fit_again(before.ring, outline, asked.flesh_up) if asked.keep_known else None
    made = replace(
        looking_over.begun(before.kind, outline, holes), steps=before.steps, backdrop=asked.backdrop
    )
    made = replace(made, off_m2=asked.off_m2)
    for i, ring in enumerate(asked.rings):
        severity = ring.severity or suggested_severity(ring.kind, np.asarray(ring.outline))[0]
        made = looking_over.with_flaw(
            made, RingedFlaw(f"c{i + 1}", ring.kind, severity, ring.outline, "", None, "surface", ring.chalk)
        )
    if fit is not None:
        made = carried(before, made, fit, made.flaws)
    lines = [(x.means, np.asarray(x.points, float)) for x in asked.lines]
    arrows = [points for means, points in lines if means == "least stretch"]
    chalked = next((points for means, points in lines if means == "backbone" and len(points) > 1), None)
    if asked.ends is not None:
        tail, neck = asked.ends
    elif chalked is not None:
        tail, neck = _end(chalked[0]), _end(chalked[-1])
    elif fit is not None:
        tail, neck = ends_before(before, fit)
    else:
        tail, neck = map(_end, backbone_of(outline, before.kind))
    # An arrow comes with the hide into its own place as a pull test does: by its middle and its way.
    marks = [
        PullTest(f"a{i}", float(p[:, 0].mean()), float(p[:, 1].mean()), 0.0, 1.0, _way(p))
        for i, p in enumerate(arrows)
    ]
    laid = reshaped.placed(replace(made, pulls=[*made.pulls, *marks]), tail, neck, turn_over=asked.flesh_up)
    ways, laid = laid.pulls[len(made.pulls) :], replace(laid, pulls=laid.pulls[: len(made.pulls)])
    # The map known before, with what was drawn on it, is kept: on what a cut left, the usual one would be
    # wrong.
    laid = reshaped.relaid(laid) if fit is None else laid
    for arrow in ways:
        laid = looking_over.with_way(laid, arrow.x, arrow.y, arrow.deg, ARROW_REACH_MM)
    return laid if asked.ends is None and chalked is None else looking_over.with_step(laid, "backbone", True)


def _end(point: NDArray[np.float64]) -> End:
    return float(point[0]), float(point[1])


def _way(points: Ring) -> float:
    way = points[-1] - points[0]
    return float(np.degrees(np.arctan2(way[1], way[0]))) % 180.0
