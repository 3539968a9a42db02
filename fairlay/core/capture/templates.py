"""Card templates that lie on a hide, read back from a picture: which is where, how it is turned, and which
face is up.

Card is what on the hide has not the leather's colours. A template fits where card covers it and edges run
along its outline: all turns and places are tried coarsely (correlation), the best are moved until their
outlines lie on edges of the picture, and of those that claim the same card those stand that together account
for most of it. Cards of one colour that touch show no edge between them, so it is done in layers: what edges
and card speak for most is taken from the card, its sides count as edges, and the rest is looked at again,
from a stack's ends to its middle.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter
from shapely.geometry import Polygon

from fairlay.core.capture.claims import meeting, worth_most
from fairlay.core.capture.hide_apart import BINS, colour_bins, histogram, shadowed, shining
from fairlay.core.capture.table import TableTop, light_of
from fairlay.core.shapes.rings import Ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]

LOOK_AT: Final = 0.22
"""Places are tried at so many px a mm."""
TURN_DEG: Final = 5.0
ROUND_PX: Final = 8
RIM_MM: Final = (3.0, 16.0)
"""Leather is what lies so far within the hide's edge, card what else lies on it."""
SECTORS, COARSER = 24, (3, 2, 2)
LEAST_SEEN: Final = 0.02
ALONG_SOME, ALL_ALONG, LEAST_TOLD = 0.45, 0.8, 0.02
"""A colour is seen in a sector of the rim where so much of it has it or one near it; it tells nothing of
leather where so few sectors have it, and all where so many do.
"""
STRANGE: Final = 4e-4
ROUNDS: Final = 4
BODY, BAND = 0.5, 1.0
"""How much it counts that card covers a place, and that leather or an edge is all round it."""
PROMISING: Final = (0.8, 0.65)
"""What a place must come to, at first and among the little that is left then."""
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
SURELY: Final = 0.72
OVERLAP: Final = 0.12
"""Two found templates cover no more of the smaller together: cards lie flat beside each other."""
ALIKE: Final = 0.04
"""Templates whose fit differs by less cannot be told from each other there."""
PLAIN_EDGE: Final = 0.012
"""A step in light that counts as an edge."""
CLAIMS: Final = 0.9
"""One that edges and card speak for so much leaves no other there to try."""
LIKELY, HARDLY = 0.72, 0.03
"""What edges and card speak for less is looked at again once those that are likelier are known; where none
is, the likeliest are taken, and what hardly differs from them.
"""
BARE: Final = 3.0
"""What a template would hide of bare leather counts so many times against the card that it accounts for."""
WITHIN_MM: Final = 3.0
UNUSUAL, SELDOM = 0.02, 0.3
"""Of a found card's places, so far within it, so many may have colours that are rarer; others are not card
where their colours are rarer than those by this factor.
"""
NARROWER: Final = 0.7
"""Card is left to look at where it is as wide as this share of the narrowest template's widest place."""
LAYERS: Final = 12
"""So often templates are sought beside those found, as those in the middle of a stack are."""
SETTLING, FURTHER = 24, 1.5
NEAR_REACHES_MM: Final = (5.0, 3.0, 2.0)
STIRRED_MM: Final = 0.1
"""So often at most those that touch are moved between their neighbours, each so much further than it would
(over-relaxation), while one of them moves so far.
"""
TOUCHING_MM: Final = 8.0
FINE: Final = 4
ROUND_MM: Final = 16.0
SIDE: Final = 0.12
"""The side of a template that was found counts as an edge between faces whose light differs by so much."""


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
    covered: float = 0.0


def find_templates(top: TableTop, outline: Ring, templates: Sequence[Template]) -> list[TemplateSeen]:
    """Return the templates that lie on a hide in a table seen from above, as they lie on its face; from the
    left.

    ``outline``: where the hide lies on the table, mm, as it was measured without cards.
    """
    if not templates:
        return []
    (card, bins), light = _card(top, outline), _edges(top)
    edges = light
    rest, seen, tries = card, card, list[_Try]()
    for layer in range(LAYERS):
        more = _all_moved(rest, edges, top, templates, PROMISING[min(layer, 1)])
        if not more:
            break
        tries += [replace(t, covered=_covered(_where(t, templates), seen, top)) for t in more]
        bar = min(LIKELY, max(t.support * t.covered for t in more) - HARDLY)
        likely = [t for t in more if t.support * t.covered > bar]
        lain = _lain(_standing(likely, templates), top, templates)
        if not lain.any():
            break
        if layer == 0 and bar == LIKELY:
            # At first a weight on a card is card too: it is not leather.
            like = _of_its_colours(lain, bins, top)
            rest, seen = rest * like, card * like
        # Where one lies no other does, and its side is where the next begins, though both are of one colour.
        rest = np.where(lain > 0, np.float32(0.0), rest)
        if not _room_left(rest, top, templates):
            break
        edges = _with_sides(edges, lain)
    found = _between_neighbours(_standing(tries, templates), light, card, top, templates)
    return sorted(found, key=lambda f: (f.x, f.y))


