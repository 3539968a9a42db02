"""Where each template may lie on a hide: all turns and places tried coarsely, the best moved onto edges."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.capture.table import TableTop, light_of
from fairlay.core.shapes.rings import Ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]
Edges = tuple[Raster, Raster]
"""How light changes across and down, a px."""

LOOK_AT: Final = 0.22
"""Places are tried at so many px a mm."""
TURN_DEG: Final = 5.0
ROUND_PX: Final = 8
BODY, BAND = 0.5, 1.0
"""How much it counts that card covers a place, and that leather or an edge is all round it."""
PEAKS: Final = 16
SAME_MM, SAME_RAD = 20.0, 0.2
KEPT_LEAST, KEPT_EACH = 12, 4.0
"""Places kept of each template and face: at each turn; and in all, for each copy that the card could be.
"""
CLAIMED: Final = 0.4
COVERED: Final = 0.72
REACHES_MM: Final = (9.0, 7.0, 5.0, 3.5, 2.5, 2.0, 1.6, 1.6)
SPACED_MM: Final = 3.0
ON_EDGE_MM: Final = 1.5
SUPPORTED: Final = 0.5
"""How much of an outline lies on edges where a template is found."""
HOPELESS: Final = 0.4
"""Where fewer points of an outline see any edge it is given up."""
PLAIN_EDGE: Final = 0.012
"""A step in light that counts as an edge."""
CLAIMS: Final = 0.9
"""One that edges and card speak for so much leaves no other there to try."""


@dataclass(frozen=True, eq=False)
class Template:
    """A template that may lie there: its name, its outline ``(n, 2)`` in mm, face up; whether it may lie
    turned over.
    """

    name: str
    outline: Ring
    turns_over: bool = True


@dataclass(frozen=True, eq=False)
class Try:
    """A template (by its number), turned over or not, at a pose (x, y in mm, turn in rad): how promising that
    looked; how much of its outline lies on edges and of it on card, 0 to 1.
    """

    which: int
    over: bool
    pose: tuple[float, float, float]
    score: float
    support: float = 0.0
    covered: float = 0.0


def where(t: Try, templates: Sequence[Template]) -> Ring:
    """Return the outline of a try on the table, in mm."""
    return placed_at(templates[t.which].outline, t.pose, t.over)


def all_moved(
    card: Raster,
    edges: Edges,
    top: TableTop,
    templates: Sequence[Template],
    promising: float,
) -> list[Try]:
    """Return all tries that come to lie on edges, wherever none that is sure has the card."""
    moved: list[Try] = []
    sure: list[Polygon] = []
    for t in sorted(_coarse(card, top, templates, promising), key=lambda t: -t.score):
        own = Polygon(where(t, templates)).buffer(0)
        if any(_claims(s, own) for s in sure):
            continue
        found = onto_edges(t, edges, card, top, templates)
        if found is not None:
            moved.append(found)
            if found.support * found.covered > CLAIMS:
                sure.append(Polygon(where(found, templates)).buffer(0))
    return moved


def _claims(sure: Polygon, own: Polygon) -> bool:
    """Whether a template surely found leaves no room for another at a place; one as large and alike may yet
    be it.
    """
    both = sure.intersection(own).area
    return bool(CLAIMED * own.area < both < (1 - CLAIMED / 4) * max(sure.area, own.area))


def _coarse(card: Raster, top: TableTop, templates: Sequence[Template], promising: float) -> list[Try]:
    """The places and turns at which each template is best covered by card, with leather or an edge beside
    it.
    """
    step = top.px_per_mm / LOOK_AT
    size = (round(card.shape[1] / step), round(card.shape[0] / step))
    small = cv2.resize(card, size, interpolation=cv2.INTER_AREA)
    grey = np.sqrt(light_of(top.image)).mean(axis=2)
    fine = cv2.GaussianBlur(grey, (0, 0), 0.8) - cv2.GaussianBlur(grey, (0, 0), 2.5 * top.px_per_mm)
    seam = cv2.resize(np.minimum(np.abs(fine) / 0.05, 1.0), size, interpolation=cv2.INTER_AREA)
    # No farther than card lies.
    x0, y0, wide, high = cv2.boundingRect((small > COVERED).astype(np.uint8))
    x0, y0 = max(0, x0 - ROUND_PX), max(0, y0 - ROUND_PX)
    about = np.s_[y0 : y0 + high + 2 * ROUND_PX, x0 : x0 + wide + 2 * ROUND_PX]
    small, seam = small[about], seam[about]
    on, beside = 2 * small - 1, np.maximum(seam, 1 - small)
    covered_mm2 = float(small.sum()) / LOOK_AT**2
    out = []
    for which, template in enumerate(templates):
        most = KEPT_LEAST + int(KEPT_EACH * covered_mm2 / Polygon(template.outline).area)
        for over in (False, True) if template.turns_over and not _is_even(template.outline) else (False,):
            own = []
            for deg in np.arange(0.0, _period(template.outline), TURN_DEG):
                body, band, at = _kernel(placed_at(template.outline, (0.0, 0.0, np.radians(deg)), over))
                if body.shape[0] > on.shape[0] or body.shape[1] > on.shape[1]:
                    continue
                score = BODY / body.sum() * cv2.matchTemplate(on, body, cv2.TM_CCORR)
                score += BAND / band.sum() * cv2.matchTemplate(beside, band, cv2.TM_CCORR)
                for _ in range(PEAKS):
                    j, i = np.unravel_index(int(score.argmax()), score.shape)
                    best = float(score[j, i])
                    if best < promising:
                        break
                    mm = top.to_mm(
                        np.array([[(x0 + i + at[0] + 0.5) * step - 0.5, (y0 + j + at[1] + 0.5) * step - 0.5]])
                    )[0]
                    own.append(Try(which, over, (float(mm[0]), float(mm[1]), float(np.radians(deg))), best))
                    score[max(0, j - 4) : j + 5, max(0, i - 4) : i + 5] = -1.0
            out += _apart(own, most)
    return out


def _apart(tries: list[Try], most: int) -> list[Try]:
    """The best tries of one template, those at nearly the same place and turn once."""
    out: list[Try] = []
    poses = np.empty((most, 3))
    for t in sorted(tries, key=lambda t: -t.score):
        off = np.abs(poses[: len(out)] - t.pose)
        turned = np.minimum(off[:, 2], 2 * np.pi - off[:, 2])
        if not ((np.hypot(off[:, 0], off[:, 1]) <= SAME_MM) & (turned <= SAME_RAD)).any():
            poses[len(out)] = t.pose
            out.append(t)
        if len(out) >= most:
            break
    return out


def _is_even(outline: Ring) -> bool:
    """Whether a template turned over is the same as itself turned some way."""
    own, other = Polygon(outline), outline * [-1.0, 1.0]
    middle = np.array(own.centroid.coords[0])
    other = other - np.array(Polygon(other).centroid.coords[0]) + middle
    for deg in np.arange(0.0, 360.0, 3.0):
        turned = Polygon(placed_at(other - middle, (middle[0], middle[1], np.radians(deg)), False))
        if own.symmetric_difference(turned.buffer(0)).area < 0.012 * own.area:
            return True
    return False


def _period(outline: Ring) -> float:
    """By how many degrees a template is turned until it looks the same again."""
    own = Polygon(outline)
    middle = np.array(own.centroid.coords[0])
    for deg in np.arange(TURN_DEG, 181.0, TURN_DEG):
        turned = Polygon(placed_at(outline - middle, (middle[0], middle[1], np.radians(deg)), False)).buffer(
            0
        )
        if own.symmetric_difference(turned).area < 0.012 * own.area and 360.0 % deg == 0:
            return float(deg)
    return 360.0


def _kernel(ring: Ring) -> tuple[Raster, Raster, Floats]:
    """A template's body and a band along its outline as rasters at ``LOOK_AT``; and where its origin is in
    them, px.
    """
    low = ring.min(axis=0) - 3.0 / LOOK_AT
    px = (ring - low) * LOOK_AT
    w, h = (np.ceil(px.max(axis=0)) + 3).astype(int)
    fine = 4
    at = [np.round(px * fine).astype(np.int32)]
    body, band = (np.zeros((h * fine, w * fine), np.float32) for _ in range(2))
    cv2.fillPoly(body, at, 1.0)
    cv2.polylines(band, at, True, 1.0, fine)
    size = (int(w), int(h))
    return (
        cv2.resize(body, size, interpolation=cv2.INTER_AREA),
        cv2.resize(band, size, interpolation=cv2.INTER_AREA),
        -low * LOOK_AT - 0.5,
    )


def placed_at(outline: Ring, pose: tuple[float, float, float], over: bool) -> Ring:
    """Return an outline at a pose (x, y in mm, turn in rad), turned over first where ``over``."""
    x, y, turn = pose
    c, s = np.cos(turn), np.sin(turn)
    own = outline * [-1.0, 1.0] if over else outline
    return np.asarray(own @ np.array([[c, s], [-s, c]]) + [x, y])


def onto_edges(
    t: Try,
    edges: Edges,
    card: Raster,
    top: TableTop,
    templates: Sequence[Template],
    reaches: Sequence[float] = REACHES_MM,
) -> Try | None:
    """Return a try moved until its outline lies on edges, and how much of it does; None where too little
    does.
    """
    outline = templates[t.which].outline
    points = _spaced(outline)
    pose = t.pose
    support = 0.0
    for reach in reaches:
        at = placed_at(points, pose, t.over)
        normal = _normals(at)
        far = np.arange(-reach, reach + 1e-9, 0.4)
        px = top.to_px((at[:, None] + normal[:, None] * far[None, :, None]).reshape(-1, 2)).reshape(
            len(at), len(far), 2
        )
        x, y = px[..., 0].astype(np.float32), px[..., 1].astype(np.float32)
        across, down = (cv2.remap(e, x, y, cv2.INTER_LINEAR) for e in edges)
        strength = np.abs(across * normal[:, None, 0] + down * normal[:, None, 1])
        # Nearer edges first, where several are about as strong.
        weighed = strength * np.exp(-np.abs(far) / (1.2 * reach))
        best = weighed.argmax(axis=1)
        seen = strength[np.arange(len(at)), best] > PLAIN_EDGE
        if seen.mean() < HOPELESS:
            return None
        inner = np.clip(best, 1, len(far) - 2)
        rows = np.arange(len(at))
        a, b, c = (weighed[rows, inner + k] for k in (-1, 0, 1))
        move = far[inner] + np.clip((a - c) / (2 * np.minimum(a - 2 * b + c, -1e-6)), -1, 1) * 0.4
        pose = _fitted(pose, at, normal, move, seen, reach)
        near = seen & (np.abs(move) < ON_EDGE_MM)
        support = float(near.mean())
    ring = placed_at(outline, pose, t.over)
    covered = covered_by(ring, card, top)
    if support < SUPPORTED or covered < COVERED:
        return None
    return replace(t, pose=pose, support=support, covered=covered)


def _spaced(outline: Ring) -> Floats:
    closed = np.concatenate([outline, outline[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], max(24, int(along[-1] / SPACED_MM)), endpoint=False)
    return np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)


def _normals(at: Floats) -> Floats:
    along = np.roll(at, -1, axis=0) - np.roll(at, 1, axis=0)
    long = np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    return np.asarray(np.stack([along[:, 1], -along[:, 0]], axis=1) / long)


def _fitted(
    pose: tuple[float, float, float],
    at: Floats,
    normal: Floats,
    move: Floats,
    seen: NDArray[np.bool_],
    reach: float,
) -> tuple[float, float, float]:
    """A pose moved and turned so that its points come nearest to their edges along their normals (iterated
    closest points, point to line), those far off counting little.
    """
    x, y, turn = pose
    off = at - [x, y]
    design = np.column_stack([normal, normal[:, 1] * off[:, 0] - normal[:, 0] * off[:, 1]])
    weight = seen.astype(float)
    step = np.zeros(3)
    for _ in range(4):
        rest = move - design @ step
        own = weight / (1 + (rest / max(0.25 * reach, 0.5)) ** 2)
        step, *_ = np.linalg.lstsq(design * np.sqrt(own)[:, None], move * np.sqrt(own), rcond=None)
    step = np.clip(step, [-reach, -reach, -0.12], [reach, reach, 0.12])
    return float(x + step[0]), float(y + step[1]), float(turn + step[2])


def covered_by(ring: Ring, card: Raster, top: TableTop) -> float:
    """Return how much of a template's place is card (0 to 1)."""
    px = np.round(top.to_px(ring)).astype(np.int32)
    x, y, w, h = cv2.boundingRect(px)
    if x < 0 or y < 0 or x + w > card.shape[1] or y + h > card.shape[0]:
        return 0.0
    own: Raster = np.zeros((h, w), np.uint8)
    cv2.fillPoly(own, [px - np.array([x, y], np.int32)], 1)
    return float(card[y : y + h, x : x + w][own > 0].mean())
