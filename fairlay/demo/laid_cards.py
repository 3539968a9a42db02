"""Card templates as a cutter's hand lays them by a lay, under the simulated camera."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import Ring
from fairlay.demo.hide_tables import ROOM_MM, scene_of
from fairlay.devices.hide_table import CardLaid, HideScene

CARD = (0.84, 0.78, 0.62)
OFF_MM, OFF_DEG = 1.2, 0.3
"""How far a hand lays a card off its place (one standard deviation)."""
CARD_MM = 0.8


def cards_on_hide(outline: Ring, laid: Sequence[tuple[Ring, Placing]], seed: int = 1) -> HideScene:
    """Return a hide with a card for each outline where it is planned, nearly; hide and places in the hide's
    mm.
    """
    rng = np.random.default_rng(seed)
    shift = np.array([ROOM_MM, ROOM_MM]) - outline.min(axis=0)
    cards = []
    for ring, at in laid:
        off = Placing(
            at.x + float(rng.normal(0, OFF_MM)),
            at.y + float(rng.normal(0, OFF_MM)),
            at.rotation_deg + float(rng.normal(0, OFF_DEG)),
            at.mirrored,
        )
        cards.append(CardLaid((np.asarray(place_points(ring, off)) + shift,), CARD, CARD_MM))
    return scene_of(
        outline + shift,
        "chestnut",
        "green mat",
        rng,
        tilt_deg=(3.0, -2.0),
        lens=(-0.04, 0.01),
        cards=tuple(cards),
        width_px=3300,
        height_px=2200,
    )
