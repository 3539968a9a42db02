"""What lies under the demo's camera over the cutting table: sides with chalk on them, markers all round,
tools left lying.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon

from fairlay.core.capture.chalk import USUAL_CHALKS
from fairlay.core.leather.made_up import grow
from fairlay.core.leather.mend import parted
from fairlay.core.leather.usual_outline import SIDE
from fairlay.core.shapes.rings import Ring
from fairlay.devices.hide_table import Blot, ChalkStroke, Glare, HideScene, MarkerLaid, PenStroke, drawn_words
from fairlay.devices.photograph import TONES, Develops
from fairlay.devices.surfaces import Colour, Surface

LEATHERS: dict[str, Colour] = {
    "chestnut": (0.42, 0.25, 0.15),
    "russet": (0.55, 0.34, 0.19),
    "natural": (0.72, 0.55, 0.38),
    "undyed": (0.80, 0.70, 0.55),
    "black": (0.10, 0.095, 0.09),
    "oxblood": (0.32, 0.10, 0.10),
    "moss": (0.22, 0.27, 0.15),
    "slate": (0.30, 0.33, 0.37),
    "umber": (0.26, 0.17, 0.11),
    "tan": (0.64, 0.44, 0.27),
    "cream": (0.87, 0.82, 0.70),
    "white": (0.93, 0.92, 0.89),
    "ash": (0.62, 0.61, 0.59),
    "lead": (0.40, 0.40, 0.40),
    "sand suede": (0.74, 0.66, 0.54),
    "grey suede": (0.50, 0.49, 0.50),
}
TABLES: dict[str, Colour] = {
    "green mat": (0.33, 0.45, 0.40),
    "pale board": (0.80, 0.74, 0.62),
    "blue sheet": (0.34, 0.42, 0.56),
    "plywood": (0.80, 0.66, 0.47),
    "ruled mat": (0.16, 0.36, 0.29),
    "steel": (0.60, 0.61, 0.62),
    "white board": (0.92, 0.92, 0.91),
}
SURFACES: dict[str, Surface] = {"plywood": "ply", "ruled mat": "mat", "steel": "steel"}
CHALK: dict[str, Colour] = {c.name: (c.rgb[0] / 255, c.rgb[1] / 255, c.rgb[2] / 255) for c in USUAL_CHALKS}
ROOM_MM = 470.0
"""Table round a hide: as much as marker sheets take with their feet outward."""
MEANT = {1: "white", 2: "blue", 3: "red"}


@dataclass(frozen=True, eq=False)
class RingDrawn:
    """A ring as it was meant: its outline in mm, and what severity its colour tells."""

    outline: Ring
    severity: int


def markers_round(
    ring: Ring, rng: np.random.Generator, room: float = 200.0, paper: str = "A4"
) -> tuple[MarkerLaid, ...]:
    """Return marker sheets laid round a hide, three to five along each long side and one at each end, their
    feet away from it, none quite straight.
    """
    (x0, y0), (x1, y1) = ring.min(axis=0) - room, ring.max(axis=0) + room
    n = 5 if x1 - x0 > 2750 else 4 if x1 - x0 > 2000 else 3
    at = [(x, y0, 180.0) for x in np.linspace(x0, x1, n)] + [(x, y1, 0.0) for x in np.linspace(x0, x1, n)]
    at += [(x0, (y0 + y1) / 2, 90.0), (x1, (y0 + y1) / 2, -90.0)]
    return tuple(
        MarkerLaid(
            i, float(x + rng.normal(0, 8)), float(y + rng.normal(0, 8)), float(turn + rng.normal(0, 5)), paper
        )
        for i, (x, y, turn) in enumerate(at)
    )


def chalk_ring(
    x: float, y: float, across: float, down: float, rng: np.random.Generator, gap: float = 0.0
) -> Ring:
    """Return a ring as a hand draws it: not quite round, its end past its start, or short of it by ``gap`` of
    the way.
    """
    turn = rng.uniform(0, 2 * np.pi)
    t = np.linspace(0, 2 * np.pi * (1 - gap if gap else 1.04), 40)
    wave = 1 + 0.06 * np.sin(2 * t + rng.uniform(0, 6)) + 0.03 * np.sin(3 * t + rng.uniform(0, 6))
    p = np.stack([np.cos(t) * across / 2 * wave, np.sin(t) * down / 2 * wave], axis=1)
    c, s = np.cos(turn), np.sin(turn)
    out: Ring = p @ np.array([[c, s], [-s, c]]) + [x, y]
    return out


def arrow(x: float, y: float, long: float, deg: float) -> tuple[Ring, Ring]:
    """Return an arrow's shaft and head, centred on (x, y)."""
    t = math.radians(deg)
    way, side = np.array([math.cos(t), math.sin(t)]), np.array([-math.sin(t), math.cos(t)])
    tip = np.array([x, y]) + way * long / 2
    head = long * 0.16
    return np.stack([tip - way * long, tip]), np.stack(
        [tip - way * head + side * head * 0.8, tip, tip - way * head - side * head * 0.8]
    )


