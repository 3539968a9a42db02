"""Reading DXF drawings: blocks with scales, bulges, arcs, ellipses and splines, drawn out within 0.05 mm."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from ezdxf import colors, filemanagement, path, recover
from ezdxf.document import Drawing as Document
from ezdxf.entities.dxfentity import DXFEntity
from ezdxf.entities.insert import Insert
from ezdxf.lldxf.const import DXFError
from ezdxf.lldxf.tagger import binary_tags_loader
from ezdxf.math import OCS, Vec3
from ezdxf.protocols import SupportsVirtualEntities, virtual_entities
from numpy.typing import NDArray

from fairlay.core.errors import BadPattern
from fairlay.core.formats.drawing import FINEST_UNIT, Drawing, Label, Stroke, sound_drawing

INSUNITS_MM = {
    1: 25.4,
    2: 304.8,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
    8: 25.4e-6,
    9: 0.0254,
    10: 914.4,
    13: 0.001,
    14: 100.0,
}
"""mm per unit by the header's $INSUNITS (AutoCAD DXF reference); others, and 0, say nothing."""
UNIT_NAMES = {1: "inches", 2: "feet", 4: "mm", 5: "cm", 6: "metres", 9: "thousandths of an inch", 14: "dm"}
DRAWN = {"LINE", "LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE"}
WORDS = {"TEXT", "MTEXT", "ATTRIB"}
QUIET = {"ATTDEF", "VIEWPORT", "SEQEND"}
MEASURES = {"DIMENSION", "ARC_DIMENSION", "LARGE_RADIAL_DIMENSION", "LEADER", "MULTILEADER", "MLEADER"}
STRETCHED = {3, 5}
"""Words set between two points (group 72: aligned, fitted) begin at the first."""
WHOLE_LINES = {"CONTINUOUS", ""}
NUMBERED_BLOCK = re.compile(r"\*|a\$c|_|block[\s_-]*\d*$|\d*$", re.IGNORECASE)
"""Blocks that a program named."""
BINARY = b"AutoCAD Binary DXF\r\n\x1a\x00"
"""How a binary file begins (AutoCAD DXF reference)."""
MOST_THINGS = 200_000
MOST_DEEP = 50
"""Blocks within blocks."""


@dataclass(frozen=True)
class _Via:
    """What a block reference lends to what it places: its layer (to what lies on 0), its colour and kind of
    line (to what takes them from the block), and the block's name.
    """

    layer: str = "0"
    colour: str = "#000000"
    broken: bool = False
    name: str = ""
    deep: int = 0


def read_dxf(body: bytes) -> Drawing:
    """Return the drawing of a DXF file's model space, turned to y downward (it looks the same).

    Raises BadPattern for what is no DXF, or more than a drawing is.
    """
    doc = _document(body)
    unit = int(doc.header.get("$INSUNITS", 0))
    unit_mm = INSUNITS_MM.get(unit)
    found = _Reading(doc, 0.05 / unit_mm if unit_mm else FINEST_UNIT)
    found.read(doc.modelspace(), _Via())
    says = (
        f"The file says its units are {UNIT_NAMES.get(unit, 'known')}."
        if unit_mm
        else "The file does not say what its units are."
    )
    return sound_drawing(found.strokes, found.labels, unit_mm, says, found.notes)


