"""From the lorry to a batch: a lot of four is received, one side photographed, a ring corrected, pulled, and
its batch found.
"""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def _press(page: Page, x: float, y: float) -> None:
    """Press the hide at a share of its drawing's width and height."""
    box = page.locator("svg[data-scale]").bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] * x, box["y"] + box["height"] * y)


def test_a_lot_of_four_is_received_and_one_side_known(page: Page, address: str) -> None:
    page.goto(f"{address}/leather")
    page.get_by_role("link", name="Receive leather").click()
    page.get_by_role("button", name="A delivery has come").click()
    page.get_by_label("Mill").fill("Oxlade Pits")
    page.get_by_label("Lot").fill("OP-3001")
    # A browser closed in the middle of the invoice loses nothing.
    page.reload()
    expect(page.get_by_label("Lot")).to_have_value("OP-3001")
    page.get_by_label("Price", exact=True).fill("8.60")
    page.get_by_label("Colour").fill("chestnut")
    page.get_by_label("Tannage").fill("vegetable")
    page.get_by_label("Hides in all").fill("5")
    page.get_by_label("Area in all").fill("108")
    page.get_by_role("button", name="Begin the delivery").click()
    page.get_by_label("Areas by the invoice in ft², one a hide").fill("19.75 22.5 20.75 23")
    page.get_by_role("button", name="Receive 4 hides").click()
    expect(page.get_by_role("link", name=re.compile("^Measure O-"))).to_have_count(4)
    expect(page.get_by_text("By the invoice 1 hide and 22 ft² are still to come.")).to_be_visible()
    number = (page.get_by_role("rowheader").first.text_content() or "").strip()

    # The camera is tried on the printed page first.
    page.get_by_label(f"Measure {number}").click()
    page.get_by_role("region", name="Check the camera").get_by_role("button", name="Take one").click()
    checked = page.get_by_role("status").filter(has_text="mm measured")
    expect(checked).to_contain_text(re.compile(r"[+-]?0\.\d\d %"), timeout=60_000)

    page.get_by_label("Or the simulated camera, over").select_option("a chestnut side, chalked")
    page.get_by_role("button", name="Take a picture").click()
    page.get_by_role("button", name="Find the hide in 1 picture").click(timeout=60_000)
    expect(page.get_by_text(re.compile("10 markers agree within"))).to_be_visible(timeout=60_000)
    expect(page.locator("g[data-ring]")).to_have_count(6)

    # One is said to be chalk, and the picture read again with that.
    page.get_by_role("button", name="This is chalk").click()
    at = page.locator("g[data-ring='2'] path").first.bounding_box()
    assert at is not None
    page.mouse.click(at["x"] + 2, at["y"] + at["height"] / 2)
    expect(page.get_by_text("1 place said.")).to_be_visible(timeout=60_000)
    expect(page.locator("g[data-ring]")).to_have_count(6)

    # One ring is corrected: what it is, how bad, and where its edge runs; a reload keeps it.
    page.get_by_role("button", name="Ring 2", exact=True).click()
    page.get_by_label("What is it?").select_option("scar")
    page.get_by_label("How bad is it?").select_option("3")
    path = page.locator("g[data-ring='2'] path").first
    before = path.get_attribute("d")
    page.get_by_role("button", name="Push the edge").click()
    for _ in range(2):
        box = path.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] - 4, box["y"] + box["height"] / 2, steps=3)
        page.mouse.up()
        expect(path).not_to_have_attribute("d", before or "")
        page.keyboard.press("u")
        expect(path).to_have_attribute("d", before or "")
    page.mouse.down()
    page.mouse.move(box["x"] - 9, box["y"] + box["height"] / 2, steps=3)
    page.mouse.up()
    page.reload()
    expect(page.get_by_role("button", name="Ring 2", exact=True)).to_contain_text("unsound")
    page.get_by_label("Take ring 6").uncheck()
    page.get_by_role("button", name="Take what is ticked").click()

    # Looked over: the quick steps, a ring by figures, then pull tests.
    expect(page.get_by_role("heading", name="1. Backbone and ends")).to_be_visible()
    page.get_by_role("button", name="Done, on to the next").click()
    expect(page.get_by_role("heading", name="2. Surface marks")).to_be_visible()
    expect(page.get_by_role("heading", name="5 flaws")).to_be_visible()
    page.get_by_role("button", name="Ring it by figures").click()
    page.get_by_role("button", name="Ring it", exact=True).click()
    page.reload()
    page.get_by_label("What is it?").select_option("tick bite")
    page.get_by_role("button", name="Keep the ring").click()
    expect(page.get_by_role("heading", name="6 flaws")).to_be_visible()
    page.get_by_role("button", name="Done, on to the next").click()
    expect(page.get_by_role("heading", name="3. Feel and pinch")).to_be_visible()
    page.get_by_role("button", name="Done, on to the next").click()
    expect(page.get_by_text("looked over quickly, 3 of 8 steps")).to_be_visible()
    page.get_by_role("button", name="6. Pull tests").click()
    page.mouse.move(400, 300)
    page.mouse.down()
    page.mouse.move(460, 330, steps=4)
    page.mouse.up()
    expect(page.get_by_role("button", name="Keep the test")).to_have_count(0)
    page.keyboard.press("0")
    for k, (x, y, along, across) in enumerate(
        ((0.3, 0.2, "1.2", "1.8"), (0.5, 0.48, "3", "8.5"), (0.72, 0.2, "2.5", "3.6"))
    ):
        _press(page, x, y)
        page.get_by_label("Along the backbone").fill(along)
        page.get_by_label("Across it").fill(across)
        page.keyboard.press("Tab")
        page.get_by_role("button", name="Keep the test").click()
        expect(page.locator("g[data-pull]")).to_have_count(k + 1)
    expect(page.get_by_role("listitem").get_by_text("slack", exact=True)).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("g[data-pull]")).to_have_count(2)
    # Where the hands know already, tightness is drawn.
    map_before = page.locator("svg[data-scale] title").filter(has_text="slack leather").count()
    page.get_by_role("button", name="slack", exact=True).click()
    box = page.locator("svg[data-scale]").bounding_box()
    assert box is not None
    x, y = box["x"] + 460, box["y"] + 60
    page.mouse.move(x, y)
    page.mouse.down()
    for dx, dy in ((60, 0), (90, 40), (60, 80), (0, 80), (-30, 40), (0, 0)):
        page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()
    expect(page.locator("svg[data-scale] title").filter(has_text="slack leather")).to_have_count(
        map_before + 1
    )
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("svg[data-scale] title").filter(has_text="slack leather")).to_have_count(map_before)
    page.get_by_role("button", name="7. Thickness").click()
    _press(page, 0.4, 0.2)
    page.get_by_role("button", name="Read the gauge").click()
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.get_by_role("heading", name=re.compile("^1 reading"))).to_be_visible()

    # Its worth: which batch, best first, with the reason; then the delivery in money and the rack.
    page.get_by_role("button", name="Its worth").click()
    best = page.get_by_role("list", name="Batches it suits, best first").get_by_role("listitem")
    expect(best.first).to_contain_text("best")
    expect(best.first).to_contain_text("bears every piece")
    page.get_by_role("button", name="History").click()
    expect(page.get_by_text("measured from pictures")).to_be_visible()
    page.get_by_role("link", name="← The rack").click()
    page.get_by_label("Find a hide").fill(number)
    expect(page.get_by_text(re.compile("^1 hide ·"))).to_be_visible()
    expect(page.get_by_role("button", name=re.compile(f"^{number}"))).to_contain_text("looked over")
    page.get_by_role("button", name="Choose several").click()
    page.get_by_role("button", name="All shown").click()
    page.get_by_label("Keep them for a batch").select_option(label="B-31 Bellows for the winter fair")
    expect(page.get_by_role("button", name=re.compile(f"^{number}"))).to_contain_text("kept for B-31")
    page.get_by_role("link", name="Receive leather").click()
    page.get_by_role("link", name=re.compile("OP-3001")).click()
    expect(page.get_by_text("(1 of 4 hides measured)")).to_be_visible()


