"""The cutting table from its pictures: cameras and markers fitted together, and the table as seen from
straight above.

Every marker is a square of known size that lies anywhere on one plane (3 figures each); every picture was
taken from somewhere (6 figures), all of them through one lens (3). What is seen of the markers' corners
settles all of it at once (bundle adjustment, Triggs et al. 2000): no marker needs a place of its own, and
pictures that share two markers share one table.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from fairlay.core.capture.knots import knots_of, places_between
from fairlay.core.capture.marker_sheet import MARKER_MM
from fairlay.core.capture.markers import MarkerSeen, find_markers
from fairlay.core.errors import BadPicture

Floats = NDArray[np.float64]
Image = NDArray[np.uint8]
Raster = NDArray[Any]

LEAST_MARKERS: Final = 4
LEAST_SHARED: Final = 2
USUAL_FOCAL: Final = 0.85
"""Focal length in picture widths: telephones' main lenses and standard lenses have 0.7 to 1."""
CORNER_PX: Final = 0.15
"""How well a corner is known: the unit in which corners and what is usual of lenses are weighed against each
other.
"""
BLURRED_MM, BLURRED_PX = 1.6, 2.2
DARK = 70.0
ROUNDS: Final = 6
ROOM_MM: Final = 60.0
SUPER: Final = 2
"""The table is straightened at so many times its detail and brought down by area, so that fine grain does not
alias.
"""
MOST_PX: Final = 12_000_000
BAND: Final = 256
"""Lines straightened at a time."""
SHOWN_POWER: Final = 2.2
WHITE: Final = 235.0
"""The level of white paper in a straightened picture."""
SHOWN: Final = np.asarray((np.arange(65536) / 65535.0) ** (1 / SHOWN_POWER) * 255.0 + 0.5, np.uint8)
LIGHT: Final = np.asarray((np.arange(256) / 255.0) ** SHOWN_POWER, np.float32)
SQUARE: Final = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]])


@dataclass(frozen=True, eq=False)
class View:
    """Where one picture was taken from: rotation vector and place of the table in the camera, focal length in
    px, lens k1, k2, the picture's middle and size (h, w).
    """

    turn: Floats
    move: Floats
    focal: float
    lens: tuple[float, float]
    size: tuple[int, int]

    def to_picture(self, mm: Floats) -> Floats:
        """Return points of the table ``(n, 2)`` in mm where they are in the picture, in px."""
        p = np.column_stack([mm, np.zeros(len(mm))]) @ cv2.Rodrigues(self.turn)[0].T + self.move
        return _through(p, self.focal, self.lens) + self.middle

    def to_table(self, px: Floats) -> Floats:
        """Return places of the picture ``(n, 2)`` in px where they are on the table, in mm."""
        bent = (np.asarray(px, float) - self.middle) / self.focal
        xy = bent
        for _ in range(12):
            r2 = (xy * xy).sum(axis=1, keepdims=True)
            xy = bent / (1 + self.lens[0] * r2 + self.lens[1] * r2 * r2)
        turn = cv2.Rodrigues(self.turn)[0]
        rays = np.column_stack([xy, np.ones(len(xy))]) @ turn
        eye = -turn.T @ self.move
        return np.asarray((eye - rays * (eye[2] / rays[:, 2])[:, None])[:, :2])

    @property
    def middle(self) -> Floats:
        return np.array([(self.size[1] - 1) / 2, (self.size[0] - 1) / 2])

    @property
    def eye(self) -> tuple[float, float, float]:
        """Where the camera was over the table: x, y, and height, in mm."""
        at = -cv2.Rodrigues(self.turn)[0].T @ self.move
        return float(at[0]), float(at[1]), abs(float(at[2]))

    def px_per_mm(self, at: Floats) -> float:
        """Return how many px a mm takes at a place of the table."""
        a = self.to_picture(at + np.array([[0.5, 0.0], [-0.5, 0.0], [0.0, 0.5], [0.0, -0.5]]))
        return float(min(np.hypot(*(a[0] - a[1])), np.hypot(*(a[2] - a[3]))))