def strokes_for(ring: Ring, severity: int, rng: np.random.Generator, strength: float = 0.8) -> ChalkStroke:
    """Return a ring drawn with the chalk that tells its severity, its colour a little off as sticks
    differ.
    """
    r, g, b = (float(np.clip(c + rng.normal(0, 0.02), 0, 1)) for c in CHALK[MEANT[severity]])
    return ChalkStroke(ring, (r, g, b), strength, float(rng.uniform(5.5, 8.5)))


def scattered(
    outline: Ring, rng: np.random.Generator, count: int, low: float = 30.0, high: float = 110.0
) -> list[tuple[float, float, float, float]]:
    """Return middles and sizes (x, y, across, down) of rings that lie on a hide and clear of each other."""
    leather = Polygon(outline).buffer(-20)
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    out: list[tuple[float, float, float, float]] = []
    for _ in range(4000):
        if len(out) == count:
            break
        across = float(rng.uniform(low, high))
        down = across * float(rng.uniform(0.55, 1.0))
        x, y = float(rng.uniform(x0, x1)), float(rng.uniform(y0, y1))
        own = LineString([(x, y), (x + 0.1, y)]).buffer(across / 2)
        if leather.contains(own) and all(
            math.hypot(x - p, y - q) > (across + a) / 2 + 25 for p, q, a, _ in out
        ):
            out.append((x, y, across, down))
    return out


def natural_marks(outline: Ring, rng: np.random.Generator, colour: Colour, count: int) -> tuple[Blot, ...]:
    """Return scars, bites, veins and stains as they show on a face: darker or paler leather, not chalk."""
    out = []
    for _ in range(count):
        kind = rng.choice(["scar", "bite", "vein", "stain", "pale"])
        long, wide = {"scar": (70, 4), "bite": (8, 7), "vein": (140, 4), "stain": (60, 45), "pale": (50, 6)}[
            str(kind)
        ]
        around = np.linspace(0, 2 * np.pi, 17)[:-1]
        blob = np.stack([np.cos(around) * long / 2, np.sin(around) * wide / 2], axis=1) * rng.uniform(
            0.8, 1.2, (16, 1)
        )
        turn = rng.uniform(0, np.pi)
        at = rng.uniform(outline.min(axis=0), outline.max(axis=0))
        ring = blob @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) + at
        by = rng.uniform(1.12, 1.3) if kind == "pale" else rng.uniform(0.6, 0.85)
        r, g, b = (min(1.0, c * by) for c in colour)
        out.append(Blot(ring, (r, g, b), 1.5 if kind != "stain" else 8.0, 0.9))
    return tuple(out)


def tools(ring: Ring, rng: np.random.Generator, count: int) -> tuple[Blot, ...]:
    """Return things left lying on the table clear of the hide: a rule, an offcut, a mug's ring."""
    (x0, y0), (x1, y1) = ring.min(axis=0) - 170, ring.max(axis=0) + 170
    leather = Polygon(ring).buffer(30)
    out: list[Blot] = []
    for _ in range(400):
        if len(out) == count:
            break
        long, wide = ((420.0, 32.0), (160.0, 110.0), (180.0, 22.0))[len(out) % 3]
        turn = rng.uniform(0, np.pi)
        box = (
            np.array([[-long, -wide], [long, -wide], [long, wide], [-long, wide]])
            / 2
            @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        )
        box = box + rng.uniform((x0, y0), (x1, y1))
        if not Polygon(box).intersects(leather):
            out.append(Blot(box, ((0.72, 0.58, 0.25), (0.45, 0.28, 0.16), (0.20, 0.20, 0.22))[len(out) % 3]))
    return tuple(out)


