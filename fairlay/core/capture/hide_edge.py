"""A hide on its table seen from straight above: where it lies, its edge to a fraction of a mm, and its
holes.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, median_filter
from shapely.geometry import Polygon

from fairlay.core.capture.edges_of_parts import half_way
from fairlay.core.capture.marker_sheet import MARKER_MM, RIM_MM
from fairlay.core.capture.table import TableSeen, TableTop
from fairlay.core.errors import BadPicture
from fairlay.core.shapes.rings import Ring, simple_ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]

LOOK_AT: Final = 0.4
"""The hide is first looked for at so many px a mm."""
LEAST_HIDE_MM2: Final = 30_000.0
LEAST_HOLE_MM2: Final = 60.0
SEED_MM: Final = (8.0, 45.0)
"""Table is what lies so far outside a marker's paper."""
SHADOW_LOG: Final = (-0.75, 0.12)
"""Table in shadow is darker by so much at most (natural logarithm), and hardly ever lighter."""
APART: Final = 4.5
"""Leather is where a place is so many standard deviations from table."""
LIKE_TABLE: Final = 7.0
SHADOW_SPREAD, NOISE_LEVELS = 0.3, 7.0
"""How much darker the table may lie in shadow (as a share), and how much faces tremble."""
NARROW_MM: Final = 11.0
"""A gap no wider is left to its ring: a line of chalk of the table's colour looks like one."""
COMPACT: Final = 0.45
"""4 pi area / length^2 of what counts as a hole; chalk of the table's colour is drawn in lines."""
SLENDER_MM: Final = 22.0
STEP_MM: Final = 2.0
REACHES_MM: Final = (7.0, 5.0, 3.5)
SPREADS_MM: Final = (10.0, 6.0, 5.0)


@dataclass(frozen=True, eq=False)
class HideFound:
    """A hide on the table in mm: its outline and holes; ``mask`` is where it lies in the straightened
    picture; how far its colour stands from the table's (in standard deviations).
    """

    outline: Ring
    holes: tuple[Ring, ...]
    mask: NDArray[np.uint8]
    apart: float


def find_hide(top: TableTop, table: TableSeen) -> HideFound:
    """Return the hide on a table seen from above.

    Raises BadPicture where none is seen, it has the table's colour, or it goes beyond the picture or the
    markers.
    """
    papers = _papers(top, table)
    far, step = _unlike_table(top, papers)
    mask = _leather(far, step, top)
    _judge_reach(mask, top)
    outline, holes = _rings(mask, top, far)
    inside = cv2.resize(mask, (far.shape[1], far.shape[0]), interpolation=cv2.INTER_NEAREST) > 0
    whole: NDArray[np.uint8] = np.zeros_like(mask)
    cv2.fillPoly(whole, [np.round(top.to_px(outline)).astype(np.int32)], 1)
    cv2.fillPoly(whole, [np.round(top.to_px(h)).astype(np.int32) for h in holes], 0)
    return HideFound(outline, holes, whole, float(np.median(far[inside])))


def _papers(top: TableTop, table: TableSeen) -> Raster:
    """Where marker sheets lie, a little more than they are."""
    out = np.zeros(top.image.shape[:2], np.uint8)
    for corners in table.markers.values():
        middle, grow = corners.mean(axis=0), 1 + 2 * (RIM_MM + 4) / MARKER_MM
        down = (corners[3] - corners[0]) / MARKER_MM
        sheet = middle + (corners - middle) * grow
        sheet[2:] += down * 32.0
        cv2.fillPoly(out, [np.round(top.to_px(sheet)).astype(np.int32)], 1)
    return out


