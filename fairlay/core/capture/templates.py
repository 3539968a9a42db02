"""Card templates that lie on a hide, read back from a picture: which is where, how it is turned, and which
face is up.

Card is what on the hide has not the leather's colours. A template fits where card covers it and edges run
along its outline: all turns and places are tried coarsely (correlation), the best are moved until their
outlines lie on edges of the picture, and of those that claim the same card those stand that together account
for most of it. Cards of one colour that touch show no edge between them, so it is done in layers: what edges
and card speak for most is taken from the card, its sides count as edges, and the rest is looked at again,
from a stack's ends to its middle.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.capture.card_on_hide import card_on, of_its_colours
from fairlay.core.capture.claims import meeting, worth_most
from fairlay.core.capture.table import TableTop, light_of
from fairlay.core.capture.template_places import (
    Edges,
    Template,
    Try,
    all_moved,
    covered_by,
    onto_edges,
    placed_at,
    where,
)
from fairlay.core.shapes.rings import Ring

__all__ = ["Template", "TemplateSeen", "find_templates"]

Raster = NDArray[Any]

PROMISING: Final = (0.8, 0.65)
"""What a place must come to, at first and among the little that is left then."""
SURELY: Final = 0.72
OVERLAP: Final = 0.12
"""Two found templates cover no more of the smaller together: cards lie flat beside each other."""
ALIKE: Final = 0.04
"""Templates whose fit differs by less cannot be told from each other there."""
LIKELY, HARDLY = 0.72, 0.03
"""What edges and card speak for less is looked at again once those that are likelier are known; where none
is, the likeliest are taken, and what hardly differs from them.
"""
BARE: Final = 3.0
"""What a template would hide of bare leather counts so many times against the card that it accounts for."""
NARROWER: Final = 0.7
"""Card is left to look at where it is as wide as this share of the narrowest template's widest place."""
LAYERS: Final = 12
"""So often templates are sought beside those found, as those in the middle of a stack are."""
SETTLING, FURTHER = 24, 1.5
NEAR_REACHES_MM: Final = (5.0, 3.0, 2.0)
STIRRED_MM: Final = 0.1
"""So often at most those that touch are moved between their neighbours, each so much further than it would
(over-relaxation), while one of them moves so far.
"""
TOUCHING_MM: Final = 8.0
FINE: Final = 4
ROUND_MM: Final = 16.0
SIDE: Final = 0.12
"""The side of a template that was found counts as an edge between faces whose light differs by so much."""


@dataclass(frozen=True, eq=False)
class TemplateSeen:
    """A template found: its name; its outline's origin (x, y) on the table in mm and how far it is turned
    (degrees, clockwise as the picture shows it); whether it lies turned over (mirrored left to right before
    it is turned); how much of its outline lies on edges (0 to 1); which others it may be instead.
    """

    name: str
    x: float
    y: float
    turn_deg: float
    over: bool
    support: float
    may_be: tuple[str, ...] = ()

    @property
    def doubted(self) -> bool:
        """Whether somebody should look at it."""
        return self.support < SURELY or bool(self.may_be)

    def placed(self, outline: Ring) -> Ring:
        """Return the template's outline where it lies on the table."""
        return placed_at(outline, (self.x, self.y, np.radians(self.turn_deg)), self.over)


def find_templates(top: TableTop, outline: Ring, templates: Sequence[Template]) -> list[TemplateSeen]:
    """Return the templates that lie on a hide in a table seen from above, as they lie on its face; from the
    left.

    ``outline``: where the hide lies on the table, mm, as it was measured without cards.
    """
    if not templates:
        return []
    (card, bins), light = card_on(top, outline), _edges(top)
    edges = light
    rest, seen, tries = card, card, list[Try]()
    for layer in range(LAYERS):
        more = all_moved(rest, edges, top, templates, PROMISING[min(layer, 1)])
        if not more:
            break
        tries += [replace(t, covered=covered_by(where(t, templates), seen, top)) for t in more]
        bar = min(LIKELY, max(t.support * t.covered for t in more) - HARDLY)
        likely = [t for t in more if t.support * t.covered > bar]
        lain = _lain(_standing(likely, templates), top, templates)
        if not lain.any():
            break
        if layer == 0 and bar == LIKELY:
            # At first a weight on a card is card too: it is not leather.
            like = of_its_colours(lain, bins, top)
            rest, seen = rest * like, card * like
        # Where one lies no other does, and its side is where the next begins, though both are of one colour.
        rest = np.where(lain > 0, np.float32(0.0), rest)
        if not _room_left(rest, top, templates):
            break
        edges = _with_sides(edges, lain)
    found = _between_neighbours(_standing(tries, templates), light, card, top, templates)
    return sorted(found, key=lambda f: (f.x, f.y))


