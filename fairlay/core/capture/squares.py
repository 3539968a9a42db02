"""Finding squared paper in a picture, and straightening the picture by it.

Every whole square is a bright patch between dark lines. Its middle is known to a few hundredths of a
pixel, since thousands of pixels have a say in it. Neighbours are linked to a lattice, and a camera is
fitted that takes paper to picture: a plane seen in perspective (8 figures) through a lens that curves (2).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.spatial import cKDTree

from fairlay.core.errors import BadPicture

Floats = NDArray[np.float64]
Image = NDArray[np.uint8]
Raster = NDArray[Any]

LEAST_SQUARES = 30
LEAST_EACH_WAY = 4
LOOK_AT_PX = 2400
"""Squares are looked for in a picture no wider than this; finer detail tells nothing more about their
middles.
"""
LEAST_CELL_PX = 9
SEEDS = 16
USUAL_FOCAL = 1.4
"""Focal length in half diagonals of the picture: telephones' main lenses have 1.2 to 1.5."""
TELLING_TILT = 0.1
LINE_SAMPLES = 13
"""Places looked at between the middles of two squares."""
HEAVIER = 1.25
"""A heavy line takes so many times as much light as one between heavy lines."""
LEAST_BETWEEN_HEAVY_MM = 8.0
"""Of paper with every second line heavier, squares this large are those between heavy lines: 5 and 10 mm is
what is sold.
"""
FINEST_MM = 3.0
LONGEST_MM = 900.0
"""Squared paper is no longer."""


@dataclass(frozen=True, eq=False)
class PaperSeen:
    """How the paper lies in a picture.

    ``camera`` is the fitted view (h 8 figures, k1, k2); ``index`` (n, 2) are the squares found, by column and
    row, ``at`` (n, 2) their middles in the picture; ``rms_px`` how well the view explains them. The paper's
    own coordinates are mm from the corner of square (0, 0).
    """

    camera: Floats
    centre: Floats
    half_px: float
    index: NDArray[np.int64]
    at: Floats
    square_mm: float
    rms_px: float

    @property
    def bounds_mm(self) -> tuple[float, float, float, float]:
        """The paper's squares that were found: x0, y0, x1, y1."""
        i0, j0 = self.index.min(axis=0)
        i1, j1 = self.index.max(axis=0) + 1
        s = self.square_mm
        return float(i0 * s), float(j0 * s), float(i1 * s), float(j1 * s)

    def to_picture(self, mm: Floats) -> Floats:
        """Return points of the paper ``(n, 2)`` in mm where they are in the picture, in px."""
        return _project(self.camera, np.asarray(mm, float) / self.square_mm) * self.half_px + self.centre

    def eye_mm(self) -> tuple[float, float, float]:
        """Return where the camera was over the paper: x, y, and height, in mm.

        The focal length comes from how squares foreshorten (Zhang's two constraints on one view); where the
        page was seen too squarely to tell, it is taken to be ``USUAL_FOCAL`` half diagonals.
        """
        h = np.append(self.camera[:8], 1.0).reshape(3, 3)
        a = np.array([h[0, 0] * h[0, 1] + h[1, 0] * h[1, 1], (h[:2, 0] ** 2).sum() - (h[:2, 1] ** 2).sum()])
        b = np.array([h[2, 0] * h[2, 1], h[2, 0] ** 2 - h[2, 1] ** 2])
        focal = USUAL_FOCAL
        tilt = np.hypot(h[2, 0], h[2, 1]) * focal / np.hypot(h[0, 0], h[1, 0])
        if tilt > TELLING_TILT and -(a @ b) > 0:
            found = float(np.sqrt((a @ a) / -(a @ b)))
            focal = found if 0.6 * USUAL_FOCAL < found < 2.5 * USUAL_FOCAL else USUAL_FOCAL
        m = h / np.array([[focal], [focal], [1.0]])
        m = m / np.sqrt(np.hypot(*m[:2, 0]) ** 2 + m[2, 0] ** 2)
        r1, r2, t = m[:, 0], m[:, 1] / np.linalg.norm(m[:, 1]), m[:, 2]
        turn = np.stack([r1, r2, np.cross(r1, r2)], axis=1)
        eye = -turn.T @ t * self.square_mm
        return float(eye[0]), float(eye[1]), abs(float(eye[2]))

    def px_per_mm(self) -> float:
        """Return how many pixels of the picture a mm takes in the middle of what was found."""
        x0, y0, x1, y1 = self.bounds_mm
        d = self.to_picture(
            np.array([(x0 + x1) / 2, (y0 + y1) / 2]) + np.array([[0.5, 0], [-0.5, 0], [0, 0.5], [0, -0.5]])
        )
        return float(min(np.hypot(*(d[0] - d[1])), np.hypot(*(d[2] - d[3]))))


