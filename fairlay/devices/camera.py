"""A camera over the bench: what it must do, and one that renders pictures for practice and for tests."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.capture.grid_page import INK, LINE_MM, GridPage, grid_page
from fairlay.core.errors import NotFound, Unavailable
from fairlay.core.shapes.rings import Ring, rings_of
from fairlay.devices.optics import leaning, rays

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
class Scene:
    """A page with parts under a camera that is neither square nor perfect.

    Angles in degrees; ``lens`` are the radial coefficients k1, k2 of x (1 + k1 r2 + k2 r4) with r in focal
    lengths; ``shade`` is how much darker the far side is, ``shadow`` how dark a part's own shadow is,
    ``cast`` how dark the shadow of whoever holds the camera is (0 none); ``noise`` is the standard deviation
    of 0 to 1.
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
    shade: float = 0.1
    shadow: float = 0.25
    cast: float = 0.0
    stains: int = 0
    noise: float = 0.012
    blur_px: float = 0.7
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
    plane, part, mask = _plane(scene, rng)
    h, w = scene.height_px, scene.width_px
    focal = FOCAL_WIDTHS * w
    turn: Floats = leaning(scene.tilt_deg, scene.roll_deg)
    page = scene.page
    span = max((page.width_mm) / w, (page.height_mm) / h)
    distance = focal * span / scene.fill
    middle = np.array([page.width_mm / 2 + scene.shift_mm[0], page.height_mm / 2 + scene.shift_mm[1], 0.0])
    eye: Floats = middle - turn[2] * distance
    seen = rays(w, h, focal, scene.lens) @ turn.astype(np.float32)

    def seen_at(height: float) -> tuple[Floats, Floats]:
        t: Floats = (-height - eye[2]) / seen[..., 2]
        x: Floats = (eye[0] + t * seen[..., 0] + ROOM_MM) * PX_PER_MM - 0.5
        y: Floats = (eye[1] + t * seen[..., 1] + ROOM_MM) * PX_PER_MM - 0.5
        return x.astype(np.float32), y.astype(np.float32)

    out: Floats = cv2.remap(plane, *seen_at(0.0), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(
        np.float32
    )
    for k, height in enumerate(
        np.linspace(0.0, scene.thickness_mm, 4)[1:] if scene.thickness_mm > 0 else [0.0]
    ):
        at = seen_at(float(height))
        cover = cv2.remap(mask, *at, cv2.INTER_LINEAR)[..., None]
        shown = cv2.remap(part, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        side = 1.0 if k == 2 or scene.thickness_mm == 0 else 0.7
        out = out * (1 - cover) + shown * side * cover
    out *= _light(scene, h, w, rng)[..., None]
    if scene.blur_px > 0:
        out = cv2.GaussianBlur(out, (0, 0), scene.blur_px)
    out = out + rng.normal(0, scene.noise, out.shape).astype(np.float32) * np.sqrt(np.clip(out, 0.05, 1))
    return np.asarray(np.clip(out * 255, 0, 255), dtype=np.uint8)


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


def _plane(scene: Scene, rng: np.random.Generator) -> tuple[Floats, Floats, Floats]:
    """The bench with the page on it, the parts' own faces, and where parts are, at ``PX_PER_MM``."""
    page = scene.page
    w, h = int((page.width_mm + 2 * ROOM_MM) * PX_PER_MM), int((page.height_mm + 2 * ROOM_MM) * PX_PER_MM)
    plane = np.empty((h, w, 3), np.uint8)
    plane[:] = _byte((0.17, 0.20, 0.21))

    def px(points: NDArray[np.float64]) -> NDArray[np.int32]:
        return np.round((points + ROOM_MM) * PX_PER_MM * 64 - 32).astype(np.int32)

    def box(x0: float, y0: float, x1: float, y1: float) -> NDArray[np.int32]:
        return px(np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]))

    cv2.fillPoly(
        plane, [box(0, 0, page.width_mm, page.height_mm)], _byte((0.93, 0.925, 0.90)), cv2.LINE_AA, 6
    )
    if scene.squares:
        right, low = page.x0 + page.across * page.square_mm, page.y0 + page.down * page.square_mm
        half = LINE_MM / 2
        for x in page.x0 + np.arange(page.across + 1) * page.square_mm:
            cv2.fillPoly(plane, [box(x - half, page.y0, x + half, low)], _byte(INK), cv2.LINE_AA, 6)
        for y in page.y0 + np.arange(page.down + 1) * page.square_mm:
            cv2.fillPoly(plane, [box(page.x0, y - half, right, y + half)], _byte(INK), cv2.LINE_AA, 6)
    mask = np.zeros((h, w), np.uint8)
    part = np.empty((h, w, 3), np.uint8)
    part[:] = _byte((0.5, 0.4, 0.3))
    for p in scene.parts:
        if p.line_mm:
            cv2.polylines(
                plane,
                [px(p.rings[0])],
                True,
                _byte(p.colour),
                max(1, round(p.line_mm * PX_PER_MM)),
                cv2.LINE_AA,
                6,
            )
            continue
        own = np.zeros((h, w), np.uint8)
        # OpenCV fills half a pixel beyond a polygon's edge.
        exact = Polygon(p.rings[0], p.rings[1:]).buffer(-0.5 / PX_PER_MM, join_style="mitre")
        cv2.fillPoly(own, [px(r) for r in rings_of(exact)], 255, cv2.LINE_AA, 6)
        mask = np.maximum(mask, own)
        # The face reaches beyond its outline, so that its edge is cut by the mask alone.
        cv2.fillPoly(part, [px(p.rings[0])], _byte(p.colour), cv2.LINE_8, 6)
        cv2.polylines(part, [px(p.rings[0])], True, _byte(p.colour), int(5 * PX_PER_MM), cv2.LINE_8, 6)
    cover = mask.astype(np.float32) / 255
    shown = plane.astype(np.float32) / 255
    for _ in range(scene.stains):
        _stain(shown, rng)
    if scene.shadow > 0 and mask.any():
        lean = 1.4 * max(scene.thickness_mm, 0.6) * PX_PER_MM
        fallen = cv2.GaussianBlur(
            cv2.warpAffine(cover, np.array([[1, 0, lean], [0, 1, 0.7 * lean]], np.float32), (w, h)),
            (0, 0),
            0.8 * PX_PER_MM,
        )
        shown *= (1 - scene.shadow * fallen)[..., None]
    face = part.astype(np.float32) / 255
    face *= _grain((h, w), rng)[..., None]
    return shown, face, cover


