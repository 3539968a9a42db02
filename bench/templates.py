"""Card templates laid on hides under a simulated camera: how many are read back, and how truly."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
import shapely
from shapely.geometry import Polygon

from bench.capture import parts
from fairlay.core.capture.hide_picture import look_at_templates
from fairlay.core.capture.squared_paper import decode
from fairlay.core.capture.templates import Template, TemplateSeen
from fairlay.core.engine.run import lay_job
from fairlay.core.lay import Job
from fairlay.core.leather import Hide
from fairlay.core.pattern import Grain, Piece
from fairlay.core.pattern.contour import flatten
from fairlay.core.rules import Policy
from fairlay.core.shapes.rings import Ring, simple_ring
from fairlay.demo.hide_tables import LEATHERS, any_scene
from fairlay.devices.camera import encoded
from fairlay.devices.hide_table import Blot, CardLaid, HideScene, render_hide

CARDS = ((0.80, 0.70, 0.50), (0.86, 0.85, 0.82), (0.55, 0.56, 0.55))
NEAR_MM = 15.0
LAID_S: Final = 4.0
TRIES: Final = 20
LAPPED_MM2: Final = 3.0
"""Cards that are laid so as to lie more than this on each other are laid again."""


@dataclass(frozen=True)
class CardTruth:
    """A card as it was laid."""

    name: str
    x: float
    y: float
    turn_deg: float
    over: bool


@dataclass(frozen=True)
class Pictured:
    """A scene in words and as it is, the cards as they were laid, and the templates that there are."""

    name: str
    scene: HideScene
    laid: list[CardTruth]
    known: list[Template]


def templates() -> list[Template]:
    """Return the bench's parts as templates about their middles."""
    out = []
    for name, contour in parts().items():
        ring = flatten(contour)
        out.append(Template(name, ring - (ring.min(axis=0) + ring.max(axis=0)) / 2))
    return out


def placed(t: Template, c: CardTruth) -> Ring:
    """Return a template's outline as a card was laid."""
    return TemplateSeen(c.name, c.x, c.y, c.turn_deg, c.over, 1.0).placed(t.outline)


def template_scene(number: int, seed: int = 1, width_px: int = 6000) -> Pictured:
    """Return picture ``number``: its name, the scene, and 5 to 60 cards as they were laid, some touching,
    some with a weight on them.
    """
    rng = np.random.default_rng([seed, number, 7])
    known = templates()
    wanted = int(rng.integers(5, 61))
    name, scene, ring, card = _bare(rng, width_px)
    room = Polygon(ring).buffer(-12)
    laid: list[CardTruth] = []
    shapes: list[Polygon] = []
    (x0, y0), (x1, y1) = ring.min(axis=0), ring.max(axis=0)
    for k in range(4000):
        if len(laid) >= wanted:
            break
        t = known[int(rng.integers(len(known)))]
        made = CardTruth(
            t.name,
            float(rng.uniform(x0, x1)),
            float(rng.uniform(y0, y1)),
            float(rng.uniform(0, 360)),
            bool(rng.integers(2)),
        )
        shape = Polygon(placed(t, made))
        if not room.contains(shape) or any(shape.distance(s) < 0.3 for s in shapes):
            continue
        if shapes and k % 2:
            # Pushed against its nearest neighbour.
            near = min(shapes, key=shape.distance)
            gap = shape.distance(near)
            way = np.array(near.centroid.coords[0]) - (made.x, made.y)
            way /= max(float(np.hypot(*way)), 1e-6)
            for _ in range(40):
                if gap < 0.5:
                    break
                moved = replace(made, x=made.x + way[0] * gap * 0.6, y=made.y + way[1] * gap * 0.6)
                there = Polygon(placed(t, moved))
                if not room.contains(there) or any(there.distance(s) < 0.25 for s in shapes):
                    break
                made, shape, gap = moved, there, there.distance(near)
        laid.append(made)
        shapes.append(shape)
    weights = []
    for c in laid:
        if rng.random() < 0.12:
            t = np.linspace(0, 2 * np.pi, 30)
            size = float(rng.uniform(18, 32))
            at = np.array([c.x, c.y]) + rng.normal(0, 25, 2)
            weights.append(Blot(np.stack([np.cos(t), np.sin(t)], axis=1) * size + at, (0.16, 0.16, 0.18)))
    scene = replace(_carded(scene, known, laid, card), over=tuple(weights))
    return Pictured(f"{name}, {len(laid)} cards", scene, laid, known)