def _unlike_table(top: TableTop, papers: Raster) -> tuple[Raster, float]:
    """How unlike the table each place is, in standard deviations, at about ``LOOK_AT`` px a mm; and how many
    px of the picture one of its takes.

    A table's colour is told by what lies round the markers' papers: up to three colours, each with shadow
    (equal in all channels) as a direction that costs little.
    """
    step = max(1.0, top.px_per_mm / LOOK_AT)
    size = (round(top.image.shape[1] / step), round(top.image.shape[0] / step))
    small = cv2.GaussianBlur(cv2.resize(top.image, size, interpolation=cv2.INTER_AREA), (0, 0), 0.7)
    paper = cv2.resize(papers, size, interpolation=cv2.INTER_NEAREST) > 0
    known = cv2.resize(top.known.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    away: Raster = cv2.distanceTransform((~paper).astype(np.uint8), cv2.DIST_L2, 3) * (step / top.px_per_mm)
    log = np.log(np.maximum(small.astype(np.float32), 3.0))
    near = (away > SEED_MM[0]) & (away < SEED_MM[1]) & known
    if near.sum() < 200:
        raise BadPicture(
            "no table is seen round the markers",
            value=int(near.sum()),
            expected="some bare table round each marker's sheet",
        )
    seeds = log[near]
    best = np.full(log.shape[:2], np.inf, np.float32)
    for middle, spread in _colours(seeds):
        best = np.minimum(best, _distance(log, middle, spread))
    best[paper] = 0.0
    best[~known] = 0.0
    return best, step


def _colours(seeds: Raster) -> list[tuple[Raster, Raster]]:
    """The table's colours as middles and covariances: of three groups of seeds, those that are large; leather
    or clutter beside a marker is a small one.
    """
    own = seeds[:: max(1, len(seeds) // 20_000)].astype(np.float32)
    _, labels, _ = cv2.kmeans(
        own,
        3,
        np.zeros(0, np.int32),
        (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.01),
        3,
        cv2.KMEANS_PP_CENTERS,
    )
    groups = sorted((own[labels.ravel() == k] for k in range(3)), key=len, reverse=True)
    usual = np.median(groups[0], axis=0)
    out = []
    for k, group in enumerate(groups):
        middle = np.median(group, axis=0)
        if k and (len(group) < 0.12 * len(own) or np.ptp(middle - usual) > 0.35):
            continue
        inner = group[np.abs(group - middle).max(axis=1) < 0.35]
        cover = np.cov(inner.T) if len(inner) > 30 else np.eye(3) * 0.001
        out.append((middle, np.asarray(cover + np.eye(3) * 0.0006, np.float32)))
    return out


def _distance(log: Raster, middle: Raster, cover: Raster) -> Raster:
    """Standard deviations from a colour, brightness free within ``SHADOW_LOG``."""
    off = log - middle
    weight = np.linalg.inv(cover).astype(np.float32)
    ones = np.ones(3, np.float32)
    # The brightness that explains a place best, held within what shadow can do.
    lift = np.clip((off @ (weight @ ones)) / float(ones @ weight @ ones), *SHADOW_LOG)
    rest = off - lift[..., None]
    # By the root of the weight, the distance is a length: x' W x = |R x|^2 where W = R' R.
    even = cv2.transform(rest, np.linalg.cholesky(weight.astype(np.float64)).T.astype(np.float32))
    return np.asarray(np.sqrt((even * even).sum(axis=2)), np.float32)


def _leather(far: Raster, step: float, top: TableTop) -> NDArray[np.uint8]:
    """Where the hide lies, at the straightened picture's own size: the largest thing unlike the table,
    without slender clutter that touches it.
    """
    ppm = top.px_per_mm / step
    mask: Raster = (far > APART).astype(np.uint8)
    k = _disc(3.0 * ppm)
    mask = cv2.morphologyEx(cv2.morphologyEx(mask, cv2.MORPH_CLOSE, k), cv2.MORPH_OPEN, k)
    largest = _largest(mask)
    if largest.sum() < LEAST_HIDE_MM2 * ppm**2:
        raise BadPicture(
            "no hide is seen on the table, or it has the table's own colour",
            value=int(largest.sum()),
            expected="a hide that stands out: spread a sheet of another colour under it",
        )
    # Its own colour, to tell what lies against it from what is it.
    size = (far.shape[1], far.shape[0])
    small = cv2.resize(top.image, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    depth: Raster = cv2.distanceTransform(largest, cv2.DIST_L2, 5) / ppm
    thick = cv2.morphologyEx(largest, cv2.MORPH_OPEN, _disc(SLENDER_MM * ppm))
    body = (
        np.log(np.maximum(small[(depth > 15) & (thick > 0)], 3.0))
        if ((depth > 15) & (thick > 0)).any()
        else np.log(np.maximum(small[largest > 0], 3.0))
    )
    middle = np.median(body, axis=0)
    spread = 1.48 * np.median(np.abs(body - middle), axis=0) + 0.05
    like = (np.abs(np.log(np.maximum(small, 3.0)) - middle) / spread).max(axis=2) < LIKE_TABLE
    # What is slender and of another colour lies against the hide: a rule, a strap, a tool.
    grown = cv2.dilate(thick, _disc(3.0 * ppm))
    mask = ((largest > 0) & (like | (grown > 0))).astype(np.uint8)
    mask = _largest(cv2.morphologyEx(mask, cv2.MORPH_OPEN, _disc(2.5 * ppm)))
    return np.asarray(
        cv2.resize(mask, (top.image.shape[1], top.image.shape[0]), interpolation=cv2.INTER_NEAREST), np.uint8
    )


def _disc(radius: float) -> Raster:
    k = max(1, round(radius))
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * k + 1, 2 * k + 1))


def _largest(mask: Raster) -> Raster:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=4)
    if count < 2:
        return np.zeros_like(mask)
    return np.asarray(labels == 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax()), np.uint8)


