"""Many jobs of each kind from seeds nobody has looked at: what a change to the engine is judged by.

Each kind takes its shapes from the demo's patterns, drawn out and squeezed at random, and its leather from
the generator of made-up hides. A seed gives the same jobs each time.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context

import numpy as np
from shapely import affinity
from shapely.geometry import LineString, Polygon
from shapely.ops import split

from bench.cases import side_grown
from bench.run import lay_and_measure
from fairlay.core.bounds.bound import bound
from fairlay.core.lay.lay import Job
from fairlay.core.lay.order import Line, cutlist, pieces_of_batch
from fairlay.core.lay.sound import roll_length_mm
from fairlay.core.leather import Hide
from fairlay.core.leather.made_up import flaws_on, grow
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.leather.usual_outline import SIDE
from fairlay.core.pattern import Grain, Piece
from fairlay.core.pattern.article import Article
from fairlay.core.rules import GrainSchool, Policy
from fairlay.core.shapes.rings import Ring
from fairlay.demo import sides
from fairlay.demo.patterns import BODY, STRAP, articles

WIDTHS = (900.0, 1220.0, 1400.0)
Rng = np.random.Generator


def shapes(rng: Rng, *, straps: bool = True) -> list[Piece]:
    """One of each piece of the demo's articles, drawn out and squeezed by up to a sixth."""
    materials = (BODY, STRAP) if straps else (BODY,)
    pieces = [p for m in materials for p in pieces_of_batch([Line(cutlist(a), 1) for a in articles()], m)]
    return [_stretched(p, rng) for p in pieces]


def _stretched(piece: Piece, rng: Rng) -> Piece:
    by = rng.uniform(0.84, 1.08, 2)

    def drawn(ring: Ring) -> Ring:
        return np.round(ring * by, 2)

    return replace(
        piece,
        outline=drawn(piece.outline),
        holes=tuple(drawn(r) for r in piece.holes),
        hidden=tuple(drawn(r) for r in piece.hidden),
        marks=(),
        splits=(),
        thickness_mm=None,
    )


def bare(pieces: Iterable[Piece], tolerance_deg: float) -> list[Piece]:
    """Pieces that need nothing of the leather but its grain."""
    return [
        Piece(p.id, p.outline, p.quantity, holes=p.holes, grain=Grain(0.0, tolerance_deg, True))
        for p in pieces
    ]


def enough(pieces: Iterable[Piece], area_mm2: float, rng: Rng, least: int = 2) -> tuple[Piece, ...]:
    """Quantities drawn at random, small pieces more often, until they cover an area."""
    chosen = list(pieces)
    areas = np.array([p.area_mm2 for p in chosen])
    share = rng.uniform(0.4, 1.6, len(chosen)) / np.sqrt(areas)
    counts = share * area_mm2 / float(share @ areas)
    out = []
    for piece, count in zip(chosen, counts, strict=True):
        n = max(least, round(count))
        out.append(replace(piece, quantity=n + n % 2 if piece.pair else n))
    return tuple(out)


def _unsound(seed: int, rng: Rng) -> Hide:
    hide = side_grown("S01", seed, rng)
    return replace(
        hide, zones=(), thickness=(), edge_margin_mm=0.0, flaws=flaws_on(hide.outline, rng, (0, 0, 18))
    )


def plain(seed: int, *, school: GrainSchool = "backbone", tolerance_deg: float = 0.0) -> Job:
    """One side with eighteen unsound flaws, more than fits, both ways along the backbone."""
    rng = np.random.default_rng([1, seed])
    hide = _unsound(seed, rng)
    pieces = enough(bare(shapes(rng), tolerance_deg), 1.2 * hide.usable.area, rng)
    return Job("plain", (hide,), pieces, Policy(0.0, school), "fill")


def free(seed: int) -> Job:
    """The same, any way."""
    return replace(plain(seed, school="free", tolerance_deg=180.0), name="free")


