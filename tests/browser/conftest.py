"""The application as ./start's own runner starts it, with MariaDB and a worker, and headless Chromium to walk
through it.
"""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from scripts.mariadb import free_port

Call = Callable[..., Any]
"""Calls a function of the front end by its name, on arguments and to an answer that JSON can say."""
ROOT = Path(__file__).resolve().parents[2]
CHROMIUM = "/usr/bin/chromium"
READY_S = 120
# Two cores hold the application, its worker, two browsers and the tests: what comes late is not missing.
expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def yard(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the application keeps its store and what it said."""
    return tmp_path_factory.mktemp("yard")


@contextmanager
def started(home: Path, *more: str) -> Iterator[tuple[str, Path]]:
    """The application, started as ./start does: where it is opened, and what it said."""
    port = free_port()
    log = home / "said.log"
    words = ["--port", str(port), "--workers", "1", "--store", str(home / "mariadb"), *more]
    with log.open("w+b") as said:
        running = subprocess.Popen(
            [sys.executable, "-m", "scripts.run", *words],
            cwd=ROOT,
            env={k: v for k, v in os.environ.items() if k != "FAIRLAY_DATABASE_URL"},
            stdout=said,
            stderr=said,
            start_new_session=True,
        )
    try:
        end = time.monotonic() + READY_S
        while b"Fair Lay is ready" not in log.read_bytes():
            assert running.poll() is None and time.monotonic() < end, log.read_text()
            time.sleep(0.2)
        yield f"http://127.0.0.1:{port}", log
    finally:
        running.send_signal(signal.SIGINT)
        assert running.wait(60) == 0
    left = subprocess.run(
        ["pgrep", "-s", str(running.pid)], capture_output=True, text=True, check=False
    ).stdout
    assert not left, "Ctrl-C left processes behind"


@pytest.fixture(scope="session")
def address(yard: Path) -> Iterator[str]:
    with started(yard) as (where, _):
        yield where


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        own = playwright.chromium.launch(
            executable_path=CHROMIUM,
            args=["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
        )
        yield own
        own.close()


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    own = browser.new_page(viewport={"width": 1280, "height": 800})
    own.set_default_timeout(20_000)
    wrong: list[str] = []
    own.on("pageerror", lambda error: wrong.append(str(error)))
    own.on(
        "console",
        lambda message: (
            wrong.append(message.text)
            if message.type == "error" and not any(code in message.text for code in ("409", "422"))
            else None
        ),
    )
    yield own
    assert wrong == []
    own.close()


@pytest.fixture(scope="session")
def script(tmp_path_factory: pytest.TempPathFactory) -> Path:
    into = tmp_path_factory.mktemp("modules")
    words = ["npx", "--no-install", "vite", "build", "--config", "vite.modules.config.ts", "--outDir"]
    subprocess.run([*words, str(into), "--logLevel", "error"], cwd=ROOT / "ui", check=True)
    return into / "modules.iife.js"


def opened(browser: Browser, script: Path, zone: str) -> Iterator[Call]:
    page = browser.new_page(timezone_id=zone, locale="en-GB")
    page.add_script_tag(path=script)

    def call(name: str, *args: Any) -> Any:
        # As JSON: Playwright takes a deep value apart piece by piece, both ways.
        said = page.evaluate(
            f"(args) => JSON.stringify(modules.{name}(...JSON.parse(args)))", json.dumps(args)
        )
        return None if said is None else json.loads(said)

    yield call
    page.close()


@pytest.fixture(scope="session")
def call(browser: Browser, script: Path) -> Iterator[Call]:
    yield from opened(browser, script, "Europe/Berlin")
