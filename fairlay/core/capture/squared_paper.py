"""A photograph on squared paper to a pattern: straightened, scaled, traced, cleaned, and told what to do
better.
"""

from __future__ import annotations

import io
import re
import struct
import sys
import warnings
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
import PIL.Image
from numpy.typing import NDArray

from fairlay.core.capture.curves import cleaned
from fairlay.core.capture.drawn_line import find_drawn
from fairlay.core.capture.height import lowered
from fairlay.core.capture.part import PartSeen, Straight, find_parts, near_stains, straighten
from fairlay.core.capture.squares import PaperSeen, find_paper
from fairlay.core.errors import BadPicture, FairLayError
from fairlay.core.pattern.contour import Contour
from fairlay.core.pattern.cut import offset_ring
from fairlay.core.shapes.rings import Ring, clean_ring

Image = NDArray[np.uint8]
Shows = Literal["part", "drawn line"]
Follow = Literal["outside", "middle", "inside"]

MOST_PIXELS = 60_000_000
TILTED_DEG = 25.0
LEAST_PX_PER_MM = 2.5
EXIF_MODEL = 0x0110


@dataclass(frozen=True)
class Said:
    """What the cutter says of a picture.

    ``square_mm``: the printed squares. ``shows``: a part, or an outline drawn round one with a pen
    ``line_mm`` wide, of which the piece follows the ``follow`` edge. ``thickness_mm``: how high the part's
    face stands over the paper; a face that is nearer the camera looks larger. ``grow_mm`` is added all round
    in the end (less than 0: taken off).
    """

    square_mm: float = 10.0
    shows: Shows = "part"
    line_mm: float = 0.0
    follow: Follow = "inside"
    thickness_mm: float = 0.0
    grow_mm: float = 0.0


@dataclass(frozen=True, eq=False)
class TracedPart:
    """A part traced: its contour and windows with handles, on the paper in mm; the dense outline they were
    cleaned from; its area.
    """

    contour: Contour
    windows: tuple[Contour, ...]
    traced: Ring
    area_mm2: float


@dataclass(frozen=True, eq=False)
class Traced:
    """What a picture gave: the straightened picture, the parts (the largest first), how well squares agree
    (rms in mm), tilt of the camera, and advice in words.
    """

    straight: Straight
    parts: tuple[TracedPart, ...]
    squares: int
    rms_mm: float
    tilt_deg: float
    advice: tuple[str, ...]


def decode(body: bytes) -> Image:
    """Return an encoded picture as ``(h, w, 3)`` uint8 red, green, blue, turned as the camera says.

    How large it is is read from its first bytes, before any of it is decoded. Raises BadPicture for what
    is no picture, or a larger one than is read.
    """
    w, h = picture_size(body)
    if w * h > MOST_PIXELS:
        raise BadPicture(
            f"the picture has {w} x {h} pixels",
            value=(w, h),
            expected=f"{MOST_PIXELS // 1_000_000} million at most",
        )
    raw = cv2.imdecode(np.frombuffer(body, np.uint8), cv2.IMREAD_COLOR)
    if raw is None:
        raise BadPicture(
            "the file is no picture that can be read", value=len(body), expected="JPEG, PNG, WebP or TIFF"
        )
    return np.asarray(cv2.cvtColor(raw, cv2.COLOR_BGR2RGB), np.uint8)


def picture_size(body: bytes) -> tuple[int, int]:
    """Return the width and height that a picture's first bytes state. Raises BadPicture for what is none."""
    try:
        with warnings.catch_warnings():
            # Pillow warns of large pictures; whether one is too large is said here, and none is decoded.
            warnings.simplefilter("ignore")
            with PIL.Image.open(io.BytesIO(body)) as found:
                return int(found.width), int(found.height)
    except PIL.Image.DecompressionBombError:
        size = re.search(r"\((\d+) pixels\)", str(sys.exc_info()[1]))
        raise BadPicture(
            f"the picture has {int(size[1]) // 1_000_000 if size else 'too many'} million pixels",
            value=size[1] if size else None,
            expected=f"{MOST_PIXELS // 1_000_000} million at most",
        ) from None
    except (OSError, SyntaxError, ValueError, TypeError, struct.error) as cause:
        raise BadPicture(
            "the file is no picture that can be read", value=len(body), expected="JPEG, PNG, WebP or TIFF"
        ) from cause


