"""A hide on its table seen from straight above: where it lies, its edge to a fraction of a mm, and its
holes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, median_filter
from shapely.geometry import Polygon

from fairlay.core.capture.edges_of_parts import half_way
from fairlay.core.capture.hide_apart import Apart, Press, tell_apart
from fairlay.core.capture.table import TableSeen, TableTop, light_of
from fairlay.core.errors import BadPicture
from fairlay.core.shapes.rings import Ring, simple_ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]

LEAST_HIDE_MM2: Final = 30_000.0
LEAST_HOLE_MM2: Final = 60.0
HALF: Final = 0.5
JOIN_MM: Final = 5.0
"""A gap in the leather no wider is chalk of the table's colour."""
SLENDER_MM: Final = 22.0
LIKE_OWN: Final = 7.0
TABLE_ODDS: Final = -1.0
"""Log odds from which a place in a gap is table."""
MOSTLY: Final = 0.84
"""How much of a gap is table where it is a hole: in a ring of chalk there is leather."""
WEDGE_MM, WEDGE_ODDS, LEAST_WEDGE_MM2 = 12.0, -1.5, 8.0
NARROW_MM: Final = 9.0
COMPACT: Final = 0.45
"""4 pi area / length^2 of what counts as a hole; chalk of the table's colour is drawn in lines."""
SOFT_EDGE_MM: Final = 5.5
"""A stain's edge takes longer to go from a fifth of the way to four fifths."""
DOUBT: Final = (0.25, 0.75)
EDGE_ROOM_MM: Final = 14.0
SHADOW_SPREAD: Final = 0.3
"""How much darker the table may lie in shadow (as a share)."""
NOISE: Final = (3.0, 0.05)
"""How much faces tremble: in light of 255, and as a share."""
LINE_MM, LINE_SHARE = 2.2, 0.22
"""What is no thicker and stands out so far on the table is a line printed on it."""
STEP_MM: Final = 2.0
REACHES_MM: Final = (7.0, 5.0, 3.5)
SPREADS_MM: Final = (10.0, 6.0, 5.0)


@dataclass(frozen=True, eq=False)
class HideFound:
    """A hide on the table in mm: its outline and holes; ``mask`` is where it lies in the straightened
    picture; how surely the two are told apart by colour (log odds in the hide's middle); where it is in
    doubt what is hide (x, y, mm2), the largest first; and how far off the outline may be (mm, one standard
    deviation), as its own edge tells.
    """

    outline: Ring
    holes: tuple[Ring, ...]
    mask: NDArray[np.uint8]
    apart: float
    doubts: tuple[tuple[float, float, float], ...]
    edge_mm: float


def find_hide(top: TableTop, table: TableSeen, presses: Sequence[Press] = ()) -> HideFound:
    """Return the hide on a table seen from above.

    ``presses``: what somebody said of places. Raises BadPicture where none is seen, it has the table's
    colour, or it goes beyond the picture or the markers.
    """
    apart = tell_apart(top, table, presses)
    mask = _without_wedges(_leather(apart, top), apart, top)
    _judge_reach(mask, top)
    contours, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outer = max(contours, key=cv2.contourArea)
    holes_px, without = _holes(mask, apart, top, presses)
    field = _across(top, without)
    ring, edge_px = _refined(outer[:, 0].astype(np.float64), field, top.px_per_mm)
    outline = simple_ring(top.to_mm(ring))
    whole_of = Polygon(outline)
    refined = (_refined(c[:, 0].astype(np.float64), field, top.px_per_mm)[0] for c in holes_px)
    holes = tuple(h for h in (simple_ring(top.to_mm(r)) for r in refined) if whole_of.contains(Polygon(h)))
    whole: NDArray[np.uint8] = np.zeros_like(mask)
    cv2.fillPoly(whole, [np.round(top.to_px(outline)).astype(np.int32)], 1)
    cv2.fillPoly(whole, [np.round(top.to_px(h)).astype(np.int32) for h in holes], 0)
    return HideFound(
        outline,
        holes,
        whole,
        _how_apart(apart, mask, top),
        _doubts(apart, whole, top),
        edge_px / top.px_per_mm,
    )


