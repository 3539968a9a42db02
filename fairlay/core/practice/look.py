"""Look it over: a made-up hide whose flaws are found by eye, by feel, by pinch and by pull."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal, get_args

import numpy as np
from shapely.geometry import Point, Polygon

from fairlay.core.errors import Refused
from fairlay.core.forecast.stock import Source, made_up
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import Flaw
from fairlay.core.leather.made_up import flaw_ring
from fairlay.core.leather.pull import USUAL_LIMITS
from fairlay.core.shapes.rings import Ring, union

Tool = Literal["eye", "feel", "pinch", "pull"]
TOOLS: Final[tuple[Tool, ...]] = get_args(Tool)
FELT: Final = frozenset({"growth wrinkle", "warble hole", "fat wrinkle", "flay cut"})
"""Kinds that fingers find where eyes pass over them."""
PINCHED: Final = frozenset({"thin spot"})
REACH_MM: Final = 28.0
"""What a hand covers."""
LEVELS: Final = 5
FLAWS_AT: Final = {1: (2, 3, 1), 2: (4, 4, 2), 3: (6, 5, 3), 4: (8, 7, 4), 5: (11, 9, 5)}
"""Flaws on the hide by severity, at each level."""
SECONDS_AT: Final = {1: 240.0, 2: 240.0, 3: 210.0, 4: 180.0, 5: 150.0}
PULLS_AT: Final = {1: 0, 2: 1, 3: 2, 4: 3, 5: 3}
PULL_SPOTS: Final = (("belly", 0.45, 0.74), ("shoulder", 0.72, 0.3), ("hind flank", 0.17, 0.78))
PIECE_M2: Final = 0.06
"""A middling piece: what a flaw that was not seen spoils."""
SHOWN_SHARE: Final = 0.5
"""A blemish that was missed comes to lie on a show face so often."""
AROUND_MM: Final = 15.0
"""What is lost round a ring that rings nothing."""
LATE_PER_MINUTE: Final = 5.0


@dataclass(frozen=True)
class LookRound:
    """A hide to look over: ``flaws`` of it as they truly are, ``pulls``: spots to be tested."""

    hide: Hide
    level: int
    seconds: float
    pulls: tuple[tuple[str, float, float, int, float], ...]
    """Name, x, y, true class, give in mm."""

    @property
    def seen(self) -> list[Flaw]:
        """What an eye sees: all but what only fingers tell."""
        return [f for f in self.hide.flaws if f.kind not in FELT | PINCHED]


@dataclass(frozen=True)
class RingDrawn:
    """A ring as it was drawn: middle and radius in mm."""

    x: float
    y: float
    r: float


@dataclass(frozen=True)
class Missed:
    """A flaw that was not ringed, and what that would have cost."""

    flaw: int
    money: float


@dataclass(frozen=True)
class LookScore:
    """How a hide was looked over: 0 to 100, flaws found and missed, rings that ring nothing, pulls judged
    wrongly, money that mistakes would have cost.
    """

    score: float
    found: tuple[int, ...]
    missed: tuple[Missed, ...]
    false_rings: tuple[tuple[int, float], ...]
    wrong_pulls: tuple[str, ...]
    cost: float
    late_s: float


def look_round(seed: int, level: int) -> LookRound:
    """Return a hide to look over; the same seed and level give the same hide."""
    check_level(level)
    rng = np.random.default_rng([seed, level, 3])
    plain = made_up(
        Source("practice", "side", "practice", area_m2=2.0, flaws_per_m2=(0.0, 0.0, 0.0), price_per_m2=100.0),
        "practice",
        rng,
    )
    flaws = _hidden_flaws(plain.outline, rng, FLAWS_AT[level], level)
    hide = Hide("practice", "side", plain.outline, (), 0.0, 4.0, plain.cost_per_m2, plain.zones, tuple(flaws))
    size = np.ptp(hide.outline, axis=0)
    pulls = []
    for name, fx, fy in PULL_SPOTS[: PULLS_AT[level]]:
        x, y = float(fx * size[0]), float(fy * size[1])
        cls = tightness_at(hide, x, y)
        edges = (0.4, *USUAL_LIMITS, USUAL_LIMITS[2] + 4.0)
        # As near to the limit as the level is high: an easy pull is in the middle of its class.
        share = 0.5 + (level - 1) * 0.1 * float(rng.choice((-1.0, 1.0)))
        give = edges[cls - 1] + (edges[cls] - edges[cls - 1]) * float(np.clip(share, 0.12, 0.88))
        pulls.append((name, x, y, cls, round(give, 1)))
    return LookRound(hide, level, SECONDS_AT[level], tuple(pulls))


def check_level(level: int) -> None:
    """Raise Refused for a level that there is not."""
    if not 1 <= level <= LEVELS:
        raise Refused(f"level {level}", value=level, expected=f"1 to {LEVELS}")


def _hidden_flaws(
    outline: Ring, rng: np.random.Generator, counts: tuple[int, int, int], level: int
) -> list[Flaw]:
    """Flaws of all sorts, none over another: the higher the level, the more of them only fingers find."""
    by_eye = {
        1: ("scratch", "vein", "tick bite"),
        2: ("scar", "scratch", "stain"),
        3: ("hole", "brand", "scar"),
    }
    by_hand = {1: ("fat wrinkle",), 2: ("warble hole", "growth wrinkle"), 3: ("thin spot", "flay cut")}
    leather = Polygon(outline).buffer(-20)
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    out: list[Flaw] = []
    for severity, wanted in enumerate(counts, start=1):
        made = 0
        while made < wanted:
            hand = rng.random() < 0.1 + 0.1 * level
            kind = str(rng.choice((by_hand if hand else by_eye)[severity]))
            ring = np.round(flaw_ring(kind, rng) + rng.uniform((x0, y0), (x1, y1)), 1)
            shape = Polygon(ring)
            apart = all(shape.distance(Polygon(f.outline)) > 2.5 * REACH_MM for f in out)
            if shape.is_valid and leather.covers(shape) and apart:
                out.append(Flaw(kind, severity, ring))
                made += 1
    return out


def tightness_at(hide: Hide, x: float, y: float) -> int:
    """Return the class of the leather at a point; loose where no zone is."""
    point = Point(x, y)
    return next((z.tightness for z, shown in hide.zone_regions if shown.covers(point)), 3)


def touch(asked: LookRound, tool: str, x: float, y: float) -> str:
    """Return what a tool tells at a place, in words. Raises Refused for a tool that there is not."""
    if tool not in TOOLS:
        raise Refused(f"a tool {tool!r}", value=tool, expected="one of " + ", ".join(TOOLS))
    hand = Point(x, y).buffer(REACH_MM)
    if not Polygon(asked.hide.outline).intersects(Point(x, y)):
        return "the table"
    under = [f for f in asked.hide.flaws if Polygon(f.outline).intersects(hand)]
    if tool == "pull":
        spot = min(asked.pulls, key=lambda p: math.hypot(p[1] - x, p[2] - y), default=None)
        if spot is not None and math.hypot(spot[1] - x, spot[2] - y) < 120.0:
            return f"{spot[0]}: two dots 100 mm apart come {spot[4]:g} mm farther apart"
        cls = tightness_at(asked.hide, x, y)
        return ("it hardly gives", "it gives a little", "it gives", "it gives a lot")[cls - 1]
    if tool == "pinch":
        thin = [f for f in under if f.kind in PINCHED]
        return "thin and weak between two fingers" if thin else "as thick as beside it"
    if tool == "feel":
        felt = [f for f in under if f.kind in FELT]
        if felt:
            return {
                "growth wrinkle": "ridges, close together",
                "warble hole": "a small hard dip",
                "fat wrinkle": "a soft ripple, on the surface only",
                "flay cut": "a cut on the flesh side, felt through",
            }[felt[0].kind]
        return "smooth"
    close = [f for f in under if f.kind not in FELT | PINCHED]
    if not close:
        return "nothing to see"
    worst = max(close, key=lambda f: f.severity)
    how = {1: "only on the surface", 2: "plain, and sound", 3: "open, weak or missing leather"}[
        worst.severity
    ]
    return f"a {worst.kind}: {how}"


def look_score(
    asked: LookRound, rings: Sequence[RingDrawn], pulls: dict[str, int], spent_s: float
) -> LookScore:
    """Return how a hide was looked over.

    Wanted are rings on blemishes and unsound leather. One that is missed costs a piece cut over it (a
    blemish half of one: it shows in every other place), a ring round nothing what it keeps from use.
    """
    price = asked.hide.cost_per_m2
    drawn = [Point(r.x, r.y).buffer(max(4.0, min(r.r, 250.0))) for r in rings]
    found, missed, at_stake = [], [], 0.0
    hit: set[int] = set()
    for k, flaw in enumerate(asked.hide.flaws):
        shape = Polygon(flaw.outline)
        over = [i for i, d in enumerate(drawn) if d.intersection(shape).area > 0.4 * shape.area]
        hit.update(over)
        if flaw.severity < 2:
            hit.difference_update(i for i in over if not _on_another(drawn[i], asked.hide.flaws))
            continue
        cost = PIECE_M2 * price * (1.0 if flaw.severity == 3 else SHOWN_SHARE)
        at_stake += cost
        if over:
            found.append(k)
        else:
            missed.append(Missed(k, cost))
    false = [
        (i, float(union([d.buffer(AROUND_MM)]).area) / 1e6 * price)
        for i, d in enumerate(drawn)
        if i not in hit
    ]
    wrong = tuple(name for name, _, _, cls, _ in asked.pulls if pulls.get(name) != cls)
    pull_cost = PIECE_M2 * price * SHOWN_SHARE
    at_stake += pull_cost * len(asked.pulls)
    cost = sum(m.money for m in missed) + sum(m for _, m in false) + pull_cost * len(wrong)
    late = max(0.0, spent_s - asked.seconds)
    score = 100.0 * (1.0 - cost / at_stake) - LATE_PER_MINUTE * late / 60.0
    return LookScore(
        max(0.0, min(100.0, score)), tuple(found), tuple(missed), tuple(false), wrong, cost, late
    )


def _on_another(ring: Polygon, flaws: Sequence[Flaw]) -> bool:
    return any(f.severity >= 2 and ring.intersects(Polygon(f.outline)) for f in flaws)