def laid_scene(number: int, seed: int = 1, width_px: int = 6000) -> Pictured:
    """Return picture ``number`` of two to five kinds of cards as the engine lays them on a side, all but
    touching, each off by what a hand is.
    """
    rng = np.random.default_rng([seed, number, 11])
    known = templates()
    known = [known[i] for i in rng.permutation(len(known))[: int(rng.integers(2, 6))]]
    name, scene, ring, card = _bare(rng, width_px)
    pieces = tuple(
        Piece(t.name, t.outline, int(rng.integers(3, 16)), grain=Grain(0.0, 2.0, True)) for t in known
    )
    side = Hide("side", "side", simple_ring(np.asarray(Polygon(ring).buffer(-10).exterior.coords)[:-1]))
    gap, hand = float(rng.choice([0.0, 0.5, 1.0, 2.0])), float(rng.choice([0.0, 0.4, 0.8]))
    job = Job("cards", (side,), pieces, Policy(gap, "backbone"), seed=number, seconds=LAID_S)
    lay = lay_job(job, time.perf_counter, seconds=LAID_S, reasons=False)
    by = {t.name: t for t in known}
    laid: list[CardTruth] = []
    shapes: list[Polygon] = []
    for p in lay.placements:
        for k in range(TRIES + 1):
            off = hand * (1 - k / TRIES)
            turn = p.at.rotation_deg + (180.0 if p.at.mirrored else 0.0)
            made = CardTruth(
                p.piece,
                p.at.x + rng.normal(0, off),
                p.at.y + rng.normal(0, off),
                turn + rng.normal(0, 0.3 * off),
                p.at.mirrored,
            )
            shape = Polygon(placed(by[p.piece], made))
            if all(shape.intersection(s).area < LAPPED_MM2 for s in shapes):
                break
        laid.append(made)
        shapes.append(shape)
    words = f"{name}, {len(laid)} cards {gap:g} mm apart, off by {hand:g}"
    return Pictured(words, _carded(scene, known, laid, card), laid, known)


def _bare(rng: np.random.Generator, width_px: int) -> tuple[str, HideScene, Ring, tuple[float, float, float]]:
    """A hide on a table, its outline, and a colour of card that it has not."""
    while True:
        name, scene, ring, _ = any_scene(rng, width_px, 0)
        leather = np.array(LEATHERS[name.split(" on ")[0]])
        cards = [c for c in CARDS if np.abs(leather - c).max() > 0.2]
        if cards:
            return name, scene, ring, cards[int(rng.integers(len(cards)))]


def _carded(
    scene: HideScene, known: Sequence[Template], laid: Sequence[CardTruth], card: tuple[float, float, float]
) -> HideScene:
    by = {t.name: t for t in known}
    cards = tuple(CardLaid((placed(by[c.name], c),), card, 0.8) for c in laid)
    return replace(scene, rings=scene.rings[:1], cards=cards)


def print_templates(pictures: int, seed: int = 1, width_px: int = 4200, laid: bool = False) -> None:
    """Read ``pictures`` simulated pictures of cards on hides, anywhere or as the engine lays them, and print
    a row for each, then the whole.
    """
    print(
        f"{'picture':60}{'found':>9}{'named wrongly':>15}{'besides':>9}{'mm':>7}{'worst':>7}"
        f"{'deg':>7}{'s':>6}"
    )
    total = hit_all = wrong_all = more_all = 0
    off_all: list[float] = []
    turned_all: list[float] = []
    for number in range(pictures):
        made = (laid_scene if laid else template_scene)(number, seed, width_px)
        image = decode(encoded(render_hide(made.scene), 90).body)
        thick = round(made.scene.thickness_mm, 1)
        began = time.perf_counter()
        seen = look_at_templates([image], made.scene.rings[0], made.known, thickness_mm=thick)
        seconds = time.perf_counter() - began
        hit, wrong, off, turned, used = _against(made.laid, seen.found, made.known)
        more = len(seen.found) - used
        total, hit_all, wrong_all, more_all = (
            total + len(made.laid),
            hit_all + hit,
            wrong_all + wrong,
            more_all + more,
        )
        off_all += off
        turned_all += turned
        print(
            f"{number:3} {made.name:56}{f'{hit}/{len(made.laid)}':>9}{wrong:15}{more:9}"
            f"{np.median(off or [0]):7.2f}{max(off, default=0):7.2f}{max(turned, default=0):7.2f}"
            f"{seconds:6.1f}",
            flush=True,
        )
    print(
        f"{hit_all} of {total} templates found ({hit_all / max(1, total):.1%}), {wrong_all} named "
        "wrongly without a word, "
        f"{more_all} besides; {np.quantile(off_all, 0.95):.2f} mm off for 95 of 100, "
        f"{max(off_all):.2f} at most; "
        f"{np.quantile(turned_all, 0.95):.2f} degrees, {max(turned_all):.2f} at most"
    )


def _against(
    laid: list[CardTruth], found: Sequence[TemplateSeen], known: list[Template]
) -> tuple[int, int, list[float], list[float], int]:
    """Cards found, named wrongly without that being doubted, how far each is off, how far turned, templates
    used.
    """
    by = {t.name: t for t in known}
    hit = wrong = 0
    off: list[float] = []
    turned: list[float] = []
    used: set[int] = set()
    for card in laid:
        near = [
            (float(np.hypot(f.x - card.x, f.y - card.y)), i)
            for i, f in enumerate(found)
            if i not in used and np.hypot(f.x - card.x, f.y - card.y) < NEAR_MM
        ]
        if not near:
            continue
        far, i = min(near)
        used.add(i)
        f = found[i]
        if f.name != card.name and card.name not in f.may_be:
            wrong += not f.doubted
            continue
        hit += 1
        off.append(far)
        # A shape that looks the same turned some way is right turned any of those ways: by its outline.
        apart = shapely.hausdorff_distance(
            Polygon(placed(by[card.name], card)).exterior,
            Polygon(f.placed(by[f.name].outline)).exterior,
        )
        reach = float(np.hypot(*by[card.name].outline.T).max())
        turned.append(float(np.degrees(max(apart - far, 0.0) / reach)))
    return hit, wrong, off, turned, len(used)