def _byte(colour: tuple[float, float, float]) -> tuple[int, int, int]:
    r, g, b = (round(255 * c) for c in colour)
    return r, g, b


def _stain(plane: Floats, rng: np.random.Generator) -> None:
    """A spill that dried on the page."""
    h, w = plane.shape[:2]
    size = int(30 * PX_PER_MM)
    blot: Any = np.zeros((size, size), np.float32)
    axes = (int(rng.uniform(4, 11) * PX_PER_MM), int(rng.uniform(4, 8) * PX_PER_MM))
    cv2.ellipse(blot, (size // 2, size // 2), axes, float(rng.uniform(0, 180)), 0, 360, 1.0, -1)
    blot = cv2.GaussianBlur(blot, (0, 0), 1.5 * PX_PER_MM)[..., None]
    x, y = int(rng.uniform(0.2, 0.75) * (w - size)), int(rng.uniform(0.2, 0.75) * (h - size))
    plane[y : y + size, x : x + size] *= 1 - blot * np.array([0.06, 0.10, 0.16], np.float32)


def _grain(shape: tuple[int, int], rng: np.random.Generator) -> Floats:
    """Leather's face: broad and fine unevenness about 1."""
    h, w = shape
    broad: Any = cv2.resize(
        rng.normal(0, 1, (h // 200 + 2, w // 200 + 2)).astype(np.float32),
        (w, h),
        interpolation=cv2.INTER_CUBIC,
    )
    fine: Any = cv2.resize(
        rng.normal(0, 1, (h // 5, w // 5)).astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR
    )
    return np.asarray(1 + 0.05 * broad + 0.05 * fine, np.float32)


def _light(scene: Scene, h: int, w: int, rng: np.random.Generator) -> Floats:
    x, y = np.meshgrid(np.linspace(-1, 1, w, dtype=np.float32), np.linspace(-1, 1, h, dtype=np.float32))
    turn = rng.uniform(0, 2 * np.pi)
    light: Any = (
        1 - scene.shade * (0.5 + 0.5 * (x * np.cos(turn) + y * np.sin(turn))) - 0.06 * (x * x + y * y)
    )
    if scene.cast > 0:
        edge = x * np.cos(turn + 1) + y * np.sin(turn + 1) - rng.uniform(0.0, 0.5)
        light = light * (1 - scene.cast / (1 + np.exp(-edge * 14)))
    return np.asarray(light, np.float32)