@dataclass(frozen=True, eq=False)
class TableSeen:
    """A table: the views of its pictures, its markers' corners in mm by number, how well they agree (rms in
    mm), and the paper's white at each marker of each picture.
    """

    views: tuple[View, ...]
    markers: dict[int, Floats]
    rms_mm: float
    seen: tuple[tuple[MarkerSeen, ...], ...]

    @property
    def blur_mm(self) -> float:
        """Over how many mm the pictures' edges spread (one standard deviation), in the middle of the
        markers.
        """
        each = [
            m.spread_px / v.px_per_mm(self.markers[m.number][:1])
            for v, own in zip(self.views, self.seen, strict=True)
            for m in own
        ]
        return float(np.median(each))

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """What the markers enclose, and a little more: x0, y0, x1, y1 in mm."""
        corners = np.concatenate(list(self.markers.values()))
        (x0, y0), (x1, y1) = corners.min(axis=0) - ROOM_MM, corners.max(axis=0) + ROOM_MM
        return float(x0), float(y0), float(x1), float(y1)


@dataclass(frozen=True, eq=False)
class TableTop:
    """The table from straight above: ``image`` (h, w, 3) uint8 with white paper at one level everywhere
    (levels are light to the power of 1 / ``SHOWN_POWER``), what of it was seen, ``px_per_mm``, the place of
    its top left corner, which picture shows each place, and over how many mm the pictures' edges spread (one
    standard deviation).
    """

    image: Image
    known: NDArray[np.bool_]
    px_per_mm: float
    x0: float
    y0: float
    whose: NDArray[np.uint8]
    blur_mm: float = 0.5

    def to_mm(self, px: Floats) -> Floats:
        """Return points of the straightened picture on the table, in mm."""
        return np.asarray((px + 0.5) / self.px_per_mm + np.array([self.x0, self.y0]))

    def to_px(self, mm: Floats) -> Floats:
        """Return points of the table, in mm, where they are in the straightened picture."""
        return np.asarray((mm - np.array([self.x0, self.y0])) * self.px_per_mm - 0.5)


def _through(p: Floats, focal: float, lens: tuple[float, float] | Floats) -> Floats:
    xy = p[:, :2] / p[:, 2:]
    r2 = (xy * xy).sum(axis=1, keepdims=True)
    return np.asarray(focal * xy * (1 + lens[0] * r2 + lens[1] * r2 * r2))


def find_table(images: Sequence[Image], bar_mm: float = 100.0, expected: Sequence[int] = ()) -> TableSeen:
    """Return the table that pictures ``(h, w, 3)`` of one camera show.

    ``bar_mm``: what the printed 100 mm bar measures; ``expected``: numbers of the markers that lie on the
    table, if known. Raises BadPicture, saying what to change, where too few markers are seen, they are
    blurred or dark, or pictures share too few.
    """
    if not images:
        raise BadPicture("there is no picture", value=0, expected="one picture of the hide or more")
    if not 80 <= bar_mm <= 120:
        raise BadPicture(
            f"a bar of {bar_mm:g} mm",
            value=bar_mm,
            expected="the printed bar measures 100 mm, or a little more or less: print the sheets again at "
            "100 %",
        )
    seen = tuple(tuple(find_markers(image)) for image in images)
    for k, (image, own) in enumerate(zip(images, seen, strict=True)):
        _judge(
            image,
            own,
            expected if len(images) == 1 else (),
            f"picture {k + 1}" if len(images) > 1 else "the picture",
        )
    side = MARKER_MM * bar_mm / 100.0
    return fit_table(seen, [(i.shape[0], i.shape[1]) for i in images], side)


def _judge(image: Image, seen: Sequence[MarkerSeen], expected: Sequence[int], name: str) -> None:
    """Raise BadPicture for a picture that nothing sure can be read from."""
    light = float(np.percentile(image[::8, ::8], 99))
    white = float(np.median([m.white.mean() for m in seen])) if seen else light
    if white < DARK:
        raise BadPicture(
            f"{name} is too dark: white paper comes out at {white:.0f} of 255",
            value=white,
            expected="more light, from more than one side, or a longer exposure with the camera at rest",
        )
    if seen:
        spread = float(np.median([m.spread_px for m in seen]))
        per_mm = float(np.median([m.side_px for m in seen])) / MARKER_MM
        if spread > BLURRED_PX and spread / per_mm > BLURRED_MM:
            raise BadPicture(
                f"{name} is out of focus or shaken: edges spread over {2 * spread / per_mm:.1f} mm",
                value=spread,
                expected="the camera at rest, and its focus on the leather; then take it again",
            )
    if len(seen) < LEAST_MARKERS:
        blurred = (
            float(
                cv2.Laplacian(
                    cv2.GaussianBlur(cv2.cvtColor(image[::2, ::2], cv2.COLOR_RGB2GRAY), (0, 0), 1.0),
                    cv2.CV_32F,
                ).std()
            )
            < 1.0
        )
        missing = [n for n in expected if n not in {m.number for m in seen}]
        which = ", ".join(str(m.number) for m in seen) or "none"
        raise BadPicture(
            f"{name} shows {len(seen)} marker{'' if len(seen) == 1 else 's'} ({which})"
            + (f"; {_listed(missing)} not seen" if missing else "")
            + ("; it looks out of focus" if blurred else ""),
            value=len(seen),
            expected=f"at least {LEAST_MARKERS} markers whole in the picture, uncovered, spread round the "
            "hide",
        )


