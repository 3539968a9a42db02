"""What pictures, a drawing or a rule gave of a hide, as it is kept until the cutter takes it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import BaseModel, Field, FiniteFloat
from shapely.geometry import Polygon

from fairlay.core.capture.hide_picture import HideSeen
from fairlay.core.shapes.rings import Ring, as_points

Points = list[list[float]]
SHOWN_MM = 0.4
"""A ring is shown, and taken, with points no farther off it than this."""
ROUND_MM = 60.0


class Frame(BaseModel):
    """The part of the table that is shown, mm."""

    x0: float
    y0: float
    x1: float
    y1: float


class RingSeen(BaseModel):
    """A ring, chalked or drawn: what tells of its severity, how sure that is (0 to 1), and its kind where it
    is told.
    """

    outline: Points
    chalk: str
    severity: int
    sure: float
    kind: str = ""


class LineSeen(BaseModel):
    """A chalked line or arrow."""

    kind: Literal["backbone", "arrow", "line"]
    points: Points
    chalk: str


class PressRecord(BaseModel):
    """Where somebody said what lies there: mm on the table; or in a picture, as shares of its width and
    height.
    """

    x: FiniteFloat
    y: FiniteFloat
    means: Literal["hide", "table", "chalk", "stain"]
    picture: Annotated[int, Field(ge=0, le=5)] | None = None


class DoubtSeen(BaseModel):
    """A place of which it is not sure whether it is hide or table."""

    x: float
    y: float
    area_m2: float


class SeenRecord(BaseModel):
    """A hide as it was seen, not yet accepted; in mm on the table."""

    source: Literal["picture", "drawing", "rule"]
    picture: str | None
    bounds: Frame
    outline: Points
    holes: list[Points]
    rings: list[RingSeen]
    lines: list[LineSeen]
    area_m2: float
    markers: int
    rms_mm: float
    advice: list[str]
    off_m2: float = 0.0
    """How far off the area may be, nineteen times in twenty; 0 where nothing tells."""
    off_mm: float = 0.0
    doubts: list[DoubtSeen] = []
    presses: list[PressRecord] = []
    files: list[int] = []
    """The pictures it was found in, to be read again with a press."""
    bar_mm: float = 100.0
    unit_mm: float = 0.0
    """How long a unit of a drawing was taken to be; 0 where there is no drawing."""
    told_mm: float = 0.0
    """How long it is by the file itself; 0 where that does not say."""


def seen_in_pictures(found: HideSeen, picture: str) -> SeenRecord:
    """Return the record of what pictures gave; ``picture`` is where the table from above is kept."""
    h, w = found.top.image.shape[:2]
    top, ppm = found.top, found.top.px_per_mm
    return SeenRecord(
        source="picture",
        picture=picture,
        bounds=Frame(x0=top.x0, y0=top.y0, x1=top.x0 + w / ppm, y1=top.y0 + h / ppm),
        outline=shown(found.outline),
        holes=[shown(r) for r in found.holes],
        rings=[
            RingSeen(outline=shown(r.outline), chalk=r.chalk, severity=r.severity, sure=r.sure)
            for r in found.rings
        ],
        lines=[LineSeen(kind=x.kind, points=as_points(x.ends, 1), chalk=x.chalk) for x in found.lines],
        area_m2=found.area_mm2 / 1e6,
        markers=len(found.markers),
        rms_mm=found.rms_mm,
        advice=list(found.advice),
        off_m2=found.area_off_mm2 / 1e6,
        off_mm=found.edge_off_mm,
        doubts=[DoubtSeen(x=x, y=y, area_m2=area / 1e6) for x, y, area in found.doubts],
    )


def seen_plain(
    source: Literal["drawing", "rule"],
    outline: Ring,
    holes: Sequence[Ring],
    advice: Sequence[str],
    flaws: Sequence[tuple[Ring, int, str]] = (),
    backbone: Ring | None = None,
) -> SeenRecord:
    """Return the record of an outline ``(n, 2)`` in mm with its holes, flaws as rings with a severity (0: not
    told) and a kind, and the ends of its backbone, and no picture.
    """
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    area = Polygon(outline).area - sum(Polygon(h).area for h in holes)
    return SeenRecord(
        source=source,
        picture=None,
        bounds=Frame(x0=x0 - ROUND_MM, y0=y0 - ROUND_MM, x1=x1 + ROUND_MM, y1=y1 + ROUND_MM),
        outline=shown(outline),
        holes=[shown(h) for h in holes],
        rings=[
            RingSeen(outline=shown(ring), chalk="", severity=severity, sure=1.0, kind=kind)
            for ring, severity, kind in flaws
        ],
        lines=[]
        if backbone is None
        else [LineSeen(kind="backbone", points=as_points(backbone, 1), chalk="")],
        area_m2=area / 1e6,
        markers=0,
        rms_mm=0.0,
        advice=list(advice),
    )


def shown(ring: Ring) -> Points:
    """Return a ring ``(n, 2)`` in mm without the points that do not show."""
    return as_points(
        cv2.approxPolyDP(ring.astype(np.float32).reshape(-1, 1, 2), SHOWN_MM, True)[:, 0].astype(np.float64),
        1,
    )
