"""A part on straightened squared paper: where it lies, and its edge to a fraction of a pixel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, median_filter

from fairlay.core.capture.edges_of_parts import as_blurred, half_way
from fairlay.core.capture.knots import knots_of, places_between
from fairlay.core.capture.squares import PaperSeen
from fairlay.core.errors import BadPicture
from fairlay.core.shapes.rings import Ring, simple_ring

Floats = NDArray[np.floating[Any]]
Raster = NDArray[Any]
"""What OpenCV gives back: its stubs know no kind of number."""
Image = NDArray[np.uint8]

SHADOW_SPREAD = 0.22
"""How much darker than its surroundings paper may lie in shadow (one standard deviation, as a share): what is
merely darker is doubted, what has another colour is not.
"""
DARKER_THAN_SHADOW = 0.72
SURE, SURE_NEUTRAL = 0.68, 0.8
"""Scores from which a place is surely part: nearer to it than half way, since shadow lies between; the edge
itself is sought afterwards.
"""
COLOUR_POWER = 1.4
"""Colours are blurred by the lens as light, and about as much by a JPEG as they are shown."""
NEUTRAL_SPAN = 0.12
ON_LINE_MM, LONGEST_ON_LINE_MM, PARABOLA_FITS_MM = 1.1, 20.0, 0.25
UNSHADED, PLAIN_CONTRAST = 0.06, 0.2
SHOWN_POWER = 2.2
"""What a page shows is light to the power of 1 / this, for want of anything on it that tells."""
STAIN_TINT = 0.02
"""How far a square's tint is off the page's where it is stained."""
STAIN_NEAR_MM = 14.0
LEAST_PART_MM2 = 150.0
LEAST_HOLE_MM2 = 12.0
SPECK_MM = 1.2
LINE_ROOM_MM = 0.9
STEP_MM = 0.5
REACH_MM, NEAR_MM = 1.6, 0.9
"""How far to either side of an edge its levels are looked at: first widely, then close by, where a shadow
beside it is hardly lighter than at its foot.
"""
NECK_SHARE = 0.4


@dataclass(frozen=True, eq=False)
class Straight:
    """A picture straightened: ``image`` (h, w, 3) uint8, ``px_per_mm``, and where its top left corner is on
    the paper, in mm.
    """

    image: Image
    px_per_mm: float
    x0: float
    y0: float

    def to_mm(self, px: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return points of the straightened picture on the paper, in mm."""
        return np.asarray((px + 0.5) / self.px_per_mm + np.array([self.x0, self.y0]))


@dataclass(frozen=True, eq=False)
class PartSeen:
    """One part: its outline and holes on the paper in mm, its area, and whether it may be two that touch (the
    width of the neck).
    """

    outline: Ring
    holes: tuple[Ring, ...]
    area_mm2: float
    neck_mm: float | None


def straighten(image: Image, paper: PaperSeen) -> Straight:
    """Return the squares that were found as seen from straight above, at about the picture's own detail."""
    x0, y0, x1, y1 = paper.bounds_mm
    scale = float(np.clip(paper.px_per_mm(), 2.5, 7.0))
    w, h = round((x1 - x0) * scale), round((y1 - y0) * scale)
    x, y = places_between(knots_of(paper.to_picture, (x0, y0), 1 / scale, (w, h)), (w, h))
    return Straight(
        np.asarray(cv2.remap(image, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT), np.uint8),
        scale,
        x0,
        y0,
    )


