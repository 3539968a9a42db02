"""Pull tests: how much leather gives, and which way least; the map of tightness that follows from them.

Two dots 100 mm apart, a steady pull, how much farther apart they come: once along, once across.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import contourpy
import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPoint, Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import voronoi_diagram

from fairlay.core.errors import BadHide
from fairlay.core.leather.hide import TIGHTNESS_NAMES, Zone
from fairlay.core.shapes.rings import Ring, common, pieces_of, region, union

Floats = NDArray[np.float64]

USUAL_LIMITS: Final = (2.0, 4.0, 7.0)
"""Give in mm per 100 mm up to which leather is tight, firm and loose; a shop may set its own."""
MOST_GIVE_MM: Final = 40.0
REACH_MM: Final = 320.0
"""How far a pull test tells of the leather round it, where no other is nearer."""
HELD_MM: Final = 50.0
"""Half of what is pulled between the two dots: leather that was tested itself."""
CELL_MM: Final = 20.0
NO_WAY_MM: Final = 0.4
"""Give that differs by less both ways tells no line of least stretch: it is less than a rule is read to."""
SAME_WAY_DEG: Final = 12.0
"""Ways that differ by less are one: two readings at right angles tell no finer."""
DOUBTED: Final = 3.2
"""A test this many times over or under what the tests round it say is questioned."""
NEAR_MM: Final = 700.0
LEAST_ZONE_MM2: Final = 2_500.0
WRITTEN_MM: Final = 0.1


@dataclass(frozen=True)
class PullTest:
    """Give in mm per 100 mm at a place of the hide: along ``deg`` (counter-clockwise from the backbone),
    across it, and if it was read half way between.

    ``sure`` says that a reading that looked odd was made again and stands.
    """

    id: str
    x: float
    y: float
    along_mm: float
    across_mm: float
    deg: float = 0.0
    between_mm: float | None = None
    sure: bool = False

    @property
    def give_mm(self) -> float:
        """The most that the leather gives there: what decides its class."""
        if self.between_mm is None:
            return max(self.along_mm, self.across_mm)
        middle, swing, _ = self._ellipse()
        return middle + swing

    @property
    def least_stretch_deg(self) -> float | None:
        """The line of least stretch, 0 to 180; None where it gives alike every way.

        With two readings, the way that gave less. With a third half way between them (45 degrees on), give is
        taken to go round as middle + swing cos 2(way - way of most give), as strain in a sheet does.
        """
        if self.between_mm is None:
            if abs(self.along_mm - self.across_mm) < NO_WAY_MM:
                return None
            return (self.deg if self.along_mm < self.across_mm else self.deg + 90.0) % 180.0
        _, swing, most = self._ellipse()
        return None if 2 * swing < NO_WAY_MM else (self.deg + most + 90.0) % 180.0

    def _ellipse(self) -> tuple[float, float, float]:
        middle = (self.along_mm + self.across_mm) / 2
        c, s = (self.along_mm - self.across_mm) / 2, (self.between_mm or 0.0) - middle
        return middle, math.hypot(c, s), math.degrees(math.atan2(s, c)) / 2


def check_pull(test: PullTest) -> None:
    """Raise BadHide for give that no leather has."""
    for give in (test.along_mm, test.across_mm, *(() if test.between_mm is None else (test.between_mm,))):
        if not 0 <= give <= MOST_GIVE_MM:
            raise BadHide(
                f"a give of {give:g} mm per 100 mm",
                value=give,
                expected=f"0 to {MOST_GIVE_MM:g} mm: how much farther apart two dots come that were 100 mm "
                "apart",
            )


def check_limits(limits: Sequence[float]) -> None:
    """Raise BadHide for limits between classes that do not rise."""
    if len(limits) != 3 or not 0 < limits[0] < limits[1] < limits[2] <= MOST_GIVE_MM:
        raise BadHide(
            f"limits of {', '.join(f'{v:g}' for v in limits)} mm",
            value=tuple(limits),
            expected=f"three that rise, over 0 and up to {MOST_GIVE_MM:g} mm",
        )


def class_of(give_mm: float, limits: Sequence[float] = USUAL_LIMITS) -> int:
    """Return the tightness class of leather that gives so much."""
    return 1 + sum(give_mm > limit for limit in limits)


def grade_of(give_mm: Floats, limits: Sequence[float] = USUAL_LIMITS) -> Floats:
    """Return where give lies among the classes, as a figure that goes evenly from 0 to 1 through tight
    leather, to 2 through firm, and so on to 4.
    """
    return np.asarray(np.interp(give_mm, (0.0, *limits, 2 * limits[2]), (0.0, 1.0, 2.0, 3.0, 4.0)))


def corrected_map(
    outline: Ring,
    holes: Sequence[Ring],
    guess: Sequence[Zone],
    tests: Sequence[PullTest],
    limits: Sequence[float] = USUAL_LIMITS,
) -> tuple[Zone, ...]:
    """Return zones of tightness: the guess as pull tests correct it, later zones over earlier.

    Each test says by how many classes the guess is wrong at its place (see ``correction``); the guess's own
    borders stay where they are, and new ones are drawn where a correction carries leather from one class into
    another. The line of least stretch is a test's own in the part of the hide nearest to it within
    ``REACH_MM``, the guess's elsewhere.
    """
    check_limits(limits)
    if not tests:
        return tuple(guess)
    for test in tests:
        check_pull(test)
    leather = region(outline, holes, "the hide")
    x0, y0, x1, y1 = leather.bounds
    xs = np.linspace(x0 - CELL_MM, x1 + CELL_MM, max(4, math.ceil((x1 - x0) / CELL_MM) + 3))
    ys = np.linspace(y0 - CELL_MM, y1 + CELL_MM, max(4, math.ceil((y1 - y0) / CELL_MM) + 3))
    gx, gy = np.meshgrid(xs, ys)
    by = correction(np.stack([gx.ravel(), gy.ravel()], axis=1), guess, tests, limits).reshape(gx.shape)
    drawn = contourpy.contour_generator(gx, gy, by, fill_type=contourpy.FillType.OuterOffset)
    ways = _tested_ways(leather, guess, tests)
    elsewhere = leather.difference(union(part for _, part in ways))
    out = []
    for zone, shown in _shown(leather, guess):
        own = zone.tightness - 0.5
        for tightness in TIGHTNESS_NAMES:
            low, high = (
                (-math.inf if tightness == 1 else tightness - 1 - own),
                (math.inf if tightness == 4 else tightness - own),
            )
            ground = (
                common(_filled(drawn, low, high), shown) if by.min() < high and by.max() > low else Polygon()
            )
            for stretch, part in [(zone.stretch_deg, elsewhere), *ways]:
                # Onto a tenth of a mm in one go, so that what is written and read back does not cross itself.
                own_ground = shapely.set_precision(common(ground, part), WRITTEN_MM)
                out += [
                    Zone(np.round(np.asarray(p.exterior.coords)[:-1], 1), tightness, stretch)
                    for p in pieces_of(own_ground, LEAST_ZONE_MM2)
                ]
    # The largest first: a zone's holes are covered by what fills them.
    out.sort(key=lambda z: -Polygon(z.outline).area)
    most = max(TIGHTNESS_NAMES, key=lambda t: sum(Polygon(z.outline).area for z in out if z.tightness == t))
    return (Zone(outline.copy(), most, 90.0), *out)


def correction(
    points: Floats, guess: Sequence[Zone], tests: Sequence[PullTest], limits: Sequence[float] = USUAL_LIMITS
) -> Floats:
    """Return by how many classes the guess is to be corrected at points ``(n, 2)``, ``(n,)``: more than 0 is
    looser.

    What a test says holds for ``HELD_MM`` round it and is spread from there by one over the distance squared
    (Shepard 1968), the guess having the say of a test at ``REACH_MM`` that found it right. So a correction
    never leaves the range of what tests said and 0.
    """
    at = np.array([(t.x, t.y) for t in tests])
    said = grade_of(np.array([t.give_mm for t in tests]), limits) - _guessed(at, guess)
    # A test in the class that was guessed finds the guess right.
    said = np.where(np.abs(said) <= 0.5, 0.0, said)
    off = np.sqrt(((points[:, None, :] - at[None, :, :]) ** 2).sum(axis=2))
    weight = 1.0 / np.maximum(off - HELD_MM, 1e-3) ** 2
    return np.asarray((weight * said).sum(axis=1) / (weight.sum(axis=1) + 1.0 / REACH_MM**2))


def _guessed(points: Floats, guess: Sequence[Zone]) -> Floats:
    """The middle of the class that is guessed at each point; firm where nothing is."""
    out = np.full(len(points), 1.5)
    for zone in guess:
        out[shapely.contains_xy(Polygon(zone.outline).buffer(0), points[:, 0], points[:, 1])] = (
            zone.tightness - 0.5
        )
    return out


def _shown(leather: Polygon, guess: Sequence[Zone]) -> list[tuple[Zone, BaseGeometry]]:
    """The guess's zones as far as no later one covers them, and leather in none as firm."""
    out: list[tuple[Zone, BaseGeometry]] = []
    covered: BaseGeometry = Polygon()
    for zone in reversed(guess):
        whole = common(Polygon(zone.outline).buffer(0), leather)
        out.append((zone, whole.difference(covered)))
        covered = covered.union(whole)
    out.append((Zone(np.zeros((0, 2)), 2, 90.0), leather.difference(covered)))
    return [(zone, shown) for zone, shown in out if not shown.is_empty]


