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