def graded(seed: int, wanted: float = 1.2) -> Job:
    """One side with zones and flaws of three severities; needs as the demo has them; 1 mm between pieces.
    ``wanted``: their area over what is usable, at least.
    """
    rng = np.random.default_rng([2, seed])
    hide = replace(side_grown("S01", seed, rng), thickness=())
    pieces = enough(shapes(rng), wanted * hide.usable.area, rng)
    return Job(
        "graded",
        (hide,),
        tuple(replace(p, set_name=None, per_set=1) for p in pieces),
        Policy(1.0, "backbone"),
        "fill",
    )


def choice(seed: int) -> Job:
    """The same with more to choose from."""
    return replace(graded(seed, 1.7), name="graded, more to choose from")


def _sawn(outline: Polygon, count: int, rng: Rng) -> list[Polygon]:
    parts = [outline]
    while len(parts) < count:
        parts.sort(key=lambda p: -p.area)
        whole = parts.pop(0)
        at, turn = np.array(whole.centroid.coords[0]), float(rng.uniform(0.0, math.pi))
        at = at + rng.uniform(-0.15, 0.15, 2) * np.ptp(np.array(whole.exterior.coords), axis=0)
        way = 5000.0 * np.array([math.cos(turn), math.sin(turn)])
        made = [g for g in split(whole, LineString([at - way, at + way])).geoms if isinstance(g, Polygon)]
        good = len(made) == 2 and min(g.area for g in made) > 0.2 * whole.area
        parts += made if good else [whole]
    return parts


def sawn(seed: int, count: int = 48) -> Job:
    """A hide sawn to pieces and shuffled: all of it can be covered."""
    rng = np.random.default_rng([3, seed])
    outline = grow(SIDE, float(rng.uniform(1100, 1500)), float(rng.uniform(500, 700)), rng)
    hide = Hide("S01", "side", outline)
    pieces = []
    for k, part in enumerate(_sawn(Polygon(outline), count, rng)):
        ring = np.asarray(_moved(part, 180.0 * int(rng.integers(2))).exterior.coords)[:-1]
        pieces.append(Piece(f"j{k:02}", ring, 1, grain=Grain(0.0, 0.0)))
    rng.shuffle(pieces)
    return Job(f"sawn to {count}", (hide,), tuple(pieces), Policy(0.0, "backbone"), "fill")


def sawn_with_rules(seed: int) -> Job:
    """A hide with zones and flaws sawn to 33, each piece needing just what it lay on."""
    rng = np.random.default_rng([4, seed])
    outline = grow(SIDE, float(rng.uniform(1300, 1700)), float(rng.uniform(600, 800)), rng)
    flaws = flaws_on(outline, rng, (8, 6, 3))
    hide = Hide("S01", "side", outline, zones=usual_map("side", outline), flaws=flaws)
    pieces = []
    for k, part in enumerate(_sawn(hide.region, 33, rng)):
        inner = part.buffer(-0.05)
        worst = max((f.severity for f in flaws if Polygon(f.outline).intersects(inner)), default=0)
        loose = 4 if not inner.within(_covered(hide)) else _loosest(hide, inner)
        turn = 180.0 * int(rng.integers(2))
        unsound = [Polygon(f.outline) for f in flaws if f.severity == 3] if worst == 3 else []
        moved = _moved(_without(part, unsound), turn)
        holes = tuple(np.asarray(r.coords)[:-1] for r in moved.interiors)
        pieces.append(
            Piece(
                f"r{k:02}",
                np.asarray(moved.exterior.coords)[:-1],
                1,
                holes=holes,
                show_limit=min(2, worst),
                max_tightness=loose,
                grain=Grain(0.0, float(rng.choice([0.0, 5.0, 15.0]))),
            )
        )
    rng.shuffle(pieces)
    return Job("sawn with rules", (hide,), tuple(pieces), Policy(0.0, "backbone"), "fill")


def _moved(part: Polygon, turn_deg: float) -> Polygon:
    at = part.centroid
    return affinity.rotate(affinity.translate(part, -at.x, -at.y), turn_deg, origin=(0, 0))


