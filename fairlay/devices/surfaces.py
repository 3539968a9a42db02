"""What simulated cameras look at: table tops, floors, leather and printed sheets, as the share of light they
throw back.

All of it is light, not what a camera shows of it. Rasters are uint16 with ``FULL`` for all of the light.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Final, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.capture.check_page import CHECK_ABOVE_MM, CHECK_MM
from fairlay.core.capture.grid_page import PAPERS_MM
from fairlay.core.capture.marker_sheet import FIELDS, MARKER_MM, fields
from fairlay.devices.lain import Lain, bands, filled, held, scale
from fairlay.devices.optics import at_all
from fairlay.devices.photograph import light_of

Floats = NDArray[Any]
Colour = tuple[float, float, float]
Surface = Literal["even", "boards", "ply", "mat", "steel"]

FULL: Final = 60_000
PX_PER_MM: Final = 2.4
"""The finest detail of a raster."""
PAPER, INK = 0.86, 0.035
ABOVE_MM, BAR_MM, BAR_BELOW_MM = 30.0, 100.0, 60.0
SHEET_PX_PER_MM: Final = 8


def light(colour: Colour) -> Floats:
    """Return the light of a colour given as it is displayed (r, g, b, 0 to 1)."""
    return np.asarray(light_of(np.asarray(colour)), np.float32)


def face(
    shape: tuple[int, int],
    colour: Colour,
    rng: np.random.Generator,
    broad: float,
    fine: float,
    px_per_mm: float,
    grain_px: int = 3,
) -> Floats:
    """Return a face ``(h, w, 3)`` of one colour, broadly and finely uneven (shares); ``grain_px`` is how
    far the fine part goes at the finest detail.
    """
    h, w = shape
    wide, grain_px = _px(500, px_per_mm), _px(grain_px, px_per_mm)
    uneven = spread(rng, (h // wide + 2, w // wide + 2), shape, cv2.INTER_CUBIC, broad)
    uneven += 1
    uneven += spread(rng, (h // grain_px + 1, w // grain_px + 1), shape, cv2.INTER_LINEAR, fine)
    out = np.empty((h, w, 3), np.uint16)
    for rows in bands(h):
        cv2.merge([held(uneven[rows] * float(FULL * share)) for share in light(colour)], out[rows])
    return out


def _px(fine: int, px_per_mm: float) -> int:
    """What is so many px at the finest detail, in those of a raster."""
    return max(1, round(fine * px_per_mm / PX_PER_MM))


def spread(
    rng: np.random.Generator, few: tuple[int, int], shape: tuple[int, int], how: int, by: float
) -> Floats:
    """Return chance at a few places, times ``by``, run out over a raster."""
    if 0 in shape:
        return np.zeros(shape, np.float32)
    drawn = rng.standard_normal(few, dtype=np.float32)
    drawn *= by
    return np.asarray(cv2.resize(drawn, shape[::-1], interpolation=how))


def table_top(
    shape: tuple[int, int],
    colour: Colour,
    surface: Surface,
    wide_mm: float,
    uneven: float,
    rng: np.random.Generator,
    px_per_mm: float,
) -> Floats:
    """Return a table top: of boards ``wide_mm`` wide, plywood, a ruled cutting mat, brushed
    steel, or even.
    """
    top = face(shape, colour, rng, 0.03, 0.03 if surface != "steel" else 0.015, px_per_mm)
    if surface == "boards":
        _boards(top, wide_mm, uneven, rng, px_per_mm)
    elif surface == "ply":
        _streaks(top, uneven, (7, 400), rng, px_per_mm)
    elif surface == "steel":
        _streaks(top, uneven, (2, 160), rng, px_per_mm)
        scale(top, 1 + 1.5 * uneven * np.sin(np.linspace(0, 5, shape[1], dtype=np.float32))[None, :])
    elif surface == "mat":
        _ruled(top, np.minimum(1.0, light(colour) * 2.2 + 0.18), px_per_mm)
    return top


def _streaks(
    top: Floats, uneven: float, long: tuple[int, int], rng: np.random.Generator, px_per_mm: float
) -> None:
    h, w = top.shape[:2]
    across, along = (_px(v, px_per_mm) for v in long)
    waves = spread(rng, (h // across + 2, w // along + 2), (h, w), cv2.INTER_CUBIC, uneven)
    waves += 1
    scale(top, waves)


def _boards(top: Floats, wide_mm: float, uneven: float, rng: np.random.Generator, px_per_mm: float) -> None:
    """Boards along the table, each of its own tone, with grain along them and dark joints between."""
    h = top.shape[0]
    wide = max(8, int(wide_mm * px_per_mm))
    for first in range(-int(rng.integers(0, wide)), h, wide):
        board = top[max(0, first) : min(h, first + wide)]
        tone = 1 + 2 * uneven * rng.uniform(-1, 1) + 0.3 * uneven * rng.uniform(-1, 1, 3)
        for c in range(3):
            board[..., c] = np.clip(board[..., c] * tone[c], 0, 65535)
        _streaks(board, 0.5 * uneven, (9, 600), rng, px_per_mm)
        if first + wide <= h:
            joint = board[-max(2, int(2.5 * px_per_mm)) :]
            joint[:] = (joint * 0.12).astype(np.uint16)


def _ruled(top: Floats, ink: Floats, px_per_mm: float) -> None:
    """Printed lines every 10 mm, and heavier ones every 50, both ways."""
    for axis in (0, 1):
        at = (np.arange(top.shape[axis]) + 0.5) / px_per_mm
        for every, thick, strength in ((10.0, 0.35, 0.55), (50.0, 0.9, 0.9)):
            off = np.abs((at + every / 2) % every - every / 2)
            cover = np.clip((thick / 2 - off) * px_per_mm + 0.5, 0, min(1.0, thick * px_per_mm)) * strength
            for k in np.flatnonzero(cover):
                line = top[k] if axis == 0 else top[:, k]
                line[:] = (line * (1 - cover[k]) + FULL * ink * cover[k]).astype(np.uint16)


@lru_cache(maxsize=16)
def _sheet(number: int, paper: str) -> tuple[Floats, float, float]:
    """A printed marker sheet as shares of ``FULL`` at ``SHEET_PX_PER_MM``, and where its marker's middle is
    on it (px): as the marker PDF prints it.
    """
    k = SHEET_PX_PER_MM
    w, h = (round(v * k) for v in PAPERS_MM[paper])
    left = round(PAPERS_MM[paper][0] * k / 2 - MARKER_MM * k / 2)
    out = np.full((h, w), PAPER, np.float32)
    field, top = round(MARKER_MM / FIELDS * k), round(ABOVE_MM * k)
    for j, i in np.argwhere(fields(number)):
        out[top + j * field : top + (j + 1) * field, left + i * field : left + (i + 1) * field] = INK
    low = top + round(MARKER_MM * k)
    inked = np.zeros((h, w), np.uint8)
    for words, below, size, thick in (
        (f"Marker {number}", 40, 2.2, 8),
        ("Tape the sheets flat on the table round the hide: eight or more", 47, 0.95, 3),
        ("Each number once. Cut nothing off: the white rim belongs to it", 52, 0.95, 3),
        ("This bar must measure 100 mm", 67, 0.95, 3),
    ):
        cv2.putText(inked, words, (left, low + round(below * k)), cv2.FONT_HERSHEY_SIMPLEX, size, 1, thick)
    out[inked > 0] = INK
    bar = low + round(BAR_BELOW_MM * k)
    out[bar - 1 : bar + 2, left : left + round(BAR_MM * k)] = INK
    for x in (left, left + round(BAR_MM * k)):
        out[bar - 2 * k : bar + 2 * k, x - 1 : x + 2] = INK
    return (out * FULL).astype(np.uint16), left + MARKER_MM * k / 2, top + MARKER_MM * k / 2


@lru_cache(maxsize=2)
def _check_page(paper: str) -> tuple[Floats, float, float]:
    """The printed check page: a black block on white paper, and where its middle is on it (px)."""
    k = SHEET_PX_PER_MM
    w, h = (round(v * k) for v in PAPERS_MM[paper])
    out = np.full((h, w), PAPER, np.float32)
    wide, high = (round(v * k) for v in CHECK_MM)
    left, top = (w - wide) // 2, round(CHECK_ABOVE_MM * k)
    out[top : top + high, left : left + wide] = INK
    return (out * FULL).astype(np.uint16), left + wide / 2, top + high / 2


def lay_sheet(
    table: Floats, number: int, paper: str, x: float, y: float, turn_deg: float, px_per_mm: float
) -> None:
    """Lay a printed marker sheet on a table top, its marker's middle at (x, y) mm, in place."""
    _lay(table, _sheet_seen(number, paper, x, y, turn_deg, px_per_mm, table.shape[:2]))


