"""The lay bench in the real application: by mouse, by keys alone, and by finger on a tablet."""

from __future__ import annotations

import json
import re
from typing import Any
from urllib.parse import urljoin

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, ViewportSize, expect

TABLET: ViewportSize = {"width": 820, "height": 1180}


def _api(page: Page, method: str, path: str, body: object = None) -> Any:
    answer = page.request.fetch(
        urljoin(page.url, path),
        method=method,
        headers={"fair-lay": "1", "content-type": "application/json"},
        data=None if body is None else json.dumps(body),
    )
    assert answer.ok, answer.text()
    return answer.json() if answer.text() else None


@pytest.fixture
def lay(page: Page, address: str) -> str:
    """A lay of bellows and mitts on one side, laid for two seconds; where it is."""
    return _laid(page, address, "O-043", **{"stove-mitt": 8, "hearth-bellows": 6})


def _laid(page: Page, address: str, hide: str, **quantities: int) -> str:
    page.goto(address)
    articles = {a["slug"]: a["id"] for a in _api(page, "GET", "/api/articles")}
    number = f"T-{len(_api(page, 'GET', '/api/batches'))}"
    lines = [{"article_id": articles[slug], "quantity": n} for slug, n in quantities.items()]
    batch = _api(page, "POST", "/api/batches", {"number": number, "name": "By hand", "lines": lines})["id"]
    side = next(h for h in _api(page, "GET", "/api/leather") if h["number"] == hide)["id"]
    asked = {"material": "body leather", "hide_ids": [side], "objective": "order", "shared": True}
    made = _api(page, "POST", f"/api/batches/{batch}/lays", asked)["id"]
    job = _api(
        page, "POST", f"/api/lays/{made}/run", {"seconds": 2, "seed": 1, "hides": [], "keep_all": False}
    )
    for _ in range(150):
        if _api(page, "GET", f"/api/jobs/{job['id']}")["state"] == "done":
            break
        page.wait_for_timeout(200)
    return f"{address}/lay/{made}"


def _state(page: Page, lay: str) -> Any:
    return _api(page, "GET", lay.replace("/lay/", "/api/lays/"))


def _middle(page: Page, selector: str) -> tuple[float, float]:
    box = page.locator(selector).first.bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


BOARD = '[data-piece="hearth-bellows/board-face"]'
CHOSEN, IN_HAND = "Chosen", "In the hand"


