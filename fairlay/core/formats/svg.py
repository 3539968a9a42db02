"""A lay as SVG at true size: one user unit is one mm, backbone along the top, belly down."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from fairlay.core.lay.check import hide_shapes
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import SEVERITY_NAMES
from fairlay.core.pattern.drawn import DrawnMark
from fairlay.core.shapes.placing import place_points
from fairlay.core.shapes.rings import Ring, rings_of

ROLL_SHOWN_MM = 1000.0
"""So much of a roll is drawn where nothing lies on it."""
ROOM_MM = 40.0
"""Between hides, where a lay has several on one sheet."""
STYLE = (
    ".hide{fill:#d9b48a;stroke:#2b2621;stroke-width:1.2}"
    ".zone{fill:none;stroke:#7b5a34;stroke-width:.5;stroke-dasharray:8 5}"
    ".flaw{fill:none;stroke:#8c2f1d;stroke-width:1}.flaw.s1{stroke-dasharray:1.5 "
    "3}.flaw.s2{stroke-dasharray:7 4}"
    ".piece{fill:#f4e8c9;fill-rule:evenodd;stroke:#1d1a17;stroke-width:.4}"
    ".mark{fill:none;stroke:#5b5044;stroke-width:.3}.mark.stitch{stroke-dasharray:1.5 "
    "1.5}.mark.fold{stroke-dasharray:6 3}.mark.flesh{stroke-opacity:.55}"
    "text{font:12px sans-serif;fill:#1d1a17;text-anchor:middle}"
)


def path_data(rings: list[Ring]) -> str:
    """Return rings as SVG path data, three decimals of a mm."""
    return " ".join("M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in ring) + "Z" for ring in rings)


def lay_svg(job: Job, lay: Lay, hide_id: str | None = None) -> str:
    """Return an SVG document of a lay: width and height in mm, so that it opens and prints at true size.

    ``hide_id`` draws one hide; else every hide that anything lies on, one below the other.
    """
    used = {p.hide for p in lay.placements}
    hides = [h for h in job.hides if (h.id == hide_id if hide_id else h.id in used)] or list(job.hides)
    return _document(job.name, [(h, *_hide_svg(job, lay, h)) for h in hides])


def hide_svg(hide: Hide) -> str:
    """Return an SVG document of a hide with nothing on it, at true size."""
    x1 = min(hide.region.bounds[2], ROLL_SHOWN_MM) if hide.is_roll else hide.region.bounds[2]
    return _document(hide.id, [(hide, "".join(_leather_svg(hide, x1)), x1)])


def _document(title: str, drawn: list[tuple[Hide, str, float]]) -> str:
    blocks, top, width = [], ROOM_MM, 0.0
    for hide, body, x1 in drawn:
        x0, y0, _, y1 = hide.region.bounds
        blocks.append(
            f'<g id={quoteattr(hide.id)} transform="translate({ROOM_MM - x0:.3f},{top - y0:.3f})">{body}</g>'
        )
        top += y1 - y0 + ROOM_MM
        width = max(width, x1 - x0 + 2 * ROOM_MM)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{width:.3f}mm" height="{top:.3f}mm" viewBox="0 0 {width:.3f} {top:.3f}">'
        f"<title>{escape(title)}</title><style>{STYLE}</style>{''.join(blocks)}</svg>\n"
    )


def _leather_svg(hide: Hide, x1: float) -> list[str]:
    """A hide as far as ``x1``: its outline, its zones as far as they are leather, its flaws."""
    if hide.is_roll:
        out = [f'<rect class="hide" width="{x1:.3f}" height="{hide.width_mm:.3f}"/>']
    else:
        out = _layer(
            "HIDE", [f'<path class="hide" fill-rule="evenodd" d="{path_data([hide.outline, *hide.holes])}"/>']
        )
    out += _layer(
        "ZONE",
        [
            f'<path class="zone" d="{path_data(rings_of(shown))}"><title>tightness {zone.tightness}'
            "</title></path>"
            for zone, shown in hide.zones_on_leather
        ],
    )
    for severity, name in SEVERITY_NAMES.items():
        rings = [
            f'<path class="flaw s{severity}" d="{path_data([f.outline])}"><title>{escape(f.kind)}, '
            f"{name}</title></path>"
            for f in hide.flaws
            if f.severity == severity
        ]
        out += _layer(f"FLAW_{name.upper()}", rings)
    return out


def _hide_svg(job: Job, lay: Lay, hide: Hide) -> tuple[str, float]:
    """A hide with what lies on it, and how far along it is drawn."""
    x1, shapes = hide.region.bounds[2], hide_shapes(job, lay, hide)
    if hide.is_roll:
        x1 = min(x1, max((shape.bounds[2] for _, shape in shapes), default=ROLL_SHOWN_MM) + 20.0)
    out = _leather_svg(hide, x1)
    for placement, shape in shapes:
        c = shape.representative_point()
        name = f"{placement.piece} {placement.copy + 1}"
        out.append(
            f'<path class="piece" data-piece={quoteattr(placement.piece)} data-copy="{placement.copy}" '
            f'd="{path_data(rings_of(shape))}"><title>{escape(name)}</title></path>'
        )
        out += [
            _mark_svg(mark, place_points(mark.points, placement.at))
            for mark in job.pieces_by_id[placement.piece].marks
            if mark.draws != "pricks"
        ]
        if shape.area > 8000:
            out.append(f'<text x="{c.x:.1f}" y="{c.y:.1f}">{escape(name)}</text>')
    return "".join(out), x1


def _layer(name: str, shapes: list[str]) -> list[str]:
    """Shapes of one layer, named as the DXF names it, so that what reads the file can tell them apart."""
    return [f'<g data-layer="{name}">', *shapes, "</g>"] if shapes else []


def _mark_svg(mark: DrawnMark, points: Ring) -> str:
    d = "M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in points) + ("Z" if mark.draws == "area" else "")
    return f'<path class="mark {mark.kind} {mark.side}" d="{d}"><title>{escape(mark.words)}</title></path>'
