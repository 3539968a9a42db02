"""Card templates that lie on a hide, read back from a picture: which is where, how it is turned, and which
face is up.

Card is what on the hide has not the leather's colours. A template fits where card covers it and edges run
along its outline: all turns and places are tried coarsely at once (correlation by Fourier transform), the
best are moved until their outlines lie on edges of the picture, and of those that claim the same card the
one stands that edges speak for most.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft2, next_fast_len, rfft2
from shapely.geometry import Polygon

from fairlay.core.capture.hide_apart import colour_bins, histogram, shadowed
from fairlay.core.capture.hide_edge import HideFound
from fairlay.core.capture.table import TableTop, light_of
from fairlay.core.shapes.rings import Ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]

LOOK_AT: Final = 0.22
"""Places are tried at so many px a mm."""
TURN_DEG: Final = 5.0
RIM_MM: Final = (3.0, 16.0)
"""Leather is what lies so far within the hide's edge, card what else lies on it."""
STRANGE: Final = 4e-4
ROUNDS: Final = 4
BODY, BAND = 0.5, 1.0
"""How much it counts that card covers a place, and that leather or an edge is all round it."""
PROMISING: Final = 0.8
PEAKS, KEPT_EACH = 16, 160
CLAIMED: Final = 0.4
"""Places kept of each template and face: at each turn, and in all."""
COVERED: Final = 0.72
REACHES_MM: Final = (9.0, 7.0, 5.0, 3.5, 2.5, 2.0, 1.6, 1.6)
SPACED_MM: Final = 3.0
ON_EDGE_MM: Final = 1.5
SUPPORTED: Final = 0.5
"""How much of an outline lies on edges where a template is found."""
SURELY: Final = 0.72
OVERLAP: Final = 0.12
"""Two found templates cover no more of the smaller together: cards lie flat beside each other."""
ALIKE: Final = 0.04
"""Templates whose fit differs by less cannot be told from each other there."""
PLAIN_EDGE: Final = 0.012
"""A step in light that counts as an edge."""


@dataclass(frozen=True, eq=False)
class Template:
    """A template that may lie there: its name, its outline ``(n, 2)`` in mm, face up; whether it may lie
    turned over.
    """

    name: str
    outline: Ring
    turns_over: bool = True


@dataclass(frozen=True, eq=False)
class TemplateSeen:
    """A template found: its name; its outline's origin (x, y) on the table in mm and how far it is turned
    (degrees, clockwise as the picture shows it); whether it lies turned over (mirrored left to right before
    it is turned); how much of its outline lies on edges (0 to 1); which others it may be instead.
    """

    name: str
    x: float
    y: float
    turn_deg: float
    over: bool
    support: float
    may_be: tuple[str, ...] = ()

    @property
    def doubted(self) -> bool:
        """Whether somebody should look at it."""
        return self.support < SURELY or bool(self.may_be)

    def placed(self, outline: Ring) -> Ring:
        """Return the template's outline where it lies on the table."""
        return _placed(outline, (self.x, self.y, np.radians(self.turn_deg)), self.over)


@dataclass(frozen=True, eq=False)
class _Try:
    which: int
    over: bool
    pose: tuple[float, float, float]
    score: float
    support: float = 0.0


def find_templates(top: TableTop, hide: HideFound, templates: Sequence[Template]) -> list[TemplateSeen]:
    """Return the templates that lie on a hide in a table seen from above, as they lie on its face; from the
    left.
    """
    if not templates:
        return []
    card = _card(top, hide)
    tries = _coarse(card, top, templates)
    edges = _edges(top)
    moved: list[_Try] = []
    sure: list[Polygon] = []
    for t in sorted(tries, key=lambda t: -t.score):
        own = Polygon(_placed(templates[t.which].outline, t.pose, t.over)).buffer(0)
        if any(_claims(s, own) for s in sure):
            continue
        found = _moved(t, edges, card, top, templates)
        if found is not None:
            moved.append(found)
            if found.support > SURELY:
                sure.append(Polygon(_placed(templates[t.which].outline, found.pose, t.over)).buffer(0))
    return _standing(moved, templates)


def _claims(sure: Polygon, own: Polygon) -> bool:
    """Whether a template surely found leaves no room for another at a place; one as large and alike may yet
    be it.
    """
    both = sure.intersection(own).area
    return bool(CLAIMED * own.area < both < (1 - CLAIMED / 4) * max(sure.area, own.area))