def find_parts(straight: Straight, paper: PaperSeen) -> list[PartSeen]:
    """Return the parts that lie on the paper, the largest first.

    Raises BadPicture where nothing lies there, or where a part reaches over the border of the squares.
    """
    ratio = _against_paper(straight, paper)
    apart = _apart(ratio, straight.px_per_mm)
    score, neutral = _score(ratio, apart, np.ones(3), np.ones((3, 3)), straight.px_per_mm)
    # Where an edge lies is asked of brightness as light, since that is what a lens blurs, and of colours half
    # way to what is shown, since those a JPEG blurs too. Shadow takes from paper brightness alone.
    parted = as_blurred(ratio, SHOWN_POWER, COLOUR_POWER)
    edge_score, _ = _score(parted, apart, np.eye(3)[0], np.diag([1.0, 0.0, 0.0]), straight.px_per_mm)
    fields = edge_score, np.asarray((1 - (ratio**SHOWN_POWER).mean(axis=2)) / 0.95, np.float32)
    k = max(3, round(SPECK_MM * straight.px_per_mm) | 1)
    dark = np.asarray((1 - ratio.mean(axis=2)) / 0.8, np.float32)
    # Too dark for any shadow is part, whatever its colour: an edge burnished black round a brown face.
    mask: Raster = ((score > (SURE_NEUTRAL if neutral else SURE)) | (dark > DARKER_THAN_SHADOW)).astype(
        np.uint8
    )
    mask = cv2.morphologyEx(mask, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (k, k)))
    mask = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (k, k)))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=8)
    least = LEAST_PART_MM2 * straight.px_per_mm**2
    found = sorted(
        (c for c in range(1, count) if stats[c, cv2.CC_STAT_AREA] >= least),
        key=lambda c: -int(stats[c, cv2.CC_STAT_AREA]),
    )
    if not found:
        raise BadPicture(
            "nothing but paper was seen inside the squares",
            value=0,
            expected="one part, darker than the paper or of another colour, inside the squares",
        )
    h, w = mask.shape
    edge = max(2, round(0.8 * straight.px_per_mm))
    parts = []
    for c in found:
        x, y, bw, bh = (int(v) for v in stats[c, :4])
        if x <= edge or y <= edge or x + bw >= w - edge or y + bh >= h - edge:
            if (
                int(stats[c, cv2.CC_STAT_AREA]) < 0.3 * int(stats[found[0], cv2.CC_STAT_AREA])
                and c != found[0]
            ):
                continue
            raise over_border("a part", (x, y, bw, bh), (h, w), paper)
        parts.append(_one_part((labels == c).astype(np.uint8), fields, straight, paper.square_mm))
    return parts


def over_border(
    what: str, box: tuple[int, int, int, int], shape: tuple[int, int], paper: PaperSeen
) -> BadPicture:
    """Return what is wrong with a picture in which something reaches over the border of the squares that
    were seen: the page goes out of the picture there, or it lies over the page's own border.

    ``box``: x, y, width and height in px of a straightened picture of ``shape`` (h, w).
    """
    x, y, bw, bh = box
    h, w = shape
    room = {"left": x, "top": y, "right": w - x - bw, "bottom": h - y - bh}
    side = min(room, key=lambda k: room[k])
    x0, y0, x1, y1 = paper.bounds_mm
    s, t = 1.5 * paper.square_mm, np.linspace(0, 1, 9)
    across, down = x0 + t * (x1 - x0), y0 + t * (y1 - y0)
    beyond = {
        "left": np.stack([np.full(9, x0 - s), down], axis=1),
        "right": np.stack([np.full(9, x1 + s), down], axis=1),
        "top": np.stack([across, np.full(9, y0 - s)], axis=1),
        "bottom": np.stack([across, np.full(9, y1 + s)], axis=1),
    }[side]
    at, size = paper.to_picture(beyond), 2 * paper.centre
    if float(((at < 0) | (at > size)).any(axis=1).mean()) > 0.5:
        return BadPicture(
            f"the page goes out of the picture, and {what} with it",
            value=box,
            expected="the whole page in the picture: go farther off, or turn the camera",
        )
    return BadPicture(
        f"{what} reaches over the border of the squares, so its outline there cannot be measured",
        value=box,
        expected="all of it inside the squares, a square or two clear of the border: move it, turn it, or "
        "use larger paper",
    )


def near_stains(outline: Ring, straight: Straight, paper: PaperSeen) -> bool:
    """Whether an outline (mm on the paper) runs by a square that is stained."""
    levels, weight = _squares(straight.image.astype(np.float32) / 255, straight, paper)
    s = paper.square_mm
    at = np.argwhere(stained(levels, weight))[:, ::-1] * s + s / 2
    at = at + np.array([straight.x0, straight.y0])
    far = cv2.pointPolygonTest
    ring = outline.astype(np.float32).reshape(-1, 1, 2)
    return any(abs(far(ring, (float(x), float(y)), True)) < STAIN_NEAR_MM for x, y in at)


def _squares(image: Floats, straight: Straight, paper: PaperSeen) -> tuple[Floats, Floats]:
    """What each square shows ``(down, across, 3)``, and 1 where a whole one was seen."""
    s, ppm = paper.square_mm, straight.px_per_mm
    x0, y0, x1, y1 = paper.bounds_mm
    across, down = round((x1 - x0) / s), round((y1 - y0) / s)
    levels = np.zeros((down, across, 3), np.float32)
    weight = np.zeros((down, across), np.float32)
    for i, j in paper.index - paper.index.min(axis=0):
        a, b = int((i + 0.2) * s * ppm), int((i + 0.8) * s * ppm)
        c, d = int((j + 0.2) * s * ppm), int((j + 0.8) * s * ppm)
        levels[j, i] = np.median(image[c:d, a:b].reshape(-1, 3), axis=0)
        weight[j, i] = 1.0
    return levels, weight


