"""Stitch holes along a line: whether the pitch divides each run, what pitch would, and how to ease.

A run goes between two corners, or steps where another piece begins; a hole falls on each end of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString

from fairlay.core.errors import BadPattern
from fairlay.core.pattern.edges import corners_of
from fairlay.core.tolerances import PITCH_DIVIDES_MM, SAME_POINT_MM

Spacing = Literal["nearest", "ease", "pitch"]
"""Even stitches at the nearest pitch in each run; the pitch kept and a few stitches eased; the pitch from the
start, a short stitch last.
"""
MOST_EASED = 6
LEAST_PITCH_MM, MOST_PITCH_MM = 1.0, 30.0


@dataclass(frozen=True)
class Leg:
    """One run between corners or steps: its length, stitches, what the pitch leaves over, and the pitch that
    divides it.
    """

    length_mm: float
    stitches: int
    over_mm: float
    nearest_pitch_mm: float
    divides: bool


@dataclass(frozen=True)
class Stitches:
    """Holes ``(n, 2)`` along a line with its legs; ``nearest_pitch_mm`` is the one pitch that comes nearest
    to dividing them all.
    """

    holes: NDArray[np.float64]
    legs: tuple[Leg, ...]
    run_mm: float
    stitches: int
    divides: bool
    nearest_pitch_mm: float
    says: str


def lay_out(
    line: NDArray[np.float64],
    closed: bool,
    pitch_mm: float,
    spacing: Spacing = "nearest",
    steps: Sequence[tuple[float, float]] = (),
) -> Stitches:
    """Return the stitch holes along a line ``(n, 2)`` (closed: last point is the first again).

    ``steps`` are further places where a hole must fall. Raises BadPattern for a pitch outside 1 to 30 mm or a
    line without length.
    """
    if not LEAST_PITCH_MM <= pitch_mm <= MOST_PITCH_MM:
        raise BadPattern(
            f"a pitch of {pitch_mm:g} mm",
            value=pitch_mm,
            expected=f"{LEAST_PITCH_MM:g} to {MOST_PITCH_MM:g} mm",
        )
    if closed:
        # Round and round: the runs begin at a corner, where there is one.
        corners = corners_of(line[:-1])
        line = np.concatenate([line[corners[0] : -1], line[: corners[0] + 1]]) if corners else line
    whole = LineString(line)
    if whole.length < pitch_mm:
        raise BadPattern(
            f"a stitch line of {whole.length:.1f} mm",
            value=whole.length,
            expected=f"at least one stitch of {pitch_mm:g} mm",
        )
    at = _breaks(line, whole, closed, steps, pitch_mm)
    lengths = np.diff(at)
    counts = np.maximum(1, np.round(lengths / pitch_mm)).astype(int)
    over = lengths - np.floor(lengths / pitch_mm + 1e-9) * pitch_mm
    legs = tuple(
        Leg(
            round(float(length), 2),
            int(n),
            round(float(o), 2),
            round(float(length / n), 3),
            bool(abs(length - n * pitch_mm) <= PITCH_DIVIDES_MM),
        )
        for length, n, o in zip(lengths, counts, over, strict=True)
    )
    places: list[float] = []
    for start, leg_mm, n in zip(at[:-1], lengths, counts, strict=True):
        places += [float(start + s) for s in _along(float(leg_mm), int(n), pitch_mm, spacing)]
    if not closed:
        places.append(float(at[-1]))
    holes = shapely.get_coordinates(shapely.line_interpolate_point(whole, np.array(places)))
    divides = all(leg.divides for leg in legs)
    nearest = _nearest_pitch(lengths, pitch_mm)
    stitches = len(places) if closed else len(places) - 1
    return Stitches(
        holes,
        legs,
        round(whole.length, 2),
        stitches,
        divides,
        nearest,
        _say(legs, whole.length, stitches, pitch_mm, nearest, divides, spacing),
    )


def _breaks(
    line: NDArray[np.float64],
    whole: LineString,
    closed: bool,
    steps: Sequence[tuple[float, float]],
    pitch_mm: float,
) -> NDArray[np.float64]:
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    corners = corners_of(line[:-1] if closed else line, closed)
    at = [
        0.0,
        whole.length,
        *(float(along[i]) for i in corners),
        *(float(whole.project(shapely.Point(*s))) for s in steps),
    ]
    kept: list[float] = []
    for place in sorted(at):
        if not kept or place - kept[-1] > pitch_mm * 0.75:
            kept.append(place)
    if whole.length - kept[-1] > SAME_POINT_MM:
        kept[-1] = whole.length
    return np.array(kept if len(kept) > 1 else [0.0, whole.length])


def _along(length: float, n: int, pitch: float, spacing: Spacing) -> NDArray[np.float64]:
    """Places of the holes of one leg, without its last."""
    if spacing == "nearest":
        return np.linspace(0, length, n + 1)[:-1]
    if spacing == "pitch":
        return np.arange(0, length - pitch * 0.25, pitch)
    eased = min(MOST_EASED, n)
    steps = np.full(n, pitch)
    steps[n - eased :] += (length - n * pitch) / eased
    return np.concatenate([[0.0], np.cumsum(steps)])[:-1]


def _nearest_pitch(lengths: NDArray[np.float64], pitch: float) -> float:
    """The pitch within a tenth of the one asked that leaves the least over in the worst leg."""
    tried = np.unique(
        np.concatenate(
            [lengths / np.maximum(1, np.round(lengths / pitch)), np.arange(pitch * 0.9, pitch * 1.1, 0.005)]
        )
    )
    tried = tried[(tried >= pitch * 0.9) & (tried <= pitch * 1.1)]
    if not len(tried):
        return round(float(pitch), 3)
    worst = np.abs(lengths[None, :] - np.round(lengths[None, :] / tried[:, None]) * tried[:, None]).max(
        axis=1
    )
    best = int(np.lexsort((np.abs(tried - pitch), np.round(worst, 2)))[0])
    return round(float(tried[best]), 3)


def _say(
    legs: tuple[Leg, ...],
    run: float,
    stitches: int,
    pitch: float,
    nearest: float,
    divides: bool,
    spacing: Spacing,
) -> str:
    words = f"{stitches} stitches over {run:.0f} mm"
    if divides:
        return f"{words}: a pitch of {pitch:g} mm divides " + (
            "it evenly" if len(legs) == 1 else f"all {len(legs)} runs evenly"
        )
    worst = max(legs, key=lambda leg: abs(leg.length_mm - leg.stitches * pitch))
    off = worst.length_mm - worst.stitches * pitch
    where = "" if len(legs) == 1 else f" the run of {worst.length_mm:.1f} mm"
    words += (
        f": {pitch:g} mm does not divide{where or ' it'} ({abs(off):.1f} mm {'over' if off > 0 else 'short'})"
    )
    if spacing == "nearest":
        return f"{words}; set even at {worst.nearest_pitch_mm:.2f} mm" + ("" if len(legs) == 1 else " there")
    if spacing == "ease":
        eased = min(MOST_EASED, worst.stitches)
        return f"{words}; the last {eased} stitches are eased by {abs(off) / eased:.2f} mm each"
    return f"{words}; the last stitch is short. {nearest:g} mm would come nearest"