def _listed(numbers: Sequence[int]) -> str:
    return (
        ("marker " if len(numbers) == 1 else "markers ")
        + ", ".join(map(str, numbers))
        + (" is" if len(numbers) == 1 else " are")
    )


def fit_table(
    seen: tuple[tuple[MarkerSeen, ...], ...], sizes: list[tuple[int, int]], side: float
) -> TableSeen:
    """Return the table that explains the markers seen in pictures of some sizes (h, w), each marker ``side``
    mm long. Raises BadPicture where pictures share too few.
    """
    focal = USUAL_FOCAL * max(sizes[0])
    places, starts = _start(seen, sizes, side, focal)
    numbers = sorted(places)
    first = numbers[0]
    free = [n for n in numbers if n != first]
    who = {n: k for k, n in enumerate(numbers)}
    which = [np.array([who[m.number] for m in own]) for own in seen]
    there = [
        np.concatenate([m.corners for m in own]) - np.array([(w - 1) / 2, (h - 1) / 2])
        for own, (h, w) in zip(seen, sizes, strict=True)
    ]

    def corners(values: Floats) -> Floats:
        lay = np.empty((len(numbers), 3))
        lay[0] = places[first]
        lay[1:] = values.reshape(-1, 3)
        c, s = np.cos(lay[:, 2]), np.sin(lay[:, 2])
        square = SQUARE * side
        return np.stack(
            [
                c[:, None] * square[:, 0] - s[:, None] * square[:, 1] + lay[:, :1],
                s[:, None] * square[:, 0] + c[:, None] * square[:, 1] + lay[:, 1:2],
            ],
            axis=2,
        )

    at = 3 + 6 * len(seen)
    keep = [np.ones(len(t)) for t in there]

    def off(x: Floats) -> Floats:
        table = corners(x[at:] * 100.0)
        out = [np.array([x[0] / 0.25, x[1] / 0.15, x[2] / 0.05])]
        for k in range(len(seen)):
            turn, move = x[3 + 6 * k : 6 + 6 * k], x[6 + 6 * k : 9 + 6 * k] * 1000.0
            flat = table[which[k]].reshape(-1, 2)
            p = np.column_stack([flat, np.zeros(len(flat))]) @ cv2.Rodrigues(turn)[0].T + move
            out.append(
                (
                    (_through(p, focal * np.exp(x[0]), x[1:3]) - there[k]) / CORNER_PX * keep[k][:, None]
                ).ravel()
            )
        return np.concatenate(out)

    begin = np.concatenate(
        [
            np.zeros(3),
            *(np.concatenate([turn, move / 1000.0]) for turn, move in (starts[k] for k in range(len(seen)))),
            np.array([places[n] for n in free]).ravel() / 100.0,
        ]
    )
    # A corner that something lies over is off by far: it is left out, and the rest fitted once more; each
    # time all are looked at.
    x = begin
    for _ in range(ROUNDS):
        x = least_squares(off, x, method="lm", x_scale="jac", ftol=1e-9, xtol=1e-9).x
        used, keep = keep, [np.ones(len(t)) for t in there]
        far = np.hypot(*off(x)[3:].reshape(-1, 2).T) * CORNER_PX
        limit = max(0.5, 4 * float(np.median(far)))
        parted = np.split(far, np.cumsum([len(t) for t in there])[:-1])
        keep = [_kept(f, limit, u) for f, u in zip(parted, used, strict=True)]
        if all(np.array_equal(a, b) for a, b in zip(used, keep, strict=True)):
            break
    views = tuple(
        View(
            x[3 + 6 * k : 6 + 6 * k],
            x[6 + 6 * k : 9 + 6 * k] * 1000.0,
            float(focal * np.exp(x[0])),
            (float(x[1]), float(x[2])),
            size,
        )
        for k, size in enumerate(sizes)
    )
    table = corners(x[at:] * 100.0)
    views, table = _squared(views, table)
    left = np.concatenate(
        [
            np.hypot(*(v.to_picture(table[w].reshape(-1, 2)) - v.middle - t)[g > 0].T)
            / v.px_per_mm(table[w].reshape(-1, 2).mean(axis=0))
            for v, w, t, g in zip(views, which, there, keep, strict=True)
        ]
    )
    return TableSeen(views, {n: table[who[n]] for n in numbers}, float(np.sqrt((left**2).mean())), seen)


