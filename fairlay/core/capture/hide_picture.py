"""Pictures of a hide on its table to its outline, holes and chalk marks, in mm; or to what must change before
it can be read.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPoint, Polygon

from fairlay.core.capture.chalk import USUAL_CHALKS, Chalk, ChalkLine, ChalkRing, find_chalk
from fairlay.core.capture.doubt import area_off, burnt_out
from fairlay.core.capture.height import lowered, lowered_face
from fairlay.core.capture.hide_apart import Press
from fairlay.core.capture.hide_edge import HideFound, find_hide
from fairlay.core.capture.hide_settled import settled
from fairlay.core.capture.table import TableSeen, TableTop, find_table, straighten
from fairlay.core.capture.templates import Template, TemplateSeen, find_templates
from fairlay.core.errors import BadPicture
from fairlay.core.leather.measured_again import fit_again
from fairlay.core.shapes.rings import Ring, simple_ring

Image = NDArray[np.uint8]

TILTED_DEG = 25.0
COARSE_PX_PER_MM = 0.8
DISAGREES_MM = 0.6
OVERBRIGHT = 0.01
HARDLY_APART = 2.5
MOST_MISSING = 3
KEPT_STEP_MM = 1.0
"""An outline is kept with points no farther off it than a quarter of this."""


@dataclass(frozen=True, eq=False)
class HideSeen:
    """What pictures of a hide gave, on the table in mm: the table from above, outline, holes, chalk rings
    and lines, area, markers seen and how well they agree, and advice in words.

    ``area_off_mm2`` and ``edge_off_mm``: how far off area and edge may be, nineteen times in twenty;
    ``doubts``: places (x, y, mm2) of which it is not sure that they are hide; ``missing``: markers that may
    lie there unseen; ``markers_at``: the middles of those seen, by number.
    """

    top: TableTop
    outline: Ring
    holes: tuple[Ring, ...]
    rings: tuple[ChalkRing, ...]
    lines: tuple[ChalkLine, ...]
    area_mm2: float
    markers: tuple[int, ...]
    rms_mm: float
    tilt_deg: float
    advice: tuple[str, ...]
    area_off_mm2: float = 0.0
    edge_off_mm: float = 0.0
    doubts: tuple[tuple[float, float, float], ...] = ()
    missing: tuple[int, ...] = ()
    markers_at: dict[int, tuple[float, float]] = field(default_factory=dict)


def look_at_hide(
    images: Sequence[Image],
    *,
    thickness_mm: float = 2.0,
    bar_mm: float = 100.0,
    chalks: tuple[Chalk, ...] = USUAL_CHALKS,
    expected: Sequence[int] = (),
    presses: Sequence[Press] = (),
    tell: Callable[[str], None] = lambda _: None,
) -> HideSeen:
    """Return the hide that pictures ``(h, w, 3)`` uint8 of one camera show, one picture or several that
    overlap.

    ``thickness_mm``: the leather's, whose face is nearer the camera by so much; ``bar_mm``: what the printed
    bar of the marker sheets measures; ``expected``: markers that lie on the table; ``tell`` hears in words
    what was found so far, and may raise to stop. Raises BadPicture, saying what to change, where nothing sure
    can be read.
    """
    if not 0 <= thickness_mm <= 15:
        raise BadPicture(f"leather {thickness_mm:g} mm thick", value=thickness_mm, expected="0 to 15 mm")
    tell(
        f"{len(images)} picture{'s' if len(images) > 1 else ''}, "
        f"{sum(i.shape[0] * i.shape[1] for i in images) / 1e6:.0f} million points"
    )
    table = find_table(images, bar_mm, expected)
    tell(f"{len(table.markers)} markers, agreeing within {table.rms_mm:.1f} mm")
    top = straighten(images, table)
    tell("the table as seen from straight above")
    presses = [p.on_table(table) for p in presses]
    found = find_hide(top, table, presses)
    tell(f"the hide's edge{f', {len(found.holes)} holes' if found.holes else ''}")
    chalk = find_chalk(top, found, chalks, presses)
    tell(f"{len(chalk.rings)} rings and {len(chalk.lines)} lines of chalk")
    eyes = [v.eye for v in table.views]
    edge, edge_off = settled(found.outline, images, table, top)
    outline = _down(edge, eyes, top, thickness_mm)
    holes = tuple(
        _down(settled(h, images, table, top, hole=True)[0], eyes, top, thickness_mm, hole=True)
        for h in found.holes
    )
    rings = tuple(
        ChalkRing(_face_down(r.outline, eyes, top, thickness_mm), r.chalk, r.severity, r.sure)
        for r in chalk.rings
    )
    lines = tuple(
        ChalkLine(line.kind, _face_down(line.ends, eyes, top, thickness_mm), line.chalk)
        for line in chalk.lines
    )
    area = Polygon(outline).area - sum(Polygon(h).area for h in holes)
    middle = np.array(Polygon(outline).centroid.coords[0])
    tilt = (
        max(float(np.degrees(np.arctan2(np.hypot(*(middle - e[:2])), e[2]))) for e in eyes)
        if len(eyes) == 1
        else 0.0
    )
    burnt = burnt_out(images)
    off = area_off(outline, found, edge, edge_off, table, burnt)
    missing = _missing(table, expected)
    advice = [*_advice(table, top, outline, found, tilt, burnt, missing), *chalk.advice]
    return HideSeen(
        top,
        _thinned(outline),
        tuple(_thinned(h) for h in holes),
        rings,
        lines,
        area,
        tuple(sorted(table.markers)),
        table.rms_mm,
        tilt,
        tuple(advice),
        off,
        2 * float(np.sqrt((edge_off**2).mean())),
        found.doubts,
        missing,
        {n: (float(c[:, 0].mean()), float(c[:, 1].mean())) for n, c in sorted(table.markers.items())},
    )


def _missing(table: TableSeen, expected: Sequence[int]) -> tuple[int, ...]:
    """Markers that are not seen: of those that lie there; or, where nobody says, of a set as it is
    printed.
    """
    known = expected or range(max(table.markers) + 1)
    missing = tuple(n for n in known if n not in table.markers)
    return missing if expected or len(missing) <= MOST_MISSING else ()


def _down(
    ring: Ring, eyes: list[tuple[float, float, float]], top: TableTop, thickness: float, hole: bool = False
) -> Ring:
    """An outline brought down to the table, each point as seen by the camera that shows it."""
    each = [lowered(ring, e, thickness, hole) for e in eyes]
    if len(each) == 1 or any(len(e) != len(ring) for e in each):
        return each[0]
    return simple_ring(_picked(ring, each, top))


def _face_down(points: Ring, eyes: list[tuple[float, float, float]], top: TableTop, thickness: float) -> Ring:
    each = [lowered_face(points, e, thickness) for e in eyes]
    return each[0] if len(each) == 1 else _picked(points, each, top)


def _picked(points: Ring, each: list[Ring], top: TableTop) -> Ring:
    px = np.round(top.to_px(points)).astype(int)
    h, w = top.whose.shape
    whose = top.whose[px[:, 1].clip(0, h - 1), px[:, 0].clip(0, w - 1)]
    return np.stack([each[int(k)][i] for i, k in enumerate(whose)])


def _thinned(ring: Ring) -> Ring:
    out: Ring = np.asarray(Polygon(ring).simplify(KEPT_STEP_MM / 4).exterior.coords)[:-1]
    return out


def _advice(
    table: TableSeen,
    top: TableTop,
    outline: Ring,
    found: HideFound,
    tilt: float,
    burnt: float,
    missing: tuple[int, ...],
) -> list[str]:
    out = []
    if found.doubts:
        unsure = sum(area for _, _, area in found.doubts)
        out.append(
            f"It is not sure whether {unsure / 100:.0f} cm2 are hide or table, where the marks stand: press "
            "there and say which."
        )
    if missing:
        names = ", ".join(map(str, missing))
        one = len(missing) == 1
        out.append(
            f"Marker{'' if one else 's'} {names} {'was' if one else 'were'} not seen. If "
            f"{'it lies' if one else 'they lie'} there, uncover {'it' if one else 'them'}: the more "
            "that are seen, "
            "the surer the measure."
        )
    inside = MultiPoint(np.concatenate(list(table.markers.values()))).convex_hull
    beyond = Polygon(outline).buffer(0).difference(inside.buffer(120))
    if not beyond.is_empty and beyond.area > 2_000:
        out.append(
            "Part of the hide lies well outside the markers; there it is measured less surely. Lay markers "
            "round all of it."
        )
    if len(table.markers) < 6:
        out.append(
            f"Only {len(table.markers)} markers were seen; with eight or more, one that is covered does no "
            "harm."
        )
    if table.rms_mm > DISAGREES_MM:
        out.append(
            f"The markers agree only to {table.rms_mm:.1f} mm: see that the sheets lie flat and were printed "
            "at one scale."
        )
    if found.apart < HARDLY_APART:
        out.append(
            "The hide hardly stands out from the table: look its outline over well, or spread a sheet of "
            "another colour under it."
        )
    if tilt > TILTED_DEG:
        out.append(
            f"The camera stood {tilt:.0f} degrees off; from higher over the middle, thick leather and curled "
            "edges are measured better."
        )
    if max(v.px_per_mm(np.array([(top.x0, top.y0)])) for v in table.views) < COARSE_PX_PER_MM:
        out.append(
            "A mm takes less than a pixel: go nearer and take two pictures, or use the camera's full size."
        )
    if burnt > OVERBRIGHT:
        out.append(
            f"{burnt:.0%} of the picture is burnt out, and edges there are measured less surely: turn "
            "lamps away, "
            "shade the window, or set the camera darker."
        )
    return out


@dataclass(frozen=True, eq=False)
class TemplatesSeen:
    """Templates found on a hide, in the hide's own mm, as ``TemplateSeen`` says; the table from above with
    what takes the hide's mm onto it (a, b, c, d, e, f as SVG writes it); and advice in words.
    """

    top: TableTop
    matrix: tuple[float, float, float, float, float, float]
    found: tuple[TemplateSeen, ...]
    advice: tuple[str, ...]


def look_at_templates(
    images: Sequence[Image],
    known: Ring,
    templates: Sequence[Template],
    *,
    thickness_mm: float = 2.0,
    card_mm: float = 0.8,
    bar_mm: float = 100.0,
    tell: Callable[[str], None] = lambda _: None,
) -> TemplatesSeen:
    """Return the card templates that lie on a hide in pictures ``(h, w, 3)`` of its table.

    ``known``: the hide's outline as it was measured, which tells where on it they lie; ``card_mm``: how
    thick the card is. Raises BadPicture where nothing sure can be read, BadHide where another hide lies
    there.
    """
    table = find_table(images, bar_mm)
    tell(f"{len(table.markers)} markers, agreeing within {table.rms_mm:.1f} mm")
    top = straighten(images, table)
    hide = find_hide(top, table)
    tell("the hide's edge")
    eyes = [v.eye for v in table.views]
    edge, _ = settled(hide.outline, images, table, top)
    fit = fit_again(known, _thinned(_down(edge, eyes, top, thickness_mm)))
    a, b, c, d, e, f = fit.matrix
    back = np.linalg.inv(np.array([[a, c], [b, d]]))
    turned = float(np.degrees(np.arctan2(b, a)))
    out = []
    # A card of the table's colour over the edge is taken for table: the hide reaches as far as it did.
    lies = known @ np.array([[a, b], [c, d]]) + [e, f]
    for t in find_templates(top, lies, templates):
        low = _face_down(np.array([[t.x, t.y]]), eyes, top, thickness_mm + card_mm)[0]
        x, y = back @ (low - np.array([e, f]))
        out.append(replace(t, x=float(x), y=float(y), turn_deg=(t.turn_deg - turned) % 360.0))
    tell(f"{len(out)} templates")
    doubted = sum(t.doubted for t in out)
    advice = [f"{doubted} of them are in doubt: look at those marked."] if doubted else []
    return TemplatesSeen(top, fit.matrix, tuple(out), tuple(advice))
