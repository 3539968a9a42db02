"""Copies of one piece in rows."""

from __future__ import annotations

import itertools
import json
from typing import Any

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.affinity import rotate, translate
from shapely.geometry import Polygon

from fairlay.core.engine import lattice
from fairlay.core.engine.lattice import Lattice, lattices_of
from fairlay.core.engine.run import lay_job
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.shapes.minkowski import Parts, body_parts
from tests import jobs, referee

DISC = [
    (round(55 * float(np.cos(t)), 2), round(55 * float(np.sin(t)), 2)) for t in np.arange(48) * np.pi / 24
]


def about_its_middle(outline: list[tuple[float, float]]) -> Polygon:
    shape = Polygon(outline)
    return translate(shape, -shape.centroid.x, -shape.centroid.y)


def lying(of: Lattice, shape: Polygon, rows: int = 4) -> list[Polygon]:
    steps = itertools.product(range(-rows, rows + 1), repeat=2)
    return [
        translate(
            rotate(shape, 180.0 * half, origin=(0, 0)),
            x + i * of.along[0] + j * of.across[0],
            y + i * of.along[1] + j * of.across[1],
        )
        for i, j in steps
        for x, y, half in of.motif
    ]


@st.composite
def outlines(draw: st.DrawFn) -> Polygon:
    """Any star about a point, from needles to near discs."""
    n = draw(st.integers(3, 9))
    reach = [draw(st.floats(12, 90)) for _ in range(n)]
    squeezed = draw(st.floats(0.15, 1.0))
    way = np.arange(n) * 2 * np.pi / n
    shape = Polygon(np.stack([np.cos(way) * reach, np.sin(way) * reach * squeezed], axis=1))
    return about_its_middle(list(shape.exterior.coords))


@given(outlines(), st.booleans())
@settings(max_examples=25)
def test_no_two_in_rows_lie_on_each_other_and_the_density_is_what_they_cover(
    shape: Polygon, turns_half: bool
) -> None:
    found = lattices_of(shape, shape.area, turns_half)
    assert found and found[0].density == max(f.density for f in found)
    for of in found:
        assert turns_half or len(of.motif) == 1
        cell = abs(of.along[0] * of.across[1] - of.along[1] * of.across[0])
        assert of.density == pytest.approx(len(of.motif) * shape.area / cell)
        all_there = np.array(lying(of, shape))
        first, second = shapely.STRtree(all_there).query(all_there, predicate="intersects")
        both = shapely.area(shapely.intersection(all_there[first], all_there[second]))[first != second]
        assert both.max(initial=0.0) < 1e-3


@pytest.mark.parametrize(
    ("outline", "turns_half", "density"),
    [
        ([(0, 0), (90, 0), (90, 40), (0, 40)], False, 0.999),
        ([(0, 0), (600, 0), (600, 40), (0, 40)], True, 0.999),
        ([(0, 0), (140, 0), (0, 90)], True, 0.995),
        ([(0, 0), (160, 0), (120, 80), (40, 80)], True, 0.995),
        ([(0, 0), (120, 0), (120, 50), (50, 50), (50, 120), (0, 120)], True, 0.98),
        (DISC, False, 0.89),
    ],
)
def test_what_tiles_is_laid_without_a_gap(
    outline: list[tuple[float, float]], turns_half: bool, density: float
) -> None:
    shape = about_its_middle(outline)
    assert lattices_of(shape, shape.area, turns_half)[0].density > density


@pytest.mark.parametrize(
    ("outline", "policy", "sheet", "least"),
    [
        (DISC, {"gap": 0.0, "grain_school": "free"}, (720, 500), 29),
        (DISC, {"gap": 3.0, "grain_school": "backbone"}, (1200, 800), 68),
        ([(0, 0), (160, 0), (120, 80), (40, 80)], {"gap": 0.0, "grain_school": "backbone"}, (1200, 800), 90),
    ],
)
def test_a_sheet_of_one_piece_is_filled_in_rows(
    outline: list[tuple[float, float]], policy: dict[str, Any], sheet: tuple[float, float], least: int
) -> None:
    """Without rows, 24 and 63 discs lie there after as many steps."""
    hide = {"id": "Q", "kind": "offcut", "outline": jobs.rectangle(*sheet), "edge_margin": 0.0}
    piece = jobs.piece("p", [list(at) for at in outline], 200, grain={"axis_deg": 0, "tolerance_deg": 0})
    asked = jobs.everything(hides=[hide], pieces=[piece], **policy)
    ticks = itertools.count()
    lay = lay_job(read_job(json.dumps(asked)), lambda: float(next(ticks)), seconds=1e9, steps=6)
    assert referee.broken(asked, write_lay(lay)) == []
    assert len(lay.placements) >= least


def pinked(long: float, wide: float, tooth: float) -> Polygon:
    """A rectangle with teeth all round."""
    sides = [((0.0, 0.0), (1, 0), long), ((long, 0.0), (0, 1), wide)]
    sides += [((long, wide), (-1, 0), long), ((0.0, wide), (0, -1), wide)]
    ring: list[tuple[float, float]] = []
    for (x, y), (ux, uy), length in sides:
        for k in range(round(length / tooth)):
            at = k * tooth
            ring.append((x + ux * at, y + uy * at))
            ring.append(
                (x + ux * (at + tooth / 2) + uy * tooth / 2, y + uy * (at + tooth / 2) - ux * tooth / 2)
            )
    return about_its_middle(ring)


def test_a_pinked_edge_is_covered_and_laid_in_rows_all_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    shape = pinked(240.0, 156.0, 6.0)
    assert len(shape.exterior.coords) > 260
    sought: list[int] = []

    def counted(region: shapely.Geometry) -> Parts:
        found = body_parts(region)
        sought.append(len(found[1]) - 1)
        return found

    monkeypatch.setattr(lattice, "body_parts", counted)
    best = lattices_of(shape, shape.area, True)[0]
    assert sought[0] < 20 < len(body_parts(shape)[1])
    x0, y0, x1, y1 = shape.buffer(4.0).bounds
    assert best.density > shape.area / ((x1 - x0) * (y1 - y0)), "closer than rectangles 4 mm larger"
    own, *others = sorted(lying(best, shape, 1), key=lambda p: float(np.hypot(p.centroid.x, p.centroid.y)))
    assert max(own.intersection(p).area for p in others) < 1e-3


def test_no_rows_are_sought_of_a_body_whose_sums_would_take_long() -> None:
    comb = Polygon([(0, 0), (900, 0), *((900 - 6 * k, 40 + 60 * (k % 2)) for k in range(151))])
    assert len(body_parts(comb)[1]) > lattice.MOST_PARTS
    assert lattices_of(comb, comb.area, True) == ()
