"""Simulated pictures of hides on the cutting table: how truly outline, area, rings and severity are found,
how quickly, in how much memory.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from shapely.geometry import Polygon

from bench.capture import compare, onto
from bench.run import apart, peak_mb
from fairlay.core.capture.hide_picture import look_at_hide
from fairlay.core.capture.squared_paper import decode
from fairlay.core.errors import BadPicture
from fairlay.core.shapes.rings import Ring
from fairlay.demo.hide_tables import RingDrawn, any_scene
from fairlay.devices.camera import encoded
from fairlay.devices.hide_table import HideScene, render_hide


@dataclass(frozen=True)
class HideRow:
    """One picture: outline error in mm (rms and worst), area error as a share, rings drawn, found, false,
    with the right severity; seconds.
    """

    name: str
    rms: float
    worst: float
    area: float
    drawn: int
    found: int
    false: int
    right: int
    seconds: float


def hide_scene(
    number: int, seed: int = 1, width_px: int = 6000
) -> tuple[str, HideScene, Ring, list[RingDrawn]]:
    """Return picture ``number`` of a seed: its name, scene, the true outline on the table in mm, and the
    rings drawn.

    Every fifth is clean.
    """
    rng = np.random.default_rng([seed, number])
    return any_scene(rng, width_px, 0 if number % 5 == 4 else 9)


@dataclass(frozen=True, eq=False)
class Reading:
    """What one picture gave, read in a process of its own: outline, holes, rings with their severity,
    markers' middles in mm by number, how far off the area may be (mm2), whether anything was told, seconds,
    and the most memory that process held.
    """

    outline: Ring
    holes: tuple[Ring, ...]
    rings: tuple[tuple[Ring, int], ...]
    markers: dict[int, tuple[float, float]]
    off_mm2: float
    told: bool
    seconds: float
    peak_mb: float


def read_picture(body: bytes, thickness_mm: float) -> Reading | str:
    """Read an encoded picture; what was wrong, where it was refused."""
    began = time.perf_counter()
    try:
        seen = look_at_hide([decode(body)], thickness_mm=thickness_mm)
    except BadPicture as error:
        return str(error)
    return Reading(
        seen.outline,
        seen.holes,
        tuple((r.outline, r.severity) for r in seen.rings),
        seen.markers_at,
        seen.area_off_mm2,
        bool(seen.advice),
        time.perf_counter() - began,
        peak_mb(),
    )


def scale_off(scene: HideScene, found: dict[int, tuple[float, float]]) -> float:
    """Return by which share lengths were measured too large: markers' middles against where they were "
    "laid."""
    laid = {m.number: (m.x, m.y) for m in scene.markers}
    a, b = (np.array([of[n] for n in found]) for of in (found, laid))
    a, b = a - a.mean(axis=0), b - b.mean(axis=0)
    return float((a * a).sum() / np.linalg.svd(a.T @ b)[1].sum()) - 1


def holes_found(scene: HideScene, truth: Ring, reading: Reading) -> tuple[int, int, int]:
    """Return how many holes there are, how many were found, and how many were found that are none."""
    move = onto(reading.outline, truth)
    there = [Polygon(r).buffer(0) for r in scene.rings[1:]]
    found = [Polygon(move(h)).buffer(0) for h in reading.holes]
    hit = sum(any(f.intersection(t).area > 0.5 * max(f.area, t.area) for f in found) for t in there)
    return len(there), hit, len(found) - hit


