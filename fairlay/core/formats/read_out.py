"""What files and photographs told, as JSON has it: drawings with their layers, pieces found, outlines
traced.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, FiniteFloat
from shapely.geometry import MultiPoint

from fairlay.core.capture.squared_paper import Traced
from fairlay.core.errors import BadPattern, BadShape
from fairlay.core.formats.drawing import UNITS_MM, Drawing, Use
from fairlay.core.formats.sort_out import FoundPiece, SortedOut
from fairlay.core.pattern.changes import length_and_width
from fairlay.core.pattern.contour import Contour, flatten
from fairlay.core.pattern.drawn import mark_values
from fairlay.core.pattern.edges import XY
from fairlay.core.pattern.marks import drawn_marks
from fairlay.core.pattern.pattern import Needs, Pattern, slug_of
from fairlay.core.shapes.rings import Ring, as_points

Points = list[list[float]]
SHOWN_POINTS = 60
"""Points of a stroke that are sent to be looked at; all of them are used."""


class Bounds(BaseModel):
    x0: float
    y0: float
    x1: float
    y1: float


class MarkLine(BaseModel):
    """A mark as it is drawn: a line, a closed area or single pricks, in the piece's own mm."""

    kind: str
    draws: Literal["line", "area", "pricks"]
    points: Points
    side: Literal["grain", "flesh"]
    words: str
    id: str


class OutlineOut(BaseModel):
    """An outline: its nodes (2 or 6 numbers each), its windows, and both drawn."""

    contour: Points
    windows: list[Points]
    rings: list[Points]
    length_mm: float
    width_mm: float


class LayerOut(BaseModel):
    name: str
    colour: str
    strokes: int
    closed: int
    labels: int
    suggested: Use


class StrokeOut(BaseModel):
    layer: str
    points: Points
    closed: bool


class DrawingOut(BaseModel):
    """A drawing as it came, in the file's own units; ``unit_mm`` is None where the file does not say."""

    name: str
    layers: list[LayerOut]
    strokes: list[StrokeOut]
    unit_mm: float | None
    unit_says: str
    units_mm: dict[str, float]
    width: float
    height: float
    notes: list[str]


class FoundOut(BaseModel):
    """A piece found in a drawing: ready as a pattern but for its needs; ``at`` is where it lay in the
    drawing, in mm; it is there ``times`` times, and ``mirrored`` times turned over; ``grain_deg`` is None
    where no line on it shows the grain.
    """

    pattern: Pattern
    rings: list[Points]
    marks: list[MarkLine]
    at: XY
    length_mm: float
    width_mm: float
    times: int
    mirrored: int
    grain_deg: float | None


class GapOut(BaseModel):
    x: float
    y: float
    mm: float
    closed: bool


class SaidOfContour(BaseModel):
    """What one closed contour of a drawing is: its middle and the square root of its area, in mm, tell
    which.
    """

    x: FiniteFloat
    y: FiniteFloat
    size: FiniteFloat
    use: Use


class ReadContour(SaidOfContour):
    """A closed contour where it lies in the drawing, in mm, and what it was read as."""

    points: Points


class SortedDrawing(BaseModel):
    pieces: list[FoundOut]
    gaps: list[GapOut]
    open_lines: list[Points]
    notes: list[str]
    contours: list[ReadContour]


class TracedOut(BaseModel):
    """What a picture gave: outlines on the paper in mm, the straightened picture's place there, and
    advice.
    """

    parts: list[OutlineOut]
    picture: str
    bounds: Bounds
    squares: int
    rms_mm: float
    tilt_deg: float
    advice: list[str]


def drawing_out(name: str, found: Drawing) -> DrawingOut:
    """Return a drawing as it came, its strokes thinned to be looked at."""
    w, h = found.span
    return DrawingOut(
        name=name,
        unit_mm=found.unit_mm,
        unit_says=found.unit_says,
        units_mm=UNITS_MM,
        width=w,
        height=h,
        notes=list(found.notes),
        layers=[
            LayerOut(
                name=x.name,
                colour=x.colour,
                strokes=x.strokes,
                closed=x.closed,
                labels=x.labels,
                suggested=x.suggested,
            )
            for x in found.layers
        ],
        strokes=[
            StrokeOut.model_construct(layer=s.layer, points=as_points(_thinned(s.points), 4), closed=s.closed)
            for s in found.strokes
        ],
    )


def sorted_out(found: SortedOut) -> SortedDrawing:
    """Return the pieces of a drawing, ready as patterns; one that makes no sense is told, and left out."""
    pieces, notes = [], list(found.notes)
    for p in found.pieces:
        try:
            pieces.append(found_out(p))
        except (BadPattern, BadShape) as error:
            notes.append(f"{p.name} was left out. {error}")
    return SortedDrawing(
        pieces=pieces,
        gaps=[GapOut(x=g.x, y=g.y, mm=g.mm, closed=g.closed) for g in found.gaps],
        open_lines=[as_points(line, 2) for line in found.open_lines],
        notes=notes,
        contours=[
            ReadContour(
                x=c.key[0], y=c.key[1], size=c.key[2], use=c.use, points=as_points(_thinned(c.ring), 2)
            )
            for c in found.contours
        ],
    )


def traced_out(found: Traced, picture: str) -> TracedOut:
    """Return what a picture gave; ``picture`` is where it is kept, straightened."""
    straight = found.straight
    h, w = straight.image.shape[:2]
    return TracedOut(
        parts=[outline_out(p.contour, p.windows) for p in found.parts],
        picture=picture,
        bounds=Bounds(
            x0=straight.x0,
            y0=straight.y0,
            x1=straight.x0 + w / straight.px_per_mm,
            y1=straight.y0 + h / straight.px_per_mm,
        ),
        squares=found.squares,
        rms_mm=found.rms_mm,
        tilt_deg=found.tilt_deg,
        advice=list(found.advice),
    )


def outline_out(contour: Contour, windows: tuple[Contour, ...] = ()) -> OutlineOut:
    """Return an outline with its windows, drawn and measured."""
    rings = [flatten(c) for c in (contour, *windows)]
    box = MultiPoint(rings[0]).minimum_rotated_rectangle
    c = np.asarray(box.exterior.coords)
    a, b = sorted((float(np.hypot(*(c[1] - c[0]))), float(np.hypot(*(c[2] - c[1])))), reverse=True)
    return OutlineOut(
        contour=[list(n) for n in contour],
        windows=[[list(n) for n in w] for w in windows],
        rings=[as_points(r, 2) for r in rings],
        length_mm=round(a, 1),
        width_mm=round(b, 1),
    )


def found_out(p: FoundPiece) -> FoundOut:
    """Return a piece that was found as a pattern."""
    pattern = Pattern(
        slug_of(p.name),
        p.name,
        "body leather",
        p.wanted,
        p.contour,
        p.windows,
        p.is_pair,
        needs=Needs(grain_deg=p.grain_deg or 0.0),
        marks=p.marks,
    )
    length, width = length_and_width(pattern)
    return FoundOut(
        pattern=pattern,
        rings=[as_points(r, 2) for r in (pattern.ring, *pattern.window_rings)],
        marks=[MarkLine(**mark_values(m)) for m in drawn_marks(pattern)],
        at=XY(*p.at),
        length_mm=length,
        width_mm=width,
        times=p.times,
        mirrored=p.mirrored,
        grain_deg=p.grain_deg,
    )


def _thinned(points: Ring) -> Ring:
    if len(points) <= SHOWN_POINTS:
        return points
    thinned: Ring = points[np.linspace(0, len(points) - 1, SHOWN_POINTS).astype(int)]
    return thinned
