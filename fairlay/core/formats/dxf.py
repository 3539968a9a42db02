"""A lay as DXF at true size, in mm.

DXF counts y upward, so the backbone is drawn at y = 0 and the belly below it.
"""

from __future__ import annotations

import io
from collections.abc import Sequence

import ezdxf.filemanagement
import ezdxf.units
from ezdxf.document import Drawing
from ezdxf.enums import TextEntityAlignment
from ezdxf.layouts.layout import Modelspace

from fairlay.core.cutting.plotted import PlotLine
from fairlay.core.formats.svg import ROLL_SHOWN_MM, ROOM_MM
from fairlay.core.lay.check import hide_shapes
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.leather import Hide
from fairlay.core.pattern.drawn import DrawnMark
from fairlay.core.shapes.placing import place_points
from fairlay.core.shapes.rings import Ring, rings_of

LAYERS = {
    "HIDE": 8,
    "ZONE": 9,
    "FLAW_SURFACE": 3,
    "FLAW_BLEMISH": 30,
    "FLAW_UNSOUND": 1,
    "CUT": 7,
    "LABEL": 5,
}
FLAW_LAYER = {1: "FLAW_SURFACE", 2: "FLAW_BLEMISH", 3: "FLAW_UNSOUND"}


def lay_dxf(job: Job, lay: Lay, hide_id: str | None = None) -> str:
    """Return a DXF (R2010, units mm) of a lay: outlines as closed polylines on named layers, one hide below
    the other.
    """
    marks = {_mark_layer(m) for piece in job.pieces for m in piece.marks}
    doc = _document(sorted(marks))
    space = doc.modelspace()
    used = {p.hide for p in lay.placements}
    down = 0.0
    for hide in [h for h in job.hides if (h.id == hide_id if hide_id else h.id in used)] or list(job.hides):
        x0, y0, _, y1 = hide.region.bounds
        shapes = hide_shapes(job, lay, hide)
        _leather(space, hide, down, max((s.bounds[2] for _, s in shapes), default=ROLL_SHOWN_MM))
        for placement, shape in shapes:
            for ring in rings_of(shape):
                _ring(space, ring, "CUT", -x0, y0 - down)
            for mark in job.pieces_by_id[placement.piece].marks:
                if mark.draws != "pricks":
                    points = place_points(mark.points, placement.at)
                    space.add_lwpolyline(
                        [(x - x0, y0 - down - y) for x, y in points],
                        close=mark.draws == "area",
                        dxfattribs={"layer": _mark_layer(mark)},
                    )
            c = shape.representative_point()
            label = space.add_text(
                f"{placement.piece} {placement.copy + 1}", height=8, dxfattribs={"layer": "LABEL"}
            )
            label.set_placement((c.x - x0, y0 - down - c.y), align=TextEntityAlignment.MIDDLE_CENTER)
        down += y1 - y0 + ROOM_MM
    return _text(doc)


def cuts_dxf(hide: Hide, lines: Sequence[PlotLine]) -> str:
    """Return a DXF (R2010, units mm) of a cut plan for a knife: what is marked, creased and cut on layers of
    their own, each line once and in order.
    """
    doc = _document(["CREASE", "MARK"])
    space = doc.modelspace()
    x0, y0, _, _ = hide.region.bounds
    for line in lines:
        space.add_lwpolyline(
            [(x - x0, y0 - y) for x, y in line.points], dxfattribs={"layer": line.layer.upper()}
        )
    return _text(doc)


def hide_dxf(hide: Hide) -> str:
    """Return a DXF (R2010, units mm) of a hide with nothing on it."""
    doc = _document()
    _leather(doc.modelspace(), hide, 0.0, ROLL_SHOWN_MM)
    return _text(doc)


def _document(more_layers: Sequence[str] = ()) -> Drawing:
    doc: Drawing = ezdxf.filemanagement.new("R2010", units=ezdxf.units.MM)
    for name, colour in LAYERS.items():
        doc.layers.add(name, color=colour)
    for name in more_layers:
        doc.layers.add(name, color=6)
    return doc


def _text(doc: Drawing) -> str:
    out = io.StringIO()
    doc.write(out)
    return out.getvalue()


def _mark_layer(mark: DrawnMark) -> str:
    return mark.kind.upper() + ("_FLESH" if mark.side == "flesh" else "")


def _leather(space: Modelspace, hide: Hide, down: float, roll_mm: float) -> None:
    """A hide: its outline (a roll as far as ``roll_mm``), its zones as far as they are leather, its flaws."""
    x0, y0, _, y1 = hide.region.bounds
    dx, dy = -x0, y0 - down
    if hide.is_roll:
        corners = [(0, -down), (roll_mm, -down), (roll_mm, -down - y1), (0, -down - y1)]
        space.add_lwpolyline(corners, close=True, dxfattribs={"layer": "HIDE"})
    else:
        for ring in (hide.outline, *hide.holes):
            _ring(space, ring, "HIDE", dx, dy)
    for _, shown in hide.zones_on_leather:
        for ring in rings_of(shown):
            _ring(space, ring, "ZONE", dx, dy)
    for flaw in hide.flaws:
        _ring(space, flaw.outline, FLAW_LAYER[flaw.severity], dx, dy)


def _ring(space: Modelspace, ring: Ring, layer: str, dx: float, dy: float) -> None:
    space.add_lwpolyline([(x + dx, dy - y) for x, y in ring], close=True, dxfattribs={"layer": layer})
