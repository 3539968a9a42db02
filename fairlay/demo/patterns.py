"""The demo's articles, their pieces drawn for this workshop. Outlines in mm, load axis along x unless said."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Point, Polygon, box

from fairlay.core.lay.order import Article, ArticlePiece
from fairlay.core.pattern import Grain, Piece
from fairlay.core.shapes.rings import Ring, clean_ring

BODY, STRAP, LINING = "body leather", "strap leather", "lining"

WITH_BACKBONE = Grain(0.0, 10.0, True)
STRICT = Grain(0.0, 5.0, True)
EASY = Grain(0.0, 25.0, True)
ANY_WAY = Grain()


def _ring(points: object, name: str) -> Ring:
    return clean_ring(np.round(np.asarray(points, dtype=float), 2), name)


def rounded(length: float, width: float, radius: float) -> Ring:
    """A rectangle with round corners."""
    return _ring(box(radius, radius, length - radius, width - radius).buffer(radius, quad_segs=6).exterior.coords[:-1], "rounded")


def panel(length: float, tail_width: float, neck_width: float, radius: float) -> Ring:
    """A tapered panel with round corners."""
    inner = Polygon([(0, -tail_width / 2), (length, -neck_width / 2), (length, neck_width / 2), (0, tail_width / 2)]).buffer(-radius)
    return _ring(inner.buffer(radius, quad_segs=5).exterior.coords[:-1], "panel")


def strap(length: float, width: float) -> Ring:
    """A strap with one pointed end."""
    return _ring([(0, 0), (length - width * 0.7, 0), (length, width / 2), (length - width * 0.7, width), (0, width)], "strap")


def disc(across: float, sides: int = 28) -> Ring:
    """A disc."""
    turn = np.linspace(0, 2 * np.pi, sides + 1)[:-1]
    return _ring(np.stack([np.cos(turn), np.sin(turn)], axis=1) * across / 2, "disc")


def lens(length: float, width: float) -> Ring:
    """A gusset: two arcs that meet in blunt points."""
    t = np.linspace(-1, 1, 12)
    upper = np.stack([t * length / 2, (1 - t**2) * width / 2 + 6], axis=1)
    return _ring(np.concatenate([upper, -upper]), "lens")


def bellows_board(length: float, width: float) -> Ring:
    """The leather face of a bellows board: a pear with a nozzle end."""
    body = (
        Point(0, 0)
        .buffer(width / 2, quad_segs=10)
        .union(Polygon([(0, -width / 2), (length - width / 2 - 20, -22), (length - width / 2, -18), (length - width / 2, 18), (length - width / 2 - 20, 22), (0, width / 2)]))
    )
    return _ring(body.convex_hull.exterior.coords[:-1], "board")


def mitt(length: float, width: float, thumb: bool) -> Ring:
    """A stove mitt, fingers up (toward y = 0), thumb to the right when it has one."""
    hand = box(0, width / 2, width, length).union(Point(width / 2, width / 2).buffer(width / 2, quad_segs=8))
    if thumb:
        stem = Polygon([(width - 10, length * 0.78), (width + 44, length * 0.50), (width + 64, length * 0.40), (width + 28, length * 0.32), (width - 10, length * 0.46)])
        hand = hand.union(stem.buffer(9, quad_segs=3))
    return _ring(hand.buffer(-4).buffer(4, quad_segs=4).simplify(0.3).exterior.coords[:-1], "mitt")


def stool_top(across: float) -> Ring:
    """A three-sided stool seat with hollowed sides and round lobes."""
    turn = np.linspace(0, 2 * np.pi, 43)[:-1]
    radius = across / 2 * (0.86 + 0.14 * np.cos(3 * turn))
    return _ring(np.stack([np.cos(turn) * radius, np.sin(turn) * radius], axis=1), "stool top")


def articles() -> tuple[Article, ...]:
    """Return the five articles of Quillback Yard."""

    def piece(name: str, outline: Ring, each: int, material: str = BODY, **needs: object) -> ArticlePiece:
        slug = name.lower().replace(" ", "-")
        return ArticlePiece(Piece(slug, outline, each, **needs), name, material)  # type: ignore[arg-type]  # needs are the fields of Piece

    chair = Article("camp-chair", "Camp chair", (
        piece("Back", panel(430, 350, 310, 40), 1, show_limit=1, max_tightness=2, grain=WITH_BACKBONE, thickness_mm=(1.8, 3.0), hidden=(_ring([(0.5, -100), (36, -100), (36, 100), (0.5, 100)], "turning"),)),
        piece("Seat", panel(330, 270, 270, 25), 1, show_limit=0, max_tightness=1, grain=WITH_BACKBONE, thickness_mm=(1.8, 3.0)),
        piece("Arm strap", strap(880, 34), 2, STRAP, show_limit=1, max_tightness=1, grain=STRICT, thickness_mm=(2.8, 4.2)),
        piece("Post loop", rounded(170, 56, 20), 2, show_limit=1, max_tightness=2, grain=WITH_BACKBONE),
        piece("Post cuff", panel(160, 76, 58, 6), 4, show_limit=1, max_tightness=3, grain=Grain(0.0, 90.0, True)),
        piece("Cord keeper", rounded(76, 34, 15), 2, show_limit=2, max_tightness=3),
        piece("Washer", disc(18, 20), 8, show_limit=2, max_tightness=4),
        piece("Back lining", panel(440, 360, 320, 40), 1, LINING, grain=EASY),
    ))  # fmt: skip
    stool = Article("tripod-stool", "Tripod stool", (
        piece("Seat", stool_top(370), 1, show_limit=1, max_tightness=2, grain=EASY),
        piece("Leg cap", disc(104), 3, show_limit=1, max_tightness=3),
        piece("Rivet tab", rounded(90, 30, 14), 3, show_limit=1, max_tightness=2, grain=EASY),
        piece("Carry strap", strap(620, 26), 1, STRAP, show_limit=1, max_tightness=1, grain=STRICT),
    ))  # fmt: skip
    bellows = Article("hearth-bellows", "Hearth bellows", (
        piece("Board face", bellows_board(330, 190), 2, pair=True, show_limit=0, max_tightness=2, grain=EASY),
        piece("Gusset", lens(310, 110), 2, show_limit=1, max_tightness=3, grain=Grain(0.0, 20.0, True)),
        piece("Valve flap", rounded(100, 82, 14), 1, show_limit=1, max_tightness=4, grain=Grain(0.0, 90.0, True)),
        piece("Nozzle wrap", panel(120, 92, 60, 4), 1, show_limit=1, max_tightness=3),
    ))  # fmt: skip
    sling = Article("log-sling", "Log sling", (
        piece("Cradle", rounded(560, 300, 30), 1, show_limit=1, max_tightness=2, grain=Grain(0.0, 15.0, True)),
        piece("Handle", strap(470, 28), 2, STRAP, show_limit=1, max_tightness=1, grain=STRICT),
        piece("Handle wrap", rounded(130, 70, 8), 2, show_limit=1, max_tightness=3),
        piece("Toggle", panel(86, 36, 16, 3), 2, show_limit=2, max_tightness=4),
    ))  # fmt: skip
    mitts = Article("stove-mitt", "Stove mitts", (
        piece("Mitt back", mitt(255, 122, False), 2, pair=True, show_limit=0, max_tightness=3, grain=Grain(90.0, 15.0, True)),
        piece("Mitt palm", mitt(262, 124, True), 2, pair=True, show_limit=1, max_tightness=3, grain=Grain(90.0, 15.0, True)),
        piece("Hang loop", rounded(110, 20, 6), 2, show_limit=1, max_tightness=2, grain=EASY),
        piece("Mitt lining", mitt(266, 132, True), 4, LINING, grain=EASY),
    ))  # fmt: skip
    return chair, stool, bellows, sling, mitts