def _kept(far: Floats, limit: float, used: Floats) -> Floats:
    """1 for the corners to keep, 0 for those farther off than a limit; of a marker's four only one more than
    were left out of the fit, the worst, since one wrong corner draws the others off with it.
    """
    each = far.reshape(-1, 4)
    rank = np.argsort(np.argsort(-each, axis=1), axis=1)
    gone = (each > limit) & (rank <= (used.reshape(-1, 4) == 0).sum(axis=1, keepdims=True))
    return np.asarray(~gone, np.float64).ravel()


def _squared(views: tuple[View, ...], table: Floats) -> tuple[tuple[View, ...], Floats]:
    """The table turned so that its x runs as the first picture's lines do."""
    first = cv2.Rodrigues(views[0].turn)[0]
    back = _turned(-float(np.arctan2(first[0, 1], first[0, 0])))
    whole = np.eye(3)
    whole[:2, :2] = back
    return tuple(
        replace(v, turn=np.asarray(cv2.Rodrigues(cv2.Rodrigues(v.turn)[0] @ whole.T)[0], np.float64).ravel())
        for v in views
    ), table @ back.T


def _start(
    seen: tuple[tuple[MarkerSeen, ...], ...], sizes: list[tuple[int, int]], side: float, focal: float
) -> tuple[dict[int, Floats], dict[int, tuple[Floats, Floats]]]:
    """Markers (x, y, turn) and views as if every camera had looked straight down; picture by picture, each on
    those that share markers with it.
    """
    places: dict[int, Floats] = {}
    views: dict[int, tuple[Floats, Floats]] = {}
    left = sorted(range(len(seen)), key=lambda k: -len(seen[k]))
    while left:
        shared = {k: sum(1 for m in seen[k] if m.number in places) for k in left}
        k = max(left, key=lambda i: (shared[i], len(seen[i])))
        if places and shared[k] < LEAST_SHARED:
            raise BadPicture(
                f"picture {k + 1} shares {shared[k]} marker{'' if shared[k] == 1 else 's'} with the others",
                value=shared[k],
                expected=f"pictures that overlap, with at least {LEAST_SHARED} markers in both",
            )
        h, w = sizes[k]
        scale = side / float(np.mean([m.side_px for m in seen[k]]))
        flat = {m.number: (m.corners - np.array([(w - 1) / 2, (h - 1) / 2])) * scale for m in seen[k]}
        turn, shift = 0.0, np.zeros(2)
        if places:
            both = [n for n in flat if n in places]
            a = np.array([flat[n].mean(axis=0) for n in both])
            b = np.array([places[n][:2] for n in both])
            u, v = (a - a.mean(axis=0)) @ [1, 1j], (b - b.mean(axis=0)) @ [1, 1j]
            turn = float(np.angle((np.conj(u) * v).sum()))
            shift = b.mean(axis=0) - a.mean(axis=0) @ _turned(turn).T
        for n, c in flat.items():
            if n not in places:
                own = c @ _turned(turn).T + shift
                edge = own[1] - own[0]
                places[n] = np.array([*own.mean(axis=0), np.arctan2(edge[1], edge[0])])
        # Table to camera: turned back about the vertical, at the distance that gives this scale.
        back = _turned(-turn)
        views[k] = (np.array([0.0, 0.0, -turn]), np.array([*(-back @ shift), focal * scale]))
        left.remove(k)
    return places, views


def _turned(angle: float) -> Floats:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s], [s, c]])


