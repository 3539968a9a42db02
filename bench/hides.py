"""Simulated pictures of hides on the cutting table: how truly outline, area, rings and severity are found,
how quickly, in how much memory.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from shapely.geometry import Polygon

from bench.capture import compare, onto
from bench.run import apart, peak_mb
from fairlay.core.capture.hide_picture import look_at_hide
from fairlay.core.capture.squared_paper import decode
from fairlay.core.errors import BadPicture
from fairlay.core.leather.made_up import grow
from fairlay.core.leather.usual_outline import SIDE
from fairlay.core.shapes.rings import Ring
from fairlay.demo.hide_tables import (
    CHALK,
    LEATHERS,
    RingDrawn,
    arrow,
    chalk_ring,
    placed,
    scattered,
    scene_of,
)
from fairlay.devices.camera import encoded
from fairlay.devices.hide_table import ChalkStroke, HideScene, render_hide

TABLE_FOR = {
    "undyed": "blue sheet",
    "natural": "blue sheet",
    "tan": "blue sheet",
    "moss": "pale board",
    "slate": "pale board",
}


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


def hide_scene(number: int, width_px: int = 6000) -> tuple[str, HideScene, Ring, list[RingDrawn]]:
    """Return picture ``number``: its name, scene, the true outline on the table in mm, and the rings drawn.

    Every fourth is clean.
    """
    rng = np.random.default_rng(4000 + number)
    leather = list(LEATHERS)[number % len(LEATHERS)]
    table = TABLE_FOR.get(leather) or ("green mat", "pale board", "blue sheet")[number // 10 % 3]
    ring = placed(
        grow(SIDE, float(rng.uniform(2050, 2300)), float(rng.uniform(950, 1100)), rng),
        float(rng.uniform(-4, 4)),
    )
    clean = number % 4 == 3
    drawn = (
        []
        if clean
        else [
            RingDrawn(
                chalk_ring(x, y, a, d, rng, float(rng.choice([0.0, 0.0, 0.06, 0.1]))), int(rng.integers(1, 4))
            )
            for x, y, a, d in scattered(ring, rng, 9, 28, 120)
        ]
    )
    middle = (ring.min(axis=0) + ring.max(axis=0)) / 2
    lines = (
        ()
        if clean
        else tuple(
            ChalkStroke(p, CHALK["yellow"], 0.8, 7.0)
            for p in arrow(float(middle[0]), float(middle[1]), 260.0, float(rng.uniform(-30, 30)))
        )
    )
    lines = tuple(
        s
        for s in lines
        if not any(
            Polygon(d.outline).buffer(25).intersects(Polygon(np.vstack([s.points, s.points[:1] + 0.1])))
            for d in drawn
        )
    )
    curls = tuple(
        (float(p[0]), float(p[1]), float(rng.uniform(2, 5)), 60.0)
        for p in ring[rng.integers(0, len(ring), 3)]
    )
    made = scene_of(
        ring,
        leather,
        table,
        rng,
        drawn,
        lines,
        width_px=width_px,
        height_px=width_px * 2 // 3,
        curls=curls,
        tilt_deg=(float(rng.uniform(-9, 9)), float(rng.uniform(-9, 9))),
        roll_deg=float(rng.uniform(-4, 4)),
        lens=(float(rng.uniform(-0.10, 0.04)), float(rng.uniform(0, 0.02))),
        warmth=float(rng.uniform(-0.08, 0.10)),
        light=float(rng.uniform(0.75, 1.02)),
        shade=float(rng.uniform(0.05, 0.35)),
        shadow=float(rng.uniform(0.1, 0.45)),
        noise=float(rng.uniform(0.005, 0.018)),
        blur_px=float(rng.uniform(0.6, 1.5)),
        thickness_mm=float(rng.uniform(1.2, 3.5)),
        boards=(160.0, 0.15) if number % 3 == 1 else (0.0, 0.0),
        glare=(
            (
                float(middle[0] + rng.uniform(-600, 600)),
                float(middle[1] + rng.uniform(-200, 200)),
                130.0,
                float(rng.uniform(0.03, 0.12)),
            ),
        ),
    )
    tilt = np.hypot(*made.tilt_deg)
    return f"{leather} on {table}{', clean' if clean else ''}", _framed(made, float(tilt)), ring, drawn


def _framed(scene: HideScene, tilt: float) -> HideScene:
    """The camera far enough off for every marker to be in the picture, however it leans."""
    return replace(scene, span_mm=scene.span_mm * (1.04 + 0.006 * tilt))


@dataclass(frozen=True, eq=False)
class Reading:
    """What one picture gave, read in a process of its own: outline, rings with their severity, seconds, and
    the most memory that process held.
    """

    outline: Ring
    rings: tuple[tuple[Ring, int], ...]
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
        tuple((r.outline, r.severity) for r in seen.rings),
        time.perf_counter() - began,
        peak_mb(),
    )


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


def print_hides(pictures: int, kept: Path | None = None) -> None:
    """Read ``pictures`` simulated pictures of 24 million pixels and print a row for each, then the whole.

    Pictures are kept in ``kept`` and not rendered again.
    """
    print(
        f"{'picture':36}{'rms':>7}{'worst':>7}{'area':>8}{'rings':>7}{'found':>7}{'false':>7}{'right':>7}{'s':>6}{'MB':>6}"
    )
    rows, peaks = [], []
    for number in range(pictures):
        name, scene, truth, drawn = hide_scene(number)
        found = apart(read_picture, _body(scene, number, kept), round(scene.thickness_mm, 1))
        if isinstance(found, str):
            print(f"{number:3} {name:32} refused: {found}", flush=True)
            continue
        row = judge(name, truth, drawn, found.outline, found.rings, found.seconds)
        rows.append(row)
        peaks.append(found.peak_mb)
        print(
            f"{number:3} {name:32}{row.rms:7.2f}{row.worst:7.2f}{row.area:8.2%}{row.drawn:7}{row.found:7}"
            f"{row.false:7}{row.right:7}{row.seconds:6.1f}{found.peak_mb:6.0f}",
            flush=True,
        )
    if rows:
        drawn_all, found_all = sum(r.drawn for r in rows), sum(r.found for r in rows)
        print(
            f"{len(rows)} of {pictures} read: outline rms {max(r.rms for r in rows):.2f} mm at most "
            f"({statistics.mean(r.rms for r in rows):.2f} in the mean), worst place "
            f"{max(r.worst for r in rows):.1f} mm; "
            f"area off by {max(abs(r.area) for r in rows):.2%} at most; {found_all} of {drawn_all} rings "
            f"found ({found_all / max(1, drawn_all):.1%}), {sum(r.false for r in rows)} false ones "
            f"({sum(r.false for r in rows if r.drawn == 0)} on clean hides); severity right for "
            f"{sum(r.right for r in rows) / max(1, found_all):.1%}; "
            f"{statistics.median(r.seconds for r in rows):.1f} s a picture "
            f"({max(r.seconds for r in rows):.1f} at most); {max(peaks):.0f} MB at most"
        )


def _body(scene: HideScene, number: int, kept: Path | None) -> bytes:
    file = kept / f"{number}.jpg" if kept else None
    if file is not None and file.exists():
        return file.read_bytes()
    body = encoded(render_hide(scene), 92).body
    if file is not None:
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(body)
    return body