def scene_of(
    ring: Ring,
    leather: str,
    table: str,
    rng: np.random.Generator,
    drawn: Sequence[RingDrawn] = (),
    lines: Sequence[ChalkStroke] = (),
    **more: object,
) -> HideScene:
    """Return a hide in the middle of its table with markers round it.

    ``ring`` may lie anywhere; it is moved to the middle.
    """
    strokes = tuple(
        strokes_for(d.outline, d.severity, rng, float(rng.uniform(0.6, 0.95))) for d in drawn
    ) + tuple(lines)
    colour = LEATHERS[leather]
    size = ring.max(axis=0) + ROOM_MM
    made = HideScene(
        (ring,),
        colour,
        table=(float(size[0]), float(size[1])),
        table_colour=TABLES[table],
        surface=SURFACES.get(table, "even"),
        grain=0.12 if "suede" in leather else 0.07,
        markers=markers_round(ring, rng),
        chalk=strokes,
        blemishes=natural_marks(ring, rng, colour, 12),
        clutter=tools(ring, rng, 2),
        eye=(float(size[0] / 2), float(size[1] / 2)),
        span_mm=float(max(size[0], size[1] * 1.5)) * 1.04,
        seed=int(rng.integers(1, 10_000)),
    )
    return replace(made, **more)  # type: ignore[arg-type]  # the scene's own fields, by name


def placed(ring: Ring, turn_deg: float = 0.0, at: tuple[float, float] = (ROOM_MM, ROOM_MM)) -> Ring:
    """Return a hide turned on its table, its bounds beginning at ``at``."""
    t = math.radians(turn_deg)
    out = ring @ np.array([[math.cos(t), math.sin(t)], [-math.sin(t), math.cos(t)]])
    moved: Ring = out - out.min(axis=0) + np.array(at)
    return moved


def contrast(leather: str, table: str) -> float:
    """Return how far a leather's colour stands from a table's, as displayed (levels of 255, by the channel
    that differs most).
    """
    return 255 * max(abs(a - b) for a, b in zip(LEATHERS[leather], TABLES[table], strict=True))


def any_scene(
    rng: np.random.Generator, width_px: int = 6000, rings: int = 9
) -> tuple[str, HideScene, Ring, list[RingDrawn]]:
    """Return a table as a shop's day brings it: any leather on any table that it can be told from at a
    glance, any lamp, any camera; its name, the scene, the true outline on the table in mm, and the rings
    drawn.
    """
    pairs = [(a, b) for a in LEATHERS for b in TABLES if contrast(a, b) > 38]
    leather, table = pairs[int(rng.integers(len(pairs)))]
    ring = placed(
        grow(SIDE, float(rng.uniform(2000, 2300)), float(rng.uniform(930, 1100)), rng),
        float(rng.uniform(-4, 4)),
    )
    holes = tuple(
        chalk_ring(x, y, a, d, rng, 0.01)
        for x, y, a, d in scattered(ring, rng, int(rng.integers(0, 3)), 22, 60)
    )
    taken = Polygon(ring, holes)
    drawn = [
        RingDrawn(
            chalk_ring(x, y, a, d, rng, float(rng.choice([0.0, 0.0, 0.06, 0.1]))), int(rng.integers(1, 4))
        )
        for x, y, a, d in scattered(ring, rng, rings, 24, 150)
        if taken.contains(LineString([(x, y), (x + 0.1, y)]).buffer(a / 2 + 15))
    ]
    # Chalk of the leather's own colour shows nobody anything.
    own = np.array(LEATHERS[leather])
    drawn = [d for d in drawn if np.abs(own - CHALK[MEANT[d.severity]]).max() > 0.24]
    made = scene_of(
        ring,
        leather,
        table,
        rng,
        drawn,
        width_px=width_px,
        height_px=width_px * 2 // 3,
        rings=(ring, *holes),
        thickness_mm=float(rng.uniform(1.2, 3.5)),
        curls=tuple(
            (float(p[0]), float(p[1]), float(rng.uniform(1, 4)), 50.0)
            for p in ring[rng.integers(0, len(ring), 2)]
        ),
    )
    made = replace(made, markers=markers_round(ring, rng, paper=str(rng.choice(["A4", "Letter"]))))
    made = replace(
        made, chalk=tuple(_pressed_unevenly(s, rng) for s in made.chalk), written=_written(ring, rng, leather)
    )
    return f"{leather} on {table}", _seen(made, rng), ring, drawn


def _pressed_unevenly(stroke: ChalkStroke, rng: np.random.Generator) -> ChalkStroke:
    """A ring with two places where the hand pressed lightly, or not at all, in some; drawn a little twice in
    others.
    """
    kind = int(rng.integers(0, 4))
    across = float(np.ptp(stroke.points, axis=0).max())
    if kind == 0 and across > 45:
        wide = min(0.055, 8.0 / (3 * across))
        places = (float(rng.uniform(0.08, 0.4)), float(rng.uniform(0.55, 0.85)))
        return replace(
            stroke, weak=tuple((p - wide, p + wide, float(rng.choice([0.0, 0.15]))) for p in places)
        )
    if kind == 1:
        return replace(stroke, weak=((0.3, 0.5, 0.4), (0.75, 0.85, 0.35)))
    return stroke


