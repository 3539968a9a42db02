"""A cutter's way through the real application: ./start's own runner, MariaDB, workers, and headless
Chromium.
"""

from __future__ import annotations

import json
import re
import subprocess
import time
import urllib.error
import urllib.request
import xml.etree.ElementTree as ET
from contextlib import suppress
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

ROOT = Path(__file__).resolve().parents[2]
CHROMIUM = "/usr/bin/chromium"
READY_S = 120


def test_from_a_batch_to_a_lay_and_back_again(page: Page, address: str, tmp_path: Path) -> None:
    page.goto(address)
    page.get_by_role("link", name="B-31").click()
    body = page.get_by_role("region", name="body leather")
    expect(body).to_contain_text("choose leather below")
    for number in ("F-103", "O-042"):
        body.get_by_role("checkbox", name=number).click()
        expect(body.get_by_role("checkbox", name=number)).to_be_checked()
    body.get_by_role("link", name="Lay it").click()
    expect(page.get_by_role("checkbox", name="F-103")).to_be_checked()
    page.get_by_role("button", name="Lay them").click()
    expect(page.get_by_role("button", name="Stop, keep the best")).to_be_visible()
    pieces = page.locator("use[data-piece]")
    expect(pieces.first).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Stop, keep the best").click()
    expect(page.get_by_role("button", name="Lay it better")).to_be_visible(timeout=60_000)
    # The page shows what was kept a moment after it says that it is done.
    state = page.request.get(page.url.replace("/lay/", "/api/lays/")).json()["state"]
    hide = page.get_by_role("tab", selected=True).inner_text().split()[0]
    laid = sum(p["hide"] == hide for p in state["placements"])
    assert laid > 20
    expect(pieces).to_have_count(laid)

    pieces.first.hover()
    pointed_at = page.get_by_role("status", name="Piece pointed at")
    expect(pointed_at).to_contain_text(re.compile("leather"))
    page.mouse.move(640, 700)
    page.keyboard.press("n")
    expect(pointed_at).to_contain_text(re.compile("leather"))
    walked = [pointed_at.inner_text()]
    for _ in range(2):
        page.keyboard.press("n")
        expect(pointed_at).not_to_have_text(walked[-1], use_inner_text=True)
        expect(pointed_at).to_contain_text(re.compile("leather"))
        walked.append(pointed_at.inner_text())
    assert len(set(walked)) == 3
    page.reload()
    expect(pieces).to_have_count(laid)
    address_of_lay = page.url

    page.get_by_role("button", name="Take a file").click()
    with page.expect_download() as download:
        page.get_by_role("menuitem", name="SVG, true size").click()
    file = tmp_path / "lay.svg"
    download.value.save_as(file)
    root = ET.parse(file).getroot()
    assert float(root.attrib["width"].removesuffix("mm")) == float(root.attrib["viewBox"].split()[2])
    drawn = [e for e in root.iter() if e.attrib.get("data-piece") == "hearth-bellows/valve-flap"]
    points = [tuple(map(float, p.split(","))) for p in drawn[0].attrib["d"].strip("MZ").split("L")]
    far = max(((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2) ** 0.5 for a in points for b in points)
    assert far == pytest.approx(((100 - 28) ** 2 + (82 - 28) ** 2) ** 0.5 + 28, abs=0.5)

    page.keyboard.press("u")
    expect(pieces).to_have_count(0)
    page.get_by_role("button", name="Earlier lays").click()
    page.get_by_role("menuitem").filter(has_text=re.compile("^2")).click()
    expect(pieces).to_have_count(laid)
    page.get_by_role("link", name="Lay", exact=True).click()
    page.get_by_role("link", name=re.compile("F-103, O-042")).click()
    expect(page).to_have_url(address_of_lay)

    first = pieces.first
    where = first.get_attribute("transform")
    pinned = (
        f'[data-piece="{first.get_attribute("data-piece")}"][data-copy="{first.get_attribute("data-copy")}"]'
    )
    first.click()
    page.get_by_role("region", name="Chosen").get_by_role("button", name="Pin").click()
    expect(page.locator("[data-tack]")).to_have_count(1)
    page.keyboard.press("Escape")
    page.get_by_label("for how long").select_option("10")
    page.get_by_label("on which hides").select_option("here")
    page.get_by_role("button", name=re.compile("^Lay .* again$")).click()
    expect(page.get_by_role("button", name="Stop, keep the best")).to_be_visible()
    page.get_by_role("button", name="Stop, keep the best").click()
    expect(page.get_by_role("button", name="Take out the pin")).to_be_visible(timeout=30_000)
    assert page.locator(pinned).get_attribute("transform") == where
    page.get_by_role("button", name="Take out the pin").click()
    expect(page.locator("[data-tack]")).to_have_count(0)


def test_the_rack_and_its_keys(page: Page, address: str) -> None:
    page.goto(f"{address}/leather")
    there = len(page.request.get(f"{address}/api/leather").json())
    assert there >= 15, "the demo's, and what other tests cut off"
    expect(page.get_by_role("button", name=re.compile("of (Ferrow Mill|Oxlade Pits)"))).to_have_count(there)
    page.get_by_label("Units").select_option("imperial")
    expect(page.get_by_role("button", name=re.compile("^F-101"))).to_contain_text("ft²")
    page.get_by_role("button", name=re.compile("^F-101")).click()
    drawing = page.get_by_role("application", name=re.compile("F-101"))
    near = float(drawing.get_attribute("data-scale") or 0)
    page.keyboard.press("+")
    expect(drawing).not_to_have_attribute("data-scale", str(near))
    assert float(drawing.get_attribute("data-scale") or 0) > near
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("application", name=re.compile("F-102"))).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys in Leather")).to_contain_text("go back to the rack")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="The rack")).to_be_visible()


