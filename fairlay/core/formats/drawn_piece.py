"""Pieces while they are put together from a drawing, and those that are one piece drawn again."""

from __future__ import annotations

from collections.abc import Sequence

from shapely.geometry import Polygon

from fairlay.core.pattern.pattern import Mark
from fairlay.core.shapes.alike import Outline
from fairlay.core.shapes.rings import Ring

SIZE_CELL_MM = 4.0
"""Outlines alike have nearly the same way round."""


class DrawnPiece:
    """A piece as it is put together from a drawing, in mm where it lies there."""

    def __init__(self, ring: Ring) -> None:
        self.ring = ring
        self.polygon = Polygon(ring)
        self.windows: list[Ring] = []
        self.marks: list[Mark] = []
        self.name = ""
        self.each: int | None = None
        self.pair = False
        self.words: list[str] = []
        self.grain_deg: float | None = None


def alike_pieces(pieces: Sequence[DrawnPiece]) -> dict[int, tuple[int, int]]:
    """Return which of some pieces are kept, each with how often it is there as it is, and how often turned
    over.
    """
    out: dict[int, tuple[int, int]] = {}
    shapes: dict[int, Outline] = {}
    by_size: dict[int, list[int]] = {}
    for i, p in enumerate(pieces):
        size = int(p.polygon.length // SIZE_CELL_MM)
        shapes[i] = Outline(p.ring, p.windows)
        over = shapes[i].turned_over()
        about = [k for d in (-1, 0, 1) for k in by_size.get(size + d, ()) if _may_be_one(pieces[k], p)]
        for k in about:
            times, mirrored = out[k]
            same = shapes[k].is_same(shapes[i])
            if same or shapes[k].is_same(over):
                out[k] = (times + 1, mirrored) if same else (times, mirrored + 1)
                pieces[k].name = pieces[k].name or p.name
                break
        else:
            out[i] = 1, 0
            by_size.setdefault(size, []).append(i)
    return out


def _may_be_one(a: DrawnPiece, b: DrawnPiece) -> bool:
    """Whether two of one shape are one piece: not where the drawing names or marks them differently."""
    kinds_a, kinds_b = (sorted(m.kind for m in p.marks) for p in (a, b))
    return (a.name == b.name or not (a.name and b.name)) and kinds_a == kinds_b
