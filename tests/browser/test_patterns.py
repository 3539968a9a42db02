"""From paper, file and measures to pieces that are laid: a mitt from a photograph, a strap by its measures, a
bellows from a DXF.
"""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

FILES = Path(__file__).resolve().parents[1] / "files"


def test_a_mitt_a_strap_and_a_bellows_are_made_and_laid(page: Page, address: str) -> None:
    page.goto(f"{address}/patterns")
    expect(page.get_by_role("link", name=re.compile("^Stove mitts"))).to_contain_text("complete")
    page.get_by_role("button", name="New article").click()
    page.get_by_label("What it is called").fill("Hearth set")
    page.get_by_role("button", name="Begin it").click()
    expect(page.get_by_role("heading", name="Hearth set")).to_be_visible()

    # A mitt from a photograph on squared paper: first one that cannot be used, which says why.
    page.get_by_role("button", name="Add a piece").first.click()
    page.get_by_role("tab", name="From a photograph").click()
    page.get_by_label("Or the simulated camera, over").select_option("a part over the border")
    page.get_by_role("button", name="Take a picture").click()
    expect(page.get_by_role("alert")).to_contain_text("reaches over the border", timeout=60_000)
    page.get_by_role("button", name="Take another picture").click()
    page.get_by_label("Or the simulated camera, over").select_option("an old stove mitt, opened out")
    page.get_by_role("button", name="Take a picture").click()
    expect(page.get_by_text(re.compile("squares agree within"))).to_be_visible(timeout=60_000)
    expect(page.get_by_role("heading", name=re.compile("26[123] mm × (189|190|191) mm"))).to_be_visible()
    node = page.get_by_role("button", name=re.compile("^Node 1 of"))
    node.focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("button", name="As it was traced")).to_be_visible()
    page.get_by_role("button", name="As it was traced").click()
    page.get_by_label("Name of the piece").fill("Mitt palm")
    page.get_by_label("a pair: half mirrored").check()
    page.get_by_role("button", name="Add it to Hearth set").click()
    expect(page.locator("g[data-piece=mitt-palm]")).to_be_visible()

    # A strap by its measures, in inches as it was told.
    page.get_by_role("button", name="Add a piece").click()
    page.get_by_label("length over all").fill("16 1/2 in")
    page.keyboard.press("Tab")
    page.get_by_label("other end").select_option("round")
    expect(page.get_by_text("419 mm × 25 mm")).to_be_visible()
    page.get_by_label("Name of the piece").fill("Hanging strap")
    page.get_by_role("button", name="Add it to Hearth set").click()
    expect(page.locator("g[data-piece=hanging-strap]")).to_be_visible()

    # A bellows from a DXF: its layers are recognised, one is set right by hand.
    page.get_by_role("button", name="Add a piece").click()
    page.get_by_role("tab", name="From a drawing").click()
    page.get_by_label("Drawing", exact=True).set_input_files(FILES / "bellows.dxf")
    expect(page.get_by_text("2 pieces found")).to_be_visible()
    page.get_by_label("The next contour").click()
    page.get_by_role("group", name="One contour").get_by_label("left out").check()
    expect(page.get_by_text("1 piece found")).to_be_visible()
    page.get_by_role("button", name="as it was read").click()
    expect(page.get_by_text("2 pieces found")).to_be_visible()
    page.get_by_label("What CREASE is").select_option("leave out")
    page.get_by_label("What CREASE is").select_option("fold")
    page.get_by_label("How many Gusset").fill("2")
    page.get_by_role("button", name="Add 2 pieces to Hearth set").click()
    expect(page.locator("g[data-piece]")).to_have_count(4)

    # The gusset on the bench: a stitch line along an edge, a skive, leather left beyond; and undone.
    page.locator("g[data-piece=gusset]").click()
    page.get_by_role("tab", name="Marks").click()
    page.get_by_role("button", name="Stitch line").click()
    expect(page.get_by_text(re.compile(r"\d+ stitches over \d+ mm"))).to_be_visible()
    page.get_by_role("tab", name="Cut").click()
    page.get_by_label("Left beyond the finished edge, all round").fill("6")
    page.keyboard.press("Enter")
    expect(page.get_by_text("322 mm × 134 mm")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("310 mm × 122 mm")).to_be_visible()
    page.get_by_label("Middle y").fill("40")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Cut it").click()
    expect(page.get_by_text("Window 1")).to_be_visible()
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_text("Window 1")).to_have_count(0)
    page.get_by_role("link", name="← Hearth set").click()

    # The bar that a printer got wrong.
    page.get_by_role("button", name="Print", exact=True).click()
    page.get_by_label("The 100 mm bar measures").fill("97")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile("3.0 % too small.*fit to page"))).to_be_visible()
    with page.expect_download() as sheets:
        page.get_by_role("link", name="Make the sheets (PDF)").click()
    assert Path(sheets.value.path()).read_bytes().startswith(b"%PDF")
    page.get_by_role("button", name="Close").click()

    # Ordered and laid.
    page.goto(f"{address}/batches")
    page.get_by_role("button", name="New batch").click()
    page.get_by_label("Number").fill("B-60")
    page.get_by_label("Name", exact=True).fill("Hearth sets")
    page.get_by_label("How many Hearth set").fill("2")
    page.get_by_role("button", name="Add the batch").click()
    expect(page.get_by_role("heading", name=re.compile("B-60"))).to_be_visible()
    batch = page.url
    _laid(page, "body leather", "F-S07", {"mitt-palm"})
    page.goto(batch)
    # Another batch keeps the bend: both share it.
    _laid(page, "strap leather", "F-B05", {"hanging-strap", "board-face", "gusset"}, shared=True)

    # Now it is planned: it stays as it is, and changes in a revision of its own.
    page.goto(f"{address}/patterns")
    page.get_by_role("link", name=re.compile("^Hearth set")).click()
    page.get_by_role("button", name="Change it: new revision").click()
    page.get_by_label("What did the last one teach?").fill("The strap was too short to reach the hook")
    page.get_by_role("button", name="Begin a new revision").click()
    expect(page.get_by_text("rev. B", exact=True)).to_be_visible()
    page.get_by_role("button", name="Revisions").click()
    expect(page.get_by_text("Nothing differs yet")).to_be_visible()
    expect(page.get_by_text("planned in B-60").first).to_be_visible()


def _laid(page: Page, material: str, hide: str, pieces: set[str], shared: bool = False) -> None:
    """Choose a hide for a material of the batch on the screen, and lay these pieces on it and no others."""
    region = page.get_by_role("region", name=material)
    region.get_by_role("checkbox", name=hide).click()
    if shared:
        page.get_by_role("alertdialog").get_by_role("button", name="Keep it for both").click()
    expect(region.get_by_role("checkbox", name=hide)).to_be_checked()
    region.get_by_role("link", name="Lay it").click()
    page.get_by_role("button", name="Lay them").click()
    laid = page.locator("use[data-piece]")
    for piece in pieces:
        expect(page.locator(f'use[data-piece="hearth-set/{piece}"]').first).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Stop, keep the best").click()
    expect(page.get_by_role("button", name="Lay it better")).to_be_visible(timeout=60_000)
    # Read in one go: the page may draw them in another order meanwhile.
    kinds = laid.evaluate_all("all => all.map(one => one.dataset.piece)")
    assert set(kinds) == {f"hearth-set/{piece}" for piece in pieces}