def _judge_reach(mask: Raster, top: TableTop) -> None:
    """Raise BadPicture for a hide that goes on where nothing was seen, saying where."""
    edge = max(2, round(3 * top.px_per_mm))
    seen = cv2.erode(
        np.pad(top.known.astype(np.uint8), 1), np.ones((2 * edge + 1, 2 * edge + 1), np.uint8), borderValue=0
    )[1:-1, 1:-1]
    over = np.argwhere((mask > 0) & (seen == 0))
    if len(over) < 4 * edge:
        return
    middle = over.mean(axis=0)
    h, w = mask.shape
    sides = {
        "left": middle[1] / w,
        "right": 1 - middle[1] / w,
        "top": middle[0] / h,
        "bottom": 1 - middle[0] / h,
    }
    side = min(sides, key=lambda k: sides[k])
    raise BadPicture(
        f"the hide goes beyond the picture, or beyond the markers, at the {side}",
        value=side,
        expected="the whole hide in the picture with markers outside it all round: step back, move the "
        "markers out, or take two pictures that overlap",
    )


def _rings(mask: Raster, top: TableTop, far: Raster) -> tuple[Ring, tuple[Ring, ...]]:
    """Outline and holes in mm."""
    contours, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        raise BadPicture("the hide has no edge", value=0, expected="a hide on a table of another colour")
    field = _across(top, mask)
    wide = cv2.resize(far, (mask.shape[1], mask.shape[0]), interpolation=cv2.INTER_LINEAR)
    outer = max(
        (k for k in range(len(contours)) if tree[0][k][3] < 0), key=lambda k: cv2.contourArea(contours[k])
    )
    holes = []
    for k, (_, _, _, parent) in enumerate(tree[0]):
        if (
            parent == outer
            and cv2.contourArea(contours[k]) > LEAST_HOLE_MM2 * top.px_per_mm**2
            and _is_table(contours[k], wide, top.px_per_mm)
        ):
            holes.append(
                simple_ring(top.to_mm(_refined(contours[k][:, 0].astype(np.float64), field, top.px_per_mm)))
            )
    outline = simple_ring(top.to_mm(_refined(contours[outer][:, 0].astype(np.float64), field, top.px_per_mm)))
    whole = Polygon(outline)
    return outline, tuple(h for h in holes if whole.contains(Polygon(h)))