def straighten(images: Sequence[Image], table: TableSeen) -> TableTop:
    """Return the table from straight above, from whichever picture shows each place farthest from its own
    rim.

    Light is averaged as light, evened by the markers' paper, and shown again by a power of 1 /
    ``SHOWN_POWER``: what comes out does not depend on how the camera bends it.
    """
    x0, y0, x1, y1 = table.bounds
    middle = np.array([[(x0 + x1) / 2, (y0 + y1) / 2]])
    scale = float(np.clip(0.8 * max(v.px_per_mm(middle) for v in table.views), 0.5, 2.0))
    scale = min(scale, float(np.sqrt(MOST_PX / ((x1 - x0) * (y1 - y0)))))
    w, h = round((x1 - x0) * scale), round((y1 - y0) * scale)
    best = np.zeros((h, w), np.float32)
    image: Image = np.zeros((h, w, 3), np.uint8)
    whose = np.zeros((h, w), np.uint8)
    for k, (own, view) in enumerate(zip(images, table.views, strict=True)):
        light = cv2.LUT(own, as_light(table.seen[k][0].tone if table.seen[k] else SHOWN_POWER))
        gains = _gains(table, k, (x0, y0), scale, (h, w))
        for top in range(0, h, BAND):
            rows = slice(top, min(h, top + BAND))
            shown, rim = _seen_by(light, view, (x0, y0), scale, (rows, w))
            # By a table of roots, since a power of every place takes seconds.
            gains(shown, rows)
            shown *= len(SHOWN) - 1
            lit = SHOWN[np.minimum(shown, len(SHOWN) - 1, out=shown).astype(np.uint16)]
            if k == 0:
                image[rows] = lit * (rim > 0)[..., None]
            else:
                better = rim > best[rows]
                image[rows][better], whose[rows][better] = lit[better], k
            best[rows] = np.maximum(best[rows], rim)
    return TableTop(image, best > 0, scale, x0, y0, whose, table.blur_mm)


def as_light(tone: float) -> Raster:
    """Return what a picture's 256 levels are as light, 65535 for all of it, by the power that its markers
    told.
    """
    return np.asarray((np.arange(256) / 255.0) ** tone * 65535.0 + 0.5, np.uint16)


def _seen_by(
    light: Raster, view: View, corner: tuple[float, float], scale: float, size: tuple[slice, int]
) -> tuple[Raster, Raster]:
    """Some lines of a picture straightened, as light 0 to 1, and how far each place is from the picture's
    rim in px (0 outside it).
    """
    rows, w = size
    h, wide = (rows.stop - rows.start) * SUPER, w * SUPER
    size_px = wide, h
    first = corner[0], corner[1] + rows.start / scale
    knots = knots_of(view.to_picture, first, 1 / (SUPER * scale), size_px)
    at, small = places_between(knots, size_px), places_between(knots, size_px, SUPER)
    shown = cv2.remap(light, at[0], at[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    ih, iw = light.shape[:2]
    rim = np.minimum(np.minimum(small[0] - 1, iw - 2 - small[0]), np.minimum(small[1] - 1, ih - 2 - small[1]))
    lit = cv2.resize(shown, (w, h // SUPER), interpolation=cv2.INTER_AREA).astype(np.float32) / 65535
    return lit, np.maximum(rim, 0)


def _gains(
    table: TableSeen, which: int, corner: tuple[float, float], scale: float, size: tuple[int, int]
) -> Callable[[Raster, slice], None]:
    """What multiplies the light of some lines ``(n, w, 3)`` of the table, in place, so that white paper is
    ``WHITE`` everywhere: light falls off evenly over a table, and its colour is the same all over.
    """
    tone = table.seen[which][0].tone
    white = np.array([(m.white / 255.0) ** tone for m in table.seen[which]])
    at = np.array([table.markers[m.number].mean(axis=0) for m in table.seen[which]])
    tint = np.median(white / white.mean(axis=1, keepdims=True), axis=0)
    middle, spread = at.mean(axis=0), max(1.0, float(np.ptp(at, axis=0).max()))
    design = np.column_stack([np.ones(len(at)), (at - middle) / spread])
    plane, *_ = np.linalg.lstsq(design, np.log(np.maximum(white.mean(axis=1), 1e-4)), rcond=None)
    x = ((np.arange(size[1]) + 0.5) / scale + corner[0] - middle[0]) / spread
    y = ((np.arange(size[0]) + 0.5) / scale + corner[1] - middle[1]) / spread
    full = (WHITE / 255.0) ** SHOWN_POWER
    across, down = np.exp(-plane[1] * x).astype(np.float32), np.exp(-plane[2] * y).astype(np.float32)
    each = (full / tint * np.exp(-plane[0])).astype(np.float32)

    def evened(shown: Raster, rows: slice) -> None:
        shown *= down[rows, None, None]
        shown *= across[None, :, None] * each

    return evened


def light_of(shown: Raster) -> Raster:
    """Return the light (0 to 1, float32) of levels of a straightened picture (uint8)."""
    return cv2.LUT(shown, LIGHT)