def paper_field(straight: Straight, paper: PaperSeen, image: Floats | None = None) -> Floats:
    """Return the picture ``(h, w, 3)`` over what plain paper would show there: 1 is paper in full light.

    ``image``: the picture 0 to 1, where something was done to it.
    """
    s, ppm = paper.square_mm, straight.px_per_mm
    own = straight.image.astype(np.float32) / 255 if image is None else image
    levels, weight = _squares(own, straight, paper)
    down, across = weight.shape
    spots = stained(levels, weight)
    if spots.sum() < 0.5 * weight.sum():
        weight[spots] = 0.0
    field = _filled(levels, weight)
    h, w = own.shape[:2]
    # The middle of square (i, j) is at ((i + 0.5) s, (j + 0.5) s): resizing keeps middles so.
    full = cv2.resize(field, (round(across * s * ppm), round(down * s * ppm)), interpolation=cv2.INTER_CUBIC)[
        :h, :w
    ]
    full = cv2.copyMakeBorder(full, 0, h - full.shape[0], 0, w - full.shape[1], cv2.BORDER_REPLICATE)
    return np.asarray(own / np.maximum(full, 0.04), np.float32)


def _against_paper(straight: Straight, paper: PaperSeen) -> Floats:
    """The picture over what the paper would show there, the lines taken out."""
    s, ppm = paper.square_mm, straight.px_per_mm
    image = straight.image.astype(np.float32) / 255
    size = max(3, round(2.2 * LINE_ROOM_MM * ppm) | 1)
    closed = cv2.morphologyEx(image, cv2.MORPH_CLOSE, np.ones((size, size), np.uint8))
    x = (np.arange(image.shape[1]) + 0.5) / ppm
    y = (np.arange(image.shape[0]) + 0.5) / ppm
    on = (np.abs((x + s / 2) % s - s / 2) < LINE_ROOM_MM)[None, :] | (
        np.abs((y + s / 2) % s - s / 2) < LINE_ROOM_MM
    )[:, None]
    # A closing takes the brightest nearby, noise and all; it is brought down to what the paper is beside the
    # line.
    return paper_field(straight, paper, np.where(on[..., None], closed - _lift(image, closed, on), image))


def stained(levels: Floats, weight: Floats) -> NDArray[np.bool_]:
    """Return which squares ``(down, across)`` are stained: they have another tint than most. Shadow has not.

    ``levels``: what each shows ``(down, across, 3)``; ``weight``: 1 where it is plain.
    """
    tint = levels / np.maximum(levels.mean(axis=2), 0.02)[..., None]
    plain = weight > 0
    usual = np.median(tint[plain], axis=0) if plain.any() else np.ones(3)
    off = np.abs(tint - usual).max(axis=2)
    spread = 1.48 * float(np.median(off[plain])) if plain.any() else 0.0
    return np.asarray(plain & (off > max(STAIN_TINT, 4 * spread)))


def _lift(image: Raster, closed: Raster, on: NDArray[np.bool_]) -> Floats:
    """How much brighter the closing is than plain paper, by channel."""
    off = ~on
    return np.asarray(np.median((closed - image)[off], axis=0), np.float32)


def _filled(levels: Floats, weight: Floats) -> Floats:
    """Levels of the squares that are plain paper, spread smoothly over those that are not, nearest first."""
    out, have = levels.copy(), weight.copy()
    while have.min() == 0:
        total = cv2.blur(out * have[..., None], (3, 3), borderType=cv2.BORDER_CONSTANT)
        count = cv2.blur(have, (3, 3), borderType=cv2.BORDER_CONSTANT)
        new = (have == 0) & (count > 1e-6)
        if not new.any():
            break
        out[new] = total[new] / count[new][:, None]
        have[new] = 1.0
    return out