def test_a_lay_by_mouse(page: Page, lay: str) -> None:
    page.goto(lay)
    pieces = page.locator("use[data-piece]")
    expect(pieces.first).to_be_visible()
    laid = pieces.count()
    chosen = page.get_by_role("region", name=CHOSEN)
    hand = page.get_by_role("region", name=IN_HAND)
    # One is dragged: what is lit for it shows, and why it cannot lie where another lies.
    x, y = _middle(page, BOARD)
    other = _middle(page, 'use[data-piece="stove-mitt/mitt-palm"]')
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 12, y + 4, steps=3)
    expect(hand).to_contain_text("Board face")
    expect(page.locator("[data-lit] path").first).to_be_attached()
    page.mouse.move(*other, steps=5)
    expect(hand).to_contain_text(re.compile("Not here: .*(over|on|shows)"))
    page.mouse.move(x + 2, y + 1, steps=5)
    page.mouse.up()
    expect(hand).to_have_count(0)
    expect(pieces).to_have_count(laid)
    # One is taken out into the tray, and held from there.
    page.mouse.click(x, y)
    expect(chosen).to_contain_text("Board face")
    chosen.get_by_role("button", name="To the tray").click()
    expect(pieces).to_have_count(laid - 1)
    page.get_by_role("button", name=re.compile("^Take Board face")).click()
    expect(hand).to_contain_text("Board face")
    page.keyboard.press("Escape")
    page.keyboard.press("u")
    expect(pieces).to_have_count(laid)
    # Three are pinned, and stay where they lie while the rest is laid again.
    kept = []
    for k in (0, 1, 2):
        one = pieces.nth(k)
        kept.append([one.get_attribute(a) for a in ("data-piece", "data-copy", "transform")])
        box = one.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        chosen.get_by_role("button", name="Pin", exact=True).click()
        expect(page.locator("[data-tack]")).to_have_count(k + 1)
        page.keyboard.press("Escape")
    page.get_by_label("for how long").select_option("10")
    page.get_by_role("button", name="Lay it better").click()
    page.get_by_role("button", name="Stop, keep the best").click()
    expect(page.get_by_role("button", name="Lay it better")).to_be_visible(timeout=60_000)
    for piece, copy, where in kept:
        own = page.locator(f'use[data-piece="{piece}"][data-copy="{copy}"]')
        assert own.get_attribute("transform") == where
    # Compared, undone and redone.
    page.get_by_role("button", name="Compare").click()
    dialog = page.get_by_role("dialog", name="Compare")
    expect(dialog.get_by_role("status")).to_contain_text("yield")
    dialog.get_by_role("button", name="Over each other").click()
    dialog.get_by_role("button", name="Close").click()
    head = _state(page, lay)["head"]
    page.keyboard.press("u")
    expect(page.get_by_text(f"Saved as revision {head + 1}")).to_be_visible()
    page.keyboard.press("U")
    expect(page.get_by_text(f"Saved as revision {head + 2}")).to_be_visible()
    # Where the leather went, step by step, each with its ground.
    went = page.get_by_role("list", name=re.compile("^Where the leather"))
    went.get_by_role("button").first.hover()
    expect(page.locator('[data-step="pieces"]')).to_be_visible()
    # Against a rule only if that is insisted on, and told until somebody signs for it.
    page.mouse.click(*_middle(page, "use[data-piece]"))
    chosen.get_by_role("button", name="Take it up").click()
    hand.get_by_role("button", name="Insist").click()
    page.mouse.move(*other, steps=4)
    page.mouse.click(*other)
    expect(page.locator("[data-unfair] path").first).to_be_visible()
    expect(page.get_by_role("alert")).to_contain_text("not fair until")
    unfair = _state(page, lay)["state"]["unfair"]
    assert len(unfair) == 1 and unfair[0]["signed_by"] == ""


def test_a_lay_by_keys_alone(page: Page, lay: str) -> None:
    page.goto(lay)
    pieces = page.locator("use[data-piece]")
    expect(pieces.first).to_be_visible()
    laid = pieces.count()
    hand = page.get_by_role("region", name=IN_HAND)
    page.keyboard.press("n")
    page.keyboard.press("Enter")
    expect(hand).to_be_visible()
    page.keyboard.press("Delete")
    expect(pieces).to_have_count(laid - 1)
    page.keyboard.press("u")
    expect(pieces).to_have_count(laid)
    page.keyboard.press("n")
    page.keyboard.press("p")
    expect(page.locator("[data-tack]")).to_have_count(1)
    page.keyboard.press("t")
    expect(hand).to_be_visible()
    page.keyboard.press(".")
    page.keyboard.press("a")
    for key in ("ArrowLeft", "Shift+ArrowUp", "ArrowDown"):
        page.keyboard.press(key)
    page.keyboard.press("i")
    expect(hand).to_contain_text("It goes down wherever it is put")
    page.keyboard.press("Enter")
    expect(pieces).to_have_count(laid + 1)
    page.keyboard.press("u")
    expect(pieces).to_have_count(laid)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys in Lay")).to_contain_text("best angle here")


