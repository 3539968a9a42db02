"""Hide told from table in a picture from straight above: how likely each place is hide.

Table is what lies round the markers' sheets, with shadow on it; hide is what lies between the markers and
has other colours. Both learn their colours from the picture by turns. What each place says by itself is then
carried along wherever there is no edge (random walker with priors, Grady 2005), so that a place whose colour
tells nothing goes with what it hangs together with, and one in doubt stays near a half.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter
from scipy.sparse.linalg import LinearOperator, cg

from fairlay.core.capture.marker_sheet import BELOW_MM, MARKER_MM, RIM_MM, SHEET_HALF_MM
from fairlay.core.capture.table import TableSeen, TableTop
from fairlay.core.errors import BadPicture

Floats = NDArray[np.float64]
Raster = NDArray[Any]

LOOK_AT: Final = 0.22
"""Hide is told from table at so many px a mm."""
BINS: Final = (46, 34, 34)
"""Bins of brightness and of two colours (natural logarithms of levels)."""
FROM, WIDE = np.array([1.05, -1.02, -1.02]), np.array([0.10, 0.06, 0.06])
SHADOW_BINS: Final = 8
SHADOW_SHARE: Final = 0.3
SHINE: Final = (6.0, 12.0, 20.0, 32.0, 48.0, 70.0)
"""Levels (about the middle of the range) of a lamp's shine on leather, light added alike to all colours."""
SHINE_SHARE: Final = 0.2
STRANGE: Final = 4e-4
"""Colours seen of neither tell nothing: so much of each is taken to be anything."""
SEED_MM: Final = (6.0, 70.0)
DEEP_MM: Final = 330.0
INSIDE, OUTSIDE = 1.4, -3.5
"""Log odds of a place deep between the markers, and of one outside them."""
ROUNDS: Final = 4
PULL: Final = 0.012
"""How much a place's own colour counts beside one neighbour that looks the same."""
NO_EDGE, SMOOTH = 12.0, 3e-4
"""Neighbours differ by so many times what is usual (squared logarithms) where an edge begins to part them;
and so much is usual at least, since light falls off smoothly over a smooth face.
"""
LEAST_PULL: Final = 0.01
COARSEST: Final = 100
HELD: Final = 30.0
PRESS_REACH_MM: Final = 400.0
"""So far round a press edges count before colours, the more the nearer."""
PRESS_MM: Final = 15.0
PAPER_LEVEL, PAPER_TINT = 165.0, 0.12


Means = Literal["hide", "table", "chalk", "stain"]


@dataclass(frozen=True)
class Press:
    """Where somebody said what lies there: a place on the table in mm; or in ``picture`` (the first is 0),
    as shares of its width and height.
    """

    x: float
    y: float
    means: Means
    picture: int | None = None

    def on_table(self, table: TableSeen) -> Press:
        """Return the press with its place on the table."""
        if self.picture is None or not 0 <= self.picture < len(table.views):
            return self
        view = table.views[self.picture]
        at = view.to_table(np.array([[self.x * view.size[1] - 0.5, self.y * view.size[0] - 0.5]]))[0]
        return Press(float(at[0]), float(at[1]), self.means)


@dataclass(frozen=True, eq=False)
class Apart:
    """How likely each place is hide (0 to 1), at ``step`` px of the straightened picture a place; the two's
    colours, to ask the same of any place in finer detail.
    """

    chance: Raster
    step: float
    hide: Raster
    table: Raster

    def odds(self, image: Raster) -> Raster:
        """Return the log odds that each place of a picture ``(h, w, 3)`` is hide rather than table, by its
        colour alone.
        """
        each = np.log((self.hide.ravel() + STRANGE) / (self.table.ravel() + STRANGE)).astype(np.float32)
        return np.asarray(each[colour_bins(image)])


