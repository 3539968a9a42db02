"""The Book in the real application: a side that is bought, cut and closed to its page, what to buy, and a
round of practice.
"""

from __future__ import annotations

import re
import uuid

from playwright.sync_api import Page, expect

from tests.browser.test_bench import _api


def _bought_and_laid(page: Page) -> int:
    """A delivery of one side, laid for a batch; returns the lay."""
    invoice = {
        "mill": "Ferrow Mill",
        "lot": "FM-BOOK",
        "area": 14,
        "unit": "ft2",
        "hides": 1,
        "price": 9.0,
        "material": "body leather",
        "tannage": "vegetable",
        "finish": "",
        "colour": "chestnut",
        "temper": "medium",
        "thickness_mm": 2.3,
        "grade": "1",
    }
    came = {"invoice": invoice, "received_on": "2026-11-20", "note": ""}
    delivery = _api(page, "POST", "/api/leather/deliveries", came)["id"]
    hides = {"kind": "side", "areas": [14.0], "prefix": "BK-"}
    _api(page, "POST", f"/api/leather/deliveries/{delivery}/hides", hides)
    side = next(h for h in _api(page, "GET", "/api/leather") if h["number"].startswith("BK-"))["id"]
    articles = {a["slug"]: a["id"] for a in _api(page, "GET", "/api/articles")}
    lines = [{"article_id": articles["stove-mitt"], "quantity": 2}]
    batch = _api(page, "POST", "/api/batches", {"number": "T-BOOK", "name": "Mitts", "lines": lines})["id"]
    asked = {"material": "body leather", "hide_ids": [side], "objective": "order"}
    lay = int(_api(page, "POST", f"/api/batches/{batch}/lays", asked)["id"])
    job = _api(page, "POST", f"/api/lays/{lay}/run", {"seconds": 1, "seed": 1})
    for _ in range(150):
        if _api(page, "GET", f"/api/jobs/{job['id']}")["state"] == "done":
            break
        page.wait_for_timeout(200)
    return lay


def test_from_a_side_bought_to_its_page_in_the_book(page: Page, address: str) -> None:
    page.goto(address)
    _bought_and_laid(page)
    page.goto(f"{address}/cut")
    row = page.get_by_role("listitem").filter(has_text="BK-").filter(has_text="T-BOOK")
    row.get_by_role("button", name="Begin").click()
    page.wait_for_url(re.compile(r"/cut/\d+"))
    sheet = page.url.rsplit("/", 1)[1]
    keys = [(p["piece"], p["copy_number"]) for p in _api(page, "GET", f"/api/cut/{sheet}")["placements"]]
    now = _api(page, "GET", f"/api/cut/{sheet}/states")["at_s"]
    ticks = [
        {
            "id": str(uuid.uuid4()),
            "piece": p,
            "copy_number": k,
            "act": "done",
            "at_s": now - 900 + 40 * i,
            "tablet": "t",
            "number": i,
        }
        for i, (p, k) in enumerate(keys)
    ]
    _api(page, "POST", f"/api/cut/{sheet}/ticks", {"ticks": ticks})
    page.reload()
    page.get_by_role("button", name="Close this hide").click()
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_role("status").filter(has_text="is closed")).to_be_visible()
    page.goto(f"{address}/book")
    where = page.get_by_role("region", name="Where it went")
    expect(where.locator("[data-chart] svg").first).to_be_visible()
    expect(where.get_by_role("table", name="Where the leather went")).to_contain_text("in good pieces")
    # Figures that are slow to come move nothing under the finger, and leave the field that is being filled.
    page.route("**/api/book/by/**", lambda route: (page.wait_for_timeout(600), route.continue_()))
    page.get_by_role("link", name="Side by side").click()
    lot, since = page.get_by_role("radio", name="lot"), page.get_by_label("from")
    expect(page.get_by_text("Fetching the Book")).to_be_visible()
    waiting = lot.bounding_box()
    expect(page.get_by_role("table", name="By mill")).to_be_visible()
    assert lot.bounding_box() == waiting
    since.fill("2020-01-31")
    expect(page.get_by_text("Fetching the Book")).to_be_visible()
    expect(page.get_by_role("table", name="By mill")).to_be_visible()
    expect(since).to_be_focused()
    since.fill("")
    page.unroute("**/api/book/by/**")
    lot.click()
    expect(page.get_by_role("table", name="By lot")).to_contain_text("FM-BOOK")
    page.get_by_role("link", name="Hides").click()
    own = page.get_by_role("listitem").filter(has_text="T-BOOK")
    expect(own).to_contain_text("planned")
    own.get_by_role("link", name="T-BOOK").click()
    articles = page.get_by_role("table", name="Its articles")
    expect(articles.get_by_role("row").filter(has_text="Stove mitts")).to_contain_text("2")
    page.get_by_label("note", exact=True).fill("cut these from the belly next time")
    page.get_by_role("button", name="Keep it").click()
    expect(page.locator("[data-note]")).to_contain_text("from the belly")
    page.get_by_role("link", name="What it taught").click()
    expect(page.get_by_role("region", name="Spares")).to_contain_text("Stove mitts")


def test_what_to_buy_is_answered_roughly_at_once(page: Page, address: str) -> None:
    page.goto(f"{address}/book/buying")
    page.get_by_label("what for").select_option(label="Stove mitts")
    page.get_by_role("spinbutton", name="how many").fill("3")
    page.get_by_label("material").select_option("body leather")
    page.get_by_label("Ferrow Mill, side, grade 1").check()
    page.get_by_label("leather that you never had").check()
    page.get_by_role("button", name="Find out").click()
    page.wait_for_url(re.compile(r"/buying/\d+"))
    advice = page.get_by_role("region", name=re.compile("Ferrow Mill, side, grade 1"))
    expect(advice).to_contain_text(re.compile(r"Buy \d+ hides?"), timeout=20_000)
    expect(page.get_by_role("region", name="Side by side")).to_contain_text("even at", timeout=20_000)
    expect(page.get_by_role("region", name="What this rests on")).to_contain_text("on record")
    page.get_by_role("button", name="Stop, keep what it found").click()
    expect(page.get_by_role("status")).to_contain_text("then stopped", timeout=20_000)
    expect(advice).to_contain_text("Enough in")


def test_a_round_of_looking_over(page: Page, address: str) -> None:
    page.goto(f"{address}/practice")
    page.get_by_role("button", name="Look it over, level 1", exact=True).click()
    leather = page.locator("svg[data-scale]")
    expect(leather).to_be_visible()
    page.get_by_role("radio", name="Feel").click()
    box = leather.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 3
    page.mouse.click(x, y)
    expect(page.get_by_role("status")).not_to_contain_text("Press the leather")
    page.get_by_role("radio", name="Chalk").click()
    for dx in (0, 90):
        page.mouse.move(x + dx, y)
        page.mouse.down()
        page.mouse.move(x + dx + 24, y)
        page.mouse.up()
    expect(page.locator("[data-ring]")).to_have_count(2)
    page.mouse.click(x, y)
    expect(page.locator("[data-ring]")).to_have_count(1)
    page.get_by_role("button", name="I have seen it all").click()
    expect(page.locator("[data-score]")).to_be_visible()
    expect(page.get_by_text("Mistakes would have cost")).to_be_visible()
    page.get_by_role("link", name="To the practice").click()
    expect(page.get_by_role("table", name="Your rounds")).to_contain_text("Look it over")
