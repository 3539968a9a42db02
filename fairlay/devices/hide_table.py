"""A table with a hide on it under a camera that is neither square nor perfect: pictures to practise on and
to test with.

Everything on the table is in mm, x to the right and y down as the picture shows them. Colours are given as
they are displayed; what is reckoned with is light.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.errors import NotFound, Unavailable
from fairlay.core.shapes.rings import Ring
from fairlay.devices.camera import FOCAL_WIDTHS, Image, Picture, encoded
from fairlay.devices.lain import Lain, covers, darkened, filled, seen_near
from fairlay.devices.optics import at_all, between, every, leaning, rays, shown
from fairlay.devices.photograph import Develops, photograph
from fairlay.devices.surfaces import (
    FULL,
    PX_PER_MM,
    Colour,
    Surface,
    face,
    lay_check_page,
    lay_sheet,
    light,
    table_top,
)

Floats = NDArray[Any]

FINER = 2.0
"""What lies on a table is drawn with so many px to one of the picture,"""
LEAST = 1.6
"""but with no fewer a mm, so that joints of boards and strokes of chalk keep their width."""
LIFT_PX = 4


@dataclass(frozen=True)
class MarkerLaid:
    """A marker sheet on the table: its number, the middle of the marker, how far it is turned, its paper."""

    number: int
    x: float
    y: float
    turn_deg: float = 0.0
    paper: str = "A4"


@dataclass(frozen=True, eq=False)
class ChalkStroke:
    """A line of chalk: points in mm, its colour, how strongly it was drawn (0 to 1), how wide it is.

    ``weak``: stretches (from, to, strength) of the way, in shares of it, where the hand pressed less; 0 is an
    opening.
    """

    points: Ring
    colour: Colour
    strength: float = 0.8
    width_mm: float = 7.0
    weak: tuple[tuple[float, float, float], ...] = ()


@dataclass(frozen=True, eq=False)
class PenStroke:
    """A line of pen or brand on a face: points in mm, its colour, and its width."""

    points: Ring
    colour: Colour
    width_mm: float = 1.2
    strength: float = 0.9


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
class CardLaid:
    """A card template that lies on the hide: its outline and holes on the table, in mm, its colour, and how
    thick it is.
    """

    rings: tuple[Ring, ...]
    colour: Colour
    thickness_mm: float = 0.8


@dataclass(frozen=True, eq=False)
class Glare:
    """A lamp's shine: where, how far it reaches (x, y; one standard deviation, mm), how strong (a share of
    all light), how far it is turned.
    """

    x: float
    y: float
    reach: tuple[float, float]
    strength: float
    turn_deg: float = 0.0


@dataclass(frozen=True, eq=False)
class HideScene:
    """A hide on a table. ``curls`` are (x, y, lift in mm, reach in mm) of edges that stand up.

    ``surface``: what the table is of, with boards ``wide_mm`` wide and tones that differ by ``uneven`` (a
    share); ``end`` where the table ends toward x and y, beyond which a darker floor lies. ``lamps``: (x, y,
    reach in mm, strength) of light that falls more in one place; ``shade``: how much less falls on the far
    side; ``person``: (x, y, reach, how dark) of the photographer's own shadow. ``tint``: what the light's
    red and blue are multiplied by. ``eye`` is where the camera stands over (x, y) of the table; ``span_mm``
    how much table its picture is wide. Angles in degrees; ``lens`` are the radial coefficients k1, k2 of x
    (1 + k1 r2 + k2 r4), r in focal lengths. ``over``: what lies on hide and cards, a hand or a weight;
    ``check_page``: (x, y, turn) of the printed page that a camera is checked with.
    """

    rings: tuple[Ring, ...]
    colour: Colour
    table: tuple[float, float] = (2800.0, 1700.0)
    table_colour: Colour = (0.36, 0.44, 0.41)
    surface: Surface = "even"
    wide_mm: float = 170.0
    uneven: float = 0.05
    end: tuple[float, float] | None = None
    floor_colour: Colour = (0.22, 0.20, 0.19)
    grain: float = 0.07
    markers: tuple[MarkerLaid, ...] = ()
    blemishes: tuple[Blot, ...] = ()
    written: tuple[PenStroke, ...] = ()
    chalk: tuple[ChalkStroke, ...] = ()
    clutter: tuple[Blot, ...] = ()
    cards: tuple[CardLaid, ...] = ()
    over: tuple[Blot, ...] = ()
    check_page: tuple[float, float, float] | None = None
    curls: tuple[tuple[float, float, float, float], ...] = ()
    glare: tuple[Glare, ...] = ()
    lamps: tuple[tuple[float, float, float, float], ...] = ()
    person: tuple[float, float, float, float] | None = None
    thickness_mm: float = 2.0
    width_px: int = 6000
    height_px: int = 4000
    eye: tuple[float, float] = (1400.0, 850.0)
    span_mm: float = 3000.0
    tilt_deg: tuple[float, float] = (0.0, 0.0)
    roll_deg: float = 0.0
    lens: tuple[float, float] = (0.0, 0.0)
    shade: float = 0.15
    lean: float = 0.7
    shadow: float = 0.5
    shadow_soft_mm: float = 3.0
    tint: tuple[float, float] = (1.0, 1.0)
    camera: Develops = field(default_factory=Develops)
    seed: int = 1

    @property
    def px_per_mm(self) -> float:
        """The detail that all on the table is drawn with: more than the picture's own, to be seen from."""
        return min(PX_PER_MM, max(LEAST, FINER * self.width_px / self.span_mm))


