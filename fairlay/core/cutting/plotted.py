"""A cut plan as lines for a plotter, a knife or a print: marks, creases, then cuts as they are planned."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from fairlay.core.cutting.plan import CutPlan
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.shapes.placing import place_points

Layer = Literal["mark", "crease", "cut"]


@dataclass(frozen=True, eq=False)
class PlotLine:
    """A line that is drawn or cut, ``(n, 2)`` in mm on the hide."""

    layer: Layer
    points: NDArray[np.float64]


def plot_lines(job: Job, placements: Iterable[Placement], plan: CutPlan) -> list[PlotLine]:
    """Return the lines of a hide: what is marked and creased first, while all of it is whole, then every cut
    once, as the plan has them.
    """
    here = [p for p in placements if p.hide == plan.hide]
    marks: list[NDArray[np.float64]] = []
    creases: list[NDArray[np.float64]] = []
    for p in here:
        for mark in job.pieces_by_id[p.piece].marks:
            if mark.draws == "pricks" or len(mark.points) < 2:
                continue
            points = place_points(mark.points, p.at)
            if mark.draws == "area":
                points = np.concatenate([points, points[:1]])
            (creases if mark.kind == "fold" else marks).append(points)
    return [
        *(PlotLine("mark", points) for points in marks),
        *(PlotLine("crease", points) for points in creases),
        *(PlotLine("cut", s.line) for step in plan.steps for s in step.strokes),
    ]
