"""A camera over the bench: what it must do, and one that renders pictures for practice and for tests."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.capture.grid_page import INK, LINE_MM, GridPage, grid_page
from fairlay.core.errors import NotFound, Unavailable
from fairlay.core.shapes.rings import Ring
from fairlay.devices.lain import Lain, covers, darkened, filled, scale, seen_near, together
from fairlay.devices.optics import at_all, between, every, leaning, rays, shown
from fairlay.devices.photograph import Develops, photograph
from fairlay.devices.surfaces import FULL, light, spread

Image = NDArray[np.uint8]
Floats = NDArray[Any]
"""A picture: ``(height, width, 3)`` uint8, red, green, blue, row 0 at the top."""


@dataclass(frozen=True, eq=False)
class Picture:
    """What a camera took: an encoded picture and its media type."""

    body: bytes
    media_type: str = "image/jpeg"


class Camera(Protocol):
    """Any camera that takes one picture when asked. Raises Unavailable where it cannot."""

    def take(self) -> Picture: ...


@dataclass(frozen=True, eq=False)
class PartOnPage:
    """A part that lies on the page: rings in page mm (the first its outline, others holes in it), colour (r,
    g, b) 0 to 1.
    """

    rings: tuple[Ring, ...]
    colour: tuple[float, float, float]
    line_mm: float | None = None
    """Where given, nothing lies there: its outline is drawn with a pen so wide, centred on the ring."""


@dataclass(frozen=True, eq=False)
class Stain:
    """A spill that dried on the page: where, in page mm, how long and wide, and what it leaves of
    the light.
    """

    x: float
    y: float
    size: tuple[float, float]
    colour: tuple[float, float, float] = (0.85, 0.75, 0.58)


@dataclass(frozen=True, eq=False)
class Scene:
    """A page with parts under a camera that is neither square nor perfect.

    Colours are given as they are displayed. Angles in degrees; ``lens`` are the radial coefficients k1, k2
    of x (1 + k1 r2 + k2 r4) with r in focal lengths; ``shade`` is how much less light falls on the far side,
    ``shadow`` how dark a part's own shadow is, ``cast`` how dark the shadow of whoever holds the camera is
    (0 none), all as shares of light.
    """

    page: GridPage = field(default_factory=lambda: grid_page("A3", True))
    parts: tuple[PartOnPage, ...] = ()
    width_px: int = 3000
    height_px: int = 2000
    tilt_deg: tuple[float, float] = (0.0, 0.0)
    roll_deg: float = 0.0
    shift_mm: tuple[float, float] = (0.0, 0.0)
    fill: float = 0.9
    lens: tuple[float, float] = (0.0, 0.0)
    shade: float = 0.15
    shadow: float = 0.4
    cast: float = 0.0
    stains: tuple[Stain, ...] = ()
    camera: Develops = field(default_factory=Develops)
    thickness_mm: float = 1.0
    squares: bool = True
    seed: int = 1


PX_PER_MM = 8.0
ROOM_MM = 60.0
FOCAL_WIDTHS = 0.85
"""Focal length in picture widths: a bench camera's, or a telephone's main lens."""


def render(scene: Scene) -> Image:
    """Return the picture of a scene."""
    rng = np.random.default_rng(scene.seed)
    plane, part, lain = _plane(scene, rng)
    _, left, over = lain
    h, w = scene.height_px, scene.width_px
    focal = FOCAL_WIDTHS * w
    turn: Floats = leaning(scene.tilt_deg, scene.roll_deg)
    page = scene.page
    span = max((page.width_mm) / w, (page.height_mm) / h)
    distance = focal * span / scene.fill
    middle = np.array([page.width_mm / 2 + scene.shift_mm[0], page.height_mm / 2 + scene.shift_mm[1], 0.0])
    eye: Floats = middle - turn[2] * distance
    falls = _light(scene, h, w, rng)
    heights = np.linspace(0.0, scene.thickness_mm, 4)[1:] if scene.thickness_mm > 0 else np.zeros(1)

    def lines(top: int, low: int) -> Floats:
        along = rays(every(0, w), every(top, low), (w, h), focal, scene.lens) @ turn

        def met_at(height: float) -> list[Floats]:
            """Where rays meet a height over the bench, in px of the rasters."""
            t = (-height - eye[2]) / along[..., 2]
            return [(eye[d] + t * along[..., d] + ROOM_MM) * PX_PER_MM - 0.5 for d in (0, 1)]

        out = shown(plane, *(between(v, low - top, w) for v in met_at(0.0)))
        for k, height in enumerate(map(float, heights)):
            met = met_at(height)
            near = seen_near(lain, met)
            if near is None:
                continue
            x, y = (between(v, low - top, w)[near] for v in met)
            cover = covers(lain, x, y)
            seen = shown(part, x - left, y - over)
            seen *= at_all(cover if k == len(heights) - 1 else 0.5 * cover)
            out[near] *= at_all(1 - cover)
            out[near] += seen
        out *= at_all(falls[top:low] / np.float32(FULL))
        return out

    return photograph(lines, h, w, scene.camera, scene.seed)


def encoded(image: Image, quality: int = 90) -> Picture:
    """Return a picture as JPEG."""
    ok, body = cv2.imencode(
        ".jpg", cv2.cvtColor(image, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality]
    )
    if not ok:
        raise Unavailable("the picture could not be encoded", expected="a picture of at least one pixel")
    return Picture(bytes(body))


@dataclass(frozen=True)
class SimulatedCamera:
    """A camera that renders what is said to lie under it.

    ``tables`` are the scenes it can be pointed at, by name.
    """

    tables: Mapping[str, Scene]
    at: str = ""

    def pointed_at(self, table: str) -> SimulatedCamera:
        """Return the camera over another table. Raises NotFound listing those there are."""
        if table not in self.tables:
            raise NotFound(
                f"there is no table {table!r} under the simulated camera",
                value=table,
                expected=", ".join(self.tables),
            )
        return SimulatedCamera(self.tables, table)

    def take(self) -> Picture:
        """Return a picture of the table it is over. Raises Unavailable where it is over none."""
        if self.at not in self.tables:
            raise Unavailable("nothing lies under the camera", expected="one of " + ", ".join(self.tables))
        return encoded(render(self.tables[self.at]))


def _plane(scene: Scene, rng: np.random.Generator) -> tuple[Floats, Floats, Lain]:
    """The bench with the page on it, the parts' own faces, and where parts are, at ``PX_PER_MM``."""
    page = scene.page
    w, h = int((page.width_mm + 2 * ROOM_MM) * PX_PER_MM), int((page.height_mm + 2 * ROOM_MM) * PX_PER_MM)
    plane = np.empty((h, w, 3), np.uint16)
    plane[:] = _row((0.17, 0.20, 0.21), w)

    def px(points: NDArray[np.float64]) -> NDArray[np.int32]:
        return np.round((points + ROOM_MM) * PX_PER_MM * 64 - 32).astype(np.int32)

    def box(x0: float, y0: float, x1: float, y1: float, colour: tuple[float, float, float]) -> None:
        """A box, its edges to the nearest px."""
        x0, y0, x1, y1 = (round((v + ROOM_MM) * PX_PER_MM) for v in (x0, y0, x1, y1))
        plane[y0:y1, x0:x1] = _row(colour, max(0, x1 - x0))

    box(0, 0, page.width_mm, page.height_mm, (0.93, 0.925, 0.90))
    if scene.squares:
        right, low = page.x0 + page.across * page.square_mm, page.y0 + page.down * page.square_mm
        half = LINE_MM / 2
        for x in page.x0 + np.arange(page.across + 1) * page.square_mm:
            box(x - half, page.y0, x + half, low, INK)
        for y in page.y0 + np.arange(page.down + 1) * page.square_mm:
            box(page.x0, y - half, right, y + half, INK)
    solid = [p for p in scene.parts if not p.line_mm]
    lain = [filled((h, w), [r + ROOM_MM for r in p.rings], PX_PER_MM) for p in solid]
    for p in scene.parts:
        if p.line_mm:
            line = np.zeros((h, w), np.uint8)
            cv2.polylines(
                line, [px(p.rings[0])], True, 255, max(1, round(p.line_mm * PX_PER_MM)), cv2.LINE_AA, 6
            )
            where = np.nonzero(line)
            cover = line[where][:, None].astype(np.float32) / 255
            plane[where] = (plane[where] * (1 - cover) + _ink(p.colour) * cover).astype(np.uint16)
    mask, x0, y0 = whole = together(lain)
    part = np.empty((*mask.shape, 3), np.uint16)
    part[:] = _row((0.5, 0.4, 0.3), mask.shape[1])
    for p in solid:
        # The face reaches beyond its outline, so that its edge is cut by the mask alone.
        own = np.zeros(mask.shape, np.uint8)
        at = px(p.rings[0]) - np.array([x0, y0], np.int32) * 64
        cv2.fillPoly(own, [at], 1, cv2.LINE_8, 6)
        cv2.polylines(own, [at], True, 1, int(5 * PX_PER_MM), cv2.LINE_8, 6)
        part[own > 0] = _ink(p.colour)
    for stain in scene.stains:
        _stain(plane, stain)
    if scene.shadow > 0:
        lean = 1.4 * max(scene.thickness_mm, 0.6) * PX_PER_MM
        darkened(plane, whole, (lean, 0.7 * lean), 0.8 * PX_PER_MM, scene.shadow)
    scale(part, _grain(mask.shape, rng))
    return plane, part, whole