def test_a_lay_by_finger(browser: Browser, page: Page, lay: str) -> None:
    context: BrowserContext = browser.new_context(viewport=TABLET, has_touch=True)
    tablet = context.new_page()
    tablet.goto(lay)
    pieces = tablet.locator("use[data-piece]")
    expect(pieces.first).to_be_visible()
    laid = pieces.count()
    tablet.touchscreen.tap(*_middle(tablet, BOARD))
    chosen = tablet.get_by_role("region", name=CHOSEN)
    chosen.get_by_role("button", name="Take it up").tap()
    hand = tablet.get_by_role("region", name=IN_HAND)
    expect(hand).to_contain_text("Its dot may be wherever it is lit")
    for button in hand.get_by_role("button").all():
        box = button.bounding_box()
        assert box is not None and box["height"] >= 44
    expect(tablet.locator("[data-in-hand][data-fair=true]")).to_be_attached()
    hand.get_by_role("button", name="Put it down").tap()
    expect(pieces).to_have_count(laid)
    wide = tablet.evaluate("() => document.documentElement.scrollWidth")
    assert wide <= TABLET["width"], "nothing runs out of a tablet"
    context.close()


def test_a_lay_is_asked_otherwise_and_the_better_is_kept(page: Page, lay: str) -> None:
    page.goto(lay)
    expect(page.locator("use[data-piece]").first).to_be_visible()
    # Bare leather says what it is.
    box = page.locator("svg[data-scale]").first.bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] - 30, box["y"] + box["height"] - 30)
    place = page.get_by_role("region", name="This place")
    expect(place).to_contain_text("not on the leather")
    page.keyboard.press("Escape")
    expect(place).to_have_count(0)
    page.keyboard.press("w")
    expect(place).to_contain_text(re.compile("leather|mm thick|lies here"))
    page.keyboard.press("Escape")
    # Two questions are tried beside the lay, side by side with it, and one is taken.
    page.get_by_role("button", name="What if").click()
    questions = page.get_by_role("region", name="Questions")
    questions.get_by_label("everything any way").check()
    questions.get_by_label(re.compile("fewer$")).first.check()
    questions.get_by_label("how long to try each").select_option("2")
    questions.get_by_role("button", name="Try each of 2").click()
    answers = page.get_by_role("region", name="Answers")
    expect(answers.get_by_role("row")).to_have_count(4, timeout=60_000)
    expect(answers).to_contain_text("As it is")
    row = answers.get_by_role("row").filter(has_text="everything any way")
    row.get_by_role("button", name="See").click()
    expect(page.get_by_role("figure")).to_have_count(2)
    row.get_by_role("button", name="Take it").click()
    expect(answers).to_contain_text("went on since")
    page.get_by_role("button", name="Close").first.click()
    docket = page.get_by_role("region", name="Docket of this lay")
    expect(docket).to_contain_text("1 thing asked otherwise: everything any way")
    # A lane is asked for at once, and ruled off on the hide.
    page.get_by_role("button", name="What if").click()
    questions.get_by_label("laid from the neck").check()
    questions.get_by_role("button", name="Ask it so now").click()
    page.get_by_role("button", name="Close").first.click()
    expect(docket).to_contain_text("2 things asked otherwise")
    page.keyboard.press("u")
    expect(docket).to_contain_text("1 thing asked otherwise")


def test_what_found_no_place_is_proved_to_have_none(page: Page, address: str) -> None:
    page.goto(_laid(page, address, "R-219", **{"stove-mitt": 1, "camp-chair": 1}))
    room = page.get_by_role("status", name="Room for it")
    room.get_by_role("button", name="How many could lie at all?").click()
    expect(room).to_contain_text("No Camp chair", timeout=60_000)
    expect(room).to_contain_text("other leather is needed")
    expect(room.get_by_role("button")).to_have_count(0)
    # Whole articles are counted by another lay of the same hide.
    page.get_by_role("link", name="As many whole articles as go").click()
    expect(page.get_by_role("radio", name="As many whole articles as go")).to_be_checked()
    expect(page.get_by_text("onto 0.24 m² of usable leather")).to_be_visible()
    page.get_by_role("radio", name="Everything, from the least leather").check()
    too_little = page.get_by_role("status").filter(has_text="Not everything can lie on so little")
    too_little.get_by_role("button", name="Rather whole articles").click()
    expect(page.get_by_role("radio", name="As many whole articles as go")).to_be_checked()
    expect(too_little).to_have_count(0)
