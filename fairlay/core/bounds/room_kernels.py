"""Compiled part of proving where a piece cannot lie: boxes of position and turn, halved until nothing fits or
they are small.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from fairlay.core.shapes.kernels import distance_to_body, inside

NOTHING, SOME, ALL = 0, 1, 2
"""What may be fair in a box."""
INSIDE_CELLS = 3.0
"""A field reads so much too far inside ground, at most: half a cell's diagonal where it is read first, as
much where it is read next, and a cell for where ground begins.
"""


@njit(cache=True, nogil=True)
def depth(x, y, pts, starts):
    """Signed distance from a point to the edge of a body, positive inside it; far outside where there is no
    body.
    """
    if len(pts) == 0:
        return -1e9
    d = distance_to_body(x, y, pts, starts)
    return d if inside(x, y, pts, starts) else -d


@njit(cache=True, nogil=True)
def read(field, origin, step, x, y):
    """The distance field at the cell nearest to a point; outside it, how far off the field the point is,
    negative: the ground is no nearer.
    """
    r, c = (y - origin[1]) / step, (x - origin[0]) / step
    dr = max(0.0, -r, r - (field.shape[0] - 1))
    dc = max(0.0, -c, c - (field.shape[1] - 1))
    if dr > 0.0 or dc > 0.0:
        return -math.hypot(dr, dc) * step
    return float(field[round(r), round(c)])


@njit(cache=True, nogil=True)
def deepest_spot(x, y, cos, sin, across, swing, spots, body, body_starts, reach):
    """How deep the deepest of some spots lies in a body, in mm, less what a box's turns can move it there:
    more than ``across`` and it lies in it at every pose of the box, less than ``-across`` and no part of the
    box could be ruled out by it. -inf where none is near.
    """
    most, near = -math.inf, reach + across
    for i in range(len(spots)):
        dx, dy = spots[i, 0] - x, spots[i, 1] - y
        if dx * dx + dy * dy > near * near:
            continue
        own = depth(dx * cos + dy * sin, -dx * sin + dy * cos, body, body_starts)
        most = max(most, own - swing * math.sqrt(dx * dx + dy * dy) if own > 0.0 else own)
        if most > across:
            break
    return most


@njit(cache=True, nogil=True)
def looked_at(
    x,
    y,
    turn,
    across,
    swing,
    points,
    field,
    origin,
    step,
    slack,
    exact_mm,
    fair,
    fair_starts,
    show,
    off,
    off_starts,
    spots,
    body,
    body_starts,
    off_spots,
    show_body,
    show_body_starts,
    reach,
):
    """What may be fair in a box, positions within ``across`` mm of (x, y) and turns within ``swing`` rad of
    ``turn``: NOTHING; SOME, as far as is known; or ALL, so that no part of the box would be ruled out either.

    ``points`` of the piece must lie on ``fair`` ground, ``show`` points off ``off``, and no ``spots`` (points
    inside what is forbidden) in the piece's ``body``, nor ``off_spots`` (points inside ``off``) in its
    ``show_body``, each by more than the box can move it. The distance ``field`` of the fair ground, of which
    ``slack`` mm are its own error, settles most; boxes no wider than ``exact_mm`` are held against the ground
    itself.
    """
    cos, sin = math.cos(turn), math.sin(turn)
    least = math.inf
    for i in range(len(points)):
        px, py = points[i, 0], points[i, 1]
        spare = across + swing * math.sqrt(px * px + py * py) + slack
        own = read(field, origin, step, x + px * cos - py * sin, y + px * sin + py * cos)
        if own < -spare:
            return NOTHING
        least = min(least, own)
    deepest = deepest_spot(x, y, cos, sin, across, swing, spots, body, body_starts, reach)
    if deepest > across:
        return NOTHING
    shown = deepest_spot(x, y, cos, sin, across, swing, off_spots, show_body, show_body_starts, reach)
    if shown > across:
        return NOTHING
    if across > exact_mm:
        # So far inside that wherever the box moves a point, it reads a cell on fair ground.
        sure = least > across + INSIDE_CELLS * step and max(deepest, shown) < -across
        return ALL if sure and (exact_mm <= 0.0 or len(show) == 0) else SOME
    for i in range(len(points)):
        px, py = points[i, 0], points[i, 1]
        spare = across + swing * math.sqrt(px * px + py * py)
        if depth(x + px * cos - py * sin, y + px * sin + py * cos, fair, fair_starts) < -spare:
            return NOTHING
    for i in range(len(show)):
        px, py = show[i, 0], show[i, 1]
        spare = across + swing * math.sqrt(px * px + py * py)
        if depth(x + px * cos - py * sin, y + px * sin + py * cos, off, off_starts) > spare:
            return NOTHING
    return SOME


@njit(cache=True, nogil=True)
def places(
    middle,
    half,
    bounds,
    held,
    held_starts,
    asked,
    first_mm,
    least_mm,
    reach,
    out,
    most_boxes,
):
    """Write middles (x, y) of the small boxes in which a piece may lie; return how many, -1 where there are
    more than go into ``out``. ``asked`` is what ``looked_at`` asks of a box, from its points on.

    Turns within ``half`` rad of ``middle``; the centroid within ``bounds`` (x0, y0, x1, y1) and on ``held``
    ground. Boxes begin at ``first_mm`` half width and are halved down to ``least_mm``; a turn's half range is
    kept at what moves a point ``reach`` away as far as the box is wide. -1 too after ``most_boxes`` boxes:
    then nothing is known.
    """
    n, seen = 0, 0
    stack = np.empty((4096, 5))
    slices = max(1, math.ceil(half * reach / first_mm))
    width = half / slices
    for sx in range(max(1, math.ceil((bounds[2] - bounds[0]) / (2 * first_mm)))):
        for sy in range(max(1, math.ceil((bounds[3] - bounds[1]) / (2 * first_mm)))):
            for st in range(slices):
                stack[0, 0] = bounds[0] + (2 * sx + 1) * first_mm
                stack[0, 1] = bounds[1] + (2 * sy + 1) * first_mm
                stack[0, 2] = middle - half + (2 * st + 1) * width
                stack[0, 3], stack[0, 4] = first_mm, width
                top = 1
                while top > 0:
                    top -= 1
                    x, y, turn, a, h = (
                        stack[top, 0],
                        stack[top, 1],
                        stack[top, 2],
                        stack[top, 3],
                        stack[top, 4],
                    )
                    seen += 1
                    if seen > most_boxes:
                        return -1
                    across = a * math.sqrt(2.0)
                    if depth(x, y, held, held_starts) < -across:
                        continue
                    if looked_at(x, y, turn, across, h, *asked) == NOTHING:
                        continue
                    if a <= least_mm:
                        if n == len(out):
                            return -1
                        out[n, 0], out[n, 1] = x, y
                        n += 1
                        continue
                    for k in range(8):
                        stack[top, 0] = x + (a / 2 if k & 1 else -a / 2)
                        stack[top, 1] = y + (a / 2 if k & 2 else -a / 2)
                        stack[top, 2] = turn + (h / 2 if k & 4 else -h / 2)
                        stack[top, 3], stack[top, 4] = a / 2, h / 2
                        top += 1
    return n


@njit(cache=True, nogil=True)
def cells_with_places(
    turn,
    swing,
    low,
    half_mm,
    block,
    held,
    held_starts,
    asked,
    out,
):
    """Mark in ``out`` (rows of y, columns of x) every cell in which a piece's centroid may lie with a turn
    within ``swing`` rad of ``turn``; ``asked`` as in ``places``.

    Cells are squares of half width ``half_mm``, the first one's corner at ``low``; ``block`` of them by as
    many, a power of two, are ruled out at once where that can be done.
    """
    rows, cols = out.shape
    stack = np.empty((64, 3), np.int64)
    for first_row in range(0, rows, block):
        for first_col in range(0, cols, block):
            stack[0, 0], stack[0, 1], stack[0, 2] = first_row, first_col, block
            top = 1
            while top > 0:
                top -= 1
                r, c, size = stack[top, 0], stack[top, 1], stack[top, 2]
                if r >= rows or c >= cols:
                    continue
                x, y, a = low[0] + (2 * c + size) * half_mm, low[1] + (2 * r + size) * half_mm, size * half_mm
                across = a * math.sqrt(2.0)
                on_held = depth(x, y, held, held_starts)
                found = looked_at(x, y, turn, across, swing, *asked) if on_held >= -across else NOTHING
                if found == NOTHING:
                    continue
                if size == 1 or (found == ALL and on_held > across):
                    out[r : r + size, c : c + size] = True
                    continue
                for k in range(4):
                    stack[top, 0] = r + (size // 2 if k & 1 else 0)
                    stack[top, 1] = c + (size // 2 if k & 2 else 0)
                    stack[top, 2] = size // 2
                    top += 1