def _leather(apart: Apart, top: TableTop) -> NDArray[np.uint8]:
    """Where the hide lies, without its holes, at the straightened picture's own size: the largest thing that
    is hide rather than table, without slender clutter that touches it.
    """
    ppm = top.px_per_mm / apart.step
    mask: Raster = (apart.chance > HALF).astype(np.uint8)
    joined = np.pad(mask, 8)
    k = _disc(JOIN_MM * ppm)
    mask = cv2.morphologyEx(cv2.morphologyEx(joined, cv2.MORPH_CLOSE, k), cv2.MORPH_OPEN, k)[8:-8, 8:-8]
    largest = _filled(_largest(mask))
    if largest.sum() < LEAST_HIDE_MM2 * ppm**2:
        raise BadPicture(
            "no hide is seen on the table, or it has the table's own colour",
            value=int(largest.sum()),
            expected="a hide that stands out: press once on the hide and once on the table, or spread a "
            "sheet of another colour under it",
        )
    # Its own colour, to tell what lies against it from what is it.
    size = (apart.chance.shape[1], apart.chance.shape[0])
    small = np.log(
        np.maximum(cv2.resize(top.image, size, interpolation=cv2.INTER_AREA).astype(np.float32), 3.0)
    )
    depth: Raster = cv2.distanceTransform(largest, cv2.DIST_L2, 5) / ppm
    thick = cv2.morphologyEx(largest, cv2.MORPH_OPEN, _disc(SLENDER_MM * ppm))
    deep = (depth > 15) & (thick > 0)
    body = small[deep] if deep.any() else small[largest > 0]
    middle = np.median(body, axis=0)
    spread = 1.48 * np.median(np.abs(body - middle), axis=0) + 0.05
    like = (np.abs(small - middle) / spread).max(axis=2) < LIKE_OWN
    # What is slender and of another colour lies against the hide: a rule, a strap, a tool.
    grown = cv2.dilate(thick, _disc(5.0 * ppm))
    mask = ((largest > 0) & (like | (grown > 0))).astype(np.uint8)
    mask = _filled(_largest(cv2.morphologyEx(mask, cv2.MORPH_OPEN, _disc(4.0 * ppm))))
    # Between places of the coarse raster the chance itself says where a half is.
    full = (top.image.shape[1], top.image.shape[0])
    near = cv2.resize(cv2.dilate(mask, _disc(1)), full, interpolation=cv2.INTER_NEAREST)
    within = cv2.resize(cv2.erode(mask, _disc(1)), full, interpolation=cv2.INTER_NEAREST)
    half = cv2.resize(apart.chance, full, interpolation=cv2.INTER_LINEAR) > HALF
    return _filled(_largest(((near > 0) & (half | (within > 0))).astype(np.uint8)))


