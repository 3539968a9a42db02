"""What is done with strangers' files behind the fence: each act holds what it needs, and gives what JSON can
hold.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from fairlay.core.capture.chalk import Chalk
from fairlay.core.capture.check_page import measure_check_page
from fairlay.core.capture.hide_apart import Press
from fairlay.core.capture.hide_picture import look_at_hide, look_at_templates
from fairlay.core.capture.squared_paper import Said, as_jpeg, at_square_mm, camera_of, decode, look, trace_on
from fairlay.core.capture.templates import Template
from fairlay.core.formats.by_pen import parted_by_pen
from fairlay.core.formats.drawing import Drawing, Use
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.hide_drawing import hide_in_drawing
from fairlay.core.formats.read_out import drawing_out, sorted_out, traced_out
from fairlay.core.formats.seen_json import PressRecord, SeenRecord, seen_in_pictures, seen_plain
from fairlay.core.formats.sort_out import SaidOf, sort_out
from fairlay.core.formats.svg_in import read_svg

Tell = Callable[[str, float], None]
PICTURE_QUALITY = 82


def is_svg(name: str, body: bytes) -> bool:
    """Whether a file is an SVG: by its name, or by how it begins."""
    return name.lower().endswith((".svg", ".svgz")) or b"<svg" in body[:2000]


def _drawing(name: str, body: bytes, tell: Tell, share: float) -> Drawing:
    if is_svg(name, body):
        return read_svg(body, lambda part: tell("reading the drawing", share * part))
    return read_dxf(body)


@dataclass(frozen=True)
class ReadDrawing:
    """A drawing as it came: its layers, units and strokes."""

    name: str
    body: bytes

    def __call__(self, tell: Tell) -> dict[str, Any]:
        found = parted_by_pen(_drawing(self.name, self.body, tell, 0.9))
        return drawing_out(self.name, found).model_dump(mode="json")


@dataclass(frozen=True)
class SortDrawing:
    """The pieces of a drawing, once it is said what its layers are and what its unit is."""

    name: str
    body: bytes
    uses: dict[str, Use]
    unit_mm: float
    all_windows: bool
    said: tuple[SaidOf, ...] = ()

    def __call__(self, tell: Tell) -> dict[str, Any]:
        drawing = parted_by_pen(_drawing(self.name, self.body, tell, 0.4))
        tell("sorting out its pieces", 0.5)
        return sorted_out(
            sort_out(drawing, self.uses, self.unit_mm, patterns=not self.all_windows, said=self.said)
        ).model_dump(mode="json")


@dataclass(frozen=True)
class HideInDrawing:
    """A hide from a drawing; ``unit_mm`` where the user says it."""

    name: str
    body: bytes
    unit_mm: float | None

    def __call__(self, tell: Tell) -> SeenRecord:
        drawing = _drawing(self.name, self.body, tell, 0.6)
        found = hide_in_drawing(drawing, self.unit_mm)
        flaws = [(f.outline, f.severity, f.kind) for f in found.flaws]
        seen = seen_plain("drawing", found.outline, found.holes, found.notes, flaws, found.backbone)
        return seen.model_copy(update={"unit_mm": found.unit_mm, "told_mm": drawing.unit_mm or 0.0})


@dataclass(frozen=True)
class TracedPicture:
    """What a picture on squared paper gave, and the picture straightened, as JPEG."""

    values: dict[str, Any]
    straight: bytes


@dataclass(frozen=True)
class TracePicture:
    """The outlines of what lies on squared paper in a picture; ``bar_mm`` is what the printed bar
    measures.
    """

    body: bytes
    said: Said
    bar_mm: float | None

    def __call__(self, tell: Tell) -> TracedPicture:
        tell("opening the picture", 0.05)
        image = decode(self.body)
        said = at_square_mm(self.said, self.bar_mm)
        tell("looking for the squares", 0.15)
        paper, straight = look(image, said.square_mm)
        tell(f"{len(paper.index)} squares found; tracing what lies on them", 0.6)
        found = trace_on(paper, straight, said)
        return TracedPicture(traced_out(found, "").model_dump(mode="json"), as_jpeg(straight.image))


@dataclass(frozen=True)
class FoundHide:
    """What a hide's pictures gave, and the table seen from above, as JPEG."""

    seen: SeenRecord
    top: bytes


@dataclass(frozen=True)
class LookAtHide:
    """A hide found in its pictures."""

    bodies: Sequence[bytes]
    thickness_mm: float
    bar_mm: float
    chalks: Sequence[Chalk] = field(default_factory=tuple)
    presses: Sequence[PressRecord] = field(default_factory=tuple)

    def __call__(self, tell: Tell) -> FoundHide:
        images = [decode(body) for body in self.bodies]
        found = look_at_hide(
            images,
            thickness_mm=self.thickness_mm,
            bar_mm=self.bar_mm,
            chalks=tuple(self.chalks),
            presses=[Press(p.x, p.y, p.means, p.picture) for p in self.presses],
            tell=lambda words: tell(words, 0.0),
        )
        return FoundHide(seen_in_pictures(found, ""), as_jpeg(found.top.image, PICTURE_QUALITY))


@dataclass(frozen=True)
class ReadTemplates:
    """The card templates that lie on a hide in a picture: ``known`` is its outline, ``templates`` their
    names and outlines, all in mm.
    """

    body: bytes
    bar_mm: float
    thickness_mm: float
    known: Sequence[Sequence[float]]
    templates: Sequence[tuple[str, Sequence[Sequence[float]]]]

    def __call__(self, tell: Tell) -> FoundTemplates:
        found = look_at_templates(
            [decode(self.body)],
            np.asarray(self.known, float),
            [Template(name, np.asarray(outline, float)) for name, outline in self.templates],
            thickness_mm=self.thickness_mm,
            bar_mm=self.bar_mm,
            tell=lambda words: tell(words, 0.5),
        )
        h, w = found.top.image.shape[:2]
        top, ppm = found.top, found.top.px_per_mm
        return FoundTemplates(
            {
                "found": [
                    {
                        "piece": t.name,
                        "x": t.x,
                        "y": t.y,
                        "rotation_deg": t.turn_deg,
                        "mirrored": t.over,
                        "support": t.support,
                        "may_be": list(t.may_be),
                    }
                    for t in found.found
                ],
                "matrix": list(found.matrix),
                "bounds": [top.x0, top.y0, top.x0 + w / ppm, top.y0 + h / ppm],
                "advice": list(found.advice),
            },
            as_jpeg(top.image, PICTURE_QUALITY),
        )


@dataclass(frozen=True)
class FoundTemplates:
    """What a picture of templates gave, and the table seen from above, as JPEG."""

    values: dict[str, Any]
    top: bytes


@dataclass(frozen=True)
class CheckCamera:
    """What the check page measures in a picture of the table, its block ``true_mm`` by a steel rule; and
    which camera took it, as the picture says.
    """

    body: bytes
    bar_mm: float
    true_mm: tuple[float, float]

    def __call__(self, tell: Tell) -> dict[str, Any]:
        tell("measuring the check page", 0.2)
        found = measure_check_page([decode(self.body)], self.bar_mm, self.true_mm)
        return {**asdict(found), "words": found.words, "camera": camera_of(self.body)}
