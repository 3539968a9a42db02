"""What an SVG calls its things: which groups are layers, and what pieces are called.

Drawing programs write a group for a layer, for a piece and for no reason, and an id for everything. A group
that says it is a layer is one; where none says so, the outermost named groups are, and any that is named for
stitches, holes, folds and the like.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from typing import Final

from fairlay.core.formats.drawing import Use, suggested_use

INKSCAPE: Final = "{http://www.inkscape.org/namespaces/inkscape}"
LABELS: Final = (f"{INKSCAPE}label", "inkscape:label", "data-name")
GROUP_MODES: Final = (f"{INKSCAPE}groupmode", "inkscape:groupmode")
SAYS_LAYER: Final = "data-layer"
"""What our own files call it."""
MARKS: Final[frozenset[Use]] = frozenset({"stitch", "hole", "fold", "glue", "skive"})
GIVEN_BY_MACHINE: Final = re.compile(
    r"(path|rect|rectangle|g|group|groupe|gruppe|circle|ellipse|polygon|polyline|line|use|svg|shape|vector|"
    r"curve|object|text|tspan|frame|union|subtract|compound|clip|mask|xmlid|surface|image|symbol|element|"
    r"node|layer|ebene|calque|capa|page|svgid|st|cls|id|a)?[\s\d.:-]*(copy|kopie)?[\s\d.:-]*",
    re.IGNORECASE,
)
ESCAPED: Final = re.compile(r"_x([0-9A-Fa-f]{2,4})_")
LEAST_LETTERS: Final = re.compile(r"[^\W\d_]{2}")


class Names:
    """How one file names its things."""

    def __init__(self, root: ET.Element) -> None:
        self.root = root
        self.says_layers = any(e.get(key) == "layer" for e in root.iter() for key in GROUP_MODES)
        self.ours = any(e.get(SAYS_LAYER) for e in root.iter())

    def of(self, element: ET.Element, holds: bool, layer: str, name: str) -> tuple[str, str]:
        """Return the layer and the name of what an element draws, given those of what holds it."""
        ours = element.get(SAYS_LAYER)
        if ours:
            return ours, name
        if element is self.root:
            return layer, name
        label = next((element.get(k) or "" for k in LABELS if element.get(k)), "")
        called = words_of(label) or words_of(readable(element.get("id")))
        own = words_of(label) or words_of(_title(element)) or called
        if not holds:
            says_use = not self.ours and bool(called) and suggested_use(called) in MARKS
            if says_use and suggested_use(layer) == "outline":
                return _unnumbered(called), name
            return layer, own or name
        if self.says_layers:
            if any(element.get(key) == "layer" for key in GROUP_MODES):
                return label or readable(element.get("id")), ""
            return layer, own or name
        if layer and not (own and suggested_use(own) in MARKS):
            return layer, own or name
        if layer:
            return own, name
        return label or own or _layer_id(element), own


def readable(given: str | None) -> str:
    """An id in words: ``Back_x0020_panel`` and ``back-panel_1_`` are a back panel."""
    text = ESCAPED.sub(lambda found: chr(int(found[1], 16)), given or "")
    return " ".join(re.sub(r"_\d+_$", "", text).replace("_", " ").split())


def words_of(text: str) -> str:
    """What a person called something; nothing where a program numbered it."""
    text = " ".join(text.split())
    if not LEAST_LETTERS.search(text) or GIVEN_BY_MACHINE.fullmatch(text):
        return ""
    return text


def _unnumbered(name: str) -> str:
    return re.sub(r"[\s\d.-]+$", "", name) or name


def _layer_id(element: ET.Element) -> str:
    """The id of a group that is numbered as a layer."""
    text = readable(element.get("id"))
    return text if re.match(r"(layer|ebene|calque|capa)", text, re.IGNORECASE) else ""


def _title(element: ET.Element) -> str:
    found = next((child for child in element if str(child.tag).rsplit("}", 1)[-1] == "title"), None)
    return (found.text or "") if found is not None else ""