def _written(ring: Ring, rng: np.random.Generator, leather: str) -> tuple[PenStroke, ...]:
    """A number in pen near the tail, and veins."""
    (x0, y0), (x1, y1) = ring.min(axis=0), ring.max(axis=0)
    dark = max(LEATHERS[leather]) < 0.35
    ink = (0.75, 0.75, 0.78) if dark else (0.10, 0.10, 0.14)
    word = "".join(rng.choice(list("01234678"), 3))
    at = (float(x0 + 0.28 * (x1 - x0)), float(y0 + 0.25 * (y1 - y0)))
    out = [PenStroke(p, ink, 1.6) for p in drawn_words(word, *at, 26.0)]
    r, g, b = (c * 0.86 for c in LEATHERS[leather])
    for _ in range(int(rng.integers(0, 4))):
        start = rng.uniform(ring.min(axis=0) + 300, ring.max(axis=0) - 300)
        vein = start + np.cumsum(rng.normal(0, 9, (18, 2)) + rng.uniform(-14, 14, 2), axis=0)
        out.append(PenStroke(vein, (r, g, b), float(rng.uniform(2, 4)), 0.7))
    return tuple(out)


def _seen(scene: HideScene, rng: np.random.Generator) -> HideScene:
    """A scene under some light and some camera, far enough off for every marker to be in the picture."""
    (x0, y0), (x1, y1) = scene.rings[0].min(axis=0), scene.rings[0].max(axis=0)
    wide, deep = scene.table
    lamps = tuple(
        (
            float(rng.uniform(0, wide)),
            float(rng.uniform(0, deep)),
            float(rng.uniform(500, 1200)),
            float(rng.uniform(0, 0.4)),
        )
        for _ in range(int(rng.integers(0, 3)))
    )
    glare = tuple(
        Glare(
            float(rng.uniform(x0, x1)),
            float(rng.uniform(y0, y1)),
            (float(rng.uniform(60, 200)), float(rng.uniform(20, 130))),
            float(rng.uniform(0.005, 0.09)),
            float(rng.uniform(0, 180)),
        )
        for _ in range(int(rng.integers(0, 3)))
    )
    person = (
        (
            float(rng.uniform(0.2, 0.8) * wide),
            deep,
            float(rng.uniform(300, 600)),
            float(rng.uniform(0.1, 0.35)),
        )
        if rng.random() < 0.4
        else None
    )
    tilt = (float(rng.uniform(-9, 9)), float(rng.uniform(-9, 9)))
    # White paper is brought to so much of the picture's range, as a camera's meter does.
    bright = 1.15 + sum(s for *_, s in lamps)
    return replace(
        scene,
        lamps=lamps,
        glare=glare,
        person=person,
        uneven=float(rng.uniform(0.02, 0.08)),
        end=(wide - 12, deep - float(rng.uniform(5, 40))) if rng.random() < 0.5 else None,
        tilt_deg=tilt,
        roll_deg=float(rng.uniform(-4, 4)),
        lens=(float(rng.uniform(-0.10, 0.04)), float(rng.uniform(0, 0.02))),
        span_mm=scene.span_mm * (1.04 + 0.006 * float(np.hypot(*tilt))),
        shade=float(rng.uniform(0.05, 0.4)),
        lean=float(rng.uniform(0, 6.28)),
        shadow=float(rng.uniform(0.25, 0.7)),
        shadow_soft_mm=float(rng.uniform(1.0, 5.0)),
        tint=(float(rng.uniform(0.9, 1.15)), float(rng.uniform(0.8, 1.05))),
        camera=Develops(
            exposure=float(rng.uniform(0.8, 1.0)) / (0.86 * bright) * 0.95,
            blur_px=float(rng.uniform(0.6, 1.5)),
            motion_px=(float(rng.uniform(-1, 1)), float(rng.uniform(-1, 1))),
            vignette=float(rng.uniform(0, 0.25)),
            noise=float(rng.uniform(0.004, 0.02)),
            balance=(float(rng.uniform(0.92, 1.08)), float(rng.uniform(0.92, 1.08))),
            tone=TONES[int(rng.integers(len(TONES)))],
            sharpen=float(rng.choice([0.0, 0.4, 0.9])),
        ),
        seed=int(rng.integers(1, 1_000_000)),
    )


