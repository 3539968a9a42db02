"""Reading DXF drawings: blocks with scales, bulges, arcs, ellipses and splines, drawn out within 0.05 mm."""

from __future__ import annotations

import io

import numpy as np
from ezdxf import colors, filemanagement, path, recover
from ezdxf.disassemble import recursive_decompose
from ezdxf.document import Drawing as Document
from ezdxf.entities.dxfentity import DXFEntity
from ezdxf.lldxf.const import DXFError

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


def read_dxf(body: bytes) -> Drawing:
    """Return the drawing of a DXF file's model space, turned to y downward (it looks the same).

    Raises BadPattern for what is no DXF.
    """
    doc = _document(body)
    unit = int(doc.header.get("$INSUNITS", 0))
    unit_mm = INSUNITS_MM.get(unit)
    within = 0.05 / unit_mm if unit_mm else FINEST_UNIT
    strokes: list[Stroke] = []
    labels: list[Label] = []
    notes: list[str] = []
    for entity in recursive_decompose(doc.modelspace()):
        kind = entity.dxftype()
        layer = str(entity.dxf.get("layer", "0"))
        style = doc.layers.get(layer) if layer in doc.layers else None
        if style is not None and (style.is_off() or style.is_frozen()):
            notes.append(f"Layer {layer} is switched off in the file and was left out.")
        elif kind in DRAWN:
            stroke = _stroke(doc, entity, layer, within)
            if stroke is not None:
                strokes.append(stroke)
        elif kind in WORDS:
            text = entity.plain_text() if kind == "MTEXT" else str(entity.dxf.text)  # type: ignore[attr-defined]  # MText alone has plain_text
            at = entity.dxf.insert
            if text.strip():
                labels.append(Label(" ".join(text.split()), float(at.x), -float(at.y), layer))
        elif kind not in QUIET:
            notes.append(f"{kind.capitalize()} on layer {layer} was left out: it is no line.")
    says = (
        f"The file says its units are {UNIT_NAMES.get(unit, 'known')}."
        if unit_mm
        else "The file does not say what its units are."
    )
    return sound_drawing(strokes, labels, unit_mm, says, notes)


def _document(body: bytes) -> Document:
    try:
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


def _stroke(doc: Document, entity: DXFEntity, layer: str, within: float) -> Stroke | None:
    if entity.dxftype() == "LINE":
        a, b = entity.dxf.start, entity.dxf.end
        return Stroke(np.array([(a.x, -a.y), (b.x, -b.y)]), False, layer, _colour(doc, entity, layer))
    try:
        found = path.make_path(entity)
    except (TypeError, ValueError, DXFError):
        return None
    points = np.array([(v.x, -v.y) for v in found.flattening(within, segments=4)], np.float64)
    if len(points) < 2:
        return None
    return Stroke(
        points, bool(found.is_closed or getattr(entity, "closed", False)), layer, _colour(doc, entity, layer)
    )


def _colour(doc: Document, entity: DXFEntity, layer: str) -> str:
    index = int(entity.dxf.get("color", colors.BYLAYER))
    if index in (colors.BYLAYER, colors.BYBLOCK):
        index = abs(int(doc.layers.get(layer).dxf.color)) if layer in doc.layers else 7
    if index == 7 or not 0 < index < 256:
        return "#000000"
    rgb = colors.aci2rgb(index)
    return f"#{rgb.r:02x}{rgb.g:02x}{rgb.b:02x}"