def test_a_new_batch_by_keyboard_and_a_number_already_taken(page: Page, address: str) -> None:
    page.goto(f"{address}/batches")
    page.get_by_role("button", name="New batch").click()
    dialog = page.get_by_role("dialog", name="New batch")
    dialog.get_by_label("Number").fill("B-30")
    dialog.get_by_label("Name").fill(
        "Ein sehr langer Name für eine Reihe von Hockern mit allem Zubehör und noch mehr"
    )
    dialog.get_by_label("How many Tripod stool").fill("3")
    page.keyboard.press("Enter")
    expect(dialog.get_by_role("alert")).to_contain_text("there is a batch B-30 already")
    dialog.get_by_label("Number").fill("B-40")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=re.compile("B-40"))).to_be_visible()
    expect(page.get_by_role("region", name="strap leather")).to_contain_text("Carry strap")


def test_a_store_that_is_killed_comes_back_and_all_goes_on(
    browser: Browser, address: str, yard: Path
) -> None:
    asked = urllib.request.Request(
        f"{address}/api/lays/1/run",
        json.dumps({"seconds": 6}).encode(),
        {"Content-Type": "application/json", "Fair-Lay": "1"},
    )
    page = browser.new_page()
    page.goto(f"{address}/batches")
    expect(page.get_by_role("link", name="B-31")).to_be_visible()
    with urllib.request.urlopen(asked, timeout=20) as answer:
        job = json.load(answer)["id"]
    server = ["pkill", "-9", "-f", f"datadir={(yard / 'mariadb' / 'data').resolve()}"]
    subprocess.run(server, check=True)
    page.get_by_role("link", name="B-31").click()
    expect(page.get_by_role("heading", name=re.compile("B-31"))).to_be_visible(timeout=30_000)
    end = time.monotonic() + 60
    state = ""
    while state != "done":
        assert time.monotonic() < end, (state, (yard / "said.log").read_text())
        with (
            suppress(urllib.error.HTTPError),
            urllib.request.urlopen(f"{address}/api/jobs/{job}", timeout=20) as answer,
        ):
            state = json.load(answer)["state"]
        time.sleep(0.3)
    assert "MariaDB had ended, and was started again" in (yard / "said.log").read_text()
    page.close()


def test_the_address_answers_and_unknown_paths_come_home(address: str) -> None:
    with urllib.request.urlopen(f"{address}/api/health", timeout=5) as answer:
        assert b"up" in answer.read()
    with urllib.request.urlopen(f"{address}/lay/1", timeout=5) as answer:
        assert b'<div id="root">' in answer.read()