def _is_table(contour: Raster, far: Raster, ppm: float) -> bool:
    """Whether what shows in a gap in the leather is the table, and not a pale spot or chalk."""
    if 4 * np.pi * cv2.contourArea(contour) < COMPACT * cv2.arcLength(contour, True) ** 2:
        return False
    x, y, w, h = cv2.boundingRect(contour)
    own = np.zeros((h, w), np.uint8)
    cv2.drawContours(own, [contour], -1, 1, -1, offset=(-x, -y))
    if cv2.distanceTransform(np.pad(own, 1), cv2.DIST_L2, 5).max() < NARROW_MM / 2 * ppm:
        return False
    return bool(np.median(far[y : y + h, x : x + w][own > 0]) < APART)


def _across(top: TableTop, mask: Raster) -> Raster:
    """The picture as one value, along the way from table to leather: 0 table, 1 leather, worked out locally
    so that light and unevenness do not matter.
    """
    ppm = top.px_per_mm
    small = 4
    size = (mask.shape[1] // small, mask.shape[0] // small)
    image = cv2.resize(top.image, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    own = cv2.resize(mask, size, interpolation=cv2.INTER_NEAREST)
    inner: Raster
    outer: Raster
    inner, outer = cv2.erode(own, _disc(2.5 * ppm / small)), 1 - cv2.dilate(own, _disc(2.5 * ppm / small))
    outer = outer * cv2.resize(top.known.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)
    sigma = 14 * ppm / small
    levels = []
    for where in (outer, inner):
        weight = where.astype(np.float32)
        total = cv2.GaussianBlur(weight, (0, 0), sigma)[..., None] + 1e-4
        usual = np.median(image[where > 0], axis=0) if where.any() else np.zeros(3, np.float32)
        levels.append((cv2.GaussianBlur(image * weight[..., None], (0, 0), sigma) + 1e-4 * usual) / total)
    table, way = levels[0], levels[1] - levels[0]
    # Fisher's discriminant: the way from table to leather, less what of it shadow does too (it darkens along
    # the table's own colour).
    share = (
        (table * way).sum(axis=2)
        * SHADOW_SPREAD**2
        / (NOISE_LEVELS**2 + SHADOW_SPREAD**2 * (table * table).sum(axis=2))
    )
    weight = way - table * share[..., None]
    length = np.maximum((weight * way).sum(axis=2), 1.0)
    full = (mask.shape[1], mask.shape[0])
    base = cv2.resize(table, full, interpolation=cv2.INTER_LINEAR)
    per = cv2.resize(weight / length[..., None], full, interpolation=cv2.INTER_LINEAR)
    return np.asarray(((top.image.astype(np.float32) - base) * per).sum(axis=2), np.float32)


def _refined(contour: Floats, field: Raster, ppm: float) -> Floats:
    """A contour of whole pixels moved, point by point every ``STEP_MM``, to where the field crosses half way
    between its levels inside and outside.
    """
    closed = np.concatenate([contour, contour[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    n = max(24, int(along[-1] / (STEP_MM * ppm)))
    at = np.linspace(0, along[-1], n, endpoint=False)
    ring = np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)
    for spread, reach in zip(SPREADS_MM, REACHES_MM, strict=True):
        t = np.arange(-reach, reach + 1e-9, 0.2) * ppm
        smooth = gaussian_filter1d(ring, spread / STEP_MM, axis=0, mode="wrap")
        tangent = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
        normal = (
            np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
            / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        )
        x = (ring[:, None, 0] + normal[:, None, 0] * t).astype(np.float32)
        y = (ring[:, None, 1] + normal[:, None, 1] * t).astype(np.float32)
        move = half_way(cv2.remap(field, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), t, 0.3)
        seen = np.isfinite(move)
        if not seen.any():
            break
        move = np.interp(np.arange(n), np.flatnonzero(seen), move[seen], period=n)
        move = gaussian_filter1d(median_filter(move, 5, mode="wrap"), 1.2, mode="wrap")
        ring = ring + normal * move[:, None]
    return ring
