"""From the first owner to a cutter at a bench: accounts, a tablet, a PIN, changing over, signing out."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import ROOT, started

PASSWORD = "nine long hides"
TABLET = {"width": 820, "height": 1180}


@pytest.fixture(scope="module")
def empty(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[str, str, Path]]:
    """A shop that nobody owns yet: where it is opened, the code that it printed, and its home."""
    home = tmp_path_factory.mktemp("empty")
    with started(home, "--empty") as (address, log):
        code = re.search(r"once: ([0-9a-f-]{24})", log.read_text())
        assert code, log.read_text()
        yield address, code[1], home


def test_from_the_first_owner_to_a_cutter_at_a_bench(browser: Browser, empty: tuple[str, str, Path]) -> None:
    address, code, _ = empty
    desk = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    tablet = browser.new_context(viewport=TABLET).new_page()
    desk.goto(address)
    desk.get_by_label("Code").fill(code)
    desk.get_by_label("Name").fill("Ansel")
    desk.get_by_label("Password").fill("short")
    desk.get_by_role("button", name="Make it").click()
    expect(desk.get_by_role("alert")).to_contain_text("10 letters")
    desk.get_by_label("Password").fill(PASSWORD)
    desk.get_by_role("button", name="Make it").click()
    desk.get_by_role("button", name="Ansel").click()
    desk.get_by_role("menuitem", name="People and benches").click()
    for name in ("Tobin", "Wren"):
        desk.get_by_label("Name", exact=True).fill(name)
        expect(desk.get_by_label("Name", exact=True)).to_have_value(name)
        desk.get_by_role("button", name="Make an account").click()
        desk.get_by_role("button", name=re.compile(f"^{name}")).click()
        desk.get_by_label("PIN for the benches").fill("4071")
        desk.get_by_role("button", name="Give a PIN").click()
        expect(desk.get_by_role("button", name=re.compile(f"^{name}.*PIN"))).to_be_visible()
        desk.get_by_role("button", name=re.compile(f"^{name}")).click()
    expect(desk.get_by_role("region", name="Who did what")).to_contain_text("Ansel made an account")

    tablet.goto(address)
    _sign_in(tablet, "ansel", "not the password")
    expect(tablet.get_by_role("alert")).to_contain_text("name or the password is not right")
    _sign_in(tablet, "ansel", PASSWORD)
    expect(tablet.get_by_role("button", name="Ansel")).to_be_visible()
    tablet.goto(f"{address}/people")
    tablet.get_by_label("Name of the bench").fill("Window bench")
    tablet.get_by_role("button", name="Tie it").click()
    expect(tablet.get_by_role("region", name="Benches")).to_contain_text("Window bench")
    tablet.get_by_role("button", name="Ansel ▾").click()
    tablet.get_by_role("menuitem", name="Sign out", exact=True).click()
    expect(tablet.get_by_role("heading", name="Window bench: who is it?")).to_be_visible()
    tablet.get_by_role("button", name="Tobin").click()
    for digit in "4071":
        tablet.get_by_role("button", name=digit, exact=True).click()
    tablet.get_by_role("button", name="Sign in").click()
    expect(tablet.get_by_role("button", name="Tobin")).to_be_visible()
    expect(desk.get_by_role("button", name="Ansel ▾")).to_be_visible()
    # A call that a cutter may not make is refused, with its reason.
    refused = tablet.evaluate(
        "() => fetch('/api/people', { headers: { 'fair-lay': '1' } }).then((a) => a.json())"
    )
    assert "Tobin is a cutter" in refused["problem"]
    # What a cutter may not do is not offered.
    for room, offer in (
        ("leather", "Receive a delivery"),
        ("patterns", "New article"),
        ("batches", "New batch"),
    ):
        for page, count in ((desk, 1), (tablet, 0)):
            page.goto(f"{address}/{room}")
            expect(
                page.get_by_text(re.compile("^(The rack is empty|No drawer|Nothing is ordered)"))
            ).to_be_visible()
            expect(page.get_by_text(offer, exact=True)).to_have_count(count)
    # Changing over: one press, the name, the PIN.
    tablet.get_by_role("button", name="Change over").click()
    expect(tablet.get_by_role("heading", name="Window bench: who is it?")).to_be_visible()
    tablet.get_by_role("button", name="Wren").click()
    tablet.get_by_label("PIN", exact=True).fill("4071")
    tablet.keyboard.press("Enter")
    expect(tablet.get_by_role("button", name="Wren")).to_be_visible()
    # Two in one room see each other there.
    desk.goto(f"{address}/batches")
    tablet.goto(f"{address}/batches")
    expect(tablet.get_by_label("Also here")).to_contain_text("Ansel", timeout=15_000)
    # Signed out everywhere by the owner, the tablet asks who it is as soon as it asks for anything.
    desk.goto(f"{address}/people")
    desk.get_by_role("button", name=re.compile("^Wren")).click()
    desk.get_by_role("button", name="Sign out everywhere").click()
    expect(desk.get_by_role("region", name="Who did what")).to_contain_text("signed somebody out")
    expect(tablet.get_by_role("heading", name="Window bench: who is it?")).to_be_visible(timeout=15_000)
    desk.context.close()
    tablet.context.close()


def test_the_whole_shop_comes_back_from_a_copy(
    browser: Browser, empty: tuple[str, str, Path], tmp_path: Path
) -> None:
    """As the owner does it: a copy by command while the shop is open, then another start with it."""
    *_, home = empty
    copy = tmp_path / "shop.fairlay"
    words = [sys.executable, "-m", "fairlay.cli", "backup", str(copy)]
    env = {k: v for k, v in os.environ.items() if k != "FAIRLAY_DATABASE_URL"}
    env["FAIRLAY_STORE"] = str(home / "mariadb")
    told = subprocess.run(words, cwd=ROOT, env=env, capture_output=True, text=True, check=False)
    assert told.returncode == 0 and "whole" in told.stdout, told.stderr
    with started(tmp_path, "--restore", str(copy)) as (again, log):
        assert "is in the store" in log.read_text() and "Quillback" not in log.read_text()
        page = browser.new_context().new_page()
        page.goto(again)
        _sign_in(page, "ansel", PASSWORD)
        expect(page.get_by_role("button", name="Ansel ▾")).to_be_visible()
        page.context.close()


def _sign_in(page: Page, name: str, password: str) -> None:
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