def judge(
    name: str,
    truth: Ring,
    drawn: list[RingDrawn],
    outline: Ring,
    rings: Sequence[tuple[Ring, int]],
    seconds: float = 0.0,
) -> HideRow:
    """Return how a picture was read against what was drawn.

    A ring is found where one found covers at least half of both.
    """
    rms, worst, area = compare(truth, outline)
    # Rings are matched in the table's own frame, which is turned and moved: by the outline's own best fit.
    move = onto(outline, truth)
    found = [(Polygon(move(ring)).buffer(0), severity) for ring, severity in rings]
    hit, right, used = 0, 0, set()
    for d in drawn:
        own = Polygon(d.outline).buffer(0)
        for i, (shape, severity) in enumerate(found):
            if i not in used and shape.intersection(own).area > 0.5 * max(own.area, shape.area):
                used.add(i)
                hit += 1
                right += severity == d.severity
                break
    return HideRow(name, rms, worst, area, len(drawn), hit, len(found) - len(used), right, seconds)


def print_hides(pictures: int, kept: Path | None = None, seed: int = 1, width_px: int = 6000) -> None:
    """Read ``pictures`` simulated pictures of a seed, ``width_px`` wide, and print a row for each, then the
    whole.

    Pictures are kept in ``kept`` and not rendered again.
    """
    print(
        f"{'picture':32}{'scale':>9}{'rms':>7}{'worst':>7}{'area':>8}{'may be':>8}{'rings':>9}"
        f"{'false':>6}{'right':>6}"
        f"{'holes':>9}{'false':>6}{'s':>6}{'MB':>6}"
    )
    rows, scales, doubts, holes, peaks = [], [], [], [], []
    for number in range(pictures):
        name, scene, truth, drawn = hide_scene(number, seed, width_px)
        found = apart(read_picture, _body(scene, number, kept), round(scene.thickness_mm, 1))
        if isinstance(found, str):
            print(f"{number:3} {name:28} refused: {found}", flush=True)
            continue
        row = judge(name, truth, drawn, found.outline, found.rings, found.seconds)
        rows.append(row)
        scales.append(scale_off(scene, found.markers))
        doubts.append(found.off_mm2 / Polygon(truth).area)
        holes.append(holes_found(scene, truth, found))
        peaks.append(found.peak_mb)
        there, hit, false = holes[-1]
        print(
            f"{number:3} {name:28}{scales[-1]:+9.3%}{row.rms:7.2f}{row.worst:7.2f}{row.area:8.2%}"
            f"{doubts[-1]:8.2%}"
            f"{f'{row.found}/{row.drawn}':>9}{row.false:6}{row.right:6}{f'{hit}/{there}':>9}{false:6}"
            f"{row.seconds:6.1f}{found.peak_mb:6.0f}",
            flush=True,
        )
    if not rows:
        return
    drawn_all, found_all = sum(r.drawn for r in rows), sum(r.found for r in rows)
    areas = np.abs([r.area for r in rows])
    print(
        f"{len(rows)} of {pictures} read: scale off by {max(map(abs, scales)):.3%} at most; outline rms "
        f"{statistics.median(r.rms for r in rows):.2f} mm in the median, "
        f"{max(r.rms for r in rows):.2f} at most, worst "
        f"place {max(r.worst for r in rows):.1f} mm; area off by {np.median(areas):.2%} in the median, "
        f"{np.quantile(areas, 0.95):.2%} for 95 of 100, {areas.max():.2%} at most, "
        f"{int((areas > np.array(doubts)).sum())} beyond what was told; {found_all} of {drawn_all} "
        "rings found "
        f"({found_all / max(1, drawn_all):.1%}), {sum(r.false for r in rows)} false; severity right for "
        f"{sum(r.right for r in rows) / max(1, found_all):.1%}; {sum(h[1] for h in holes)} of "
        f"{sum(h[0] for h in holes)} "
        f"holes, {sum(h[2] for h in holes)} false; {statistics.median(r.seconds for r in rows):.1f} s "
        "a picture "
        f"({max(r.seconds for r in rows):.1f} at most); {max(peaks):.0f} MB at most"
    )


def _body(scene: HideScene, number: int, kept: Path | None) -> bytes:
    file = kept / f"{number}.jpg" if kept else None
    if file is not None and file.exists():
        return file.read_bytes()
    body = encoded(render_hide(scene), 90).body
    if file is not None:
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(body)
    return body