def test_what_a_cut_left_is_measured_again_and_stays_known(page: Page, address: str) -> None:
    page.goto(f"{address}/leather")
    page.get_by_label("Find a hide").fill("O-046")
    page.get_by_role("button", name=re.compile("^O-046")).click()
    page.get_by_role("link", name="Measure it: picture, drawing or rule").click()
    here = page.url

    # Pictures being read are left alone and come back to.
    page.get_by_label("Or the simulated camera, over").select_option("a chestnut side, chalked")
    page.get_by_role("button", name="Take a picture").click()
    page.get_by_role("button", name="Find the hide in 1 picture").click(timeout=60_000)
    expect(page.get_by_role("button", name="Stop")).to_be_enabled()
    page.goto(f"{address}/leather")
    page.goto(here)
    waits = page.get_by_role("button", name="Take what is ticked")
    expect(waits).to_be_visible(timeout=60_000)
    area = page.get_by_role("heading", name=re.compile("^O-046: "))
    whole = area.text_content()
    page.get_by_role("button", name="Cut", exact=True).click()
    box = page.locator("svg[data-scale]").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.82, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.82, box["y"] + box["height"] - 10, steps=8)
    page.mouse.up()
    expect(area).not_to_have_text(whole or "")
    page.get_by_role("button", name="As it was found").click()
    expect(area).to_have_text(whole or "")
    waits.click()
    expect(page.locator("path[data-flaw]")).to_have_count(6)

    # Leather is cut from it, and what is left photographed: what was known lies where it lay.
    page.goto(here)
    page.get_by_label("Or the simulated camera, over").select_option("what a cut left of the chestnut side")
    page.get_by_role("button", name="Take a picture").click()
    page.get_by_role("button", name="Find the hide in 1 picture").click(timeout=60_000)
    expect(page.get_by_text(re.compile("of its edge lies along the old one"))).to_be_visible(timeout=60_000)
    kept = page.locator("path[data-known-flaw]").count()
    assert 0 < kept < 6
    keep = page.get_by_label("keep it, where the broken rings show")
    keep.uncheck()
    expect(page.locator("path[data-known-flaw]")).to_have_count(0)
    expect(page.get_by_text("is put away; Undo brings it back")).to_be_visible()
    keep.check()
    page.get_by_label("it lay flesh side up: turn it over").check()
    expect(page.get_by_text(re.compile("It cannot be kept: this outline is not the one"))).to_be_visible()
    page.get_by_label("it lay flesh side up: turn it over").uncheck()
    waits.click()
    expect(page.locator("path[data-flaw]")).to_have_count(kept)
    expect(page.get_by_text(re.compile("part used"))).to_be_visible()
    page.get_by_role("button", name="History").click()
    expect(page.get_by_text("measured from pictures, after a cut")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text(re.compile("part used"))).to_have_count(0)
    expect(page.locator("path[data-flaw]")).to_have_count(6)

    # An end cut off straight hangs on the rack as an offcut, until the cut is undone.
    page.get_by_role("button", name="Cut an end off straight").click()
    expect(page.get_by_label("For")).to_be_visible()
    _press(page, 0.7, 0.3)
    page.get_by_label("For").fill("B-29")
    page.get_by_role("button", name="Cut it; the larger part stays").click()
    page.get_by_role("link", name="see it").click()
    expect(page.get_by_role("heading", name="O-046-1")).to_be_visible()
    page.go_back()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("undone: cut for B-29; O-046-1 came off")).to_be_visible()
    expect(page.get_by_role("link", name="see it")).to_have_count(0)