def _without(part: Polygon, holes: list[Polygon]) -> Polygon:
    for hole in holes:
        left = part.difference(hole)
        part = max(left.geoms, key=lambda g: g.area) if left.geom_type == "MultiPolygon" else left
    return part


def _covered(hide: Hide) -> Polygon:
    out = Polygon()
    for _, shown in hide.zone_regions:
        out = out.union(shown)
    return out


def _loosest(hide: Hide, part: Polygon) -> int:
    return max((z.tightness for z, shown in hide.zone_regions if shown.intersects(part)), default=4)


def _of(name: str, rng: Rng) -> list[Piece]:
    article = next(a for a in articles() if a.name == name)
    return [_stretched(p, rng) for p in _of_article(article)]


def sets(seed: int) -> Job:
    """Whole camp chairs, or two articles mixed, from one side or two."""
    rng = np.random.default_rng([5, seed])
    hides = tuple(replace(side_grown(f"S{i}", seed * 10 + i, rng), thickness=()) for i in range(1 + seed % 2))
    names = ["Camp chair"] if seed % 3 else ["Camp chair", "Tripod stool"]
    pieces = tuple(replace(p, quantity=p.per_set * 12) for n in names for p in _of(n, rng))
    return Job("sets", hides, pieces, Policy(1.0, "backbone"), "sets")


def _batch(rng: Rng, chairs: int, others: int) -> tuple[Piece, ...]:
    pieces = []
    for article in articles():
        n = chairs if article.name == "Camp chair" else others
        pieces += [replace(_stretched(p, rng), quantity=p.quantity * n) for p in _of_article(article)]
    return tuple(pieces)


def _of_article(article: Article) -> list[Piece]:
    return [p for m in (BODY, STRAP) for p in pieces_of_batch([Line(cutlist(article), 1)], m)]


def order(seed: int, *, gap: float = 1.0, match: bool = True) -> Job:
    """An order over eight sides and offcuts, chairs each from one hide."""
    rng = np.random.default_rng([6, seed])
    leather = [replace(side_grown(f"S{i}", seed * 20 + i, rng), thickness=()) for i in range(5)]
    leather += [
        sides.cut(
            f"T{i}",
            "offcut",
            seed * 20 + 10 + i,
            float(rng.uniform(600, 1000)),
            float(rng.uniform(400, 650)),
            float(rng.uniform(60, 90)),
            (2, 1, 1),
            int(rng.integers(1, 3)),
        )
        for i in range(3)
    ]
    pieces = _batch(rng, 3, 4)
    return Job(
        "order", tuple(leather), pieces, Policy(gap, "backbone"), "order", ("camp-chair",) if match else ()
    )


def order_with_gaps(seed: int) -> Job:
    """An order of which half the pieces are cut by a die, 3 mm from all others."""
    job = order(seed + 500, match=False)
    rng = np.random.default_rng([7, seed])
    pieces = tuple(replace(p, gap_mm=3.0) if rng.random() < 0.5 else p for p in job.pieces)
    return replace(job, name="order, a die's gap", pieces=pieces)


def everything(seed: int) -> Job:
    """Zones, flaws, hidden areas, windows, pairs, splits, fillers, the grain as it lies, all at once."""
    rng = np.random.default_rng([8, seed])
    hide = replace(side_grown("S01", seed, rng), thickness=())
    own = [
        replace(p, set_name=None, per_set=1)
        for p in pieces_of_batch([Line(cutlist(a), 1) for a in articles()], BODY)
    ]
    own = [replace(p, thickness_mm=None) for p in own]
    pieces = list(enough(own, 1.1 * hide.usable.area, rng))
    fill = [
        replace(p, filler=True, value=0.5, quantity=40) if p.area_mm2 < 3000 and rng.random() < 0.5 else p
        for p in pieces
    ]
    return Job("everything", (hide,), tuple(fill), Policy(1.0, "local"), "fill")