def _card(top: TableTop, hide: HideFound) -> Raster:
    """How likely each place is card on the hide (0 to 1), at the straightened picture's own size."""
    ppm = top.px_per_mm
    contour = np.round(top.to_px(hide.outline)).astype(np.int32)
    inside = np.zeros(top.image.shape[:2], np.uint8)
    cv2.fillPoly(inside, [contour], 1)
    depth = np.asarray(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5))[1:-1, 1:-1] / ppm
    image = cv2.GaussianBlur(top.image, (0, 0), max(0.6, 0.7 * ppm))
    bins = colour_bins(image)
    rim = (depth > RIM_MM[0]) & (depth < RIM_MM[1])
    within = depth > RIM_MM[0]
    first = histogram(bins[rim], None)
    of_leather = shadowed(first)
    chance: Raster = STRANGE / (of_leather.ravel()[bins] + STRANGE) * within
    for _ in range(ROUNDS):
        of_card = histogram(bins[within], chance[within] ** 2)
        rest = histogram(bins[within], (1 - chance[within]) ** 2)
        of_leather = shadowed(0.4 * first + 0.6 * rest)
        odds = np.log((of_card.ravel()[bins] + STRANGE) / (of_leather.ravel()[bins] + STRANGE)).astype(
            np.float32
        )
        odds = np.asarray(cv2.GaussianBlur(odds, (0, 0), 1.0 * ppm), np.float32)
        chance = within / (1 + np.exp(-odds))
    return np.asarray(chance, np.float32)


def _edges(top: TableTop) -> tuple[Raster, Raster]:
    """How light changes across and down, a px."""
    light = cv2.GaussianBlur(np.sqrt(light_of(top.image)), (0, 0), 0.9)
    each = [cv2.Sobel(light, cv2.CV_32F, dx, dy, ksize=3, scale=0.25) for dx, dy in ((1, 0), (0, 1))]
    # Of three colours the one that changes most.
    strongest = (each[0] ** 2 + each[1] ** 2).argmax(axis=2)[..., None]
    across, down = (np.take_along_axis(e, strongest, axis=2)[..., 0] for e in each)
    return np.asarray(across), np.asarray(down)


def _coarse(card: Raster, top: TableTop, templates: Sequence[Template]) -> list[_Try]:
    """The places and turns at which each template is best covered by card, with leather or an edge beside
    it.
    """
    step = top.px_per_mm / LOOK_AT
    size = (round(card.shape[1] / step), round(card.shape[0] / step))
    small = cv2.resize(card, size, interpolation=cv2.INTER_AREA)
    grey = np.sqrt(light_of(top.image)).mean(axis=2)
    fine = cv2.GaussianBlur(grey, (0, 0), 0.8) - cv2.GaussianBlur(grey, (0, 0), 2.5 * top.px_per_mm)
    seam = cv2.resize(np.minimum(np.abs(fine) / 0.05, 1.0), size, interpolation=cv2.INTER_AREA)
    room = max(float(np.hypot(*t.outline.T).max()) for t in templates) * LOOK_AT * 2 + 8
    shape = tuple(next_fast_len(int(n + room), real=True) for n in small.shape)
    on, beside = rfft2(2 * small - 1, shape, workers=2), rfft2(np.maximum(seam, 1 - small), shape, workers=2)
    out = []
    for which, template in enumerate(templates):
        for over in (False, True) if template.turns_over and not _is_even(template.outline) else (False,):
            own = []
            for deg in np.arange(0.0, _period(template.outline), TURN_DEG):
                body, band, at = _kernel(_placed(template.outline, (0.0, 0.0, np.radians(deg)), over))
                found = irfft2(
                    BODY * on * np.conj(rfft2(body / body.sum(), shape, workers=2))
                    + BAND * beside * np.conj(rfft2(band / band.sum(), shape, workers=2)),
                    shape,
                    workers=2,
                )
                score = np.asarray(found[: small.shape[0], : small.shape[1]])
                for _ in range(PEAKS):
                    j, i = np.unravel_index(int(score.argmax()), score.shape)
                    best = float(score[j, i])
                    if best < PROMISING:
                        break
                    mm = top.to_mm(
                        np.array([[(i + at[0] + 0.5) * step - 0.5, (j + at[1] + 0.5) * step - 0.5]])
                    )[0]
                    own.append(_Try(which, over, (float(mm[0]), float(mm[1]), float(np.radians(deg))), best))
                    score[max(0, j - 4) : j + 5, max(0, i - 4) : i + 5] = -1.0
            out += _apart(own)
    return out


def _apart(tries: list[_Try]) -> list[_Try]:
    """The best tries of one template, those at nearly the same place and turn once."""
    out: list[_Try] = []
    for t in sorted(tries, key=lambda t: -t.score):
        if all(
            np.hypot(t.pose[0] - o.pose[0], t.pose[1] - o.pose[1]) > 20
            or abs((t.pose[2] - o.pose[2] + np.pi) % (2 * np.pi) - np.pi) > 0.2
            for o in out
        ):
            out.append(t)
        if len(out) >= KEPT_EACH:
            break
    return out