def _without_wedges(mask: NDArray[np.uint8], apart: Apart, top: TableTop) -> NDArray[np.uint8]:
    """A mask without the table that was taken in between a curved edge and a line printed beside it."""
    ppm = top.px_per_mm
    depth: Raster = cv2.distanceTransform(np.pad(mask, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    x, y, w, h = cv2.boundingRect(mask)
    table = np.zeros(mask.shape, bool)
    odds = apart.odds(top.image[y : y + h, x : x + w])
    table[y : y + h, x : x + w] = cv2.GaussianBlur(odds, (0, 0), 0.6 * ppm) < WEDGE_ODDS
    wedges = (table & (depth > 0) & (depth < WEDGE_MM * ppm)).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(wedges, connectivity=8)
    beside = (depth > 0) & (depth < LINE_MM * 1.5 * ppm)
    touching = np.bincount(labels[beside], minlength=count) > 0
    gone = touching & (stats[:, cv2.CC_STAT_AREA] > LEAST_WEDGE_MM2 * ppm**2)
    gone[0] = False
    if not gone.any():
        return mask
    cut = cv2.dilate(gone[labels].astype(np.uint8), _disc(1))
    return _filled(
        _largest(
            cv2.morphologyEx(np.where(cut > 0, 0, mask).astype(np.uint8), cv2.MORPH_OPEN, _disc(1.2 * ppm))
        )
    )


def _filled(mask: Raster) -> NDArray[np.uint8]:
    contours, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return np.asarray(cv2.drawContours(np.zeros_like(mask), contours, -1, 1, -1), np.uint8)


def _holes(
    mask: Raster, apart: Apart, top: TableTop, presses: Sequence[Press]
) -> tuple[list[Raster], Raster]:
    """Contours (px) of gaps in the leather in which the table shows, or is said to, and the mask without
    them.
    """
    ppm = top.px_per_mm
    x, y, w, h = cv2.boundingRect(mask)
    image = cv2.GaussianBlur(top.image[y : y + h, x : x + w], (0, 0), max(0.5, 0.7 * ppm))
    inside = cv2.erode(mask[y : y + h, x : x + w], _disc(4.0 * ppm))
    table: Raster = ((apart.odds(image) < TABLE_ODDS) & (inside > 0)).astype(np.uint8)
    contours, _ = cv2.findContours(
        cv2.morphologyEx(table, cv2.MORPH_CLOSE, _disc(1.2 * ppm)), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
    )
    out = []
    without: Raster = mask.copy()
    for contour in contours:
        if cv2.contourArea(contour) < LEAST_HOLE_MM2 * ppm**2:
            continue
        moved = contour + np.array([x, y], contour.dtype)
        said = {p.means for p in presses if _pressed(moved, top.to_px(np.array([[p.x, p.y]]))[0])}
        is_hole = _is_hole(contour, table, ppm) and _is_sharp(contour, image, ppm)
        if "table" in said or (is_hole and not said):
            out.append(moved)
            cv2.drawContours(without, [moved], -1, 0, -1)
    return out, without


def _pressed(contour: Raster, px: Floats) -> bool:
    return bool(cv2.pointPolygonTest(contour, (float(px[0]), float(px[1])), False) >= 0)


def _is_hole(contour: Raster, table: Raster, ppm: float) -> bool:
    """Whether a gap in the leather shows the table all through, and is no line of chalk or a ring of it."""
    if 4 * np.pi * cv2.contourArea(contour) < COMPACT * cv2.arcLength(contour, True) ** 2:
        return False
    x, y, w, h = cv2.boundingRect(contour)
    own = np.zeros((h, w), np.uint8)
    cv2.drawContours(own, [contour], -1, 1, -1, offset=(-x, -y))
    if table[y : y + h, x : x + w][own > 0].mean() < MOSTLY:
        return False
    return bool(cv2.distanceTransform(np.pad(own, 1), cv2.DIST_L2, 5).max() >= NARROW_MM / 2 * ppm)


def _is_sharp(contour: Raster, image: Raster, ppm: float) -> bool:
    """Whether the way from leather to what shows in a gap is as short as an edge's: a stain's is longer."""
    room = round(EDGE_ROOM_MM * ppm)
    x, y, w, h = cv2.boundingRect(contour)
    rows, columns = slice(max(0, y - room), y + h + room), slice(max(0, x - room), x + w + room)
    part = light_of(image[rows, columns])
    own = np.zeros(part.shape[:2], np.uint8)
    cv2.drawContours(own, [contour - np.array([columns.start, rows.start])], -1, 1, -1)
    within: Raster = cv2.distanceTransform(np.pad(own, 1), cv2.DIST_L2, 5)[1:-1, 1:-1] / ppm
    beside: Raster = cv2.distanceTransform(1 - own, cv2.DIST_L2, 5) / ppm
    core = part[within > 0.6 * float(within.max())].mean(axis=0)
    leather = part[(beside > 7.0) & (beside < EDGE_ROOM_MM)].mean(axis=0)
    way = core - leather
    share = ((part - leather) @ way) / max(float(way @ way), 1e-9)
    far = np.where(own > 0, -within, beside)
    at = np.arange(-min(10.0, 0.8 * float(within.max())), 10.0, 0.75)
    near = [share[np.abs(far - d) < 0.8] for d in at]
    rise = np.array([np.median(v) if len(v) else np.nan for v in near])
    at, low = at[np.isfinite(rise)], np.minimum.accumulate(rise[np.isfinite(rise)])
    wide = float(np.interp(-0.2, -low, at) - np.interp(-0.8, -low, at))
    return wide < SOFT_EDGE_MM


def _how_apart(apart: Apart, mask: Raster, top: TableTop) -> float:
    size = (apart.chance.shape[1], apart.chance.shape[0])
    small = cv2.resize(top.image, size, interpolation=cv2.INTER_AREA)
    inside = cv2.resize(mask, size, interpolation=cv2.INTER_NEAREST) > 0
    return float(np.median(apart.odds(small)[inside])) if inside.any() else 0.0


def _doubts(apart: Apart, whole: Raster, top: TableTop) -> tuple[tuple[float, float, float], ...]:
    """Places away from the edge of which it is in doubt whether they are hide: middle in mm and
    area in mm2.
    """
    ppm = top.px_per_mm / apart.step
    size = (apart.chance.shape[1], apart.chance.shape[0])
    inside = cv2.resize(whole, size, interpolation=cv2.INTER_NEAREST)
    k = _disc(EDGE_ROOM_MM * ppm)
    rim = cv2.dilate(inside, k) - cv2.erode(inside, k)
    unsure = ((apart.chance > DOUBT[0]) & (apart.chance < DOUBT[1]) & (rim == 0)).astype(np.uint8)
    unsure = cv2.morphologyEx(unsure, cv2.MORPH_OPEN, _disc(8.0 * ppm))
    # What lies apart from the hide and is small is a thing on the table.
    count, labels, stats, middles = cv2.connectedComponentsWithStats(unsure, connectivity=8)
    reach = cv2.dilate(inside, _disc(2.5 * EDGE_ROOM_MM * ppm))
    out = []
    for c in range(1, count):
        if (reach[labels == c] > 0).mean() > 0.25:
            at = top.to_mm((middles[c] + 0.5) * apart.step - 0.5)
            out.append((float(at[0]), float(at[1]), float(stats[c, cv2.CC_STAT_AREA]) / ppm**2))
    return tuple(sorted(out, key=lambda d: -d[2]))


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


def _across(top: TableTop, mask: Raster) -> Raster:
    """The picture as one value, along the way from table to leather: 0 table, 1 leather, worked out locally
    so that light and unevenness do not matter; of light, since that is what a lens blurs.
    """
    ppm = top.px_per_mm
    small = 4
    size = (mask.shape[1] // small, mask.shape[0] // small)
    image = light_of(cv2.resize(top.image, size, interpolation=cv2.INTER_AREA)) * 255
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
        / (NOISE[0] ** 2 + (NOISE[1] ** 2 + SHADOW_SPREAD**2) * (table * table).sum(axis=2))
    )
    weight = way - table * share[..., None]
    length = np.maximum((weight * way).sum(axis=2), 0.2)
    full = (mask.shape[1], mask.shape[0])
    field = np.zeros(mask.shape, np.float32)
    for c in range(3):
        base, per = (
            cv2.resize(np.ascontiguousarray(v[..., c]), full, interpolation=cv2.INTER_LINEAR)
            for v in (table, weight / length[..., None])
        )
        lit = light_of(np.ascontiguousarray(top.image[..., c])) * 255
        lit -= base
        lit *= per
        field += lit
    # Lines printed on the table, where they have the leather's colour.
    opened = cv2.morphologyEx(field, cv2.MORPH_OPEN, _disc(LINE_MM * ppm))
    lines = cv2.dilate((field - opened > LINE_SHARE).astype(np.uint8), _disc(1)) > 0
    field[lines] = np.minimum(field, opened + 0.05)[lines]
    return field


def _refined(contour: Floats, field: Raster, ppm: float) -> tuple[Floats, float]:
    """A contour of whole pixels moved, point by point every ``STEP_MM``, to where the field crosses half way
    between its levels inside and outside; and how much it trembled there before it was evened out (px).
    """
    closed = np.concatenate([contour, contour[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    n = max(24, int(along[-1] / (STEP_MM * ppm)))
    at = np.linspace(0, along[-1], n, endpoint=False)
    ring = np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)
    trembled = 0.0
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
        trembled = 1.48 * float(np.median(np.abs(move - gaussian_filter1d(move, 2.0, mode="wrap"))))
        trembled = float(np.hypot(trembled, float((~seen).mean()) * reach * ppm))
        move = gaussian_filter1d(median_filter(move, 5, mode="wrap"), 1.2, mode="wrap")
        ring = ring + normal * move[:, None]
    return ring, trembled
