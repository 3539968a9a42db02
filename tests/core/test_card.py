"""What the rack shows of a hide: its areas are the hide's own, and its lines run within a mm of where they
should.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import LinearRing, Polygon

from fairlay.core.lay.card import COARSE_MM, ROLL_SHOWN_MM, card_of
from fairlay.core.leather import Flaw, Hide
from fairlay.core.leather.drawn import drawn
from fairlay.demo import sides
from tests.effort import tried


def farthest(rings: list[list[list[float]]], exact: np.ndarray) -> float:
    """How far a drawn ring is from the exact one, and the other way, in mm."""
    own, true = LinearRing(rings[0]), LinearRing(exact)
    return max(
        float(shapely.hausdorff_distance(own, true, densify=0.02)),
        float(shapely.hausdorff_distance(true, own, densify=0.02)),
    )


@settings(max_examples=tried(12, 120))
@given(st.integers(0, 10_000))
def test_a_card_is_drawn_within_a_mm_and_counts_what_there_is(seed: int) -> None:
    hide = sides.side("F-101", seed, 2200, 1030, 104.0, (5, 4, 3), 2.35)
    card = card_of(hide)
    assert card.flaws_by_severity == [5, 4, 3]
    assert card.usable_m2 == pytest.approx(hide.usable.area / 1e6)
    assert sum(c.usable_m2 for c in card.classes) == pytest.approx(card.usable_m2, abs=1e-3)
    assert [c.name for c in card.classes if c.tightness] == ["tight", "firm", "loose", "slack"]
    assert farthest(card.drawn.rings, hide.outline) <= COARSE_MM + 0.1
    assert len(card.drawn.rings[0]) < len(hide.outline), "and with fewer points"
    shown = sum(Polygon(z.rings[0], z.rings[1:]).area for z in card.drawn.zones)
    assert shown == pytest.approx(
        sum(region.intersection(hide.region).area for _, region in hide.zone_regions), rel=0.01
    )


def test_a_small_flaw_keeps_its_shape_however_coarse_the_rest() -> None:
    t = np.linspace(0, 2 * np.pi, 33)[:-1]
    bite = np.stack([500 + 4 * np.cos(t), 300 + 3 * np.sin(t)], axis=1)
    hide = replace(
        sides.side("F-101", 1, 2200, 1030, 104.0, (0, 0, 0), 2.35), flaws=(Flaw("tick bite", 1, bite),)
    )
    (flaw,) = card_of(hide).drawn.flaws
    assert flaw.kind == "tick bite" and flaw.severity == 1
    assert Polygon(flaw.outline).symmetric_difference(Polygon(bite)).area < 0.08 * Polygon(bite).area


@pytest.mark.parametrize(("length", "shown"), [(1_000.0, 1_000.0), (9_000.0, ROLL_SHOWN_MM)])
def test_a_roll_is_shown_so_far_and_counted_whole(length: float, shown: float) -> None:
    card = card_of(sides.roll("L-003", 1400, length, 18.0))
    assert max(x for x, _ in card.drawn.rings[0]) == pytest.approx(shown) and max(
        y for _, y in card.drawn.rings[0]
    ) == pytest.approx(1400)
    assert card.usable_m2 == pytest.approx(1.4 * length / 1000, rel=0.02) and card.drawn.zones == []


def test_what_is_drawn_exactly_is_written_to_a_tenth() -> None:
    hide = sides.side("F-101", 4, 2200, 1030, 104.0, (3, 2, 1), 2.35)
    exact = drawn(hide)
    assert np.abs(np.array(exact.rings[0]) - hide.outline).max() <= 0.05 + 1e-9 and len(exact.flaws) == 6
    holed = drawn(replace(hide, holes=(np.array([[900.0, 300], [950, 300], [950, 340]]),)))
    assert len(holed.rings) == 2 and len(holed.rings[1]) == 3


def test_leather_in_no_zone_is_counted_as_such() -> None:
    square = Hide("R-1", "offcut", np.array([[0.0, 0], [400, 0], [400, 300], [0, 300]]))
    card = card_of(square)
    assert [(c.tightness, c.name) for c in card.classes] == [
        (0, "not zoned")
    ] and card.usable_m2 == pytest.approx(0.12)
