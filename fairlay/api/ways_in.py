"""How patterns come in: shapes by their measures, drawings, photographs on squared paper, half patterns; and
the printed scale.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
from fastapi import APIRouter, Request, Response, UploadFile
from shapely.geometry import MultiPoint

from fairlay.api.models import Bounds, Created, MarkLine
from fairlay.api.pattern_models import (
    DrawingOut,
    FileOut,
    FoundOut,
    GapOut,
    HalfPattern,
    LayerOut,
    MeasureOut,
    Measures,
    OutlineOut,
    ScaleOut,
    ShapeOut,
    SortDrawing,
    SortedDrawing,
    StrokeOut,
    TableOut,
    TakePicture,
    TracedOut,
    TracePicture,
    WholeOut,
)
from fairlay.core.capture.part import Straight
from fairlay.core.capture.squared_paper import Asked, as_jpeg, at_square_mm, decode, look, trace_on
from fairlay.core.capture.squares import PaperSeen
from fairlay.core.errors import Refused
from fairlay.core.formats.article_json import read_article
from fairlay.core.formats.drawing import UNITS_MM, Drawing
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.pdf import grid_pdf
from fairlay.core.formats.sort_out import FoundPiece, sort_out
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.pattern.by_dimensions import SHAPES, draw
from fairlay.core.pattern.changes import length_and_width
from fairlay.core.pattern.contour import Contour, flatten
from fairlay.core.pattern.drawn import mark_values
from fairlay.core.pattern.edges import XY
from fairlay.core.pattern.half import unfold
from fairlay.core.pattern.marks import drawn_marks
from fairlay.core.pattern.pattern import Pattern, slug_of
from fairlay.core.pattern.scale import BAR_MM, scale_found
from fairlay.core.shapes.rings import Ring, as_points
from fairlay.devices.camera import SimulatedCamera
from fairlay.store import articles, uploads

router = APIRouter(prefix="/api/ways-in", tags=["patterns"])
PICTURES_BEGIN = (b"\xff\xd8\xff", b"\x89PNG", b"II*\x00", b"MM\x00*")
KEPT_AS_IT_IS = {"Cache-Control": "private, max-age=31536000, immutable"}
"""A file that was brought in never changes: a browser need not ask for a picture of many megabytes twice."""
SHOWN_POINTS = 60
"""Points of a stroke that are sent to be looked at; all of them are used."""


@router.get("/shapes")
def shapes() -> list[ShapeOut]:
    """The shapes that are drawn from a few measures."""
    return [
        ShapeOut(
            kind=s.kind,
            says=s.says,
            measures=[
                MeasureOut(
                    name=m.name,
                    says=m.says,
                    usual=m.usual,
                    least=m.least,
                    most=m.most,
                    choices=list(m.choices),
                    whole=m.whole,
                )
                for m in s.measures
            ],
        )
        for s in SHAPES.values()
    ]


@router.post("/shapes/{kind}")
def draw_shape(kind: str, asked: Measures) -> OutlineOut:
    """A shape drawn from its measures."""
    drawn = draw(kind, asked.measures)
    return _outline(drawn.contour, drawn.windows)


@router.post("/half")
def whole_of_half(asked: HalfPattern) -> WholeOut:
    """The whole of a half pattern, and whether its fold edge is straight and square."""
    whole = unfold(tuple(tuple(n) for n in asked.contour), asked.start, asked.end)
    return WholeOut(
        outline=_outline(whole.contour),
        bow_mm=whole.bow_mm,
        off_square_deg=list(whole.off_square_deg),
        says=list(whole.says),
    )


@router.get("/scale")
def scale(measured_mm: float, nominal_mm: float = BAR_MM) -> ScaleOut:
    """What a printed bar that was measured tells of the printer."""
    found = scale_found(measured_mm, nominal_mm)
    return ScaleOut(
        scale=found.scale,
        right=found.right,
        set_percent=found.set_percent,
        factor=found.factor,
        says=found.says,
    )


@router.get("/squared-page.pdf")
def squared_page(paper: str = "A3", landscape: bool = False) -> Response:
    """The squared page to photograph parts on."""
    return Response(
        grid_pdf(paper, landscape),
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="squared-page-{paper}.pdf"'},
    )


@router.post("/files", status_code=201)
def bring_in(file: UploadFile) -> FileOut:
    """Keep a drawing (SVG, DXF), a picture, or an article's exchange file.

    Refused where it is none of them.
    """
    body = file.file.read()
    name = file.filename or "file"
    kind = _kind(name, body)
    return FileOut(id=uploads.keep(name, file.content_type or "", body), name=name, kind=kind)


@router.get("/files/{file_id}/drawing")
def drawing(file_id: int) -> DrawingOut:
    """A drawing as it came: its layers, units and strokes."""
    found, kept = _drawing(file_id), uploads.upload(file_id)
    w, h = found.span
    return DrawingOut(
        name=kept.name,
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
            StrokeOut(layer=s.layer, points=as_points(_thinned(s.points), 4), closed=s.closed)
            for s in found.strokes
        ],
    )


@router.post("/files/{file_id}/sorted")
def sorted_drawing(file_id: int, asked: SortDrawing) -> SortedDrawing:
    """The pieces of a drawing, once it is said what its layers are and what its unit is."""
    found = sort_out(_drawing(file_id), asked.uses, asked.unit_mm)
    return SortedDrawing(
        pieces=[_found(p) for p in found.pieces],
        gaps=[GapOut(x=g.x, y=g.y, mm=g.mm, closed=g.closed) for g in found.gaps],
        open_lines=[as_points(line, 2) for line in found.open_lines],
        notes=list(found.notes),
    )


@router.post("/files/{file_id}/article", status_code=201)
def article_from_file(file_id: int) -> Created:
    """Put the article of an exchange file in its drawer."""
    return Created(id=articles.add_article(read_article(uploads.upload(file_id).body), "read from a file"))


@router.get("/camera")
def camera(request: Request) -> TableOut:
    """The camera at hand, and what lies under it."""
    at_hand: SimulatedCamera = request.app.state.camera
    return TableOut(camera="simulated", tables=list(at_hand.tables))


@router.post("/camera", status_code=201)
def take_picture(asked: TakePicture, request: Request) -> FileOut:
    """Take a picture and keep it."""
    at_hand: SimulatedCamera = request.app.state.camera
    picture = at_hand.pointed_at(asked.table).take()
    return FileOut(
        id=uploads.keep(f"{asked.table}.jpg", picture.media_type, picture.body),
        name=asked.table,
        kind="picture",
    )


@router.get("/files/{file_id}/picture")
def picture(file_id: int) -> Response:
    """A picture as it came."""
    kept = uploads.upload(file_id)
    return Response(
        kept.body,
        media_type=kept.media_type if kept.media_type.startswith("image/") else "image/jpeg",
        headers=KEPT_AS_IT_IS,
    )


@router.get("/files/{file_id}/straight.jpg")
def straight_picture(file_id: int, square_mm: float) -> Response:
    """A picture on squared paper, straightened by its squares."""
    return Response(as_jpeg(_looked(file_id, square_mm)[1].image), media_type="image/jpeg")


@router.post("/files/{file_id}/traced")
def traced_picture(file_id: int, asked: TracePicture) -> TracedOut:
    """The outlines of what lies on squared paper in a picture."""
    said = Asked(asked.square_mm, asked.shows, asked.line_mm, asked.follow, asked.thickness_mm, asked.grow_mm)
    said = at_square_mm(said, asked.bar_mm)
    paper, straight = _looked(file_id, said.square_mm)
    found = trace_on(paper, straight, said)
    h, w = straight.image.shape[:2]
    return TracedOut(
        parts=[_outline(p.contour, p.windows) for p in found.parts],
        picture=f"/api/ways-in/files/{file_id}/straight.jpg?square_mm={said.square_mm:.6g}",
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


@lru_cache(maxsize=4)
def _looked(file_id: int, square_mm: float) -> tuple[PaperSeen, Straight]:
    return look(decode(uploads.upload(file_id).body), square_mm)


@lru_cache(maxsize=8)
def _drawing(file_id: int) -> Drawing:
    kept = uploads.upload(file_id)
    return (
        read_svg(kept.body)
        if kept.name.lower().endswith(".svg") or b"<svg" in kept.body[:2000]
        else read_dxf(kept.body)
    )


def _kind(name: str, body: bytes) -> Literal["drawing", "picture", "article"]:
    end = name.lower().rsplit(".", 1)[-1]
    if end == "json":
        return "article"
    if end in ("svg", "dxf") or b"<svg" in body[:2000]:
        return "drawing"
    if end in ("jpg", "jpeg", "png", "webp", "tif", "tiff", "bmp") or body.startswith(PICTURES_BEGIN):
        return "picture"
    if end in ("heic", "heif", "avif") or body[4:8] == b"ftyp":
        raise Refused(
            f"{name} is a picture of a kind that cannot be read here",
            value=end,
            expected="JPEG: set the telephone's camera to it, or send the picture as JPEG; nothing was kept",
        )
    raise Refused(
        f"{name} is no file that patterns are taken from",
        value=end,
        expected="SVG or DXF, a picture (JPEG, PNG, WebP, TIFF), or an article's JSON; nothing was kept",
    )


def _thinned(points: Ring) -> Ring:
    return (
        points
        if len(points) <= SHOWN_POINTS
        else points[np.linspace(0, len(points) - 1, SHOWN_POINTS).astype(int)]
    )


def _outline(contour: Contour, windows: tuple[Contour, ...] = ()) -> OutlineOut:
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


def _found(p: FoundPiece) -> FoundOut:
    pattern = Pattern(slug_of(p.name), p.name, "body leather", 1, p.contour, p.windows, marks=p.marks)
    length, width = length_and_width(pattern)
    return FoundOut(
        pattern=pattern,
        rings=[as_points(r, 2) for r in (pattern.ring, *pattern.window_rings)],
        marks=[MarkLine(**mark_values(m)) for m in drawn_marks(pattern)],
        at=XY(*p.at),
        length_mm=length,
        width_mm=width,
    )