def render_hide(scene: HideScene) -> Image:
    """Return the picture of a hide on its table: ``(height_px, width_px, 3)`` uint8, red, green, blue."""
    rng = np.random.default_rng(scene.seed)
    table, face_of_it, lain, lift = _layers(scene, rng)
    _, left, top = lain
    h, w, k = scene.height_px, scene.width_px, scene.px_per_mm
    focal = FOCAL_WIDTHS * w
    turn = leaning(scene.tilt_deg, scene.roll_deg)
    eye = np.array([*scene.eye, 0.0]) - turn[2] * (focal * scene.span_mm / w)
    raw = light(scene.colour) * 0.55

    def lines(first: int, last: int) -> Floats:
        high = last - first
        along = rays(every(0, w), every(first, last), (w, h), focal, scene.lens) @ turn

        def met_at(z: Floats | float) -> tuple[Floats, Floats]:
            """Where rays meet a height over the table, in px of the rasters."""
            t = (-z - eye[2]) / along[..., 2]
            return (eye[0] + t * along[..., 0]) * k - 0.5, (eye[1] + t * along[..., 1]) * k - 0.5

        foot, at = met_at(0.0), met_at(scene.thickness_mm)
        for _ in range(3 if scene.curls else 0):
            at = met_at(scene.thickness_mm + shown(lift, *((v + 0.5) / LIFT_PX - 0.5 for v in at)))
        own = shown(table, *(between(v, high, w) for v in foot))
        own /= FULL
        near = seen_near(lain, foot, at)
        if near is not None:
            part = own[near]
            low, up = ([between(v, high, w)[near] for v in where] for where in (foot, at))
            cover = covers(lain, *up)
            # The raw edge: seen where it faces the camera, below the face. All of the hide together covers
            # what the farthest of the three covers and no more, however finely the mask is drawn.
            middle = ((low[0] + up[0]) / 2, (low[1] + up[1]) / 2)
            side = np.maximum(covers(lain, *low), covers(lain, *middle))
            rim = side > cover
            share = ((side[rim] - cover[rim]) / (1 - cover[rim]))[:, None]
            part[rim] = part[rim] * (1 - share) + raw * share
            seen = shown(face_of_it, up[0] - left, up[1] - top)
            seen /= FULL
            seen -= part
            seen *= at_all(cover)
            part += seen
        fallen = between(_fallen(scene, (foot[0] + 0.5) / k, (foot[1] + 0.5) / k), high, w)
        own *= cv2.merge([fallen * share for share in (scene.tint[0], 1.0, scene.tint[1])])
        return own

    return photograph(lines, h, w, scene.camera, scene.seed)