def _ink(colour: tuple[float, float, float]) -> NDArray[np.uint16]:
    return (light(colour) * FULL).astype(np.uint16)


def _row(colour: tuple[float, float, float], wide: int) -> NDArray[np.uint16]:
    """A row of one colour: numpy lays rows over a raster many times as fast as single colours."""
    return np.tile(_ink(colour), (wide, 1))


def _stain(plane: Floats, stain: Stain) -> None:
    h, w = plane.shape[:2]
    x, y = (stain.x + ROOM_MM) * PX_PER_MM, (stain.y + ROOM_MM) * PX_PER_MM
    room = int(2 * max(stain.size) * PX_PER_MM)
    x0, y0, x1, y1 = (
        max(0, int(x) - room),
        max(0, int(y) - room),
        min(w, int(x) + room),
        min(h, int(y) + room),
    )
    if x0 >= x1 or y0 >= y1:
        return
    blot: Any = np.zeros((y1 - y0, x1 - x0), np.float32)
    axes = (int(stain.size[0] / 2 * PX_PER_MM), int(stain.size[1] / 2 * PX_PER_MM))
    cv2.ellipse(blot, (int(x) - x0, int(y) - y0), axes, 30.0, 0, 360, 1.0, -1)
    blot = cv2.GaussianBlur(blot, (0, 0), 1.5 * PX_PER_MM)[..., None]
    part = plane[y0:y1, x0:x1]
    part[:] = part * (1 - blot * (1 - np.array(stain.colour, np.float32)))


def _grain(shape: tuple[int, int], rng: np.random.Generator) -> Floats:
    """Leather's face: broad and fine unevenness about 1."""
    h, w = shape
    out = 1 + spread(rng, (h // 200 + 2, w // 200 + 2), shape, cv2.INTER_CUBIC, 0.08)
    out += spread(rng, (h // 5 + 1, w // 5 + 1), shape, cv2.INTER_LINEAR, 0.08)
    return np.asarray(out, np.float32)


def _light(scene: Scene, h: int, w: int, rng: np.random.Generator) -> Floats:
    x, y = np.linspace(-1, 1, w, dtype=np.float32)[None], np.linspace(-1, 1, h, dtype=np.float32)[:, None]
    turn = rng.uniform(0, 2 * np.pi)
    falls: Any = 1 - scene.shade * (0.5 + 0.5 * (x * np.cos(turn) + y * np.sin(turn)))
    if scene.cast > 0:
        edge = x * np.cos(turn + 1) + y * np.sin(turn + 1) - rng.uniform(0.0, 0.5)
        falls = falls * (1 - scene.cast / (1 + np.exp(-edge * 14)))
    return np.asarray(falls, np.float32)
