"""A cut plan: in which order the pieces of a hide are cut, stroke by stroke, with which tool, and how long it
takes.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, Literal

import numpy as np
from shapely.geometry.base import BaseGeometry

from fairlay.core.cutting.cuts import Cut, Key, Pieces, Stroke, cuts_of, strokes_of
from fairlay.core.cutting.sides import radius_mm
from fairlay.core.lay.lane import is_strap, sides_mm
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.pattern.pattern import Tool
from fairlay.core.shapes.placing import place_region
from fairlay.core.shapes.rings import union

School = Literal["straps first", "straps last"]
SMALL_MM2: Final = 6000.0
COLUMN_MM: Final = 350.0
"""A hide is worked along in columns about as wide as an arm reaches at ease."""
LONG_MM: Final = 80.0
"""A straight cut from this length on is made along the rule."""
PER_PASS_MM: Final = 0.9
"""So much leather parts at one light stroke."""
USUAL_MM: Final = 2.0
SHARP_RADIUS_MM: Final = 15.0
MM_PER_S: Final = {"rule": 110.0, "free": 28.0, "shears": 60.0, "strap cutter": 150.0}
"""A stroke along the rule, a curve freehand, shears, a strap cutter: of one pass, at a careful pace. Assumed,
and put right by the shop's own minutes (``pace``).
"""
LAY_RULE_S, TAKE_UP_S, PUNCH_S, PRESS_S = 9.0, 14.0, 7.0, 12.0
USUAL_PUNCHES: Final = (2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)
USUAL_ROUND: Final = (5.0, 8.0, 12.0)
SAME_PUNCH_MM: Final = 0.26
STOP_SHORT: Final = "stop short of the marked corners, and free them with a short blade"
BETWEEN_MM: Final = 40.0
"""Waste narrower than twice this stays with the block it lies in."""
WIDE_MM: Final = 5.0
"""Shears keep so wide of the pieces."""
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Bench:
    """What the shop cuts with, and how: hole punches and round-corner punches by size in mm, the straps'
    turn, the mat in mm for rough-first work, and by how much the shop is slower than the plan's own speeds.
    """

    punches_mm: tuple[float, ...] = USUAL_PUNCHES
    round_mm: tuple[float, ...] = USUAL_ROUND
    school: School = "straps first"
    mat_mm: tuple[float, float] = (900.0, 600.0)
    pace: float = 1.0


@dataclass(frozen=True, eq=False)
class Step:
    """What is done at one piece: the strokes begun with it (a stroke may serve others too), the tools in
    words, cautions, passes of the knife, seconds, and which pieces are free after it.
    """

    number: int
    piece: Key
    strokes: tuple[Stroke, ...]
    tools: tuple[str, ...]
    punches: tuple[str, ...]
    passes: int
    cautions: tuple[str, ...]
    seconds: float
    frees: tuple[Key, ...]


@dataclass(frozen=True, eq=False)
class CutPlan:
    """The plan of a hide. ``cut_mm`` is how far knives go, ``saved_mm`` how much less than around every
    piece; ``blocks`` are what the
    hide is broken down into where it is cut rough first.
    """

    hide: str
    steps: tuple[Step, ...]
    cuts: tuple[Cut, ...]
    cut_mm: float
    saved_mm: float
    minutes: float
    blocks: tuple[tuple[Key, ...], ...] = field(default=())


def cut_plan(
    job: Job,
    hide: Hide,
    placements: Sequence[Placement],
    tools: Mapping[str, Tool],
    bench: Bench | None = None,
    *,
    cut: frozenset[Key] = frozenset(),
) -> CutPlan:
    """Return how what lies on a hide is cut; ``tools`` by piece (a knife where none is named), ``cut`` what
    is cut already: its edges are cut no more. Every other edge is in one stroke, and every piece comes free.
    """
    bench = bench or Bench()
    here = [p for p in placements if p.hide == hide.id]
    pieces = Pieces(job, here)
    every = cuts_of(job, here)
    left = [c for c in every if not any(key in cut for key in c.pieces)]
    die = {(p.piece, p.copy) for p in here if _tool(job, p, tools) == "die"}
    strokes = strokes_of([c for c in left if not die & set(c.pieces)], pieces)
    pressed = [Stroke((c,), c.line, (False, False)) for c in left if die & set(c.pieces)]
    order = [p for p in _in_order(job, hide, here, bench) if (p.piece, p.copy) not in cut]
    of_piece: dict[Key, list[Stroke]] = {}
    for stroke in (*strokes, *pressed):
        for key in {key for c in stroke.cuts for key in c.pieces}:
            of_piece.setdefault(key, []).append(stroke)
    steps: list[Step] = []
    made: set[int] = set()
    waits = {key: len(own) for key, own in of_piece.items()}
    for p in order:
        key = (p.piece, p.copy)
        mine = [s for s in of_piece.get(key, ()) if s.cuts[0].number not in made]
        made |= {s.cuts[0].number for s in mine}
        for s in mine:
            for other in {k for c in s.cuts for k in c.pieces}:
                waits[other] -= 1
        free = tuple(
            k for k, n in waits.items() if n == 0 and (k == key or k in set(cut) or _later(k, order, p))
        )
        for k in free:
            waits[k] = -1
        steps.append(_step(len(steps) + 1, job, hide, p, mine, tools, bench, free))
    total = sum(c.length_mm for c in left)
    around = total + sum(c.length_mm for c in left if len(c.pieces) > 1)
    minutes = sum(s.seconds for s in steps) / 60.0
    return CutPlan(
        hide.id, tuple(steps), tuple(every), total, around - total, minutes, blocks_of(job, here, bench)
    )


def _later(key: Key, order: Sequence[Placement], now: Placement) -> bool:
    """Whether a piece that came free has a step of its own still to come, which then cuts nothing more."""
    return key != (now.piece, now.copy) and any((p.piece, p.copy) == key for p in order)


def _tool(job: Job, p: Placement, tools: Mapping[str, Tool]) -> Tool:
    piece = job.pieces_by_id[p.piece]
    return tools.get(piece.whole_id, "knife")


def _in_order(job: Job, hide: Hide, here: Sequence[Placement], bench: Bench) -> list[Placement]:
    """The order of pieces: straps by school, then column by column from the end that is not kept, the outer
    pieces of each before they droop and those at the backbone last, so that long lengths stay whole; smalls
    at the end, from the waste.
    """
    x0, _, x1, _ = hide.region.bounds
    kept, right = hide.end_kept_mm2(*_reach(job, here)) if here else (0.0, True)
    from_right = not right and kept > 0

    def key(p: Placement) -> tuple[float, ...]:
        piece = job.pieces_by_id[p.piece]
        middle = place_region(piece.region, p.at).centroid
        along = (x1 - middle.x) if from_right else (middle.x - x0)
        if is_strap(piece):
            turn = 0.0 if bench.school == "straps first" else 2.0
            return turn, 0.0, middle.y, along
        if piece.area_mm2 < SMALL_MM2:
            return 3.0, along // COLUMN_MM, -middle.y, along
        return 1.0, along // COLUMN_MM, -middle.y, along

    return sorted(here, key=key)


def _reach(job: Job, here: Sequence[Placement]) -> tuple[float, float]:
    bounds = [place_region(job.pieces_by_id[p.piece].region, p.at).bounds for p in here]
    return min(b[0] for b in bounds), max(b[2] for b in bounds)


def _step(
    number: int,
    job: Job,
    hide: Hide,
    p: Placement,
    strokes: Sequence[Stroke],
    tools: Mapping[str, Tool],
    bench: Bench,
    free: tuple[Key, ...],
) -> Step:
    piece, tool = job.pieces_by_id[p.piece], _tool(job, p, tools)
    passes = passes_for(hide, p, piece, tool)
    punches = tuple(m.words for m in piece.marks if m.kind in ("hole", "slot") and m.draws == "area")
    ordered = sorted(strokes, key=lambda s: (s.cuts[0].kind != "window", not s.straight, -s.length_mm))
    words = _tools(ordered, tool, bench, is_strap(piece), bool(punches))
    seconds = bench.pace * (
        TAKE_UP_S + PUNCH_S * len(punches) + sum(_stroke_s(s, tool, passes) for s in ordered)
    )
    cautions = (*_nick(hide, piece, tool), *_cautions(ordered, tool))
    return Step(number, (p.piece, p.copy), tuple(ordered), words, punches, passes, cautions, seconds, free)


def passes_for(hide: Hide, p: Placement, piece: Piece, tool: Tool) -> int:
    """Return how many light strokes of the knife part the leather under a piece; 1 for a press and shears."""
    if tool in ("die", "shears"):
        return 1
    at = place_region(piece.region, p.at).representative_point()
    mm = float(hide.thickness_mm(np.array([(at.x, at.y)]))[0])
    if math.isnan(mm):
        mm = sum(piece.thickness_mm) / 2 if piece.thickness_mm and piece.thickness_mm[1] < 20 else USUAL_MM
    return max(1, math.ceil(mm / PER_PASS_MM - 1e-9))


def _stroke_s(stroke: Stroke, tool: Tool, passes: int) -> float:
    if tool == "die":
        return PRESS_S / max(1, len(stroke.cuts))
    if tool == "shears":
        return stroke.length_mm / MM_PER_S["shears"]
    if stroke.straight:
        if tool == "strap cutter":
            return LAY_RULE_S + stroke.length_mm / MM_PER_S["strap cutter"]
        rule = LAY_RULE_S if stroke.length_mm >= LONG_MM else 2.0
        return rule + passes * stroke.length_mm / MM_PER_S["rule"]
    return 2.0 + passes * stroke.length_mm / MM_PER_S["free"]


def _tools(
    strokes: Sequence[Stroke], tool: Tool, bench: Bench, strap: bool, punched: bool
) -> tuple[str, ...]:
    if tool == "die":
        return ("die and press",)
    if tool == "shears":
        return ("shears, wide of the line",)
    out = [tool_for(s, bench, strap and tool == "strap cutter") for s in strokes]
    if punched:
        out.append("hole punches")
    return tuple(dict.fromkeys(out))


def tool_for(stroke: Stroke, bench: Bench, strap_cutter: bool = False) -> str:
    """Return the tool of a stroke in words: by its length, its radius, and what the shop has."""
    if stroke.straight:
        if strap_cutter and stroke.length_mm >= LONG_MM:
            return "strap cutter, from the trued edge"
        return "rule and long blade" if stroke.length_mm >= LONG_MM else "short blade along the rule"
    cut = stroke.cuts[0]
    radius = radius_mm(cut.line) if not cut.closed else stroke.length_mm / (2 * math.pi)
    if cut.kind == "window" and cut.closed:
        punch = next((d for d in bench.punches_mm if abs(d - 2 * radius) <= SAME_PUNCH_MM), None)
        return (
            f"hole punch {punch:g} mm" if punch else "short blade: three quarters, turn, meet in the middle"
        )
    if radius <= SHARP_RADIUS_MM:
        punch = next((r for r in bench.round_mm if abs(r - radius) <= max(0.5, 0.08 * r)), None)
        return f"round-corner punch {punch:g} mm" if punch else "short blade"
    return "short blade"


def _nick(hide: Hide, piece: Piece, tool: Tool) -> tuple[str, ...]:
    """How a strap is begun that the strap cutter draws off the trued edge."""
    if tool != "strap cutter" or not is_strap(piece):
        return ()
    length, width = sides_mm(piece)
    end = hide.end_name(False)
    return (f"nick its {end} end {min(25.0, length / 10):.0f} mm in, {width:.0f} mm from the trued edge",)


def _cautions(strokes: Sequence[Stroke], tool: Tool) -> tuple[str, ...]:
    if tool == "die":
        return ("both hands clear of the press; guards and two-hand controls as fitted, as its maker says",)
    out = []
    if any(s.straight for s in strokes):
        out.append("free hand behind the edge of the rule; the rule covers the good leather")
    if any(any(s.short) for s in strokes):
        out.append(STOP_SHORT)
    if any(not s.straight for s in strokes):
        out.append("cut away from the body; turn the leather, not the wrist")
    return tuple(out)


def blocks_of(job: Job, here: Sequence[Placement], bench: Bench) -> tuple[tuple[Key, ...], ...]:
    """Return the pieces of a hide in blocks that fit the mat: parted by straight cuts across the hide or
    along it that go through no piece where there are such, and by shears that wander between pieces where
    there are none. A single piece larger than the mat is a block of its own.
    """
    boxes = {(p.piece, p.copy): place_region(job.pieces_by_id[p.piece].region, p.at).bounds for p in here}
    out: list[tuple[Key, ...]] = []
    todo = [tuple(boxes)] if boxes else []
    while todo:
        block = todo.pop(0)
        if _fits(block, boxes, bench.mat_mm):
            out.append(block)
        elif parts := _part(block, boxes):
            todo += parts
        else:
            out += _gathered(block, boxes, bench.mat_mm)
    return tuple(out)


def _fits(block: Sequence[Key], boxes: Mapping[Key, Box], mat_mm: tuple[float, float]) -> bool:
    sides = sorted(max(boxes[k][a + 2] for k in block) - min(boxes[k][a] for k in block) for a in (0, 1))
    return all(s <= m for s, m in zip(sides, sorted(mat_mm), strict=True))


def _gathered(
    block: Sequence[Key], boxes: Mapping[Key, Box], mat_mm: tuple[float, float]
) -> list[tuple[Key, ...]]:
    """Pieces gathered from one end of a block, the nearest first, as long as they fit the mat together."""
    middle = {k: ((boxes[k][0] + boxes[k][2]) / 2, (boxes[k][1] + boxes[k][3]) / 2) for k in block}
    left = sorted(block, key=lambda k: (middle[k][0], middle[k][1]))
    out = []
    while left:
        first = left[0]
        own: list[Key] = []
        for k in sorted(left, key=lambda k: math.dist(middle[first], middle[k])):
            if not own or _fits([*own, k], boxes, mat_mm):
                own.append(k)
        out.append(tuple(own))
        left = [k for k in left if k not in set(own)]
    return out


def ground_of_block(job: Job, here: Sequence[Placement], block: Sequence[Key]) -> BaseGeometry:
    """Return the leather that a block is cut out as: its pieces, with the waste between them and ``WIDE_MM``
    around, and nothing of any other piece.
    """
    shapes = {(p.piece, p.copy): place_region(job.pieces_by_id[p.piece].region, p.at) for p in here}
    own = union(shapes[k] for k in block)
    closed = own.buffer(BETWEEN_MM).buffer(WIDE_MM - BETWEEN_MM)
    others = union(s for k, s in shapes.items() if k not in set(block) and s.intersects(closed))
    return union((closed.difference(others.buffer(0.5)), own)) if not others.is_empty else closed


def _part(block: tuple[Key, ...], boxes: Mapping[Key, Box]) -> list[tuple[Key, ...]] | None:
    """A block parted near its middle by a cut that goes through none of it; None where there is none."""
    best: tuple[float, list[tuple[Key, ...]]] | None = None
    for axis in (0, 1):
        spans = sorted((boxes[k][axis], boxes[k][axis + 2], k) for k in block)
        end = spans[0][1]
        whole = max(s[1] for s in spans) - spans[0][0]
        for i, (lo, hi, _) in enumerate(spans[1:], 1):
            if lo >= end - 0.5:
                off = abs((lo - spans[0][0]) / max(whole, 1e-9) - 0.5)
                parts = [tuple(k for *_, k in spans[:i]), tuple(k for *_, k in spans[i:])]
                if best is None or off < best[0]:
                    best = (off, parts)
            end = max(end, hi)
    return None if best is None else best[1]