NEW = "a table just laid"


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

    def over(self, scene: HideScene) -> SimulatedHideCamera:
        """Return the camera over a table that somebody has just laid."""
        return replace(self, tables={**self.tables, NEW: (scene,)}, at=NEW, shot=0)

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


def _fallen(scene: HideScene, x: Floats, y: Floats) -> Floats:
    """How much light falls on places of the table (mm)."""
    wide, deep = scene.table
    across = (x / wide * 2 - 1) * np.cos(scene.lean) + (y / deep * 2 - 1) * np.sin(scene.lean)
    own = 1 - scene.shade * (0.5 + 0.5 * across)
    for lx, ly, reach, strength in scene.lamps:
        own = own + strength / (1 + ((x - lx) ** 2 + (y - ly) ** 2) / reach**2)
    if scene.person is not None:
        px, py, reach, dark = scene.person
        own = own * (1 - dark / (1 + np.exp((np.hypot(x - px, (y - py) * 0.8) - reach) / (0.12 * reach))))
    return np.asarray(own)


def _layers(scene: HideScene, rng: np.random.Generator) -> tuple[Floats, Floats, Lain, Floats]:
    """The table, the hide's face, where the hide lies, and how high its curled edges stand in mm (one place
    for each ``LIFT_PX`` px each way).
    """
    k = scene.px_per_mm
    w, h = int(scene.table[0] * k), int(scene.table[1] * k)
    table = table_top((h, w), scene.table_colour, scene.surface, scene.wide_mm, scene.uneven, rng, k)
    if scene.end is not None:
        ex, ey = (int(v * k) for v in scene.end)
        floor = face((h, w), scene.floor_colour, rng, 0.05, 0.04, k)
        table[ey:], table[:, ex:] = floor[ey:], floor[:, ex:]
    for m in scene.markers:
        lay_sheet(table, m.number, m.paper, m.x, m.y, m.turn_deg, k)
    if scene.check_page is not None:
        lay_check_page(table, "A4", *scene.check_page, k)
    for blot in (*scene.clutter, *scene.over):
        _blot(table, blot, k)
    mask, x, y = filled((h, w), scene.rings, k)
    _shade(table, (mask, x, y), scene.thickness_mm, scene)
    top = face(mask.shape, scene.colour, rng, 0.06, scene.grain, k)
    at = np.array([x, y]) / k
    for blot in scene.blemishes:
        _blot(top, blot, k, at)
    for pen in scene.written:
        _line(top, pen.points - at, pen.colour, pen.width_mm, np.full(1, pen.strength), None, k)
    for stroke in scene.chalk:
        _line(top, stroke.points - at, stroke.colour, stroke.width_mm, _pressed(stroke), rng, k)
    for card in scene.cards:
        lain = filled(mask.shape, [ring - at for ring in card.rings], k)
        _shade(top, lain, card.thickness_mm, scene)
        _laid(top, lain, light(card.colour), rng)
    for blot in scene.over:
        _blot(top, blot, k, at)
    for g in scene.glare:
        _glare(top, replace(g, x=g.x - at[0], y=g.y - at[1]), k)
    lift = np.zeros((h // LIFT_PX, w // LIFT_PX), np.float32)
    ys, xs = np.mgrid[0 : h // LIFT_PX, 0 : w // LIFT_PX].astype(np.float32) * (LIFT_PX / k)
    for cx, cy, high, reach in scene.curls:
        lift = np.maximum(lift, high * np.exp(-((xs - cx) ** 2 + (ys - cy) ** 2) / (2 * reach**2)))
    return table, top, (mask, x, y), lift


def _shade(raster: Floats, lain: Lain, thickness_mm: float, scene: HideScene) -> None:
    """What lies on a face keeps light from what is beside it, away from the light; in place."""
    if scene.shadow <= 0:
        return
    far = (1.5 * thickness_mm + 1) * scene.px_per_mm
    soft = scene.shadow_soft_mm * min(1.0, 0.3 + 0.35 * thickness_mm) * scene.px_per_mm
    darkened(raster, lain, (far * np.cos(scene.lean), far * np.sin(scene.lean)), soft, scene.shadow)


def _laid(raster: Floats, lain: Lain, colour: Floats, rng: np.random.Generator) -> None:
    mask, x, y = lain
    h, w = mask.shape
    part = raster[y : y + h, x : x + w]
    cover = mask.astype(np.float32) / 255
    uneven = 1 + 0.015 * rng.standard_normal((h, w), dtype=np.float32)
    laid = cv2.merge([FULL * share * uneven * cover for share in colour])
    part[:] = np.clip(part * at_all(1 - cover) + laid, 0, 65535)


def _px(points: NDArray[np.float64], k: float) -> NDArray[np.int32]:
    return np.round(points * k * 64 - 32).astype(np.int32)


def _window(
    image: Floats, ring: NDArray[np.float64], room_mm: float, k: float
) -> tuple[slice, slice, NDArray[np.float64]] | None:
    """The part of an image about a ring, and the ring's points (mm) from its corner."""
    h, w = image.shape[:2]
    x0, y0 = np.floor((ring.min(axis=0) - room_mm) * k).astype(int).clip(0)
    x1, y1 = np.ceil((ring.max(axis=0) + room_mm) * k).astype(int)
    if x0 >= w or y0 >= h or x1 <= 0 or y1 <= 0:
        return None
    return slice(y0, min(y1, h)), slice(x0, min(x1, w)), ring - np.array([x0, y0]) / k


def _mix(image: Floats, rows: slice, columns: slice, colour: Colour, cover: Floats) -> None:
    part = image[rows, columns] * at_all(1 - cover)
    part += cv2.merge([FULL * share * cover for share in light(colour)])
    image[rows, columns] = np.clip(part, 0, 65535, out=part)


def _blot(image: Floats, blot: Blot, k: float, at: Floats | float = 0.0) -> None:
    """A blot on a raster that begins ``at`` (x, y) mm of the table, in place."""
    found = _window(image, blot.ring - at, 4 * blot.soft_mm + 2, k)
    if found is None:
        return
    rows, columns, ring = found
    cover: Floats = np.zeros(image[rows, columns].shape[:2], np.float32)
    cv2.fillPoly(cover, [_px(ring, k)], blot.strength, cv2.LINE_8, 6)
    cover = cv2.GaussianBlur(cover, (0, 0), max(0.6, blot.soft_mm * k))
    _mix(image, rows, columns, blot.colour, cover)


def _pressed(stroke: ChalkStroke) -> Floats:
    """How strongly each stretch between a stroke's points is drawn."""
    t = (np.arange(max(1, len(stroke.points) - 1)) + 0.5) / max(1, len(stroke.points) - 1)
    out = np.full(len(t), stroke.strength)
    for start, end, strength in stroke.weak:
        out[(t >= start) & (t <= end)] = strength
    return out


def _line(
    image: Floats,
    points: Ring,
    colour: Colour,
    width_mm: float,
    strength: Floats,
    rng: np.random.Generator | None,
    k: float,
) -> None:
    """A line drawn on a face, in place. Chalk (with ``rng``) catches on the grain: it is broken up finely,
    and strong and weak by turns along the line; a pen's is whole.
    """
    found = _window(image, points, width_mm + 3, k)
    if found is None:
        return
    rows, columns, at = found
    h, w = image[rows, columns].shape[:2]
    line: Floats = np.zeros((h, w), np.float32)
    thick = max(1, round(width_mm * k))
    if len(strength) == 1:
        cv2.polylines(line, [_px(at, k)], False, float(strength[0]), thick, cv2.LINE_8, 6)
    else:
        for i in np.argsort(strength, kind="stable"):
            if strength[i] > 0:
                cv2.polylines(line, [_px(at[i : i + 2], k)], False, float(strength[i]), thick, cv2.LINE_8, 6)
    line = cv2.GaussianBlur(line, (0, 0), (0.8 if rng is not None else 0.3) * k)
    if rng is not None:
        fine, broad = max(1, round(0.83 * k)), max(1, round(25 * k))
        grain = rng.uniform(0.45, 1.25, (h // fine + 1, w // fine + 1)).astype(np.float32)
        press = rng.uniform(0.7, 1.15, (h // broad + 2, w // broad + 2)).astype(np.float32)
        line = line * cv2.resize(grain, (w, h), interpolation=cv2.INTER_LINEAR)
        line = line * cv2.resize(press, (w, h), interpolation=cv2.INTER_CUBIC)
    _mix(image, rows, columns, colour, np.clip(line, 0, 0.97))


def _glare(image: Floats, g: Glare, k: float) -> None:
    found = _window(image, np.array([[g.x, g.y]]), 3 * max(g.reach), k)
    if found is None:
        return
    rows, columns, at = found
    part = image[rows, columns].astype(np.float32)
    ys, xs = np.mgrid[0 : part.shape[0], 0 : part.shape[1]].astype(np.float32) / k
    t = np.radians(g.turn_deg)
    along = (xs - at[0, 0]) * np.cos(t) + (ys - at[0, 1]) * np.sin(t)
    across = -(xs - at[0, 0]) * np.sin(t) + (ys - at[0, 1]) * np.cos(t)
    shine = g.strength * FULL * np.exp(-((along / g.reach[0]) ** 2 + (across / g.reach[1]) ** 2) / 2)
    image[rows, columns] = np.clip(part + at_all(shine.astype(np.float32)), 0, 65535)


def drawn_words(words: str, x: float, y: float, high_mm: float) -> tuple[Ring, ...]:
    """Return figures as pen strokes, their lower left at (x, y) mm, ``high_mm`` tall; what is no figure is a
    gap.
    """
    out = []
    for k, sign in enumerate(words):
        for stroke in FIGURES.get(sign, ()):
            at = np.array(stroke, float) * high_mm
            out.append(at * [0.55, -1.0] + [x + 0.8 * high_mm * k, y])
    return tuple(out)


FIGURES: dict[str, Sequence[Sequence[tuple[float, float]]]] = {
    "0": (((0, 0), (1, 0), (1, 1), (0, 1), (0, 0)),),
    "1": (((0.2, 0.75), (0.6, 1), (0.6, 0)),),
    "2": (((0, 0.8), (0.5, 1), (1, 0.8), (0.8, 0.5), (0, 0), (1, 0)),),
    "3": (((0, 1), (1, 1), (0.45, 0.55), (1, 0.3), (0.6, 0), (0, 0.1)),),
    "4": (((0.8, 0), (0.8, 1), (0, 0.35), (1, 0.35)),),
    "6": (((0.9, 1), (0.2, 0.6), (0, 0.2), (0.4, 0), (0.9, 0.15), (0.8, 0.45), (0.1, 0.4)),),
    "7": (((0, 1), (1, 1), (0.35, 0)),),
    "8": (((0.5, 0.5), (0, 0.8), (0.5, 1), (1, 0.8), (0.5, 0.5), (0, 0.2), (0.5, 0), (1, 0.2), (0.5, 0.5)),),
}