class _Reading:
    """One DXF as it is read."""

    def __init__(self, doc: Document, within: float) -> None:
        self.doc, self.within = doc, within
        self.strokes: list[Stroke] = []
        self.labels: list[Label] = []
        self.notes: list[str] = []
        self.seen = 0

    def read(self, entities: Iterable[DXFEntity], via: _Via) -> None:
        """Read entities, and those of the blocks they place."""
        for entity in entities:
            self.seen += 1
            if self.seen > MOST_THINGS or via.deep > MOST_DEEP:
                raise BadPattern(
                    f"more than {MOST_THINGS} things are drawn, or blocks lie more than {MOST_DEEP} deep",
                    value=self.seen,
                    expected="a pattern, not a pattern repeated without end",
                )
            layer = str(entity.dxf.get("layer", "0"))
            layer = via.layer if layer == "0" else layer
            style = self.doc.layers.get(layer) if layer in self.doc.layers else None
            if style is not None and (style.is_off() or style.is_frozen()):
                self.notes.append(f"Layer {layer} is switched off in the file and was left out.")
            elif entity.dxf.get("invisible", 0):
                self.notes.append(f"Something hidden on layer {layer} was left out.")
            else:
                self._one(entity, layer, via)

    def _one(self, entity: DXFEntity, layer: str, via: _Via) -> None:
        kind = entity.dxftype()
        if isinstance(entity, Insert):
            if entity.mcount > 1:
                self.read(entity.multi_insert(), via)
                return
            name = str(entity.dxf.get("name", ""))
            name = via.name if NUMBERED_BLOCK.match(name) else name.replace("_", " ")
            colour, broken = self._colour(entity, layer, via), self._broken(entity, layer, via)
            own = _Via(layer, colour, broken, name, via.deep + 1)
            self.read(entity.attribs, own)
            self.read(virtual_entities(entity), own)
        elif kind in MEASURES:
            self.notes.append(f"Measures on layer {layer} were left out: they are no line of a pattern.")
        elif isinstance(entity, SupportsVirtualEntities):
            self.read(virtual_entities(entity), replace(via, layer=layer, deep=via.deep + 1))
        elif kind in DRAWN:
            points, closed = self._points(entity)
            if len(points) > 1:
                colour, broken = self._colour(entity, layer, via), self._broken(entity, layer, via)
                self.strokes.append(Stroke(points, closed, layer, colour, via.name, broken))
        elif kind in WORDS:
            text = entity.plain_text() if kind == "MTEXT" else str(entity.dxf.text)  # type: ignore[attr-defined]  # MText alone has plain_text
            at = self._where(entity)
            self.labels += [
                Label(" ".join(line.split()), float(at.x), -float(at.y), layer)
                for line in text.splitlines()
                if line.strip()
            ]
        elif kind not in QUIET:
            self.notes.append(f"{kind.capitalize()} on layer {layer} was left out: it is no line.")

    def _where(self, entity: DXFEntity) -> Vec3:
        """Where words stand: those of one line in their own plane, which in a mirrored block looks the other
        way, and at their second point where they are not set from the left.
        """
        at = entity.dxf.insert
        if entity.dxftype() == "MTEXT":
            return Vec3(at)
        across, up = entity.dxf.get("halign", 0), entity.dxf.get("valign", 0)
        if (across or up) and across not in STRETCHED:
            at = entity.dxf.get("align_point", at)
        return OCS(entity.dxf.get("extrusion", (0, 0, 1))).to_wcs(Vec3(at))

    def _points(self, entity: DXFEntity) -> tuple[NDArray[np.float64], bool]:
        if entity.dxftype() == "LINE":
            a, b = entity.dxf.start, entity.dxf.end
            return np.array([(a.x, -a.y), (b.x, -b.y)]), False
        try:
            found = path.make_path(entity)
        except (TypeError, ValueError, DXFError):
            return np.empty((0, 2)), False
        points = np.array([(v.x, -v.y) for v in found.flattening(self.within, segments=4)], np.float64)
        return points, bool(found.is_closed or getattr(entity, "closed", False))

    def _colour(self, entity: DXFEntity, layer: str, via: _Via) -> str:
        true = entity.dxf.get("true_color")
        index = int(entity.dxf.get("color", colors.BYLAYER))
        if index == colors.BYBLOCK:
            return via.colour
        if true is None and index == colors.BYLAYER and layer in self.doc.layers:
            own = self.doc.layers.get(layer)
            true, index = own.dxf.get("true_color"), abs(int(own.dxf.color))
        if true is not None:
            rgb = colors.int2rgb(int(true))
        elif index in (7, colors.BYLAYER) or not 0 < index < 256:
            return "#000000"
        else:
            rgb = colors.aci2rgb(index)
        return f"#{rgb[0]:02x}{rgb[1]:02x}{rgb[2]:02x}"

    def _broken(self, entity: DXFEntity, layer: str, via: _Via) -> bool:
        name = str(entity.dxf.get("linetype", "BYLAYER")).upper()
        if name == "BYBLOCK":
            return via.broken
        if name == "BYLAYER":
            own = self.doc.layers.get(layer) if layer in self.doc.layers else None
            name = str(own.dxf.get("linetype", "CONTINUOUS")).upper() if own is not None else "CONTINUOUS"
        return name not in WHOLE_LINES


def _document(body: bytes) -> Document:
    try:
        if body.startswith(BINARY):
            doc = Document.load(binary_tags_loader(body))
        else:
            doc = _as_written(body) or recover.read(io.BytesIO(body))[0]
    except (
        DXFError,
        OSError,
        ValueError,
        KeyError,
        IndexError,
        TypeError,
        AttributeError,
        UnicodeError,
    ) as cause:
        raise BadPattern(
            f"the file is no DXF that can be read: {cause}",
            value=str(cause),
            expected="a DXF file, R12 or later",
        ) from cause
    if not len(doc.modelspace()):
        raise BadPattern(
            "nothing is drawn in this file", value=0, expected="outlines in the model space of the DXF"
        )
    return doc


def _as_written(body: bytes) -> Document | None:
    """The document of a sound text file, read as it stands; None for one that wants recovering."""
    try:
        return filemanagement.read(io.StringIO(body.decode("utf-8").replace("\r\n", "\n")))
    except (DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError):
        return None
