"""A table with a hide on it under a camera that is neither square nor perfect: pictures to practise on and to
test with.

Everything on the table is in mm, x to the right and y down as the picture shows them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.capture.marker_sheet import FIELDS, MARKER_MM, RIM_MM, fields
from fairlay.core.errors import NotFound, Unavailable
from fairlay.core.shapes.rings import Ring, rings_of
from fairlay.devices.camera import FOCAL_WIDTHS, Image, Picture, encoded
from fairlay.devices.optics import leaning, rays

Floats = NDArray[Any]
Colour = tuple[float, float, float]

PX_PER_MM = 2.4
BAND = 400
"""Lines of the picture that are worked out at a time: a whole one of 24 million pixels would take gigabytes.
"""
PAPER, INK = (0.93, 0.93, 0.91), (0.07, 0.07, 0.08)


@dataclass(frozen=True)
class MarkerLaid:
    """A marker sheet on the table: its number, the middle of the marker, and how far it is turned."""

    number: int
    x: float
    y: float
    turn_deg: float = 0.0


@dataclass(frozen=True, eq=False)
class ChalkStroke:
    """A line of chalk: points in mm, its colour, how strongly it was drawn (0 to 1), how wide it is."""

    points: Ring
    colour: Colour
    strength: float = 0.8
    width_mm: float = 7.0


@dataclass(frozen=True, eq=False)
class Blot:
    """Something that lies on or is in a face: a polygon in mm and its colour; ``soft_mm`` is how far its edge
    runs out.
    """

    ring: Ring
    colour: Colour
    soft_mm: float = 0.0
    strength: float = 1.0


@dataclass(frozen=True, eq=False)
class HideScene:
    """A hide on a table. ``curls`` are (x, y, lift in mm, reach in mm) of edges that stand up; ``glare`` (x,
    y, reach in mm, strength) of a lamp's shine.

    ``boards``: how wide the table's boards are in mm, none where 0, and how far their tones differ (a share).
    ``eye`` is where the camera stands over (x, y) of the table; ``span_mm`` how much table its picture is
    wide. Other fields as in ``camera.Scene``.
    """

    rings: tuple[Ring, ...]
    colour: Colour
    table: tuple[float, float] = (2800.0, 1700.0)
    table_colour: Colour = (0.36, 0.44, 0.41)
    markers: tuple[MarkerLaid, ...] = ()
    blemishes: tuple[Blot, ...] = ()
    chalk: tuple[ChalkStroke, ...] = ()
    clutter: tuple[Blot, ...] = ()
    boards: tuple[float, float] = (0.0, 0.0)
    curls: tuple[tuple[float, float, float, float], ...] = ()
    glare: tuple[tuple[float, float, float, float], ...] = ()
    thickness_mm: float = 2.0
    width_px: int = 6000
    height_px: int = 4000
    eye: tuple[float, float] = (1400.0, 850.0)
    span_mm: float = 3000.0
    tilt_deg: tuple[float, float] = (0.0, 0.0)
    roll_deg: float = 0.0
    lens: tuple[float, float] = (0.0, 0.0)
    light: float = 1.0
    warmth: float = 0.0
    shade: float = 0.1
    shadow: float = 0.3
    noise: float = 0.01
    blur_px: float = 0.8
    seed: int = 1


def render_hide(scene: HideScene) -> Image:
    """Return the picture of a hide on its table: ``(height_px, width_px, 3)`` uint8, red, green, blue."""
    rng = np.random.default_rng(scene.seed)
    table, face, mask, lift = _layers(scene, rng)
    h, w = scene.height_px, scene.width_px
    focal = FOCAL_WIDTHS * w
    turn = leaning(scene.tilt_deg, scene.roll_deg)
    eye = np.array([*scene.eye, 0.0]) - turn[2] * (focal * scene.span_mm / w)
    warm = np.array([1 + scene.warmth, 1.0, 1 - scene.warmth], np.float32) * scene.light
    lean = rng.uniform(0, 2 * np.pi)
    out: Image = np.empty((h, w, 3), np.uint8)
    for top in range(0, h, BAND):
        low = min(h, top + BAND)
        own_rays = rays(w, h, focal, scene.lens, top, low) @ turn.astype(np.float32)

        def seen_at(z: Floats | float, along: Floats = own_rays) -> tuple[Floats, Floats]:
            t = (-z - eye[2]) / along[..., 2]
            x = (eye[0] + t * along[..., 0]) * PX_PER_MM - 0.5
            y = (eye[1] + t * along[..., 1]) * PX_PER_MM - 0.5
            return x.astype(np.float32), y.astype(np.float32)

        own: Floats = (
            cv2.remap(table, *seen_at(0.0), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(
                np.float32
            )
            / 255
        )
        at = seen_at(scene.thickness_mm)
        if scene.curls:
            for _ in range(3):
                at = seen_at(scene.thickness_mm + cv2.remap(lift, *at, cv2.INTER_LINEAR))
        cover = cv2.remap(mask, *at, cv2.INTER_LINEAR).astype(np.float32)[..., None] / 255
        own = (
            own * (1 - cover)
            + cv2.remap(face, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(np.float32)
            / 255
            * cover
        )
        x, y = np.meshgrid(
            np.linspace(-1, 1, w, dtype=np.float32), (np.arange(top, low, dtype=np.float32) / h * 2 - 1)
        )
        own *= (
            1 - scene.shade * (0.5 + 0.5 * (x * np.cos(lean) + y * np.sin(lean))) - 0.06 * (x * x + y * y)
        )[..., None] * warm
        out[top:low] = np.clip(own * 255, 0, 255).astype(np.uint8)
    if scene.blur_px > 0:
        out = np.asarray(cv2.GaussianBlur(out, (0, 0), scene.blur_px), np.uint8)
    for top in range(0, h, BAND):
        part = out[top : top + BAND].astype(np.float32)
        noise = (
            rng.standard_normal(part.shape, dtype=np.float32)
            * (scene.noise * 255)
            * np.sqrt(np.clip(part / 255, 0.05, 1))
        )
        out[top : top + BAND] = np.clip(part + noise, 0, 255).astype(np.uint8)
    return out


@dataclass(frozen=True)
class SimulatedHideCamera:
    """A camera over the cutting table.

    ``tables`` are what can lie under it, by name: the pictures of one hide, in order.
    """

    tables: Mapping[str, tuple[HideScene, ...]]
    at: str = ""
    shot: int = 0

    def pointed_at(self, table: str, shot: int = 0) -> SimulatedHideCamera:
        """Return the camera over another table, for the picture ``shot`` of it.

        Raises NotFound listing those there are.
        """
        if table not in self.tables:
            raise NotFound(
                f"there is no table {table!r} under the simulated camera",
                value=table,
                expected=", ".join(self.tables),
            )
        if not 0 <= shot < len(self.tables[table]):
            raise NotFound(
                f"the camera has no place {shot + 1} over {table!r}",
                value=shot,
                expected=f"1 to {len(self.tables[table])}",
            )
        return replace(self, at=table, shot=shot)

    def take(self) -> Picture:
        """Return a picture of the table it is over. Raises Unavailable where it is over none."""
        if self.at not in self.tables:
            raise Unavailable("nothing lies under the camera", expected="one of " + ", ".join(self.tables))
        return _taken(self.tables[self.at][self.shot])


@lru_cache(maxsize=12)
def _taken(scene: HideScene) -> Picture:
    """A picture of a scene; nothing moves on a simulated table, so one that was taken is not rendered
    again.
    """
    return encoded(render_hide(scene))


def _px(points: NDArray[np.float64]) -> NDArray[np.int32]:
    return np.round(points * PX_PER_MM * 64 - 32).astype(np.int32)


def _byte(colour: Colour) -> tuple[int, int, int]:
    r, g, b = (round(255 * c) for c in colour)
    return r, g, b


def _layers(scene: HideScene, rng: np.random.Generator) -> tuple[Floats, Floats, Floats, Floats]:
    """The table, the hide's own face, where the hide lies (0 to 255), and how high its curled edges stand in
    mm.
    """
    w, h = int(scene.table[0] * PX_PER_MM), int(scene.table[1] * PX_PER_MM)
    table = _texture((h, w), scene.table_colour, rng, 0.02, 0.03)
    if scene.boards[0] > 0:
        _boards(table, *scene.boards, np.random.default_rng(scene.seed + 1))
    for m in scene.markers:
        _marker(table, m)
    for blot in scene.clutter:
        _blot(table, blot)
    mask = np.zeros((h, w), np.uint8)
    # OpenCV fills about two thirds of a pixel beyond the edge of a polygon.
    exact = Polygon(scene.rings[0], scene.rings[1:]).buffer(-0.65 / PX_PER_MM, join_style="mitre")
    cv2.fillPoly(mask, [_px(r) for r in rings_of(exact)], 255, cv2.LINE_AA, 6)
    if scene.shadow > 0:
        fall = (1.5 * scene.thickness_mm + 2) * PX_PER_MM
        fallen = cv2.GaussianBlur(
            cv2.warpAffine(mask, np.array([[1, 0, fall], [0, 1, 0.7 * fall]], np.float32), (w, h)),
            (0, 0),
            3 * PX_PER_MM,
        )
        _scale(table, 1 - scene.shadow / 255 * fallen.astype(np.float32))
    face = _texture((h, w), scene.colour, rng, 0.06, 0.07)
    for blot in scene.blemishes:
        _blot(face, blot)
    for stroke in scene.chalk:
        _chalk(face, stroke, rng)
    for x, y, reach, strength in scene.glare:
        _glare(face, x, y, reach, strength)
    lift = np.zeros((h // 4, w // 4), np.float32)
    ys, xs = np.mgrid[0 : h // 4, 0 : w // 4].astype(np.float32) * (4 / PX_PER_MM)
    for x, y, high, reach in scene.curls:
        lift = np.maximum(lift, high * np.exp(-((xs - x) ** 2 + (ys - y) ** 2) / (2 * reach**2)))
    return (
        table,
        face,
        mask,
        cv2.resize(lift, (w, h), interpolation=cv2.INTER_LINEAR) if scene.curls else lift,
    )


def _texture(
    shape: tuple[int, int], colour: Colour, rng: np.random.Generator, broad: float, fine: float
) -> Floats:
    """A face of one colour, broadly and finely uneven, as bytes."""
    h, w = shape
    uneven: Any = 1 + broad * cv2.resize(
        rng.normal(0, 1, (h // 500 + 2, w // 500 + 2)).astype(np.float32),
        (w, h),
        interpolation=cv2.INTER_CUBIC,
    )
    uneven += fine * cv2.resize(
        rng.normal(0, 1, (h // 3, w // 3)).astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR
    )
    out = np.empty((h, w, 3), np.uint8)
    for c in range(3):
        out[..., c] = np.clip(uneven * (255 * colour[c]), 0, 255)
    return out


def _boards(table: Floats, wide_mm: float, uneven: float, rng: np.random.Generator) -> None:
    """Boards along the table, each of its own tone, with grain along them and dark joints between."""
    h, w = table.shape[:2]
    wide = max(8, int(wide_mm * PX_PER_MM))
    for top in range(-int(rng.integers(0, wide)), h, wide):
        rows = slice(max(0, top), min(h, top + wide))
        board = table[rows]
        tone = 1 + uneven * rng.uniform(-1, 1) + 0.15 * uneven * rng.uniform(-1, 1, 3)
        streaks = cv2.resize(
            rng.normal(0, 0.25 * uneven, (max(2, wide // 9), 4)).astype(np.float32),
            (w, board.shape[0]),
            interpolation=cv2.INTER_CUBIC,
        )
        for c in range(3):
            board[..., c] = np.clip(board[..., c] * (tone[c] + streaks), 0, 255)
        if top + wide <= h:
            joint = table[max(0, rows.stop - max(2, int(2.5 * PX_PER_MM))) : rows.stop]
            joint[:] = (joint * 0.35).astype(np.uint8)


def _scale(image: Floats, by: Floats) -> None:
    for c in range(3):
        image[..., c] = np.clip(image[..., c] * by, 0, 255)


def _marker(table: Floats, m: MarkerLaid) -> None:
    t = np.radians(m.turn_deg)
    turn = np.array([[np.cos(t), np.sin(t)], [-np.sin(t), np.cos(t)]])

    def square(x0: float, y0: float, x1: float, y1: float) -> NDArray[np.int32]:
        return _px(np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]) @ turn + [m.x, m.y])

    half, field, inset = MARKER_MM / 2, MARKER_MM / FIELDS, 0.65 / PX_PER_MM
    cv2.fillPoly(
        table,
        [square(-half - RIM_MM, -half - RIM_MM, half + RIM_MM, half + RIM_MM + 30)],
        _byte(PAPER),
        cv2.LINE_AA,
        6,
    )
    cv2.fillPoly(
        table, [square(-half + inset, -half + inset, half - inset, half - inset)], _byte(INK), cv2.LINE_AA, 6
    )
    for j, i in np.argwhere(~fields(m.number)):
        x, y = -half + i * field, -half + j * field
        cv2.fillPoly(table, [square(x, y, x + field, y + field)], _byte(PAPER), cv2.LINE_AA, 6)


def _window(
    image: Floats, ring: NDArray[np.float64], room_mm: float
) -> tuple[slice, slice, NDArray[np.float64]] | None:
    """The part of an image about a ring, and the ring's points (mm) from its corner."""
    h, w = image.shape[:2]
    x0, y0 = np.floor((ring.min(axis=0) - room_mm) * PX_PER_MM).astype(int).clip(0)
    x1, y1 = np.ceil((ring.max(axis=0) + room_mm) * PX_PER_MM).astype(int)
    if x0 >= w or y0 >= h or x1 <= 0 or y1 <= 0:
        return None
    return slice(y0, min(y1, h)), slice(x0, min(x1, w)), ring - np.array([x0, y0]) / PX_PER_MM


