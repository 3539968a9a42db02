"""What lies under the demo's simulated camera: parts on squared paper, as a bench photograph shows them."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from fairlay.core.capture.grid_page import grid_page
from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.contour import Contour, flatten
from fairlay.core.shapes.rings import Ring
from fairlay.demo.patterns import bellows_board, disc, mitt
from fairlay.devices.camera import PartOnPage, Scene, Stain

CHESTNUT, RUSSET, CARD, BLACK, INK = (
    (0.42, 0.25, 0.15),
    (0.55, 0.34, 0.19),
    (0.80, 0.70, 0.50),
    (0.16, 0.15, 0.14),
    (0.10, 0.10, 0.16),
)


def on_page(contour: Contour, x: float, y: float, turn_deg: float = 0.0) -> Ring:
    """Return a contour turned, its middle at (x, y) of the page, in mm."""
    ring = flatten(contour)
    t = math.radians(turn_deg)
    ring = (ring - (ring.min(axis=0) + ring.max(axis=0)) / 2) @ np.array(
        [[math.cos(t), math.sin(t)], [-math.sin(t), math.cos(t)]]
    )
    return np.asarray(ring + np.array([x, y]))


def tables() -> dict[str, Scene]:
    """Return the scenes that the simulated camera can be pointed at, by what lies there."""
    page = grid_page("A3", True)
    x, y = page.x0 + page.across * page.square_mm / 2, page.y0 + page.down * page.square_mm / 2
    usual = Scene(
        page=page,
        width_px=2000,
        height_px=1420,
        tilt_deg=(5.0, -4.0),
        roll_deg=1.5,
        lens=(-0.08, 0.02),
        shade=0.2,
        stains=(Stain(150, 60, (14, 9)), Stain(330, 200, (18, 12))),
        thickness_mm=1.5,
    )
    return {
        "an old stove mitt, opened out": replace(
            usual, parts=(PartOnPage((on_page(mitt(262, 124), x, y, 90),), CHESTNUT),), seed=3
        ),
        "a worn bellows face": replace(
            usual,
            parts=(PartOnPage((on_page(bellows_board(330, 190), x, y, 2),), RUSSET),),
            tilt_deg=(-7.0, 9.0),
            cast=0.25,
            seed=4,
        ),
        "a card template with a window": replace(
            usual,
            parts=(
                PartOnPage(
                    (
                        on_page(
                            draw("rectangle", {"length": 180, "width": 110, "radius": 14}).contour, x, y, -8
                        ),
                        on_page(disc(34), x + 40, y - 5),
                    ),
                    CARD,
                ),
            ),
            thickness_mm=0.6,
            seed=5,
        ),
        "an outline drawn with a 3 mm marker": replace(
            usual,
            parts=(
                PartOnPage(
                    (on_page(draw("lens", {"length": 240, "width": 96, "blunt": 10}).contour, x, y, 4),),
                    INK,
                    3.0,
                ),
            ),
            thickness_mm=0.0,
            shadow=0.0,
            seed=6,
        ),
        "a part over the border": replace(
            usual, parts=(PartOnPage((on_page(mitt(262, 124), x + 110, y, 90),), CHESTNUT),), seed=7
        ),
        "two parts that touch": replace(
            usual,
            parts=(
                PartOnPage((on_page(disc(104), x - 51, y),), BLACK),
                PartOnPage((on_page(disc(104), x + 51, y),), BLACK),
            ),
            seed=8,
        ),
        "no squared paper": replace(
            usual, parts=(PartOnPage((on_page(disc(104), x, y),), CHESTNUT),), squares=False, seed=9
        ),
    }
