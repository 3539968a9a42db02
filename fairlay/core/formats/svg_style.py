"""The style of what an SVG draws: its style sheets, its attributes, its colour."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping
from typing import Any

import cssselect2
import tinycss2
from tinycss2.color3 import parse_color

from fairlay.core.formats.svg_pen import tag_of
from fairlay.core.formats.svg_values import length_px

KEPT_STYLES = (
    "display",
    "visibility",
    "stroke",
    "fill",
    "font-size",
    "opacity",
    "stroke-opacity",
    "fill-opacity",
    "stroke-dasharray",
    "marker-start",
    "marker-end",
)
NOT_INHERITED = ("display", "opacity")


def colour_of(style: Mapping[str, str]) -> str:
    """The colour a shape is drawn in, as #rrggbb: its line's, else its filling's."""
    for key in ("stroke", "fill"):
        text = style.get(key, "")
        if text and text != "none":
            found = parse_color(text)
            if isinstance(found, tuple):
                return "#" + "".join(f"{round(255 * max(0.0, min(1.0, c))):02x}" for c in found[:3])
    return "" if style.get("fill") == "none" else "#000000" if "stroke" in style or "fill" in style else ""


def is_painted(style: Mapping[str, str], what: str) -> bool:
    """Whether a shape's ``what`` ("stroke" or "fill") shows; a filling does unless told otherwise."""
    text = style.get(what, "black" if what == "fill" else "none").strip()
    if text in ("none", "transparent") or _nothing(style.get(f"{what}-opacity")):
        return False
    found = parse_color(text)
    return not (isinstance(found, tuple) and found[3] == 0)


def is_pointed(style: Mapping[str, str]) -> bool:
    """Whether a line has something at an end, an arrow's head mostly."""
    return any(style.get(f"marker-{end}", "none").strip() != "none" for end in ("start", "end"))


def is_hidden(style: Mapping[str, str]) -> bool:
    """Whether an element, and all in it, is not drawn at all."""
    return style.get("display") == "none" or _nothing(style.get("opacity"))


def is_broken(style: Mapping[str, str]) -> bool:
    """Whether a line is drawn in dashes or dots."""
    parts = style.get("stroke-dasharray", "none").replace(",", " ").split()
    return any(length_px(part, 100.0) > 0 for part in parts)


def _nothing(share: str | None) -> bool:
    try:
        return share is not None and float(share.strip().rstrip("%")) == 0
    except ValueError:
        return False


def _declared(text: str) -> dict[str, str]:
    out = {}
    for d in tinycss2.parse_blocks_contents(text, skip_comments=True, skip_whitespace=True):
        if d.type == "declaration" and d.lower_name in KEPT_STYLES:
            out[d.lower_name] = tinycss2.serialize(d.value).strip()
    return out


def styles_of(root: ET.Element) -> Callable[[ET.Element], dict[str, str]]:
    """Return what gives an element's own style: that of style sheets in the file, then its style
    attribute.
    """
    rules: list[tuple[Any, dict[str, str]]] = []
    for sheet in (e for e in root.iter() if tag_of(e) == "style"):
        for rule in tinycss2.parse_stylesheet(sheet.text or "", skip_comments=True, skip_whitespace=True):
            if rule.type != "qualified-rule":
                continue
            try:
                selectors = cssselect2.compile_selector_list(rule.prelude)
            except cssselect2.SelectorError:
                continue
            said = _declared(tinycss2.serialize(rule.content))
            rules += [(selector, said) for selector in selectors]
    if not rules:
        return lambda element: _declared(element.get("style") or "") if element.get("style") else {}
    matcher: Any = cssselect2.Matcher()
    for selector, said in rules:
        matcher.add_selector(selector, said)
    wrapped = {w.etree_element: w for w in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree()}

    def of(element: ET.Element) -> dict[str, str]:
        out: dict[str, str] = {}
        for *_, said in sorted(matcher.match(wrapped[element]), key=lambda m: m[:2]):
            out |= said
        return out | _declared(element.get("style") or "")

    return of