def tell_apart(top: TableTop, table: TableSeen, presses: Sequence[Press] = ()) -> Apart:
    """Return how likely each place of a table seen from above is hide.

    ``presses``: what somebody said of places. Raises BadPicture where no table is seen round the markers.
    """
    step = max(1.0, top.px_per_mm / LOOK_AT)
    size = (round(top.image.shape[1] / step), round(top.image.shape[0] / step))
    small = cv2.resize(top.image, size, interpolation=cv2.INTER_AREA)
    known = cv2.resize(top.known.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    paper = cv2.resize(papers(top, table), size, interpolation=cv2.INTER_NEAREST) > 0
    mm = step / top.px_per_mm
    away: Raster = cv2.distanceTransform((~paper).astype(np.uint8), cv2.DIST_L2, 3) * mm
    seeds = (away > SEED_MM[0]) & (away < SEED_MM[1]) & known
    if seeds.sum() < 100:
        raise BadPicture(
            "no table is seen round the markers",
            value=int(seeds.sum()),
            expected="some bare table round each marker's sheet",
        )
    prior = _prior(top, table, size, mm)
    said = _said(top, presses, size, mm)
    seeds = (seeds & (prior < 0) | (said < 0)) & ~(said > 0)
    bins = colour_bins(small)
    free = known & ~paper & (said == 0)
    # Near the markers there is table, whatever else there is; shadow darkens it.
    first = histogram(bins[seeds], None)
    of_table = shadowed(first)
    outlying = STRANGE / (of_table.ravel()[bins] + STRANGE)
    chance = outlying / (1 + np.exp(-prior))
    chance[~free] = 0.0
    chance[said > 0] = 1.0
    for _ in range(ROUNDS):
        plain = histogram(bins, chance * free + 3.0 * (said > 0))
        of_hide = shining(plain)
        rest = histogram(bins, np.where(prior < 0, 1 - chance, (1 - chance) ** 3) * free + 3.0 * (said < 0))
        bare = 0.5 * first + 0.5 * rest
        of_table = shadowed(bare)
        own = np.log((of_hide.ravel()[bins] + STRANGE) / (of_table.ravel()[bins] + STRANGE))
        odds = cv2.GaussianBlur(own.astype(np.float32), (0, 0), 1.2) + prior
        chance = 1 / (1 + np.exp(-odds))
        chance[~free & (said == 0)] = 0.0
        chance[said != 0] = said[said != 0] > 0
    own = np.log((of_hide.ravel()[bins] + STRANGE) / (of_table.ravel()[bins] + STRANGE)) + 0.4 * prior
    lone = (1 / (1 + np.exp(-own))).astype(np.float32)
    # What only shadow or shine explains is left to the edges: shadow ends softly on the table and sharply at
    # the hide, shine softly on the hide.
    lit = np.log((plain.ravel()[bins] + STRANGE) / (bare.ravel()[bins] + STRANGE))
    sure = np.abs(np.tanh(lit / 2)) ** 3
    held = np.where(free, PULL * _beside(said, mm) * (LEAST_PULL + sure), HELD).astype(np.float32)
    lone[~free] = 0.0
    lone[said > 0] = 1.0
    return Apart(_walked(small, lone, held), step, of_hide, of_table)


def papers(top: TableTop, table: TableSeen) -> Raster:
    """Return where marker sheets lie (1), as they are printed on A4 or Letter: the marker with its rim, and
    of the rest what looks like paper, since a hide may lie over it.
    """
    sure, maybe = (np.zeros(top.image.shape[:2], np.uint8) for _ in range(2))
    for corners in table.markers.values():
        middle = corners.mean(axis=0)
        across, down = (corners[1] - corners[0]) / MARKER_MM, (corners[3] - corners[0]) / MARKER_MM
        rim = MARKER_MM / 2 + RIM_MM + 2
        for out, half, below in ((sure, rim, rim), (maybe, SHEET_HALF_MM + 3, MARKER_MM / 2 + BELOW_MM + 3)):
            above = rim if out is sure else MARKER_MM / 2 + 33
            sheet = np.array(
                [
                    middle + u * across + v * down
                    for u, v in ((-half, -above), (half, -above), (half, below), (-half, below))
                ]
            )
            cv2.fillPoly(out, [np.round(top.to_px(sheet)).astype(np.int32)], 1)
    where = np.nonzero(maybe)
    if len(where[0]):
        own = top.image[where].astype(np.float32)
        bright = own.mean(axis=1)
        plain = (bright > PAPER_LEVEL) & (np.ptp(own, axis=1) < PAPER_TINT * bright + 6)
        maybe[where] = plain
        k = max(1, round(3.5 * top.px_per_mm))
        square = np.ones((2 * k + 1, 2 * k + 1), np.uint8)
        maybe = np.asarray(cv2.morphologyEx(maybe, cv2.MORPH_CLOSE, square), np.uint8)
    return np.asarray(sure | maybe, np.uint8)


def _prior(top: TableTop, table: TableSeen, size: tuple[int, int], mm: float) -> Raster:
    """Log odds of hide by place alone: it lies between the markers."""
    corners = np.concatenate(list(table.markers.values())).astype(np.float32)
    hull = cv2.convexHull(((corners - [top.x0, top.y0]) / mm).astype(np.float32))
    inside: Raster = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillPoly(inside, [np.round(hull).astype(np.int32)], 1)
    depth: Raster = np.asarray(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5))[1:-1, 1:-1] * mm
    # On a small table everything is near the markers.
    deepest = float(depth.max())
    share = np.clip((depth - min(MARKER_MM, 0.3 * deepest)) / min(DEEP_MM, 0.45 * deepest + 1e-6), -0.2, 1)
    return np.asarray(np.where(depth > 0, OUTSIDE / 2 + (INSIDE - OUTSIDE / 2) * share, OUTSIDE), np.float32)


