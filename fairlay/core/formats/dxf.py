"""A lay as DXF at true size, in mm.

DXF counts y upward, so the backbone is drawn at y = 0 and the belly below it.
"""

from __future__ import annotations

import io

import ezdxf.filemanagement
import ezdxf.units
from ezdxf.document import Drawing
from ezdxf.enums import TextEntityAlignment
from ezdxf.layouts.layout import Modelspace

from fairlay.core.formats.svg import ROOM_MM
from fairlay.core.lay.check import hide_shapes
from fairlay.core.lay.lay import Job, Lay
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
    doc: Drawing = ezdxf.filemanagement.new("R2010", units=ezdxf.units.MM)
    for name, colour in LAYERS.items():
        doc.layers.add(name, color=colour)
    for name in sorted(
        {
            m.kind.upper() + ("_FLESH" if m.side == "flesh" else "")
            for piece in job.pieces
            for m in piece.marks
        }
    ):
        doc.layers.add(name, color=6)
    space = doc.modelspace()
    used = {p.hide for p in lay.placements}
    down = 0.0
    for hide in [h for h in job.hides if (h.id == hide_id if hide_id else h.id in used)] or list(job.hides):
        x0, y0, _, y1 = hide.region.bounds
        shapes = hide_shapes(job, lay, hide)
        for ring in [hide.outline, *hide.holes] if not hide.is_roll else []:
            _ring(space, ring, "HIDE", -x0, y0 - down)
        if hide.is_roll:
            length = max((shape.bounds[2] for _, shape in shapes), default=1000.0)
            space.add_lwpolyline(
                [(0, -down), (length, -down), (length, -down - y1), (0, -down - y1)],
                close=True,
                dxfattribs={"layer": "HIDE"},
            )
        for _, shown in hide.zone_regions:
            for ring in rings_of(shown):
                _ring(space, ring, "ZONE", -x0, y0 - down)
        for flaw in hide.flaws:
            _ring(space, flaw.outline, FLAW_LAYER[flaw.severity], -x0, y0 - down)
        for placement, shape in shapes:
            for ring in rings_of(shape):
                _ring(space, ring, "CUT", -x0, y0 - down)
            for mark in job.pieces_by_id[placement.piece].marks:
                if mark.draws != "pricks":
                    points = place_points(mark.points, placement.at)
                    layer = mark.kind.upper() + ("_FLESH" if mark.side == "flesh" else "")
                    space.add_lwpolyline(
                        [(x - x0, y0 - down - y) for x, y in points],
                        close=mark.draws == "area",
                        dxfattribs={"layer": layer},
                    )
            c = shape.representative_point()
            label = space.add_text(
                f"{placement.piece} {placement.copy + 1}", height=8, dxfattribs={"layer": "LABEL"}
            )
            label.set_placement((c.x - x0, y0 - down - c.y), align=TextEntityAlignment.MIDDLE_CENTER)
        down += y1 - y0 + ROOM_MM
    out = io.StringIO()
    doc.write(out)
    return out.getvalue()


def _ring(space: Modelspace, ring: Ring, layer: str, dx: float, dy: float) -> None:
    space.add_lwpolyline([(x + dx, dy - y) for x, y in ring], close=True, dxfattribs={"layer": layer})