def _where(t: _Try, templates: Sequence[Template]) -> Ring:
    return _placed(templates[t.which].outline, t.pose, t.over)


def _between_neighbours(
    found: Sequence[TemplateSeen],
    edges: tuple[Raster, Raster],
    card: Raster,
    top: TableTop,
    templates: Sequence[Template],
) -> list[TemplateSeen]:
    """Templates that touch others moved once more, each between the sides of those round it: what a stack's
    ends are off by adds up toward its middle otherwise.
    """
    which = {t.name: k for k, t in enumerate(templates)}
    out = list(found)
    shapes = [Polygon(f.placed(templates[which[f.name]].outline)).buffer(0) for f in out]
    near = [
        [j for j, s in enumerate(shapes) if j != i and s.distance(shape) < TOUCHING_MM]
        for i, shape in enumerate(shapes)
    ]
    stirred = {i for i, round_it in enumerate(near) if round_it}
    for _ in range(SETTLING):
        moved = set()
        for i in sorted(stirred):
            f = out[i]
            part, about = _cut_out(top, shapes[i].bounds)
            sides = _lain([out[j] for j in near[i]], part, templates, FINE)
            pose = (f.x, f.y, float(np.radians(f.turn_deg)))
            t = _moved(
                _Try(which[f.name], f.over, pose, 0.0),
                _with_sides((edges[0][about], edges[1][about]), sides),
                card[about],
                part,
                templates,
                NEAR_REACHES_MM,
            )
            if t is None:
                continue
            x, y, turn = (own + FURTHER * (new - own) for own, new in zip(pose, t.pose, strict=True))
            out[i] = replace(f, x=x, y=y, turn_deg=float(np.degrees(turn) % 360.0))
            shape = Polygon(out[i].placed(templates[t.which].outline)).buffer(0)
            if shape.hausdorff_distance(shapes[i]) > STIRRED_MM:
                moved.add(i)
            shapes[i] = shape
        stirred = {j for i in moved for j in (i, *near[i])}
    return out


def _cut_out(
    top: TableTop, bounds: tuple[float, float, float, float]
) -> tuple[TableTop, tuple[slice, slice]]:
    """The part of a straightened picture round some bounds (mm), and where it is in the whole."""
    corners = np.array(bounds).reshape(2, 2) + ROUND_MM * np.array([[-1.0], [1.0]])
    (x0, y0), (x1, y1) = np.round(top.to_px(corners)).astype(int).clip(0)
    about = (slice(int(y0), int(y1)), slice(int(x0), int(x1)))
    part = replace(
        top,
        image=top.image[about],
        known=top.known[about],
        whose=top.whose[about],
        x0=top.x0 + x0 / top.px_per_mm,
        y0=top.y0 + y0 / top.px_per_mm,
    )
    return part, about


def _all_moved(
    card: Raster,
    edges: tuple[Raster, Raster],
    top: TableTop,
    templates: Sequence[Template],
    promising: float,
) -> list[_Try]:
    """All tries that come to lie on edges, each place once."""
    moved: list[_Try] = []
    sure: list[Polygon] = []
    for t in sorted(_coarse(card, top, templates, promising), key=lambda t: -t.score):
        own = Polygon(_where(t, templates)).buffer(0)
        if any(_claims(s, own) for s in sure):
            continue
        found = _moved(t, edges, card, top, templates)
        if found is not None:
            moved.append(found)
            if found.support * found.covered > CLAIMS:
                sure.append(Polygon(_where(found, templates)).buffer(0))
    return moved


