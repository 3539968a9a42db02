"""How truly parts are traced in photographs on squared paper: simulated pictures, each unlike the others."""

from __future__ import annotations

import math
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon

from fairlay.core.capture.grid_page import grid_page
from fairlay.core.capture.squared_paper import Said, decode, trace
from fairlay.core.errors import BadPicture
from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.contour import Contour, flatten
from fairlay.core.shapes.rings import Ring
from fairlay.demo.patterns import bellows_board, mitt
from fairlay.devices.camera import PartOnPage, Scene, Stain, encoded, render
from fairlay.devices.photograph import TONES, Develops

COLOURS = {
    "chestnut": (0.42, 0.25, 0.15),
    "russet": (0.55, 0.34, 0.19),
    "natural": (0.72, 0.55, 0.38),
    "undyed": (0.78, 0.68, 0.53),
    "card": (0.80, 0.70, 0.50),
    "black": (0.14, 0.13, 0.12),
    "green": (0.16, 0.26, 0.20),
    "grey": (0.45, 0.45, 0.44),
}


@dataclass(frozen=True)
class PictureRow:
    """One picture: what it shows, outline error in mm as traced and as cleaned into lines and curves (rms),
    the worst place, area error as a share, seconds.
    """

    name: str
    traced_rms: float
    cleaned_rms: float
    worst: float
    area: float
    nodes: int
    seconds: float


def parts() -> dict[str, Contour]:
    """The parts that are photographed."""
    return {
        "mitt": mitt(262, 124),
        "bellows face": bellows_board(300, 170),
        "gusset": draw("lens", {"length": 260, "width": 100}).contour,
        "belt end": draw("strap", {"length": 250, "width": 40, "end": 3}).contour,
        "card": draw("rectangle", {"length": 160, "width": 110, "radius": 12}).contour,
        "disc": draw("disc", {"across": 120}).contour,
        "notched": draw("notched panel", {"length": 180, "width": 90}).contour,
        "triangle": draw("triangle", {}).contour,
    }


def scene(number: int, seed: int = 1) -> tuple[str, Scene, Ring, Said]:
    """Return picture ``number`` of a seed: its name, scene, the true outline in page mm, and what is said of
    it.

    Every fourth is an outline drawn with a pen of 0.7 to 3 mm.
    """
    rng = np.random.default_rng([seed, number])
    name, contour = list(parts().items())[int(rng.integers(len(parts())))]
    colour_name, colour = list(COLOURS.items())[int(rng.integers(len(COLOURS)))]
    page = grid_page("A3", True)
    ring = flatten(contour)
    t = math.radians(
        rng.uniform(-1, 1) * (5 if name in ("mitt", "bellows face") else 20) + (90 if name == "mitt" else 0)
    )
    ring = (ring - (ring.min(axis=0) + ring.max(axis=0)) / 2) @ np.array(
        [[math.cos(t), math.sin(t)], [-math.sin(t), math.cos(t)]]
    )
    ring = ring + np.array(
        [page.x0 + page.across * 5 + rng.uniform(-12, 12), page.y0 + page.down * 5 + rng.uniform(-6, 6)]
    )
    drawn = number % 4 == 3
    thickness = 0.0 if drawn else float(rng.uniform(0.5, 3.0))
    pen = float(rng.choice([0.7, 0.9, 1.5, 2.0, 2.4, 3.0]))
    ink = ((0.10, 0.10, 0.16), (0.15, 0.22, 0.55))[int(rng.integers(2))]
    edge = ring[int(rng.integers(len(ring)))]
    stains = [
        Stain(*rng.uniform((60, 40), (360, 240)), tuple(rng.uniform(8, 22, 2)))
        for _ in range(int(rng.integers(0, 5)))
    ]
    if rng.random() < 0.4:
        stains.append(
            Stain(float(edge[0]), float(edge[1]), (float(rng.uniform(10, 25)), float(rng.uniform(8, 18))))
        )
    made = Scene(
        page=page,
        parts=(PartOnPage((ring,), ink if drawn else colour, pen if drawn else None),),
        width_px=int(rng.choice([2400, 3000, 4000])),
        height_px=int(rng.choice([1700, 2000])),
        tilt_deg=(float(rng.uniform(-12, 12)), float(rng.uniform(-12, 12))),
        roll_deg=float(rng.uniform(-8, 8)),
        fill=float(rng.uniform(0.72, 0.86)),
        lens=(float(rng.uniform(-0.14, 0.05)), float(rng.uniform(0, 0.03))),
        shade=float(rng.uniform(0.05, 0.5)),
        shadow=0.0 if drawn else float(rng.uniform(0.2, 0.6)),
        cast=float(rng.choice([0.0, 0.0, 0.3, 0.5])),
        stains=tuple(stains),
        camera=Develops(
            exposure=float(rng.uniform(0.8, 1.05)),
            blur_px=float(rng.uniform(0.6, 1.5)),
            motion_px=(float(rng.uniform(-1, 1)), float(rng.uniform(-1, 1))),
            vignette=float(rng.uniform(0, 0.3)),
            noise=float(rng.uniform(0.005, 0.02)),
            balance=(float(rng.uniform(0.9, 1.1)), float(rng.uniform(0.85, 1.05))),
            tone=TONES[int(rng.integers(len(TONES)))],
            sharpen=float(rng.choice([0.0, 0.4, 0.9])),
        ),
        thickness_mm=thickness,
        seed=number,
    )
    asked = (
        Said(shows="drawn line", line_mm=pen, follow="middle")
        if drawn
        else Said(thickness_mm=round(thickness, 1))
    )
    return f"{name}, {f'drawn {pen:g} mm' if drawn else colour_name}", made, ring, asked


