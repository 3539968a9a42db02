"""The referee: checks a lay against its job from the exchange JSON alone, on shapely, sharing no code with
the product.

``broken(job, lay)`` returns the names of rules that the lay breaks, as a sorted list of
(rule, words). docs/exchange-format.md says what each field means.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from itertools import combinations

from shapely import affinity
from shapely.geometry import Point, Polygon, box
from shapely.ops import unary_union

DEEP = 0.1
EMPTY = Polygon()


def _shape(record):
    return Polygon(record["outline"], record.get("holes") or [])


def _lay_down(shape, p):
    if p.get("mirrored"):
        shape = affinity.scale(shape, -1, 1, origin=(0, 0))
    return affinity.translate(affinity.rotate(shape, p.get("rotation_deg", 0), origin=(0, 0)), p["x"], p["y"])


def _catalogue(job):
    found = {}
    for piece in job["pieces"]:
        found[piece["id"]] = piece
        for split in piece.get("splits", []):
            for part in split["parts"]:
                name = f"{piece['id']}~{split['id']}.{part['id']}"
                found[name] = {
                    **piece,
                    "holes": [],
                    "hidden": [],
                    **part,
                    "id": name,
                    "of": (piece["id"], split["id"], len(split["parts"])),
                }
    return found


def _gap(job, piece):
    own = piece.get("gap")
    return job.get("gap", 0) if own is None else own


def _whole(piece):
    return piece["of"][0] if "of" in piece else piece["id"]


def _kept(reserved):
    return Polygon(reserved["outline"]).buffer(0)


def _grain_line(hide, school, centre):
    if school == "backbone":
        return hide.get("backbone_deg", 0)
    for zone in reversed(hide.get("zones", [])):
        if Polygon(zone["outline"]).intersects(centre):
            return zone.get("stretch_deg", 90) + 90
    return hide.get("backbone_deg", 0)


def _thickness(hide, x, y):
    top = bottom = 0.0
    for r in hide["thickness"]:
        d = (r["x"] - x) ** 2 + (r["y"] - y) ** 2
        if d < 1e-6:
            return r["mm"]
        top, bottom = top + r["mm"] / d, bottom + 1 / d
    return top / bottom


def _probe(shape):
    points = list(shape.exterior.coords)
    x0, y0, x1, y1 = shape.bounds
    y = y0 + 10
    while y < y1:
        x = x0 + 10
        while x < x1:
            if shape.covers(Point(x, y)):
                points.append((x, y))
            x += 20
        y += 20
    return points


def broken(job, lay):
    """Every rule broken, as sorted (rule, words)."""
    out = []
    catalogue = _catalogue(job)
    hides = {h["id"]: h for h in job["hides"]}
    known = [p for p in lay["placements"] if p["piece"] in catalogue and p["hide"] in hides]
    if len(known) < len(lay["placements"]):
        out.append(("unknown", "a piece or hide that the job does not have"))
    out += _counts(job, catalogue, known)
    for f in job.get("fixed", []):
        same = [p for p in known if (p["piece"], p["copy"], p["hide"]) == (f["piece"], f["copy"], f["hide"])]
        if not any(
            abs(p["x"] - f["x"]) + abs(p["y"] - f["y"]) + abs(p["rotation_deg"] - f["rotation_deg"]) < 0.01
            for p in same
        ):
            out.append(("fixed", f["piece"]))
    homes = defaultdict(set)
    for p in known:
        piece = catalogue[p["piece"]]
        if piece.get("set") in job.get("match_sets", []):
            homes[piece["set"], p["copy"] // piece["per_set"]].add(p["hide"])
    out += [("match sets", f"{name} {k}") for (name, k), where in homes.items() if len(where) > 1]
    for hide in hides.values():
        out += _on_hide(job, catalogue, hide, [p for p in known if p["hide"] == hide["id"]])
    return sorted(out)


def _counts(job, catalogue, known):
    out = [
        ("counts", f"{key} placed {n} times")
        for key, n in Counter((p["piece"], p["copy"]) for p in known).items()
        if n > 1
    ]
    whole, parts, hands = Counter(), defaultdict(set), Counter()
    for p in known:
        piece = catalogue[p["piece"]]
        if "of" in piece:
            parts[piece["of"][0], piece["of"][1], p["copy"], piece["of"][2]].add(piece["id"])
        else:
            whole[piece["id"]] += 1
            hands[piece["id"]] += bool(p.get("mirrored"))
        if p.get("mirrored") and not piece.get("pair"):
            out.append(("pair", f"{p['piece']} mirrored"))
    for (parent, _, copy, wanted), got in parts.items():
        if len(got) < wanted:
            out.append(("split", f"{parent} {copy} is not whole"))
        else:
            whole[parent] += 1
    for piece in job["pieces"]:
        n, half = whole[piece["id"]], piece["quantity"] // 2
        if n > piece["quantity"]:
            out.append(("counts", piece["id"]))
        if piece.get("pair") and (hands[piece["id"]] > half or n - hands[piece["id"]] > half):
            out.append(("pair", piece["id"]))
    return out


def _cut_out(piece):
    """A piece, what of it and of its show face must lie fairly, and what no other may touch."""
    whole = _shape(piece)
    hidden = unary_union([Polygon(h) for h in piece.get("hidden", [])] or [EMPTY])
    return whole, whole.buffer(-DEEP), whole.difference(hidden).buffer(-DEEP), whole.buffer(-DEEP / 2)


def _on_hide(job, catalogue, hide, placed):
    cut = {name: _cut_out(catalogue[name]) for name in {p["piece"] for p in placed}}
    laid = [tuple(_lay_down(shape, p) for shape in cut[p["piece"]]) for p in placed]
    out, shapes = [], [whole for whole, *_ in laid]
    if hide["kind"] == "roll":
        far = max((s.bounds[2] for s in shapes), default=0) + 1
        margin = hide.get("edge_margin", 0)
        ground = box(0, margin, far, hide["width"] - margin)
    else:
        ground = _shape(hide).buffer(-hide.get("edge_margin", 0))
    marks = {
        s: unary_union(
            [Polygon(f["outline"]).buffer(0) for f in hide.get("flaws", []) if f["severity"] == s] or [EMPTY]
        )
        for s in (1, 2, 3)
    }
    reach, tops, covered = ground.buffer(DEEP), [], EMPTY
    for zone in reversed(hide.get("zones", [])):
        own = Polygon(zone["outline"]).buffer(0)
        tops.append((zone["tightness"], own.difference(covered)))
        covered = covered.union(own)
    for p, (shape, core, face, _) in zip(placed, laid, strict=True):
        piece = catalogue[p["piece"]]
        if not reach.covers(core):
            out.append(("edge", p["piece"]))
        if core.intersects(marks[3]):
            out.append(("unsound flaw", p["piece"]))
        if any(face.intersects(marks[s]) for s in (1, 2) if s > piece.get("show_limit", 2)):
            out.append(("show face", p["piece"]))
        if any(core.intersects(_kept(r)) for r in hide.get("reserved", []) if _whole(piece) not in r["for"]):
            out.append(("reserved", p["piece"]))
        if any(core.intersects(ground_) for t, ground_ in tops if t > piece.get("max_tightness", 4)):
            out.append(("tightness", p["piece"]))
        if piece.get("thickness_mm") and hide.get("thickness"):
            low, high = piece["thickness_mm"]
            if any(not low - 0.05 <= _thickness(hide, x, y) <= high + 0.05 for x, y in _probe(shape)):
                out.append(("thickness", p["piece"]))
        grain, school = piece.get("grain"), job.get("grain_school", "backbone")
        if grain and school != "free" and grain["tolerance_deg"] < 180:
            axis = (180 - grain["axis_deg"] if p.get("mirrored") else grain["axis_deg"]) + p["rotation_deg"]
            off = abs((axis - _grain_line(hide, school, shape.centroid) + 180) % 360 - 180)
            if (min(off, 180 - off) if grain.get("reversible", True) else off) > grain["tolerance_deg"] + 0.1:
                out.append(("grain", p["piece"]))
    slim = [thin for *_, thin in laid]
    for i, j in combinations(range(len(slim)), 2):
        gap = max(_gap(job, catalogue[placed[k]["piece"]]) for k in (i, j))
        if slim[i].intersects(slim[j]) or (gap and slim[i].distance(slim[j]) < gap - DEEP):
            out.append(("gap", f"{placed[i]['piece']} and {placed[j]['piece']}"))
    return out