def _lain(
    found: Sequence[TemplateSeen], top: TableTop, templates: Sequence[Template], fine: int = 1
) -> Raster:
    """How much of each place templates that were found cover (0 to 1), at the straightened picture's own
    size; told from ``fine`` by ``fine`` points of each.
    """
    outlines = {t.name: t.outline for t in templates}
    h, w = top.image.shape[:2]
    out = np.zeros((h * fine, w * fine), np.float32)
    for f in found:
        px = (top.to_px(f.placed(outlines[f.name])) + 0.5) * fine - 0.5
        cv2.fillPoly(out, [np.round(px).astype(np.int32)], 1.0)
    return out if fine == 1 else cv2.resize(out, (w, h), interpolation=cv2.INTER_AREA)


def _of_its_colours(lain: Raster, bins: Raster, top: TableTop) -> Raster:
    """Where the picture has the colours of what was found (0 to 1): a lamp's shine on leather is not the
    leather's colour, but not the card's either.
    """
    k = 2 * max(1, round(WITHIN_MM * top.px_per_mm)) + 1
    within = cv2.erode((lain > 0).astype(np.uint8), np.ones((k, k), np.uint8)) > 0
    if not within.any():
        return np.ones_like(lain)
    often = histogram(bins[within], None).ravel()[bins]
    usual = (often > SELDOM * float(np.quantile(often[within], UNUSUAL))).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(usual, (0, 0), 1.0 * top.px_per_mm))


def _room_left(card: Raster, top: TableTop, templates: Sequence[Template]) -> bool:
    """Whether there is a patch of card left that the narrowest template may lie on."""
    narrow = min(2 * shapely.maximum_inscribed_circle(Polygon(t.outline).buffer(0)).length for t in templates)
    k = max(1, round(NARROWER * narrow * top.px_per_mm))
    return bool(cv2.erode((card > 0.5).astype(np.uint8), np.ones((k, k), np.uint8)).any())


def _with_sides(edges: tuple[Raster, Raster], lain: Raster) -> tuple[Raster, Raster]:
    """Edges of light, and the sides of what was found where they are stronger."""
    step = SIDE * cv2.GaussianBlur(lain, (0, 0), 0.9)
    across, down = (cv2.Sobel(step, cv2.CV_32F, dx, dy, ksize=3, scale=0.25) for dx, dy in ((1, 0), (0, 1)))
    stronger = across**2 + down**2 > edges[0] ** 2 + edges[1] ** 2
    return np.where(stronger, across, edges[0]), np.where(stronger, down, edges[1])


def _claims(sure: Polygon, own: Polygon) -> bool:
    """Whether a template surely found leaves no room for another at a place; one as large and alike may yet
    be it.
    """
    both = sure.intersection(own).area
    return bool(CLAIMED * own.area < both < (1 - CLAIMED / 4) * max(sure.area, own.area))


def _card(top: TableTop, outline: Ring) -> tuple[Raster, Raster]:
    """How likely each place is card on the hide (0 to 1), and its bin of colours, at the straightened
    picture's own size.
    """
    ppm = top.px_per_mm
    contour = np.round(top.to_px(outline)).astype(np.int32)
    inside = np.zeros(top.image.shape[:2], np.uint8)
    cv2.fillPoly(inside, [contour], 1)
    depth = np.asarray(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5))[1:-1, 1:-1] / ppm
    image = cv2.GaussianBlur(top.image, (0, 0), max(0.6, 0.7 * ppm))
    bins = colour_bins(image)
    rim = (depth > RIM_MM[0]) & (depth < RIM_MM[1])
    within = depth > RIM_MM[0]
    first = histogram(bins[rim], _all_round(rim, bins))
    of_leather = shadowed(shining(first))
    chance: Raster = STRANGE / (of_leather.ravel()[bins] + STRANGE) * within
    for _ in range(ROUNDS):
        of_card = histogram(bins[within], chance[within] ** 2)
        rest = histogram(bins[within], (1 - chance[within]) ** 2)
        of_leather = shadowed(shining(0.4 * first + 0.6 * rest))
        odds = np.log((of_card.ravel()[bins] + STRANGE) / (of_leather.ravel()[bins] + STRANGE)).astype(
            np.float32
        )
        odds = np.asarray(cv2.GaussianBlur(odds, (0, 0), 1.0 * ppm), np.float32)
        chance = within / (1 + np.exp(-odds))
    return np.asarray(chance, np.float32), bins