def _is_even(outline: Ring) -> bool:
    """Whether a template turned over is the same as itself turned some way."""
    own, other = Polygon(outline), outline * [-1.0, 1.0]
    middle = np.array(own.centroid.coords[0])
    other = other - np.array(Polygon(other).centroid.coords[0]) + middle
    for deg in np.arange(0.0, 360.0, 3.0):
        turned = Polygon(_placed(other - middle, (middle[0], middle[1], np.radians(deg)), False))
        if own.symmetric_difference(turned.buffer(0)).area < 0.012 * own.area:
            return True
    return False


def _period(outline: Ring) -> float:
    """By how many degrees a template is turned until it looks the same again."""
    own = Polygon(outline)
    middle = np.array(own.centroid.coords[0])
    for deg in np.arange(TURN_DEG, 181.0, TURN_DEG):
        turned = Polygon(_placed(outline - middle, (middle[0], middle[1], np.radians(deg)), False)).buffer(0)
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


def _placed(outline: Ring, pose: tuple[float, float, float], over: bool) -> Ring:
    x, y, turn = pose
    c, s = np.cos(turn), np.sin(turn)
    own = outline * [-1.0, 1.0] if over else outline
    return np.asarray(own @ np.array([[c, s], [-s, c]]) + [x, y])


def _moved(
    t: _Try, edges: tuple[Raster, Raster], card: Raster, top: TableTop, templates: Sequence[Template]
) -> _Try | None:
    """A try moved until its outline lies on edges, and how much of it does; None where too little does."""
    outline = templates[t.which].outline
    points = _spaced(outline)
    pose = t.pose
    support = 0.0
    for reach in REACHES_MM:
        at = _placed(points, pose, t.over)
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
        if seen.sum() < 8:
            return None
        inner = np.clip(best, 1, len(far) - 2)
        rows = np.arange(len(at))
        a, b, c = (weighed[rows, inner + k] for k in (-1, 0, 1))
        move = far[inner] + np.clip((a - c) / (2 * np.minimum(a - 2 * b + c, -1e-6)), -1, 1) * 0.4
        pose = _fitted(pose, at, normal, move, seen, reach)
        near = seen & (np.abs(move) < ON_EDGE_MM)
        support = float(near.mean())
    ring = _placed(outline, pose, t.over)
    covered = _covered(ring, card, top)
    if support < SUPPORTED or covered < COVERED:
        return None
    return replace(t, pose=pose, support=support, score=support * min(covered, 1.0))


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


def _covered(ring: Ring, card: Raster, top: TableTop) -> float:
    """How much of a template's place is card."""
    px = np.round(top.to_px(ring)).astype(np.int32)
    x, y, w, h = cv2.boundingRect(px)
    if x < 0 or y < 0 or x + w > card.shape[1] or y + h > card.shape[0]:
        return 0.0
    own: Raster = np.zeros((h, w), np.uint8)
    cv2.fillPoly(own, [px - np.array([x, y], np.int32)], 1)
    return float(card[y : y + h, x : x + w][own > 0].mean())


def _standing(tries: list[_Try], templates: Sequence[Template]) -> list[TemplateSeen]:
    """Of tries that claim the same card the one that edges speak for most; larger ones first where they
    speak alike.
    """
    shapes = [Polygon(_placed(templates[t.which].outline, t.pose, t.over)).buffer(0) for t in tries]
    order = sorted(range(len(tries)), key=lambda i: -tries[i].score * shapes[i].area ** 0.08)
    stand: list[int] = []
    others: dict[int, set[str]] = {}
    for i in order:
        against = [
            j
            for j in stand
            if shapes[i].intersection(shapes[j]).area > OVERLAP * min(shapes[i].area, shapes[j].area)
        ]
        if not against:
            stand.append(i)
            others[i] = set()
        for j in against:
            same = shapes[i].symmetric_difference(shapes[j]).area < 0.06 * shapes[j].area
            if same and tries[i].which != tries[j].which and tries[j].score - tries[i].score < ALIKE:
                others[j].add(templates[tries[i].which].name)
    found = [
        TemplateSeen(
            templates[tries[i].which].name,
            tries[i].pose[0],
            tries[i].pose[1],
            float(np.degrees(tries[i].pose[2]) % 360.0),
            tries[i].over,
            tries[i].support,
            tuple(sorted(others[i])),
        )
        for i in stand
    ]
    return sorted(found, key=lambda f: (f.x, f.y))