def _blot(image: Floats, blot: Blot) -> None:
    found = _window(image, blot.ring, 4 * blot.soft_mm + 2)
    if found is None:
        return
    rows, columns, ring = found
    part = image[rows, columns].astype(np.float32)
    cover: Floats = np.zeros(part.shape[:2], np.float32)
    cv2.fillPoly(cover, [_px(ring)], blot.strength, cv2.LINE_8, 6)
    cover = cv2.GaussianBlur(cover, (0, 0), max(0.6, blot.soft_mm * PX_PER_MM))[..., None]
    image[rows, columns] = np.clip(part * (1 - cover) + np.array(_byte(blot.colour)) * cover, 0, 255)


def _chalk(image: Floats, stroke: ChalkStroke, rng: np.random.Generator) -> None:
    """Chalk catches on the grain: it is broken up finely, and strong and weak by turns along the line."""
    found = _window(image, stroke.points, stroke.width_mm + 3)
    if found is None:
        return
    rows, columns, points = found
    part = image[rows, columns].astype(np.float32)
    h, w = part.shape[:2]
    line: Floats = np.zeros((h, w), np.float32)
    cv2.polylines(line, [_px(points)], False, 1.0, max(1, round(stroke.width_mm * PX_PER_MM)), cv2.LINE_8, 6)
    line = cv2.GaussianBlur(line, (0, 0), 0.8 * PX_PER_MM)
    grain = cv2.resize(
        rng.uniform(0.45, 1.25, (h // 2 + 1, w // 2 + 1)).astype(np.float32),
        (w, h),
        interpolation=cv2.INTER_LINEAR,
    )
    press = cv2.resize(
        rng.uniform(0.7, 1.15, (h // 60 + 2, w // 60 + 2)).astype(np.float32),
        (w, h),
        interpolation=cv2.INTER_CUBIC,
    )
    cover = np.clip(line * grain * press * stroke.strength, 0, 0.97)[..., None]
    image[rows, columns] = np.clip(part * (1 - cover) + np.array(_byte(stroke.colour)) * cover, 0, 255)


def _glare(image: Floats, x: float, y: float, reach: float, strength: float) -> None:
    found = _window(image, np.array([[x, y]]), 3 * reach)
    if found is None:
        return
    rows, columns, at = found
    part = image[rows, columns].astype(np.float32)
    ys, xs = np.mgrid[0 : part.shape[0], 0 : part.shape[1]].astype(np.float32) / PX_PER_MM
    shine = strength * 255 * np.exp(-((xs - at[0, 0]) ** 2 + (ys - at[0, 1]) ** 2) / (2 * reach**2))
    image[rows, columns] = np.clip(part + shine[..., None], 0, 255)