def find_paper(image: Image, square_mm: float) -> PaperSeen:
    """Return how squared paper lies in a picture ``(h, w, 3)``.

    Raises BadPicture where too few squares are seen, saying what to change.
    """
    h, w = image.shape[:2]
    if min(h, w) < 300:
        raise BadPicture(
            f"the picture is {w} x {h} pixels",
            value=(w, h),
            expected="at least 300 each way, better 2000; take it with the camera's full size",
        )
    shrink = min(1.0, LOOK_AT_PX / max(h, w))
    grey: Raster = cv2.cvtColor(image, cv2.COLOR_RGB2GRAY)
    if shrink < 1:
        grey = cv2.resize(grey, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    best: tuple[NDArray[np.int64], Floats, Floats] | None = None
    for block in (25, 51, 101):
        middles, areas = _bright_patches(grey, block)
        linked = _lattice(middles, areas)
        if linked is not None and (best is None or len(linked[0]) > len(best[0])):
            best = linked[0], middles[linked[1]], areas[linked[1]]
    if best is None or len(best[0]) < LEAST_SQUARES or (np.ptp(best[0], axis=0) + 1).min() < LEAST_EACH_WAY:
        raise BadPicture(
            _why_none(grey, 0 if best is None else len(best[0])),
            value=0 if best is None else len(best[0]),
            expected=f"squared paper with {LEAST_SQUARES} whole squares or more in sight",
        )
    index, at, area = best
    square_mm = between_lines_mm(heavy_every(grey, index, at), index, square_mm)
    if square_mm < FINEST_MM:
        raise BadPicture(
            f"the finest squares in the picture are {square_mm:g} mm, between heavier lines",
            value=square_mm,
            expected=f"squares of {FINEST_MM:g} mm or more to measure by: take it from farther away",
        )
    # A pixel's middle is at half; resizing by area keeps that.
    at = (at + 0.5) / shrink - 0.5
    index = _upright(index, at)
    return _fit(
        index,
        at,
        area / shrink**2,
        np.array([(w - 1) / 2, (h - 1) / 2]),
        float(np.hypot(w, h) / 2),
        square_mm,
    )


def heavy_every(grey: Raster, index: NDArray[np.int64], at: Floats) -> int:
    """Return of how many lines one is drawn heavier, both ways: 2, 5 or 10; 1 where all are alike.

    ``index`` (n, 2) are squares by column and row, ``at`` (n, 2) their middles in a picture ``grey``. What a
    line takes of the light between two middles, over all squares along it, is how heavy it is.
    """
    where = {(int(i), int(j)): p for (i, j), p in zip(index, at, strict=True)}
    told = {_one_heavy_in(_ink_of_lines(grey, where, axis)) for axis in (0, 1)}
    return told.pop() if len(told) == 1 else 1


def _ink_of_lines(grey: Raster, where: dict[tuple[int, int], Floats], axis: int) -> dict[int, float]:
    """How much darkness lies between the middles of squares to both sides of each line."""
    step = (1, 0) if axis == 0 else (0, 1)
    ink: dict[int, list[float]] = {}
    for (i, j), p in where.items():
        q = where.get((i + step[0], j + step[1]))
        if q is None:
            continue
        x, y = (p + (q - p) * np.linspace(0.0, 1.0, LINE_SAMPLES)[:, None]).T
        seen = (
            cv2.remap(grey, x.astype(np.float32), y.astype(np.float32), cv2.INTER_LINEAR)
            .ravel()
            .astype(float)
        )
        level = max(1.0, (seen[0] + seen[-1]) / 2)
        ink.setdefault((i, j)[axis], []).append(float(np.maximum(0.0, level - seen).mean() / level))
    return {line: float(np.median(own)) for line, own in ink.items() if len(own) >= LEAST_EACH_WAY}


def _one_heavy_in(ink: dict[int, float]) -> int:
    """Of how many lines one is heavier than those between: the most that holds."""
    lines, dark = np.array(list(ink)), np.array(list(ink.values()))

    def stands_out(every: int, among: int) -> bool:
        """Whether lines that are ``every`` apart are heavier than the others of those ``among`` apart."""
        for phase in range(every):
            heavy = (lines - phase) % every == 0
            rest = ~heavy & ((lines - phase) % among == 0)
            if min(heavy.sum(), rest.sum()) < 2:
                continue
            if float(np.percentile(dark[heavy], 25)) > HEAVIER * float(np.percentile(dark[rest], 75)):
                return True
        return False

    if stands_out(2, 1):
        return 2
    if not stands_out(5, 1):
        return 1
    return 10 if stands_out(10, 5) else 5


def between_lines_mm(every: int, index: NDArray[np.int64], said_mm: float) -> float:
    """Return how far apart neighbouring lines are where squares of ``said_mm`` are said and one line in
    ``every`` is heavier: whoever says 10 mm of millimetre paper means those between heavy lines.
    """
    long = float((np.ptp(index, axis=0) + 1).max()) * said_mm
    coarse = (
        (every == 2 and said_mm >= LEAST_BETWEEN_HEAVY_MM)
        or every == 10
        or (every == 5 and long > LONGEST_MM)
    )
    return said_mm / every if coarse else said_mm


def _why_none(grey: Raster, found: int) -> str:
    dark = float(np.percentile(grey, 95))
    sharp = float(cv2.Laplacian(cv2.GaussianBlur(grey, (0, 0), 1.0), cv2.CV_32F).std())
    if dark < 70:
        return "the picture is too dark to see the squares; give it more light, from more than one side"
    if sharp < 1.2:
        return "the picture is out of focus or shaken; rest the camera, and let it focus on the paper"
    if found:
        return (
            f"only {found} whole squares are in sight; move the part away from the middle, "
            "or use larger paper"
        )
    return (
        "no squared paper was found; lay the part on a printed squared page, the whole page in the picture, "
        "and photograph from straight above"
    )


def _bright_patches(grey: Raster, block: int) -> tuple[Floats, Floats]:
    """Middles ``(n, 2)`` and areas of bright patches that could be squares."""
    smooth = cv2.GaussianBlur(grey, (0, 0), 0.8)
    local = cv2.blur(smooth, (block, block)).astype(np.int16)
    bright: Raster = (smooth.astype(np.int16) > local - np.maximum(4, local // 32)).astype(np.uint8)
    # A hair's breadth more line, so that a break in one does not let two squares run together.
    bright = cv2.erode(bright, np.ones((2, 2), np.uint8))
    _, labels, stats, middles = cv2.connectedComponentsWithStats(bright, connectivity=4)
    del labels
    w, h, area = stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT], stats[:, cv2.CC_STAT_AREA]
    biggest = grey.size / (LEAST_SQUARES * 0.8)
    good = (
        (w >= LEAST_CELL_PX)
        & (h >= LEAST_CELL_PX)
        & (area < biggest)
        & (area > 0.45 * w * h)
        & (w < 2.2 * h)
        & (h < 2.2 * w)
    )
    good[0] = False
    return middles[good].astype(np.float64) + 0.25, area[good].astype(
        np.float64
    )  # eroding with a 2 x 2 block moves middles by a half; its mean is a quarter


def _lattice(middles: Floats, areas: Floats) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
    """Columns and rows ``(m, 2)`` of the patches that lie as neighbours of each other, and which patches they
    are.
    """
    if len(middles) < LEAST_SQUARES:
        return None
    tree = cKDTree(middles)
    best: tuple[NDArray[np.int64], NDArray[np.int64]] | None = None
    # Seeds: patches whose four neighbours lie crosswise at the same distance, those of middling size first.
    near, who = tree.query(middles, k=5)
    order = np.argsort(np.abs(np.log(areas / np.median(areas))))
    linked: set[int] = set()
    tried = 0
    for seed in map(int, order):
        basis = None if seed in linked else _cross(middles, who[seed], near[seed])
        if basis is None:
            continue
        found = _grow(middles, areas, tree, seed, basis)
        linked.update(map(int, found[1]))
        if best is None or len(found[0]) > len(best[0]):
            best = found
        tried += 1
        if tried >= SEEDS or len(best[0]) > 0.5 * len(middles):
            break
    return best


def _cross(middles: Floats, who: NDArray[np.int64], near: Floats) -> tuple[Floats, Floats] | None:
    if not np.isfinite(near).all() or near[4] > 1.5 * near[1]:
        return None
    arms = middles[who[1:]] - middles[who[0]]
    first = arms[0]
    opposite = min(range(1, 4), key=lambda k: float(np.hypot(*(arms[k] + first))))
    rest = [k for k in range(1, 4) if k != opposite]
    if (
        np.hypot(*(arms[opposite] + first)) > 0.2 * near[1]
        or np.hypot(*(arms[rest[0]] + arms[rest[1]])) > 0.2 * near[1]
    ):
        return None
    second = arms[rest[0]]
    if abs(first[0] * second[1] - first[1] * second[0]) < 0.6 * np.hypot(*first) * np.hypot(*second):
        return None
    return first, second


def _grow(
    middles: Floats, areas: Floats, tree: cKDTree, seed: int, basis: tuple[Floats, Floats]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    where = {seed: (0, 0)}
    taken = {(0, 0): seed}
    bases = {seed: basis}
    queue = [seed]
    while queue:
        k = queue.pop(0)
        i, j = where[k]
        u, v = bases[k]
        for di, dj in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            cell = (i + di, j + dj)
            if cell in taken:
                continue
            step = u * di + v * dj
            far, n = tree.query(middles[k] + step)
            size = float(np.hypot(*step))
            if far > 0.22 * size or n in where or not 0.6 < areas[n] / areas[k] < 1.67:
                continue
            moved = middles[n] - middles[k]
            own = (moved * di if di else u, moved * dj if dj else v)
            bases[n] = (0.5 * (own[0] + u), 0.5 * (own[1] + v))
            where[n], taken[cell] = cell, int(n)
            queue.append(int(n))
    found = np.array(list(where), np.int64)
    return np.array([where[int(n)] for n in found], np.int64), found


def _upright(index: NDArray[np.int64], at: Floats) -> NDArray[np.int64]:
    """Columns to the right and rows downward as the picture shows them, never mirrored, counted from 0."""
    fit, *_ = np.linalg.lstsq(np.column_stack([index, np.ones(len(index))]), at, rcond=None)
    ways = {"i": fit[0], "j": fit[1]}
    right = max(ways, key=lambda k: abs(ways[k][0]) / np.hypot(*ways[k]))
    columns = index[:, 0] if right == "i" else index[:, 1]
    rows = index[:, 1] if right == "i" else index[:, 0]
    u, v = (fit[0], fit[1]) if right == "i" else (fit[1], fit[0])
    columns = columns if u[0] > 0 else -columns
    rows = rows if v[1] > 0 else -rows
    return np.stack([columns - columns.min(), rows - rows.min()], axis=1)


def _project(camera: Floats, cells: Raster) -> Floats:
    """Paper (in squares) to picture (in half diagonals from its middle)."""
    h = np.append(camera[:8], 1.0).reshape(3, 3)
    p = cells @ h[:, :2].T + h[:, 2]
    xy = p[:, :2] / p[:, 2:]
    r2 = (xy * xy).sum(axis=1, keepdims=True)
    return np.asarray(xy * (1 + camera[8] * r2 + camera[9] * r2 * r2))


def _fit(
    index: NDArray[np.int64], at: Floats, area: Floats, centre: Floats, half: float, square_mm: float
) -> PaperSeen:
    cells: Raster = index + 0.5
    seen = (at - centre) / half
    start, _ = cv2.findHomography(cells, seen, cv2.RANSAC, 3.0 / half)
    if start is None:
        raise BadPicture(
            "the squares found do not lie on one flat page",
            value=len(index),
            expected="a flat page, whole in the picture",
        )
    camera: Floats = np.append((start / start[2, 2]).ravel()[:8], [0.0, 0.0])
    keep = np.ones(len(index), bool)
    for _ in range(3):
        own, there = cells[keep], seen[keep]
        found = least_squares(
            lambda c, own=own, there=there: (_project(c, own) - there).ravel() * half,
            camera,
            loss="soft_l1",
            f_scale=0.5,
            x_scale="jac",
            max_nfev=200,
        )
        camera = found.x
        off = np.hypot(*(_project(camera, cells) - seen).T) * half
        # A square partly covered, or split by the edge of a stain, is off in size or in its middle.
        d = 0.25
        corners = [
            _project(camera, cells + np.array(s) * d) * half for s in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ]
        a, b = corners[2] - corners[0], corners[3] - corners[1]
        size = area / (np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2)
        usual = float(np.median(size[keep]))
        keep = (off < max(0.6, 4 * float(np.median(off[keep])))) & (np.abs(size / usual - 1) < 0.12)
        if keep.sum() < LEAST_SQUARES:
            raise BadPicture(
                f"only {int(keep.sum())} squares lie on one flat page",
                value=int(keep.sum()),
                expected="a page that lies flat, and more of it in sight",
            )
    rms = float(np.sqrt((off[keep] ** 2).mean()))
    return PaperSeen(camera, centre, half, index[keep], at[keep], square_mm, rms)
