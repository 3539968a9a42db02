"""How patterns come in: shapes by their measures, drawings, photographs on squared paper, half patterns; and
the printed scale.
"""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, Request, Response, UploadFile

from fairlay.api.files import picture_type
from fairlay.api.models import Created, JobOut
from fairlay.api.pattern_models import (
    FileOut,
    HalfPattern,
    MeasureOut,
    Measures,
    ScaleOut,
    ShapeOut,
    SortDrawing,
    TableOut,
    TakePicture,
    TracePicture,
    WholeOut,
)
from fairlay.api.reading import read_file
from fairlay.core.capture.squared_paper import MOST_PIXELS, picture_size
from fairlay.core.errors import Refused
from fairlay.core.formats.article_json import read_article
from fairlay.core.formats.pdf import grid_pdf
from fairlay.core.formats.read_out import DrawingOut, OutlineOut, SortedDrawing, TracedOut, outline_out
from fairlay.core.pattern.by_dimensions import SHAPES, draw
from fairlay.core.pattern.half import unfold
from fairlay.core.pattern.scale import BAR_MM, scale_found
from fairlay.devices.camera import SimulatedCamera
from fairlay.store import articles, jobs, uploads
from fairlay.store.work_asked import ReadWork

router = APIRouter(prefix="/api/ways-in", tags=["patterns"])
MOST_DRAWING_BYTES = 25_000_000
"""Sixty thousand paths take about ten."""
KEPT_AS_IT_IS = {"Cache-Control": "private, max-age=31536000, immutable"}
"""A file that was brought in never changes: a browser need not ask for a picture of many megabytes twice."""


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
    return outline_out(drawn.contour, drawn.windows)


@router.post("/half")
def whole_of_half(asked: HalfPattern) -> WholeOut:
    """The whole of a half pattern, and whether its fold edge is straight and square."""
    whole = unfold(tuple(tuple(n) for n in asked.contour), asked.start, asked.end)
    return WholeOut(
        outline=outline_out(whole.contour),
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
    name = file.filename or "file"
    if file.size is not None:
        uploads.check_size(name, file.size)
    body = file.file.read(uploads.MOST_BYTES + 1)
    kind = _kind(name, body)
    if kind == "picture":
        w, h = picture_size(body)
        if w * h > MOST_PIXELS:
            raise Refused(
                f"{name} has {w} x {h} pixels",
                value=(w, h),
                expected=f"{MOST_PIXELS // 1_000_000} million at most; nothing was kept",
            )
    elif len(body) > MOST_DRAWING_BYTES:
        raise Refused(
            f"{name} has {len(body) / 1e6:.0f} MB",
            value=len(body),
            expected=f"a drawing of {MOST_DRAWING_BYTES // 1_000_000} MB at most; nothing was kept",
        )
    media_type = (picture_type(body) if kind == "picture" else None) or "application/octet-stream"
    return FileOut(id=uploads.keep(name, media_type, body), name=name, kind=kind)


@router.post("/files/{file_id}/drawing", status_code=202)
def read_drawing(file_id: int) -> JobOut:
    """Have a drawing read: its layers, units and strokes; follow the job."""
    return read_file(file_id, ReadWork("drawing"))


@router.post("/files/{file_id}/sorted", status_code=202)
def sort_drawing(file_id: int, asked: SortDrawing) -> JobOut:
    """Have the pieces of a drawing sorted out, once it is said what its layers are and what its unit is."""
    return read_file(file_id, ReadWork("sorted", asked.model_dump(mode="json")))


@router.post("/files/{file_id}/traced", status_code=202)
def trace_picture(file_id: int, asked: TracePicture) -> JobOut:
    """Have the outlines traced of what lies on squared paper in a picture."""
    return read_file(file_id, ReadWork("traced", asked.model_dump(mode="json")))


@router.get("/readings/{job_id}/drawing")
def drawing(job_id: int) -> DrawingOut:
    """A drawing as it came, once it is read."""
    return DrawingOut.model_validate(jobs.result_of(job_id))


@router.get("/readings/{job_id}/sorted")
def sorted_drawing(job_id: int) -> SortedDrawing:
    """The pieces of a drawing, once they are sorted out."""
    return SortedDrawing.model_validate(jobs.result_of(job_id))


@router.get("/readings/{job_id}/traced")
def traced_picture(job_id: int) -> TracedOut:
    """The outlines of what lies on squared paper, once they are traced."""
    return TracedOut.model_validate(jobs.result_of(job_id))


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
    """A picture as it came: only what is one by its own first bytes, under the type those tell."""
    kept = uploads.upload(file_id)
    media_type = picture_type(kept.body)
    if media_type is None:
        raise Refused(f"{kept.name} is no picture", value=file_id, expected="a picture that was brought in")
    return Response(kept.body, media_type=media_type, headers=KEPT_AS_IT_IS)


def _kind(name: str, body: bytes) -> Literal["drawing", "picture", "article"]:
    end = name.lower().rsplit(".", 1)[-1]
    if end == "json":
        return "article"
    if end in ("svg", "dxf") or b"<svg" in body[:2000]:
        return "drawing"
    if end in ("jpg", "jpeg", "png", "webp", "tif", "tiff", "bmp") or picture_type(body) is not None:
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
