"""The Cut room in the real application, on a tablet: cut, spoil one, recut it, go on without a connection,
close the hide and find its remnant on the rack.
"""

from __future__ import annotations

import re

from playwright.sync_api import Browser, Page, expect

from tests.browser.test_bench import TABLET, _api


def test_a_hide_is_cut_on_a_tablet(browser: Browser, page: Page, address: str) -> None:
    page.goto(address)
    articles = {a["slug"]: a["id"] for a in _api(page, "GET", "/api/articles")}
    lines = [{"article_id": articles["stove-mitt"], "quantity": 3}]
    batch = _api(page, "POST", "/api/batches", {"number": "T-CUT", "name": "Mitts", "lines": lines})["id"]
    side = next(h for h in _api(page, "GET", "/api/leather") if h["number"] == "O-045")["id"]
    asked = {"material": "body leather", "hide_ids": [side], "objective": "order", "shared": True}
    lay = _api(page, "POST", f"/api/batches/{batch}/lays", asked)["id"]
    job = _api(page, "POST", f"/api/lays/{lay}/run", {"seconds": 2, "seed": 1})
    for _ in range(150):
        if _api(page, "GET", f"/api/jobs/{job['id']}")["state"] == "done":
            break
        page.wait_for_timeout(200)
    # Before the first cut the templates are laid on the hide and compared with the lay.
    page.goto(f"{address}/lay/{lay}/templates/O-045")
    page.get_by_role("button", name="Take one").click()
    compared = page.get_by_role("region", name="Templates")
    expect(compared).to_contain_text(re.compile(r"\d+ templates? found of \d+ planned"), timeout=120_000)
    planned = len(_api(page, "GET", f"/api/lays/{lay}")["state"]["placements"])
    expect(page.locator("[data-template]")).to_have_count(planned)
    expect(compared.get_by_text("was not found")).to_have_count(0)
    context = browser.new_context(viewport=TABLET, has_touch=True)
    tablet = context.new_page()
    tablet.goto(f"{address}/cut")
    row = tablet.get_by_role("listitem").filter(has_text="O-045").filter(has_text="T-CUT")
    row.get_by_role("button", name="Begin").tap()
    docket = tablet.get_by_role("region", name="Docket of this cut")
    expect(docket).to_contain_text("minutes")
    tablet.get_by_role("tab", name="Onto the leather").tap()
    expect(tablet.get_by_label("Placing by tape")).to_contain_text("datum")
    sheet = int(tablet.url.rsplit("/", 1)[1])
    steps = len(_api(page, "GET", f"/api/cut/{sheet}")["steps"])
    # The tablet is carried from the desk to the bench, where there is no connection.
    context.set_offline(True)
    docket.get_by_role("button", name="To the bench").tap()
    now = tablet.get_by_role("region", name="The step now")
    now.get_by_role("button", name="Stropped").tap()
    context.set_offline(False)
    done, cut = now.get_by_role("button", name="Done", exact=True), tablet.locator('[data-state="done"]')
    for k in range(2):
        done.tap()
        expect(cut).to_have_count(k + 1)
    # One is taken back, one is spoilt and cut again from what is left.
    now.get_by_role("button", name="Back").tap()
    expect(cut).to_have_count(1)
    done.tap()
    now.get_by_role("button", name="Spoilt").tap()
    now.get_by_role("button", name="the knife slipped").tap()
    expect(tablet.locator('[data-state="spoilt"]')).to_have_count(1)
    now.get_by_role("button", name="Find it a place").tap()
    expect(now).to_contain_text("cut again from what is left here")
    expect(tablet.locator('[data-state="spoilt"]')).to_have_count(0)
    # Ten steps without a connection, and a reload of nothing: it catches up by itself.
    context.set_offline(True)
    for k in range(10):
        done.tap()
        expect(cut).to_have_count(3 + k)
    expect(tablet.get_by_text(re.compile("No connection"))).to_be_visible(timeout=20_000)
    assert sum(s["state"] == "done" for s in _api(page, "GET", f"/api/cut/{sheet}/states")["states"]) == 2
    context.set_offline(False)
    expect(tablet.get_by_text(re.compile("to send"))).to_have_count(0, timeout=30_000)
    assert sum(s["state"] == "done" for s in _api(page, "GET", f"/api/cut/{sheet}/states")["states"]) == 12
    left = steps - 12
    for _ in range(left):
        done.tap()
    expect(now).to_contain_text("Nothing is left to cut")
    expect(tablet.get_by_text(re.compile("to send"))).to_have_count(0, timeout=20_000)
    now.get_by_role("link", name="To the docket").tap()
    tablet.get_by_role("tab", name="Bundles").tap()
    expect(tablet.get_by_label("Bundles")).to_contain_text("whole")
    docket.get_by_role("button", name="Close this hide").tap()
    tablet.get_by_role("button", name="Close it").tap()
    told = tablet.get_by_role("status").filter(has_text="is closed")
    expect(told).to_contain_text("On the rack now")
    remnant = told.get_by_role("link", name=re.compile("O-045-")).inner_text().split(", ")[0]
    rack = {h["number"]: h for h in _api(page, "GET", "/api/leather")}
    assert rack[remnant]["kind"] == "offcut" and rack["O-045"]["state"] == "used up"
    context.close()