def _filled(drawn: contourpy.ContourGenerator, low: float, high: float) -> BaseGeometry:
    found = drawn.filled(low, high)
    rings = []
    for points, offsets in zip(found[0], found[1], strict=True):
        parts = [] if points is None or offsets is None else [points[a:b] for a, b in pairwise(offsets)]
        if parts:
            rings.append(Polygon(parts[0], [p for p in parts[1:] if len(p) > 3]).buffer(0))
    return union(rings)


def _tested_ways(
    leather: Polygon, guess: Sequence[Zone], tests: Sequence[PullTest]
) -> list[tuple[float, BaseGeometry]]:
    """The ground round each test that told another way of most give than is guessed there, with that way."""
    cells = _nearest(leather, tests)
    out: list[tuple[float, BaseGeometry]] = []
    for t in tests:
        way = t.least_stretch_deg
        if way is None:
            continue
        most = (way + 90.0) % 180.0
        guessed = next(
            (
                z.stretch_deg
                for z in reversed(guess)
                if Polygon(z.outline).buffer(0).contains(Point(t.x, t.y))
            ),
            90.0,
        )
        if abs((most - guessed + 90.0) % 180.0 - 90.0) > SAME_WAY_DEG:
            out.append((most, common(cells[t.id], Point(t.x, t.y).buffer(REACH_MM), leather)))
    return [(way, part) for way, part in out if not part.is_empty]