def _apart(ratio: Floats, ppm: float) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where there is surely part, and surely paper; nowhere where nothing but paper is seen."""
    smooth = _evened(ratio, ppm)
    light = smooth.mean(axis=2)
    chroma = smooth / np.maximum(light, 0.02)[..., None]
    usual = np.median(chroma[light > 0.85].reshape(-1, 3), axis=0) if (light > 0.85).any() else np.ones(3)
    colour = np.abs(chroma - usual).max(axis=2)
    # Otsu's threshold parts dark from light, wherever between the two lies; paper in plain shadow is lighter
    # than 0.8.
    grey = np.clip(light * 200, 0, 255).astype(np.uint8)
    between = min(0.8, float(cv2.threshold(grey, 0, 255, cv2.THRESH_OTSU)[0]) / 200)
    sure = ((light < between) | ((colour > 0.12) & (light < 0.97))).astype(np.uint8)
    if sure.mean() < 0.002:
        sure = ((light < 0.72) | (colour > 0.07)).astype(np.uint8)
    k = max(3, round(1.5 * ppm) | 1)
    sure = cv2.morphologyEx(sure, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (k, k)))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(sure, connectivity=8)
    if count < 2:
        return np.zeros(light.shape, bool), labels == 0
    large = [
        c for c in range(1, count) if stats[c, cv2.CC_STAT_AREA] > 0.2 * stats[1:, cv2.CC_STAT_AREA].max()
    ]
    inside = np.isin(labels, large).astype(np.uint8)
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, 3)
    return depth > min(2.0 * ppm, 0.6 * float(depth.max())), (light > 0.85) & (labels == 0)


def _score(
    seen: Floats,
    apart: tuple[NDArray[np.bool_], NDArray[np.bool_]],
    bare: Floats,
    shadow: Floats,
    ppm: float,
) -> tuple[Floats, bool]:
    """How far each place is from paper toward the part: 0 paper, 1 part, linear between, blind to shadow as
    far as colours allow. And whether the part has no colour of its own, so that shadow is told from it by
    darkness alone.

    ``seen``: what each place shows ``(h, w, 3)``; ``apart``: where there is surely part, and paper; ``bare``:
    what paper shows; ``shadow``: which ways shadow takes it (3, 3). Fisher's discriminant between part and
    paper, whose spread includes that of shadow.
    """
    core, plain = apart
    if not core.any():
        return np.zeros(seen.shape[:2], np.float32), False
    smooth = _evened(seen, ppm)
    part = smooth[core].astype(np.float64)
    middle = np.median(part, axis=0)
    paper = smooth[plain]
    spread = np.cov(part.T) * 0.5 + (
        np.cov(paper[:: max(1, len(paper) // 50_000)].T) if len(paper) > 10 else np.eye(3) * 1e-4
    )
    spread = spread + shadow * SHADOW_SPREAD**2 + np.eye(3) * 1e-4
    w = np.linalg.solve(spread, middle - bare)
    w /= float(w @ (middle - bare))
    score = np.asarray(cv2.transform(seen, w[None]), np.float32) - np.float32(w @ bare)
    return score, float(np.ptp(middle)) < NEUTRAL_SPAN


def _evened(seen: Floats, ppm: float) -> Floats:
    return np.asarray(cv2.GaussianBlur(seen, (0, 0), max(0.5, 0.15 * ppm)))


def _one_part(mask: Raster, fields: tuple[Raster, ...], straight: Straight, square_mm: float) -> PartSeen:
    ppm = straight.px_per_mm
    contours, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        raise BadPicture("the part has no edge", value=0, expected="a part of one piece")
    fields = tuple(cv2.GaussianBlur(f, (0, 0), max(0.5, 0.12 * ppm)) for f in fields)
    rings, areas = [], []
    for contour, (_, _, _, parent) in zip(contours, tree[0], strict=True):
        area = cv2.contourArea(contour)
        if area < LEAST_HOLE_MM2 * ppm**2:
            continue
        ring = straight.to_mm(_refined(contour[:, 0].astype(np.float64), fields, ppm))
        rings.append((parent >= 0, simple_ring(_over_lines(ring, square_mm))))
        areas.append(area)
    outline = max(((hole, ring) for hole, ring in rings if not hole), key=lambda r: len(r[1]))[1]
    holes = tuple(ring for hole, ring in rings if hole)
    filled: Raster = cv2.drawContours(np.zeros_like(mask), contours, -1, 1, -1)
    return PartSeen(outline, holes, float(max(areas)) / ppm**2, _neck(filled, ppm))


def _neck(mask: Raster, ppm: float) -> float | None:
    """Width of the neck between two large lobes of a mask, where it is under ``NECK_SHARE`` of the narrower
    lobe's own width; None where there is none.
    """
    small = cv2.resize(mask, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_NEAREST)
    depth: Raster = cv2.distanceTransform(
        cv2.copyMakeBorder(small, 1, 1, 1, 1, cv2.BORDER_CONSTANT), cv2.DIST_L2, 5
    )
    deepest = float(depth.max())
    for level in np.linspace(0.03, NECK_SHARE, 14) * deepest:
        count, labels = cv2.connectedComponents((depth > level).astype(np.uint8))
        if count < 3:
            continue
        lobes = np.sort([float(depth[labels == c].max()) for c in range(1, count)])
        if lobes[-2] * NECK_SHARE >= level and lobes[-2] > 0.25 * deepest:
            return float(2 * level * 2 / ppm)
    return None


def ring_every(contour: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """Return a closed contour ``(n, 2)`` with a point every ``step`` of its length, twelve at least."""
    closed = np.concatenate([contour, contour[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], max(12, int(along[-1] / step)), endpoint=False)
    return np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)


def _refined(contour: NDArray[np.float64], fields: tuple[Raster, ...], ppm: float) -> NDArray[np.float64]:
    """A contour of whole pixels moved, point by point every ``STEP_MM``, to where a field crosses half way
    between its levels inside and outside.

    ``fields``: how like the part's colour a place is, and how dark.
    """
    ring = ring_every(contour, STEP_MM * ppm)
    for spread, reach in ((2.0, REACH_MM), (1.2, REACH_MM), (1.2, NEAR_MM)):
        t = np.arange(-reach, reach + 1e-9, 0.08) * ppm
        smooth = gaussian_filter1d(ring, spread, axis=0, mode="wrap")
        tangent = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
        normal = (
            np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
            / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        )
        x = (ring[:, None, 0] + normal[:, None, 0] * t).astype(np.float32)
        y = (ring[:, None, 1] + normal[:, None, 1] * t).astype(np.float32)
        colour, dark = (
            cv2.remap(field, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for field in fields
        )
        ends = max(3, len(t) // 5)
        beside = np.minimum(np.median(dark[:, :ends], axis=1), np.median(dark[:, -ends:], axis=1))
        by_colour, by_darkness = half_way(colour, t, 0.35), half_way(dark, t, PLAIN_CONTRAST)
        # Darkness trembles less than colour does; but only where no shadow lies beside the part is it to be
        # trusted first.
        first = np.where(beside < UNSHADED, by_darkness, by_colour)
        move = np.where(np.isfinite(first), first, np.where(np.isfinite(by_colour), by_colour, by_darkness))
        move = np.where(np.isfinite(move), move, 0.0)
        move = median_filter(move, 5, mode="wrap")
        # The fainter the part on the paper, the more its edge trembles, and the longer the stretch over which
        # it is evened out.
        noise = float(np.std(move - gaussian_filter1d(move, 3.0, mode="wrap")))
        move = gaussian_filter1d(move, float(np.clip(noise * 12 / ppm, 0.8, 4.0)), mode="wrap")
        ring = ring + normal * move[:, None]
    return ring


def _over_lines(ring: NDArray[np.float64], square_mm: float) -> NDArray[np.float64]:
    """An outline (mm on the paper) whose short stretches on a printed line follow a parabola through the
    points before and after.

    Where a line runs into an edge at a slant, the wedge between them is as dark as the part. Left as they
    are: long stretches, where an edge lies along a line, and those at a corner, to which no parabola fits.
    """
    out = ring.copy()
    # Lines across and lines down by turns: else a stretch along one is drawn out by the lines that cross it.
    for axis in (0, 1):
        _over_family(out, np.abs((out[:, axis] + square_mm / 2) % square_mm - square_mm / 2) < ON_LINE_MM)
    return out


def _over_family(ring: NDArray[np.float64], on: NDArray[np.bool_]) -> None:
    n, beside = len(ring), 12
    if on.all() or not on.any():
        return
    for a in np.flatnonzero(on & ~np.roll(on, 1)):
        length = int(np.argmin(on[(a + np.arange(n)) % n]))
        if length * STEP_MM > LONGEST_ON_LINE_MM:
            continue
        s = np.concatenate([np.arange(-beside, 0), np.arange(length, length + beside)])
        known = (a + s) % n
        if on[known].sum() > beside // 2:
            continue
        s, known = s[~on[known]], known[~on[known]]
        fits = [np.polyfit(s, ring[known, d], 2) for d in (0, 1)]
        left = np.hypot(*(np.polyval(f, s) - ring[known, d] for d, f in enumerate(fits)))
        if float(np.sqrt((left**2).mean())) < PARABOLA_FITS_MM:
            inside = np.arange(length)
            ring[(a + inside) % n] = np.stack([np.polyval(f, inside) for f in fits], axis=1)
