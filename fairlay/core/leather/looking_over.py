"""Everything known of one hide from looking it over, and what may be done to that knowledge.

One document a hide: its outline, the usual map, flaws, pull tests, readings, which steps were done.
Coordinates as in ``hide``: mm, x along the backbone from tail to neck, y from it toward the belly, the hide's
bounds beginning at (0, 0).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Final, Literal

import numpy as np
import shapely
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadHide
from fairlay.core.leather.gauge import GaugeReading, check_reading
from fairlay.core.leather.hide import FLAW_KINDS, SEVERITY_NAMES, TIGHTNESS_NAMES, Flaw, Hide, Reading, Zone
from fairlay.core.leather.pull import USUAL_LIMITS, PullTest, check_pull, corrected_map
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.shapes.rings import Ring, as_points, clean_ring, common, pieces_of

Points = list[list[float]]
Step = Literal["backbone", "surface", "feel", "flesh", "flex", "pull", "thickness", "colour"]

STEPS: Final[tuple[tuple[Step, str, str], ...]] = (
    (
        "backbone",
        "Backbone and ends",
        "Roll it out grain up in good light. Find the backbone, the tail and the neck: the map of tightness "
        "is laid between them.",
    ),
    (
        "surface",
        "Surface marks",
        "Look for brands, scratches, scars and bites. Ring what is more than character, and say how bad it "
        "is.",
    ),
    (
        "feel",
        "Feel and pinch",
        "Pass the hands over it for ridges and dips. Lift it and feel between two fingers for thin, weak "
        "places; ring each.",
    ),
    (
        "flesh",
        "Flesh side",
        "Turn it over on its backbone and look for flay cuts. It is shown mirrored, as it lies before you "
        "now.",
    ),
    (
        "flex",
        "Flex",
        "Flex it, grain in, along the belly and flanks. Grain that lifts in pipes is loose: ring it.",
    ),
    (
        "pull",
        "Pull tests",
        "Two dots 100 mm apart, a steady pull, along and across: at belly, flank and shoulder at least. How "
        "much farther apart do they come?",
    ),
    ("thickness", "Thickness", "Gauge it at several points, the thin places you felt among them."),
    (
        "colour",
        "Colour and dye",
        "Does the shade hold over the whole hide, does it change colour when bent, how does it take a "
        "scratch?",
    ),
)
QUICK: Final[frozenset[Step]] = frozenset({"backbone", "surface", "feel"})
"""The steps of two minutes: what no hide should be laid on without."""
STEP_NAMES: Final = {slug: name for slug, name, _ in STEPS}
MOST_FLAWS: Final = 400
MOST_TESTS: Final = 200


@dataclass(frozen=True)
class RingedFlaw:
    """A flaw as it was found: kind, severity, ring in mm, a note, the id of a photograph of it, and the step
    it was found at. ``chalk`` is the colour it was ringed in, if a picture told.
    """

    id: str
    kind: str
    severity: int
    outline: Points
    note: str = ""
    photo: int | None = None
    step: Step = "surface"
    chalk: str = ""


@dataclass(frozen=True)
class ZoneDrawn:
    """Leather of one tightness in the first guess; ``stretch_deg`` is the way that gives most."""

    outline: Points
    tightness: int
    stretch_deg: float = 90.0


@dataclass(frozen=True)
class StepDone:
    """Whether a step was done, and what was noted of it."""

    done: bool = False
    note: str = ""


@dataclass(frozen=True)
class Backdrop:
    """A picture of the hide straightened: the id it is kept under, its size in mm, and the matrix (a, b, c,
    d, e, f as SVG writes it) that takes its mm onto the hide.
    """

    picture: int
    width_mm: float
    height_mm: float
    matrix: tuple[float, float, float, float, float, float]


@dataclass(frozen=True)
class LookingOver:
    """What is known of a hide.

    ``backbone_set``: whether someone said where the backbone and ends are; ``guess`` is the map that tests
    correct.
    """

    kind: str
    outline: Points
    holes: list[Points] = field(default_factory=list)
    guess: list[ZoneDrawn] = field(default_factory=list)
    flaws: list[RingedFlaw] = field(default_factory=list)
    pulls: list[PullTest] = field(default_factory=list)
    readings: list[GaugeReading] = field(default_factory=list)
    steps: dict[Step, StepDone] = field(default_factory=dict)
    backdrop: Backdrop | None = None
    measured: bool = True
    """False where the outline is only what the invoice makes one expect."""
    off_m2: float = 0.0
    """How far off its measured area may be, nineteen times in twenty; 0 where nothing tells."""
    neck_left: bool = False
    """A side of the other hand: grain up and backbone along the top, its neck is at the left."""

    @property
    def ring(self) -> Ring:
        return clean_ring(self.outline, "the hide's outline")

    @property
    def hole_rings(self) -> tuple[Ring, ...]:
        return tuple(clean_ring(h, f"hole {i + 1}") for i, h in enumerate(self.holes))

    @property
    def zones(self) -> tuple[Zone, ...]:
        return tuple(Zone(np.asarray(z.outline, float), z.tightness, z.stretch_deg) for z in self.guess)


@dataclass(frozen=True)
class HowFar:
    """How far a hide was looked over: the steps done, and in words; ``enough`` to lay on it without a word of
    warning.
    """

    done: tuple[Step, ...]
    words: str
    enough: bool


def how_far(looking: LookingOver) -> HowFar:
    """Return how far a hide was looked over: not at all, in part, quickly (the steps of two minutes), or
    whole.
    """
    done = tuple(slug for slug, _, _ in STEPS if looking.steps.get(slug, StepDone()).done)
    if looking.kind == "roll":
        return HowFar(done, "woven: nothing to look over", True)
    if not done:
        return HowFar(done, "not looked over", False)
    if len(done) == len(STEPS):
        return HowFar(done, "looked over, every step", True)
    missing = [STEP_NAMES[s].lower() for s, _, _ in STEPS if s in QUICK and s not in done]
    if missing:
        return HowFar(done, f"looked over in part: {' and '.join(missing)} not done", False)
    return HowFar(done, f"looked over quickly, {len(done)} of {len(STEPS)} steps", True)


def begun(kind: str, outline: Ring, holes: Sequence[Ring] = (), measured: bool = True) -> LookingOver:
    """Return the document of a hide whose outline is known: the usual map laid on it, nothing looked at
    yet.
    """
    points, inner = as_points(outline, 2), [as_points(h, 2) for h in holes]
    return LookingOver(kind, points, inner, _drawn(usual_map(kind, np.asarray(points))), measured=measured)


def from_hide(hide: Hide) -> LookingOver:
    """Return the document of a hide that came with zones, flaws and readings from elsewhere; they are kept as
    they were.
    """
    return LookingOver(
        hide.kind,
        as_points(hide.outline, 2),
        [as_points(h, 2) for h in hide.holes],
        _drawn(hide.zones),
        [
            RingedFlaw(
                f"f{i + 1}",
                f.kind if f.kind in FLAW_KINDS else "not named",
                f.severity,
                as_points(f.outline, 2),
            )
            for i, f in enumerate(hide.flaws)
        ],
        [],
        [GaugeReading(f"r{i + 1}", r.x, r.y, r.mm) for i, r in enumerate(hide.thickness)],
    )


def as_hide(
    looking: LookingOver,
    number: str,
    *,
    edge_margin_mm: float = 0.0,
    cost_per_m2: float = 0.0,
    limits: Sequence[float] = USUAL_LIMITS,
    width_mm: float | None = None,
) -> Hide:
    """Return the hide to lay on: the guess as tests correct it, flaws, readings."""
    ring, holes = looking.ring, looking.hole_rings
    return Hide(
        number,
        looking.kind,
        ring,
        holes,
        0.0,
        edge_margin_mm,
        cost_per_m2,
        corrected_map(ring, holes, looking.zones, looking.pulls, limits),
        tuple(Flaw(f.kind, f.severity, clean_ring(f.outline, f"flaw {f.id}")) for f in looking.flaws),
        tuple(Reading(r.x, r.y, r.mm) for r in looking.readings),
        width_mm,
        neck_left=looking.neck_left,
    )


def _drawn(zones: Sequence[Zone]) -> list[ZoneDrawn]:
    return [ZoneDrawn(as_points(z.outline, 1), z.tightness, z.stretch_deg) for z in zones]


def with_flaw(looking: LookingOver, flaw: RingedFlaw) -> LookingOver:
    """Return the document with a flaw put in, or put in the place of the one of the same id.

    Raises BadHide, BadShape.
    """
    if flaw.kind not in FLAW_KINDS:
        raise BadHide(
            f"a flaw of kind {flaw.kind!r}", value=flaw.kind, expected="one of " + ", ".join(FLAW_KINDS)
        )
    if flaw.severity not in SEVERITY_NAMES:
        raise BadHide(
            f"a severity of {flaw.severity}",
            value=flaw.severity,
            expected="1 surface, 2 blemish or 3 unsound",
        )
    ring = clean_ring(flaw.outline, "the ring")
    if not Polygon(ring).buffer(0).intersects(Polygon(looking.ring)):
        raise BadHide("the ring lies wholly off the hide", value=flaw.id, expected="a ring on the leather")
    kept = [f for f in looking.flaws if f.id != flaw.id]
    if len(kept) >= MOST_FLAWS:
        raise BadHide(
            f"there are {len(kept)} flaws on this hide", value=len(kept), expected=f"{MOST_FLAWS} at most"
        )
    return replace(looking, flaws=[*kept, replace(flaw, outline=as_points(ring, 2))])


def with_pull(looking: LookingOver, pull: PullTest) -> LookingOver:
    """Return the document with a pull test.

    Raises BadHide for one off the hide or with a give no leather has.
    """
    check_pull(pull)
    _on_the_hide(looking, pull.x, pull.y, "a pull test")
    kept = [p for p in looking.pulls if p.id != pull.id]
    if len(kept) >= MOST_TESTS:
        raise BadHide(
            f"there are {len(kept)} pull tests on this hide",
            value=len(kept),
            expected=f"{MOST_TESTS} at most",
        )
    return replace(looking, pulls=[*kept, pull])


def with_reading(looking: LookingOver, reading: GaugeReading) -> LookingOver:
    """Return the document with a thickness reading.

    Raises BadHide for one off the hide or that no leather has.
    """
    check_reading(reading)
    _on_the_hide(looking, reading.x, reading.y, "a reading")
    kept = [r for r in looking.readings if r.id != reading.id]
    if len(kept) >= MOST_TESTS:
        raise BadHide(
            f"there are {len(kept)} readings on this hide", value=len(kept), expected=f"{MOST_TESTS} at most"
        )
    return replace(looking, readings=[*kept, reading])


def _on_the_hide(looking: LookingOver, x: float, y: float, what: str) -> None:
    if not Polygon(looking.ring).buffer(5.0).contains(Point(x, y)):
        raise BadHide(
            f"{what} at {x:.0f}, {y:.0f} mm lies off the hide",
            value=(x, y),
            expected="a place on the leather",
        )


def without(looking: LookingOver, what: Literal["flaw", "pull", "reading"], name: str) -> LookingOver:
    """Return the document without a flaw, pull test or reading; one that is not there is no error: someone
    else took it out.
    """
    if what == "flaw":
        return replace(looking, flaws=[f for f in looking.flaws if f.id != name])
    if what == "pull":
        return replace(looking, pulls=[p for p in looking.pulls if p.id != name])
    return replace(looking, readings=[r for r in looking.readings if r.id != name])


def with_step(looking: LookingOver, step: Step, done: bool, note: str | None = None) -> LookingOver:
    """Return the document with a step done or not, and its note where one is given."""
    if step not in STEP_NAMES:
        raise BadHide(f"a step {step!r}", value=step, expected="one of " + ", ".join(STEP_NAMES))
    before = looking.steps.get(step, StepDone())
    return replace(
        looking, steps={**looking.steps, step: StepDone(done, before.note if note is None else note)}
    )


def with_tightness(looking: LookingOver, zone: ZoneDrawn) -> LookingOver:
    """Return the document with a zone drawn over the guess. Raises BadHide for an unknown class."""
    if zone.tightness not in TIGHTNESS_NAMES:
        raise BadHide(
            f"a tightness of {zone.tightness}",
            value=zone.tightness,
            expected="1 tight, 2 firm, 3 loose or 4 slack",
        )
    return replace(
        looking,
        guess=[*looking.guess, replace(zone, outline=as_points(clean_ring(zone.outline, "the zone"), 1))],
    )


def with_way(looking: LookingOver, x: float, y: float, way_deg: float, reach_mm: float) -> LookingOver:
    """Return the document with the line of least stretch known round a place: as tight there as the guess
    says, giving most across the way.
    """
    disc = common(Point(x, y).buffer(reach_mm), Polygon(looking.ring))
    over: list[ZoneDrawn] = []
    covered = Polygon()
    for zone in reversed(looking.guess):
        own = Polygon(zone.outline).buffer(0)
        parts = pieces_of(shapely.set_precision(common(disc, own).difference(covered), 0.1), 100.0)
        over += [
            ZoneDrawn(
                as_points(np.asarray(part.exterior.coords)[:-1], 1), zone.tightness, (way_deg + 90.0) % 180.0
            )
            for part in parts
        ]
        covered = covered.union(own)
    # Larger parts first: what lies in a hole of one is laid over it.
    return replace(looking, guess=[*looking.guess, *sorted(over, key=lambda z: -Polygon(z.outline).area)])