def camera_of(body: bytes) -> str:
    """Return which camera took a picture, as its own first bytes say (EXIF's model), or an empty word."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with PIL.Image.open(io.BytesIO(body)) as found:
                said = found.getexif().get(EXIF_MODEL, "")
    except (PIL.Image.DecompressionBombError, OSError, SyntaxError, ValueError, TypeError, struct.error):
        return ""
    return "".join(c for c in str(said) if c.isprintable())[:60].strip()


def look(image: Image, square_mm: float = 10.0) -> tuple[PaperSeen, Straight]:
    """Return how the squared paper lies in a picture ``(h, w, 3)``, and the picture straightened.

    Raises BadPicture where no squares are found.
    """
    if not 3.0 <= square_mm <= 50.0:
        raise BadPicture(
            f"squares of {square_mm:g} mm",
            value=square_mm,
            expected="3 to 50 mm: measure ten of them and divide by ten",
        )
    paper = find_paper(image, square_mm)
    return paper, straighten(image, paper)


def trace(image: Image, said: Said | None = None) -> Traced:
    """Return the parts on squared paper in a picture; see ``trace_on``."""
    said = said or Said()
    return trace_on(*look(image, said.square_mm), said)


def trace_on(paper: PaperSeen, straight: Straight, said: Said) -> Traced:
    """Return the parts on squared paper that was looked at.

    Raises BadPicture where a part reaches over the border, nothing lies there, or what is said of the picture
    makes no sense.
    """
    if not 0 <= said.line_mm <= 12 or not 0 <= said.thickness_mm <= 40 or abs(said.grow_mm) > 30:
        raise BadPicture(
            f"a line of {said.line_mm:g} mm, a part {said.thickness_mm:g} mm thick, {said.grow_mm:g} mm "
            "added",
            value=said.line_mm,
            expected="a line to 12 mm, a part to 40 mm thick, 30 mm added or taken off at most",
        )
    drawn = said.shows == "drawn line"
    seen = find_drawn(straight, paper, said.line_mm) if drawn else find_parts(straight, paper)
    eye = paper.eye_mm()
    parts = tuple(_traced(p, said, eye, i) for i, p in enumerate(seen))
    parts = tuple(sorted(parts, key=lambda p: -p.area_mm2))
    tilt = _tilt(paper, eye)
    return Traced(
        straight,
        parts,
        len(paper.index),
        paper.rms_px / paper.px_per_mm(),
        tilt,
        tuple(_advice(seen, straight, paper, tilt, said)),
    )


def _traced(p: PartSeen, said: Said, eye: tuple[float, float, float], which: int) -> TracedPart:
    name = "the part" if which == 0 else f"part {which + 1}"
    by = said.grow_mm
    if said.shows == "drawn line":
        by += {"outside": said.line_mm / 2, "middle": 0.0, "inside": -said.line_mm / 2}[said.follow]
    outline = lowered(p.outline, eye, said.thickness_mm)
    ring = clean_ring(outline, name)
    if by:
        try:
            ring = offset_ring(ring, by, name)
        except FairLayError as error:
            raise BadPicture(str(error), value=by, expected="") from error
        ring = _even(ring)
    holes = (
        ()
        if said.shows == "drawn line"
        else tuple(lowered(h, eye, said.thickness_mm, hole=True) for h in p.holes)
    )
    area = float(_area(ring) - sum(_area(h) for h in holes))
    return TracedPart(cleaned(ring), tuple(cleaned(h) for h in holes), ring, area)


def _area(ring: Ring) -> float:
    x, y = ring.T
    return abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) / 2


def _even(ring: Ring) -> Ring:
    """A ring with points every half mm, as the cleaning expects."""
    closed = np.concatenate([ring, ring[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], max(12, int(along[-1] / 0.5)), endpoint=False)
    return np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)


def _tilt(paper: PaperSeen, eye: tuple[float, float, float]) -> float:
    """Degrees by which the camera stood off from straight above the middle of the squares."""
    x0, y0, x1, y1 = paper.bounds_mm
    off = np.hypot((x0 + x1) / 2 - eye[0], (y0 + y1) / 2 - eye[1])
    return float(np.degrees(np.arctan2(off, eye[2])))


def _advice(seen: list[PartSeen], straight: Straight, paper: PaperSeen, tilt: float, said: Said) -> list[str]:
    out = []
    if paper.square_mm < 0.9 * said.square_mm:
        out.append(
            f"Some lines are heavier: squares of {said.square_mm:g} mm are taken to be those between heavy "
            f"lines, {paper.square_mm:g} mm between all."
        )
    large = [p for p in seen if p.area_mm2 > 0.1 * seen[0].area_mm2]
    if len(large) > 1:
        out.append(
            f"{len(large)} parts lie on the page; each can be taken as a piece. One picture for each part is "
            "surer."
        )
    if seen[0].neck_mm is not None and said.shows == "part":
        out.append(
            f"This may be two parts that touch: they hang together by a neck of {seen[0].neck_mm:.1f} mm. If "
            "they are two, lay them 10 mm apart and take the picture again."
        )
    if said.shows == "part" and near_stains(seen[0].outline, straight, paper):
        out.append(
            "A stain on the page lies beside the part's edge: look its outline over there, or use a clean "
            "page."
        )
    if tilt > TILTED_DEG:
        out.append(
            f"The camera stood {tilt:.0f} degrees off; from straight above, thick parts are measured better."
        )
    if paper.px_per_mm() < LEAST_PX_PER_MM:
        out.append(
            f"A millimetre takes only {paper.px_per_mm():.1f} pixels; go nearer, or use the camera's full "
            "size."
        )
    rms = paper.rms_px / paper.px_per_mm()
    if rms > 0.15:
        out.append(f"The squares agree only to {rms:.2f} mm: see that the paper lies flat.")
    return out


def as_jpeg(image: Image, quality: int = 88) -> bytes:
    """Return a picture as JPEG."""
    ok, body = cv2.imencode(
        ".jpg", cv2.cvtColor(image, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality]
    )
    if not ok:
        raise BadPicture(
            "the picture could not be encoded", value=image.shape, expected="a picture of at least one pixel"
        )
    return bytes(body)


def at_square_mm(said: Said, bar_measures_mm: float | None) -> Said:
    """Return what was said with squares as large as the printed bar says they are: a bar of 100 mm that
    measures 98 makes squares of 9.8.
    """
    return (
        said if bar_measures_mm is None else replace(said, square_mm=said.square_mm * bar_measures_mm / 100.0)
    )