def _said(top: TableTop, presses: Sequence[Press], size: tuple[int, int], mm: float) -> Raster:
    """Where somebody said that hide (1) or table (-1) is; chalk and stains lie on hide."""
    out = np.zeros((size[1], size[0]), np.int8)
    for p in presses:
        at = ((p.x - top.x0) / mm, (p.y - top.y0) / mm)
        cv2.circle(
            out,
            (round(at[0]), round(at[1])),
            max(2, round(PRESS_MM / mm)),
            -1 if p.means == "table" else 1,
            -1,
        )
    return out


def _beside(said: Raster, mm: float) -> Raster:
    """How much of its say a place's colour keeps beside a press (0 to 1)."""
    if not said.any():
        return np.ones(said.shape, np.float32)
    far = np.asarray(cv2.distanceTransform((said == 0).astype(np.uint8), cv2.DIST_L2, 3)) * mm
    return np.asarray(np.clip((far / PRESS_REACH_MM) ** 2, 0.01, 1.0), np.float32)


def colour_bins(image: Raster) -> NDArray[np.int32]:
    """Return which bin of brightness and colour each place of a picture ``(h, w, 3)`` uint8 falls into."""
    at = cv2.transform(cv2.LUT(image, LOGS), OF_LOGS)
    np.clip(at, 0, np.array(BINS, np.float32) - 1, out=at)
    bin_of = at.astype(np.int32)
    return np.asarray((bin_of[..., 0] * BINS[1] + bin_of[..., 1]) * BINS[2] + bin_of[..., 2])


LOGS: Final = np.log(np.maximum(np.arange(256, dtype=np.float32), 3.0))
OF_LOGS: Final = np.column_stack(
    [np.array([[1 / 3, 1 / 3, 1 / 3], [1, -1, 0], [0, -1, 1]]) / WIDE[:, None], -FROM / WIDE]
)
"""Takes three logarithms to brightness and two colours, in bins."""


def histogram(bins: Raster, weights: Raster | None) -> Raster:
    """Return how often each bin is there, smoothed, all together 1; places count by their weights."""
    out = np.bincount(bins.ravel(), None if weights is None else weights.ravel(), int(np.prod(BINS)))
    smooth = gaussian_filter(out.reshape(BINS).astype(np.float64), (1.0, 0.8, 0.8), mode="constant")
    return np.asarray(smooth / max(smooth.sum(), 1e-9))