def _all_round(rim: Raster, bins: Raster) -> Raster:
    """How much each place of a hide's rim tells of leather (0 to 1), by how far round its colour is seen:
    cards that reach into the rim lie along some of it.
    """
    y, x = np.nonzero(rim)
    sector = ((np.arctan2(y - y.mean(), x - x.mean()) / (2 * np.pi) + 0.5) * SECTORS).astype(
        np.int64
    ) % SECTORS
    fine = np.stack(np.unravel_index(bins[rim], BINS), axis=1) // COARSER
    size = [-(-b // c) for b, c in zip(BINS, COARSER, strict=True)]
    count = np.zeros((SECTORS, *size))
    np.add.at(count, (sector, *fine.T), 1.0)
    # Light differs round the hide: a colour is there too where it is a little lighter or darker.
    there = maximum_filter(count, (1, 3, 3, 3)) > LEAST_SEEN * count.sum(axis=(1, 2, 3), keepdims=True)
    round_it = there.mean(axis=0)[tuple(fine.T)]
    return np.asarray(np.clip((round_it - ALONG_SOME) / (ALL_ALONG - ALONG_SOME), LEAST_TOLD, 1.0))


def _edges(top: TableTop) -> tuple[Raster, Raster]:
    """How light changes across and down, a px."""
    light = cv2.GaussianBlur(np.sqrt(light_of(top.image)), (0, 0), 0.9)
    each = [cv2.Sobel(light, cv2.CV_32F, dx, dy, ksize=3, scale=0.25) for dx, dy in ((1, 0), (0, 1))]
    # Of three colours the one that changes most.
    strongest = (each[0] ** 2 + each[1] ** 2).argmax(axis=2)[..., None]
    across, down = (np.take_along_axis(e, strongest, axis=2)[..., 0] for e in each)
    return np.asarray(across), np.asarray(down)


def _coarse(card: Raster, top: TableTop, templates: Sequence[Template], promising: float) -> list[_Try]:
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
                body, band, at = _kernel(_placed(template.outline, (0.0, 0.0, np.radians(deg)), over))
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
                    own.append(_Try(which, over, (float(mm[0]), float(mm[1]), float(np.radians(deg))), best))
                    score[max(0, j - 4) : j + 5, max(0, i - 4) : i + 5] = -1.0
            out += _apart(own, most)
    return out


def _apart(tries: list[_Try], most: int) -> list[_Try]:
    """The best tries of one template, those at nearly the same place and turn once."""
    out: list[_Try] = []
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
    t: _Try,
    edges: tuple[Raster, Raster],
    card: Raster,
    top: TableTop,
    templates: Sequence[Template],
    reaches: Sequence[float] = REACHES_MM,
) -> _Try | None:
    """A try moved until its outline lies on edges, and how much of it does; None where too little does."""
    outline = templates[t.which].outline
    points = _spaced(outline)
    pose = t.pose
    support = 0.0
    for reach in reaches:
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
        if seen.mean() < HOPELESS:
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


def _covered(ring: Ring, card: Raster, top: TableTop) -> float:
    """How much of a template's place is card."""
    px = np.round(top.to_px(ring)).astype(np.int32)
    x, y, w, h = cv2.boundingRect(px)
    if x < 0 or y < 0 or x + w > card.shape[1] or y + h > card.shape[0]:
        return 0.0
    own: Raster = np.zeros((h, w), np.uint8)
    cv2.fillPoly(own, [px - np.array([x, y], np.int32)], 1)
    return float(card[y : y + h, x : x + w][own > 0].mean())


def _standing(tries: Sequence[_Try], templates: Sequence[Template]) -> list[TemplateSeen]:
    """Of tries that claim the same card those that together account for most of it."""
    shapes = [Polygon(_where(t, templates)).buffer(0) for t in tries]
    worth = np.array(
        [
            shape.area * t.support * (t.covered - BARE * (1 - t.covered))
            for t, shape in zip(tries, shapes, strict=True)
        ]
    )
    against = meeting(shapes, OVERLAP)
    stand = worth_most(worth, shapes, against)
    others: dict[int, set[str]] = {i: set() for i in stand}
    for pair in against:
        for i, j in (pair, pair[::-1]):
            if j in others and tries[i].which != tries[j].which:
                same = shapes[i].symmetric_difference(shapes[j]).area < 0.06 * shapes[j].area
                if same and tries[j].support - tries[i].support < ALIKE:
                    others[j].add(templates[tries[i].which].name)
    return [
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