def lay_check_page(table: Floats, paper: str, x: float, y: float, turn_deg: float, px_per_mm: float) -> None:
    """Lay the printed check page on a table top, its block's middle at (x, y) mm, in place."""
    _lay(table, _seen(_check_page(paper), x, y, turn_deg, px_per_mm, table.shape[:2]))


@lru_cache(maxsize=64)
def _sheet_seen(
    number: int, paper: str, x: float, y: float, turn_deg: float, px_per_mm: float, shape: tuple[int, int]
) -> tuple[Floats, Lain]:
    """A marker sheet where it lies; sheets are taped down, and stay for more than one picture."""
    return _seen(_sheet(number, paper), x, y, turn_deg, px_per_mm, shape)


def _seen(
    printed: tuple[Floats, float, float],
    x: float,
    y: float,
    turn_deg: float,
    px_per_mm: float,
    shape: tuple[int, int],
) -> tuple[Floats, Lain]:
    """What a printed sheet shows at the px of a raster ``shape`` (h, w) that it covers, and where it lies."""
    sheet, mx, my = printed
    t = np.radians(turn_deg)
    c, s = np.cos(t), np.sin(t)
    k = SHEET_PX_PER_MM
    high, wide = sheet.shape
    corners = np.array([[-mx, -my], [wide - mx, -my], [wide - mx, high - my], [-mx, high - my]]) / k
    corners = corners @ np.array([[c, s], [-s, c]]) + [x, y]
    on, x0, y0 = filled(shape, [corners], px_per_mm)
    if not on.size:
        return on, (on, x0, y0)
    # Three places a pixel each way, so that its edges are where they are.
    fine = 3
    size = on.shape[::-1]
    step = k / (fine * px_per_mm)
    left, top = (x0 * fine + 0.5) / (fine * px_per_mm) - x, (y0 * fine + 0.5) / (fine * px_per_mm) - y
    onto = np.array(
        [
            [c * step, s * step, (c * left + s * top) * k + mx - 0.5],
            [-s * step, c * step, (-s * left + c * top) * k + my - 0.5],
        ]
    )
    seen = cv2.warpAffine(
        sheet,
        onto,
        (size[0] * fine, size[1] * fine),
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return cv2.resize(seen, size, interpolation=cv2.INTER_AREA), (on, x0, y0)


def _lay(table: Floats, seen: tuple[Floats, Lain]) -> None:
    grey, (on, x0, y0) = seen
    if not on.size:
        return
    part = table[y0 : y0 + on.shape[0], x0 : x0 + on.shape[1]]
    cover = at_all(on.astype(np.float32) / 255)
    part[:] = part * (1 - cover) + at_all(grey) * cover