def _between_neighbours(
    found: Sequence[TemplateSeen],
    edges: Edges,
    card: Raster,
    top: TableTop,
    templates: Sequence[Template],
) -> list[TemplateSeen]:
    """Templates that touch others moved once more, each between the sides of those round it: what a stack's
    ends are off by adds up toward its middle otherwise.
    """
    which = {t.name: k for k, t in enumerate(templates)}
    out = list(found)
    shapes = [Polygon(f.placed(templates[which[f.name]].outline)).buffer(0) for f in out]
    near = [
        [j for j, s in enumerate(shapes) if j != i and s.distance(shape) < TOUCHING_MM]
        for i, shape in enumerate(shapes)
    ]
    stirred = {i for i, round_it in enumerate(near) if round_it}
    for _ in range(SETTLING):
        moved = set()
        for i in sorted(stirred):
            f = out[i]
            part, about = _cut_out(top, shapes[i].bounds)
            sides = _lain([out[j] for j in near[i]], part, templates, FINE)
            pose = (f.x, f.y, float(np.radians(f.turn_deg)))
            t = onto_edges(
                Try(which[f.name], f.over, pose, 0.0),
                _with_sides((edges[0][about], edges[1][about]), sides),
                card[about],
                part,
                templates,
                NEAR_REACHES_MM,
            )
            if t is None:
                continue
            x, y, turn = (own + FURTHER * (new - own) for own, new in zip(pose, t.pose, strict=True))
            out[i] = replace(f, x=x, y=y, turn_deg=float(np.degrees(turn) % 360.0))
            shape = Polygon(out[i].placed(templates[t.which].outline)).buffer(0)
            if shape.hausdorff_distance(shapes[i]) > STIRRED_MM:
                moved.add(i)
            shapes[i] = shape
        stirred = {j for i in moved for j in (i, *near[i])}
    return out


def _cut_out(
    top: TableTop, bounds: tuple[float, float, float, float]
) -> tuple[TableTop, tuple[slice, slice]]:
    """The part of a straightened picture round some bounds (mm), and where it is in the whole."""
    corners = np.array(bounds).reshape(2, 2) + ROUND_MM * np.array([[-1.0], [1.0]])
    (x0, y0), (x1, y1) = np.round(top.to_px(corners)).astype(int).clip(0)
    about = (slice(int(y0), int(y1)), slice(int(x0), int(x1)))
    part = replace(
        top,
        image=top.image[about],
        known=top.known[about],
        whose=top.whose[about],
        x0=top.x0 + x0 / top.px_per_mm,
        y0=top.y0 + y0 / top.px_per_mm,
    )
    return part, about


def _lain(
    found: Sequence[TemplateSeen], top: TableTop, templates: Sequence[Template], fine: int = 1
) -> Raster:
    """How much of each place templates that were found cover (0 to 1), at the straightened picture's own
    size; told from ``fine`` by ``fine`` points of each.
    """
    outlines = {t.name: t.outline for t in templates}
    h, w = top.image.shape[:2]
    out = np.zeros((h * fine, w * fine), np.float32)
    for f in found:
        px = (top.to_px(f.placed(outlines[f.name])) + 0.5) * fine - 0.5
        cv2.fillPoly(out, [np.round(px).astype(np.int32)], 1.0)
    return out if fine == 1 else cv2.resize(out, (w, h), interpolation=cv2.INTER_AREA)


def _room_left(card: Raster, top: TableTop, templates: Sequence[Template]) -> bool:
    """Whether there is a patch of card left that the narrowest template may lie on."""
    narrow = min(2 * shapely.maximum_inscribed_circle(Polygon(t.outline).buffer(0)).length for t in templates)
    k = max(1, round(NARROWER * narrow * top.px_per_mm))
    return bool(cv2.erode((card > 0.5).astype(np.uint8), np.ones((k, k), np.uint8)).any())


def _with_sides(edges: Edges, lain: Raster) -> Edges:
    """Edges of light, and the sides of what was found where they are stronger."""
    step = SIDE * cv2.GaussianBlur(lain, (0, 0), 0.9)
    across, down = (cv2.Sobel(step, cv2.CV_32F, dx, dy, ksize=3, scale=0.25) for dx, dy in ((1, 0), (0, 1)))
    stronger = across**2 + down**2 > edges[0] ** 2 + edges[1] ** 2
    return np.where(stronger, across, edges[0]), np.where(stronger, down, edges[1])


def _edges(top: TableTop) -> Edges:
    """How light changes across and down, a px."""
    light = cv2.GaussianBlur(np.sqrt(light_of(top.image)), (0, 0), 0.9)
    each = [cv2.Sobel(light, cv2.CV_32F, dx, dy, ksize=3, scale=0.25) for dx, dy in ((1, 0), (0, 1))]
    # Of three colours the one that changes most.
    strongest = (each[0] ** 2 + each[1] ** 2).argmax(axis=2)[..., None]
    across, down = (np.take_along_axis(e, strongest, axis=2)[..., 0] for e in each)
    return np.asarray(across), np.asarray(down)


def _standing(tries: Sequence[Try], templates: Sequence[Template]) -> list[TemplateSeen]:
    """Of tries that claim the same card those that together account for most of it."""
    shapes = [Polygon(where(t, templates)).buffer(0) for t in tries]
    worth = np.array(
        [
            shape.area * t.support * (t.covered - BARE * (1 - t.covered))
            for t, shape in zip(tries, shapes, strict=True)
        ]
    )
    against = meeting(shapes, OVERLAP)
    stand = worth_most(worth, shapes, against)
    others: dict[int, set[str]] = {i: set() for i in stand}
    for pair in against:
        for i, j in (pair, pair[::-1]):
            if j in others and tries[i].which != tries[j].which:
                same = shapes[i].symmetric_difference(shapes[j]).area < 0.06 * shapes[j].area
                if same and tries[j].support - tries[i].support < ALIKE:
                    others[j].add(templates[tries[i].which].name)
    return [
        TemplateSeen(
            templates[tries[i].which].name,
            tries[i].pose[0],
            tries[i].pose[1],
            float(np.degrees(tries[i].pose[2]) % 360.0),
            tries[i].over,
            tries[i].support,
            tuple(sorted(others[i])),
        )
        for i in stand
    ]