def shadowed(of_table: Raster) -> Raster:
    """Return a face's colours with what shadow makes of them: darker by up to so many bins, the more the
    rarer.
    """
    out = of_table.copy()
    weight = SHADOW_SHARE * np.exp(-np.arange(1, SHADOW_BINS + 1) / 3.0)
    weight /= weight.sum() / SHADOW_SHARE
    for k, share in enumerate(weight, start=1):
        out[:-k] += share * of_table[k:]
    return np.asarray(out / (1 + SHADOW_SHARE))


def shining(of_hide: Raster) -> Raster:
    """Return a hide's colours with what a lamp's shine makes of them."""
    flat = of_hide.ravel()
    there = np.flatnonzero(flat > 1e-6)
    at = np.stack(np.unravel_index(there, BINS), axis=1)
    light, red, blue = (FROM + (at + 0.5) * WIDE).T
    # The three logarithms' mean and two differences, back to levels.
    green = light - (red + blue) / 3
    shown = np.exp(np.stack([red + green, green, blue + green], axis=1))
    out = flat.copy()
    for k, added in enumerate(SHINE):
        lit = (shown**2.2 + 255.0**2.2 * (added / 255.0) ** 1.5 * 0.5) ** (1 / 2.2)
        log = np.log(np.clip(lit, 3, 255))
        each = np.stack([log.mean(axis=1), log[:, 0] - log[:, 1], log[:, 2] - log[:, 1]], axis=1)
        b = np.clip((each - FROM) / WIDE, 0, np.array(BINS) - 1).astype(np.int64)
        share = SHINE_SHARE * 0.75**k / sum(0.75**j for j in range(len(SHINE)))
        np.add.at(out, np.ravel_multi_index(tuple(b.T), BINS), share * flat[there])
    return np.asarray(gaussian_filter(out.reshape(BINS), 0.6) / (1 + SHINE_SHARE))


def _walked(image: Raster, lone: Raster, held: Raster) -> Raster:
    """What each place says by itself, carried along where nothing parts it from its neighbours; worked out
    from what half as fine a picture says.
    """
    log = cv2.GaussianBlur(cv2.LUT(image, LOGS), (0, 0), 0.6)
    h, w = lone.shape
    far = [((p - q) ** 2).sum(axis=2) for p, q in ((log[:, :-1], log[:, 1:]), (log[:-1], log[1:]))]
    usual = max(float(np.median(np.concatenate([f.ravel() for f in far]))), SMOOTH)
    across, down = (np.exp(-f / (NO_EDGE * usual)) + 1e-3 for f in far)
    begun = lone
    if min(h, w) > COARSEST:
        half = (w // 2, h // 2)
        begun = cv2.resize(_walked(*(_halved(a, half) for a in (image, lone, held))), (w, h))
    total = held.astype(np.float32)
    total[:, :-1] += across
    total[:, 1:] += across
    total[:-1] += down
    total[1:] += down
    # Scaled so that its diagonal is 1, which is what makes few rounds enough.
    scale = 1 / np.sqrt(total)
    across, down = across * scale[:, :-1] * scale[:, 1:], down * scale[:-1] * scale[1:]

    def pulls(flat: Floats) -> Floats:
        at = flat.reshape(h, w)
        out = at.copy()
        out[:, :-1] -= across * at[:, 1:]
        out[:, 1:] -= across * at[:, :-1]
        out[:-1] -= down * at[1:]
        out[1:] -= down * at[:-1]
        return out.ravel()

    found, _ = cg(
        LinearOperator((h * w, h * w), matvec=pulls, dtype=np.float32),
        (held * lone * scale).ravel(),
        x0=(begun / scale).ravel(),
        rtol=2e-3,
        maxiter=400,
    )
    return np.asarray(np.clip(found.reshape(h, w) * scale, 0, 1), np.float32)


def _halved(raster: Raster, size: tuple[int, int]) -> Raster:
    return cv2.resize(raster, size, interpolation=cv2.INTER_AREA)