def test_a_hide_by_keys_by_rule_and_from_its_flesh_side(page: Page, address: str) -> None:
    page.goto(f"{address}/leather")
    page.get_by_label("state", exact=True).select_option("received")
    page.get_by_role("button", name=re.compile("^O-047")).press("Enter")
    expect(page.get_by_role("heading", name="O-047")).to_be_visible()
    expect(page.get_by_text("Not measured yet; not looked over")).to_be_visible()
    page.get_by_role("link", name="Measure it: picture, drawing or rule").click()
    stations = page.get_by_label("Stations")
    stations.fill("0, 60\n300, 10, 900")
    page.get_by_role("button", name="Draw the outline").click()
    expect(page.get_by_role("alert")).to_contain_text("Line 1 is no station")
    stations.fill(
        "0, 60, 700\n300, 10, 900\n600, 0, 870\n900, 0, 850\n1200, 0, 830\n1500, 5, 800\n1800, 0, 760\n2100, "
        "40, 500"
    )
    page.get_by_role("button", name="Draw the outline").click()
    expect(page.get_by_text("Measured at 8 stations")).to_be_visible()
    expect(page.get_by_text("No ring of chalk was found")).to_be_visible()
    page.get_by_role("button", name="Take what is ticked").click()
    expect(page.get_by_role("heading", name="1. Backbone and ends")).to_be_visible()

    # The tail is at the other end: the hide is not mirrored, its ends change names.
    page.get_by_role("button", name="Set the ends by figures, or turn it end for end").click()
    page.get_by_role("button", name="Tail is at the other end").click()
    ends = page.locator("svg[data-scale] text").filter(has_text=re.compile("^(tail|neck)$"))
    expect(ends).to_have_text(["neck", "tail"])
    page.keyboard.press("u")
    expect(ends).to_have_text(["tail", "neck"])
    page.keyboard.press("n")
    expect(page.get_by_role("heading", name="2. Surface marks")).to_be_visible()

    # All by keys: the chalk taken up, put down, led round and lifted.
    page.keyboard.press("d")
    page.keyboard.press("Space")
    for key in ("ArrowRight", "ArrowDown", "ArrowLeft", "ArrowUp"):
        for _ in range(3):
            page.keyboard.press(key)
    expect(page.get_by_text(re.compile("along, .* down, drawing"))).to_be_visible()
    page.keyboard.press("Space")
    expect(page.get_by_label("What is it?")).to_have_value("scratch")
    page.get_by_role("button", name="Leave it").click()

    # A ring drawn on the flesh side lies mirrored on the grain side.
    page.get_by_role("button", name="4. Flesh side").click()
    box = page.locator("svg[data-scale]").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.2
    page.mouse.move(x, y)
    page.mouse.down()
    for dx, dy in ((30, 0), (40, 20), (30, 40), (0, 40), (-10, 20), (0, 2)):
        page.mouse.move(x + dx, y + dy, steps=3)
    page.mouse.up()
    expect(page.get_by_label("What is it?")).to_have_value("flay cut")
    page.get_by_role("button", name="Keep the ring").click()
    ring = page.locator("path[data-flaw]")
    expect(ring).to_have_count(1)
    flesh = ring.bounding_box()
    page.get_by_role("button", name="2. Surface marks").click()
    grain = ring.bounding_box()
    assert flesh is not None and grain is not None
    middle = box["x"] + 26 + (box["width"] - 26) / 2
    assert abs((flesh["x"] + flesh["width"] / 2 - middle) + (grain["x"] + grain["width"] / 2 - middle)) < 6
    ring.click()
    expect(page.get_by_label("How bad is it?")).to_have_value("3")
    page.get_by_label("How bad is it?").select_option("2")
    expect(page.get_by_text("Suggested: severity 3")).to_be_visible()
    page.get_by_role("button", name="Done with it").click()

    # The shop's own chalk and limits; what makes no sense is refused and the old kept.
    page.goto(f"{address}/leather/chalk")
    page.get_by_label("Tight up to").fill("9")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Keep these choices").click()
    expect(page.get_by_role("alert")).to_contain_text("limits of 9, 4, 7 mm")
    page.get_by_role("button", name="Leave them as they were").click()
    expect(page.get_by_label("Tight up to")).to_have_value("2")

    # Two hides side by side at one scale.
    page.goto(f"{address}/leather")
    expect(page.get_by_role("heading", name="The rack")).to_be_visible()
    page.keyboard.press("c")
    for name in ("F-101", "F-103"):
        page.get_by_role("button", name=re.compile(f"^{name}")).click()
    page.get_by_role("link", name="Compare them").click()
    expect(page.get_by_role("heading", name="F-101, F-103 at one scale")).to_be_visible()
    expect(page.get_by_text(re.compile(", least$"))).to_be_visible(timeout=30_000)
