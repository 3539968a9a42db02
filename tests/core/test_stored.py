"""Documents as the store keeps them. Where a shape differs from the one held here, the class was changed:
give the document a new version, and a step that leads old values to it, and then hold its new shape.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pytest
from pydantic import TypeAdapter

from fairlay.core.errors import BadHide
from fairlay.core.formats.stored import ARTICLE, CARD, INVOICE, LOOKING, Document
from fairlay.store.settings import SETTINGS

HELD = {
    "article": (2, "1c36573dfd9d370b"),
    "hide's card": (1, "d6c2ffb35a10247f"),
    "invoice": (1, "afe0b78cc9120d53"),
    "hide's document": (2, "6f0cdccbd268afe5"),
    "shop's choices": (1, "e0be605c4896ee32"),
}


@pytest.mark.parametrize("document", [ARTICLE, CARD, INVOICE, LOOKING, SETTINGS], ids=lambda d: d.kind)
def test_a_document_looks_as_its_version_did(document: Document[Any]) -> None:
    assert (document.version, document.shape_of()) == HELD[document.kind]


@dataclass(frozen=True)
class Tag:
    width_mm: float
    note: str = ""


def test_an_old_document_is_brought_up_to_date_and_a_newer_one_refused() -> None:
    tags = Document(
        "tag",
        3,
        TypeAdapter(Tag),
        BadHide,
        {
            1: lambda old: {"width_mm": old["width_cm"] * 10},
            2: lambda old: {**old, "note": f"{old['width_mm']:.0f} wide"},
        },
    )
    assert tags.read({"width_cm": 3}) == tags.read({"v": 2, "width_mm": 30.0}) == Tag(30.0, "30 wide")
    assert tags.read(tags.write(Tag(5.0, "x"))) == Tag(5.0, "x")
    assert tags.is_current(tags.write(Tag(5.0))) and not tags.is_current({"width_cm": 3})
    for values, words in (
        ({"v": 4, "width_mm": 1}, "version 4.*newer release"),
        ({"v": "2"}, "version 2"),
        ([1], "no document"),
        ({"v": 3, "width_mm": "wide"}, "cannot be read"),
    ):
        with pytest.raises(BadHide, match=words):
            tags.read(values)
