"""Where the leather of a hide went: from the area bought to the area in pieces, step by step. Every bit of
the hide is in just one step, so that they add up to the whole.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final, Literal

from shapely import STRtree
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.check import hide_shapes
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.lay.measures import measure
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import TIGHTNESS_NAMES
from fairlay.core.rules.gap import gap_of
from fairlay.core.shapes.rings import common, union

Kind = Literal["pieces", "remnant", "edge", "flaw", "too loose", "reserved", "knife gap", "between"]
CRUMB_MM2: Final = 1.0
FEW: Final = 12


@dataclass(frozen=True)
class Step:
    """A part of a hide by what became of it: in words, with its ground in mm on the hide."""

    kind: Kind
    words: str
    ground: BaseGeometry

    @property
    def m2(self) -> float:
        """Its area."""
        return float(self.ground.area) / 1e6


@dataclass(frozen=True)
class Went:
    """Where a hide went: ``steps`` partition it, those in pieces first, and add up to ``whole_m2``."""

    hide: str
    whole_m2: float
    steps: tuple[Step, ...]


def went(job: Job, lay: Lay, hide: Hide) -> Went:
    """Return where the leather of one hide of a lay went. A roll is counted as far as it is used."""
    shapes = hide_shapes(job, lay, hide)
    whole: BaseGeometry = hide.region
    if hide.is_roll:
        x0, y0, _, y1 = whole.bounds
        whole = common(whole, box(x0, y0, max((s.bounds[2] for _, s in shapes), default=x0), y1))
    placed = union(shape for _, shape in shapes)
    taken = _Taken(placed, [shape for _, shape in shapes])
    steps = []
    for kind, words, ground in _claims(job, lay, hide, placed):
        own = common(ground, whole)
        if kind != "pieces":
            own = taken.not_of(own)
        if own.area > CRUMB_MM2:
            steps.append(Step(kind, words, own))
            if kind != "pieces":
                taken.more.append(own)
    left = common(whole.difference(placed).difference(union(taken.more)))
    if left.area > 0.0:
        steps.append(Step("between", "between pieces, and where none found a place", left))
    return Went(hide.id, whole.area / 1e6, tuple(steps))


def waste_of(job: Job, hide: Hide, good: BaseGeometry, gone: BaseGeometry) -> dict[Kind, float]:
    """Return what became of a cut hide's waste, in m2 by kind: all of it but the ``good`` pieces and what is
    ``gone`` otherwise (spoilt, or on the rack). Kinds add up to the whole of it.
    """
    bare = common(hide.region.difference(good).difference(gone))
    out: dict[Kind, float] = {}
    for kind, _, ground in _of_leather(job, hide, good):
        own = common(ground, bare)
        if own.area > CRUMB_MM2:
            out[kind] = out.get(kind, 0.0) + float(own.area) / 1e6
            bare = common(bare.difference(own))
    if bare.area > 0.0:
        out["between"] = float(bare.area) / 1e6
    return out


class _Taken:
    """What is claimed already: the pieces, and ``more``. Of a small ground only the pieces near it are taken
    off: off all of them took twenty times as long.
    """

    def __init__(self, placed: BaseGeometry, shapes: Sequence[BaseGeometry]) -> None:
        self.placed, self.shapes, self.tree = placed, shapes, STRtree(shapes)
        self.more: list[BaseGeometry] = []

    def not_of(self, ground: BaseGeometry) -> BaseGeometry:
        """Return what of some ground nothing claims yet."""
        near = [self.shapes[k] for k in self.tree.query(ground)] if not ground.is_empty else []
        bare = ground
        if near:
            bare = bare.difference(self.placed if len(near) > FEW else union(near))
        if met := [m for m in self.more if m.intersects(bare)]:
            bare = bare.difference(union(met))
        return common(bare)


def _claims(job: Job, lay: Lay, hide: Hide, placed: BaseGeometry) -> Iterator[tuple[Kind, str, BaseGeometry]]:
    """What lays claim to leather, the first to come first."""
    yield "pieces", "in pieces", placed
    yield from _remnant(job, lay, hide)
    yield from _of_leather(job, hide, placed)


def _of_leather(job: Job, hide: Hide, placed: BaseGeometry) -> Iterator[tuple[Kind, str, BaseGeometry]]:
    """What of a hide no piece could have, whatever became of the rest."""
    margin = hide.region.difference(hide.within_margin)
    yield "edge", f"edge, {hide.edge_margin_mm:g} mm all round", margin
    flaws: dict[str, list[BaseGeometry]] = {}
    for flaw, ground in hide.flaw_regions:
        flaws.setdefault(flaw.kind, []).append(ground)
    for kind, grounds in flaws.items():
        yield "flaw", kind, union(grounds)
    loosest = max((p.max_tightness for p in job.pieces), default=4)
    if loosest < 4:
        words = f"looser than {TIGHTNESS_NAMES[loosest]}, which nothing here bears"
        yield "too loose", words, hide.looser_than(loosest)
    if hide.reserved:
        yield "reserved", "reserved", union(Polygon(r.outline).buffer(0) for r in hide.reserved)
    gap = max((gap_of(p, job.policy) for p in job.pieces), default=0.0)
    if gap and not placed.is_empty:
        yield "knife gap", f"for the knife, {gap:g} mm between pieces", placed.buffer(gap / 2)


def _remnant(job: Job, lay: Lay, hide: Hide) -> Iterator[tuple[Kind, str, BaseGeometry]]:
    """The end that is cut off straight and kept, if it is large enough."""
    figures = next((f for f in measure(job, lay).per_hide if f.hide == hide.id), None)
    if figures is None or not figures.remnant_m2 or not figures.pieces:
        return
    x0, y0, x1, y1 = hide.region.bounds
    reach = [s.bounds for _, s in hide_shapes(job, lay, hide)]
    lo, hi = min(b[0] for b in reach), max(b[2] for b in reach)
    right = figures.remnant_end == hide.end_name(True)
    end = box(hi, y0, max(x1, hi), y1) if right else box(x0, y0, max(lo, x0), y1)
    yield "remnant", f"kept for the rack, {figures.remnant_end} end", end