def tables() -> dict[str, tuple[HideScene, ...]]:
    """Return what the demo's camera can be pointed at, by name; a hide too large for one picture has two."""
    size: dict[str, Any] = {"width_px": 2400, "height_px": 1600}
    boards: dict[str, Any] = {"surface": "boards", "uneven": 0.10}
    rng = np.random.default_rng(77)
    side = placed(grow(SIDE, 2180, 1020, rng), 2.0)
    found = scattered(side, rng, 6, 40, 100)
    drawn = [RingDrawn(chalk_ring(x, y, a, d, rng), 1 + i % 3) for i, (x, y, a, d) in enumerate(found)]
    middle = side.mean(axis=0)
    lines = tuple(
        ChalkStroke(p, CHALK["yellow"], 0.85, 7.0)
        for p in arrow(float(middle[0]), float(middle[1]) - 60, 260.0, 2.0)
    )
    usual = scene_of(
        side,
        "chestnut",
        "pale board",
        rng,
        drawn,
        lines,
        tilt_deg=(6.0, -4.0),
        roll_deg=1.5,
        lens=(-0.06, 0.015),
        shade=0.2,
        **boards,
        **size,
    )
    bare = replace(usual, chalk=(), seed=5)
    long = placed(grow(SIDE, 2420, 1120, np.random.default_rng(78)), -1.5)
    more = scene_of(
        long,
        "russet",
        "green mat",
        rng,
        [
            RingDrawn(chalk_ring(x, y, a, d, rng), 1 + i % 3)
            for i, (x, y, a, d) in enumerate(scattered(long, rng, 5))
        ],
        **size,
    )
    shift = float(long[:, 0].max() - long[:, 0].min()) * 0.2
    halves = tuple(
        replace(more, eye=(more.eye[0] + s, more.eye[1]), span_mm=more.span_mm * 0.8, tilt_deg=t, seed=9 + i)
        for i, (s, t) in enumerate(((-shift, (3.0, 2.0)), (shift, (2.0, -2.0))))
    )
    tail = float(side[:, 0].min()) + 760.0
    left, _ = parted(Polygon(side), [[tail - 30, 0], [tail + 30, 4000]])
    rest = scene_of(
        placed(np.asarray(left.exterior.coords)[:-1], 171.0),
        "chestnut",
        "pale board",
        np.random.default_rng(79),
        tilt_deg=(-4.0, 3.0),
        **boards,
        **size,
    )
    return {
        "a chestnut side, chalked": (usual,),
        "a chestnut side, not chalked": (bare,),
        "what a cut left of the chestnut side": (rest,),
        "a long russet side, in two pictures": halves,
        "a side half out of the picture": (replace(usual, eye=(usual.eye[0] + 900, usual.eye[1])),),
        "a side with its markers covered": (replace(usual, markers=usual.markers[:2]),),
        "a side in bad light": (replace(usual, camera=replace(usual.camera, exposure=0.02, noise=0.02)),),
        "a side out of focus": (replace(usual, camera=replace(usual.camera, blur_px=6.0)),),
        "a cream side on grey steel": (_on(side, "cream", "steel", drawn[1:], size),),
        "a grey side on a white board": (_on(side, "ash", "white board", drawn, size),),
        "the check page": (
            replace(
                bare,
                rings=(np.array([[4.0, 4.0], [6.0, 4.0], [6.0, 6.0]]),),
                blemishes=(),
                check_page=(bare.eye[0], bare.eye[1], 4.0),
            ),
        ),
        "an undyed side with white chalk": (
            replace(
                usual,
                rings=usual.rings,
                colour=(0.90, 0.88, 0.83),
                table_colour=TABLES["blue sheet"],
                blemishes=(),
            ),
        ),
    }


def _on(ring: Ring, leather: str, table: str, drawn: Sequence[RingDrawn], size: dict[str, Any]) -> HideScene:
    """A side of a leather on a table it hardly stands out from, under a lamp."""
    made = scene_of(ring, leather, table, np.random.default_rng(80), drawn, tilt_deg=(3.0, -5.0), **size)
    lamp = (made.eye[0] - 500.0, made.eye[1] - 200.0, 900.0, 0.2)
    return replace(
        made, lamps=(lamp,), shade=0.25, camera=replace(made.camera, exposure=0.9, tone="film", sharpen=0.4)
    )


def drawn_rings(scene: HideScene) -> list[NDArray[np.float64]]:
    """Return the closed strokes of a scene: what was ringed."""
    return [s.points for s in scene.chalk if len(s.points) > 10]