def _nearest(leather: Polygon, tests: Sequence[PullTest]) -> dict[str, BaseGeometry]:
    """The ground nearest to each test (Voronoi)."""
    if len({(t.x, t.y) for t in tests}) < 2:
        return {t.id: leather.buffer(1.0) for t in tests}
    cells = pieces_of(
        voronoi_diagram(MultiPoint([(t.x, t.y) for t in tests]), envelope=leather.envelope.buffer(10.0))
    )
    found = list(cells)
    return {t.id: next((c for c in found if c.intersects(Point(t.x, t.y))), Polygon()) for t in tests}


def doubted_pulls(tests: Sequence[PullTest]) -> dict[str, str]:
    """Return a question, by id, for each test that the tests round it contradict by ``DOUBTED`` times, unless
    it was said to be sure.
    """
    out: dict[str, str] = {}
    kept = list(tests)
    # The wildest first: one wrong test makes those round it look wrong.
    while True:
        worst, wild, expected = None, math.log(DOUBTED), 0.0
        for t in kept:
            usual = None if t.sure else _from_others(t, kept)
            # What only a test that is sure contradicts is no wonder: that one is known to be odd.
            calm = _from_others(t, [o for o in kept if not o.sure]) or usual
            if usual is None or calm is None:
                continue
            by = min(abs(math.log(max(t.give_mm, 0.3) / u)) for u in (usual, calm))
            if by > wild:
                worst, wild, expected = t, by, usual
        if worst is None:
            return out
        out[worst.id] = (
            f"{worst.give_mm:.1f} mm of give here, where the tests round it make one expect {expected:.1f} "
            "mm: pull it once more, or keep it if it stands."
        )
        kept.remove(worst)


def _from_others(test: PullTest, tests: Sequence[PullTest]) -> float | None:
    """What the tests round one make one expect of its give; None where there are fewer than two."""
    others = [o for o in tests if o.id != test.id and math.hypot(o.x - test.x, o.y - test.y) < NEAR_MM]
    if len(others) < 2:
        return None
    weight = [1.0 / max(1.0, (o.x - test.x) ** 2 + (o.y - test.y) ** 2) for o in others]
    return math.exp(
        sum(w * math.log(max(o.give_mm, 0.3)) for w, o in zip(weight, others, strict=True)) / sum(weight)
    )