def compare(truth: Ring, found: Ring) -> tuple[float, float, float]:
    """Return rms and worst distance of a found outline from the true one in mm, and its area over the true
    one less 1; moved and turned to fit best, as a pattern may be.
    """
    a, b = Polygon(truth), Polygon(found)
    off = shapely.distance(
        shapely.points(onto(found, truth)(shapely.get_coordinates(shapely.segmentize(b.exterior, 1.0)))),
        a.exterior,
    )
    return float(np.sqrt((off**2).mean())), float(off.max()), b.area / a.area - 1


def onto(found: Ring, truth: Ring) -> Callable[[Ring], Ring]:
    """Return the turn and move that lay a found outline best on the true one (iterated closest points, from
    middle on middle).
    """
    target = Polygon(truth).exterior
    shapely.prepare(target)
    points = shapely.get_coordinates(shapely.segmentize(Polygon(found).exterior, 3.0))
    turn, shift = (
        np.eye(2),
        np.array(Polygon(truth).centroid.coords[0]) - np.array(Polygon(found).centroid.coords[0]),
    )
    for _ in range(40):
        pairs = shapely.shortest_line(target, shapely.points(points @ turn + shift))
        near = shapely.get_coordinates(pairs)[::2]
        c, d = points.mean(axis=0), near.mean(axis=0)
        u, _, v = np.linalg.svd((points - c).T @ (near - d))
        turn = u @ np.diag([1.0, np.sign(np.linalg.det(u @ v))]) @ v
        shift = d - c @ turn
    return lambda p: np.asarray(p @ turn + shift)


def print_capture(pictures: int, seed: int = 1) -> None:
    """Trace ``pictures`` simulated photographs of a seed and print a row for each, then the whole."""
    print(f"{'picture':28}{'traced':>9}{'cleaned':>9}{'worst':>8}{'area':>9}{'nodes':>7}{'s':>6}")
    rows = []
    for number in range(pictures):
        name, made, truth, asked = scene(number, seed)
        picture = encoded(render(made))
        began = time.perf_counter()
        try:
            found = trace(decode(picture.body), asked)
        except BadPicture as error:
            print(f"{name:28} refused: {error}")
            continue
        seconds = time.perf_counter() - began
        part = found.parts[0]
        traced, _, _ = compare(truth, part.traced)
        rms, worst, area = compare(truth, flatten(part.contour))
        rows.append(PictureRow(name, traced, rms, worst, area, len(part.contour), seconds))
        print(
            f"{name:28}{traced:9.3f}{rms:9.3f}{worst:8.2f}{area:9.2%}{len(part.contour):7}{seconds:6.1f}",
            flush=True,
        )
    if rows:
        print(
            f"{len(rows)} of {pictures} traced: outline rms "
            f"{statistics.mean(r.cleaned_rms for r in rows):.3f} mm in the mean, "
            f"{max(r.cleaned_rms for r in rows):.3f} at most; "
            f"area off by {max(abs(r.area) for r in rows):.2%} at most; "
            f"{statistics.median(r.seconds for r in rows):.1f} s a picture"
        )