def roll(seed: int) -> Job:
    """A roll of one of three widths, 45 to 135 pieces, both ways along it."""
    rng = np.random.default_rng([9, seed])
    kinds = bare(shapes(rng, straps=False), 0.0)
    chosen = [
        kinds[i]
        for i in rng.choice(len(kinds), int(rng.integers(5, 11)), replace=False)
        if kinds[i].area_mm2 > 1200
    ]
    pieces = tuple(replace(p, quantity=int(rng.integers(4, 17))) for p in chosen)
    width = WIDTHS[seed % 3]
    length = roll_length_mm(pieces, width)
    outline = np.array([[0.0, 0.0], [length, 0.0], [length, width], [0.0, width]])
    leather = Hide("R01", "roll", outline, cost_per_m2=60.0, width_mm=width)
    return Job(f"roll {width:.0f}", (leather,), pieces, Policy(0.0, "backbone"), "order")


KINDS: dict[str, Callable[[int], Job]] = {
    "plain": plain,
    "free": free,
    "graded": graded,
    "choice": choice,
    "sawn": sawn,
    "rules": sawn_with_rules,
    "sets": sets,
    "order": order,
    "gaps": order_with_gaps,
    "everything": everything,
    "roll": roll,
}


@dataclass(frozen=True)
class Fresh:
    """One job of a kind laid: what counts for its kind, the most (or least) that is proved, the first lay."""

    seed: int
    reached: float
    proved: float
    way: float
    first_s: float
    told: str


def lay_fresh(kind: str, seed: int, seconds: float, processes: int) -> Fresh:
    """Lay one job of a kind. ``way`` is how much of the way from the first lay to what is proved was gone."""
    job = replace(KINDS[kind](seed), seed=seed + 1, seconds=seconds)
    row = lay_and_measure(job, seconds, processes)
    most = bound(job, by_room=False)
    reached = row.reached
    if job.objective == "fill":
        proved = most.fill
    elif job.objective == "sets":
        proved = float(most.all_sets)
    else:
        area = sum(p.area_mm2 * p.quantity for p in job.pieces if not p.filler)
        proved = most.cost or area / (job.hides[0].width_mm or math.nan)
    first = row.first_reached
    way = 1.0 if abs(proved - first) < 1e-9 else (reached - first) / (proved - first)
    return Fresh(seed, reached, proved, way, row.first_s, row.measure)


def print_kinds(kinds: list[str], jobs: int, seed: int, seconds: float, processes: int, abreast: int) -> None:
    """Lay ``jobs`` jobs of each kind, ``abreast`` at a time; print a row for each, then for the kind."""
    print(
        f"{jobs} jobs of each kind from seed {seed}, {seconds:g} s, {processes} processes, {abreast} abreast"
    )
    with ProcessPoolExecutor(abreast, mp_context=get_context("spawn")) as pool:
        for kind in kinds:
            rows = []
            asked = [(kind, seed + k, seconds, processes) for k in range(jobs)]
            for row in pool.map(lay_fresh, *zip(*asked, strict=True)):
                rows.append(row)
                print(
                    f"  {kind:10} {row.seed:6} {row.reached:9.4f} proved {row.proved:9.4f} "
                    f"way {row.way:6.1%} first {row.first_s:5.2f} s  {row.told}",
                    flush=True,
                )
            _print_kind(kind, rows, least=KINDS[kind](seed).objective == "order")


def _print_kind(kind: str, rows: list[Fresh], *, least: bool) -> None:
    """Print what the jobs of a kind came to; ``least`` where less is better."""
    got = [r.reached for r in rows]
    share = [r.reached / r.proved if r.proved else math.nan for r in rows]
    worst = max if least else min
    print(
        f"{kind:12} median {statistics.median(got):.4f} worst {worst(got):.4f} "
        f"spread {max(got) - min(got):.4f}; of what is proved: median {statistics.median(share):.4f} "
        f"worst {worst(share):.4f}; way {statistics.median(r.way for r in rows):.1%}; "
        f"first lay {statistics.median(r.first_s for r in rows):.2f} s, "
        f"{max(r.first_s for r in rows):.2f} at most",
        flush=True,
    )
