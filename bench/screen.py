"""What a cutter waits for at the screen, in headless Chromium: frames a second while a piece is dragged, the
hide moved and looked at nearer, how long until what is lit is drawn, how long until a lay opens; each beside
a page that does nothing on the same machine.
"""

from __future__ import annotations

import math
import os
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Final

from playwright.sync_api import Page, sync_playwright

from bench.hand import crowded
from fairlay.core.lay import Job, Lay
from fairlay.demo import fill_if_empty
from fairlay.store import batches, hides, lays
from fairlay.store import database as store
from fairlay.store.lays import LaidOn
from scripts.mariadb import PrivateMariaDB, free_port

CHROMIUM: Final = "/usr/bin/chromium"
SIZE: Final = {"width": 1280, "height": 800}
SECONDS: Final = 3.0
TIMES: Final = 21
MANY_HIDES, MANY_PIECES = 40, 50
COUNT_FRAMES: Final = """() => {
  window.frames_ = []
  const tick = (at) => { window.frames_.push(at); window.ticking_ = requestAnimationFrame(tick) }
  window.ticking_ = requestAnimationFrame(tick)
}"""
FRAMES: Final = "() => { cancelAnimationFrame(window.ticking_); return window.frames_ }"
WATCH: Final = """([key, what]) => new Promise((done) => {
  const drawn = () => [...document.querySelectorAll(what)].map((p) => p.outerHTML).join()
  const before = drawn()
  const begun = performance.now()
  const look = () => {
    const now = drawn()
    if (now.includes('<path') && now !== before) requestAnimationFrame(() => done(performance.now() - begun))
    else if (performance.now() - begun > 4000) done(NaN)
    else requestAnimationFrame(look)
  }
  window.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
  look()
})"""


def print_screen(seed: int) -> None:
    """Print frames a second and waits, on a side of some 250 pieces and on a lay of 40 hides."""
    job, lay = crowded(seed, "backbone")
    with tempfile.TemporaryDirectory() as home, PrivateMariaDB(Path(home)) as server:
        os.environ[store.URL_VARIABLE] = server.url
        store.open_database()
        store.migrate()
        fill_if_empty()
        crowd, many = _kept(job, lay), _kept(*_forty(job, lay))
        with served() as base, sync_playwright() as p:
            page = p.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"]).new_page(viewport=SIZE)
            page.set_content("<body style='background:#2c3638'></body>")
            _frames("nothing at all", page, lambda: _stroll(page, 0))
            _opened("the list of lays", page, f"{base}/lay", "main, h1")
            print(f"\n{len(lay.placements)} pieces on one side")
            _opened("opened", page, f"{base}/lay/{crowd}", "[data-key]")
            _frames("standing still", page, lambda: time.sleep(SECONDS))
            _frames("the hide moved", page, lambda: _drag(page, 1220, 120))
            _frames("nearer and farther", page, lambda: _wheel(page))
            page.keyboard.press("0")
            _waits("taken up, till it is lit", page, "Enter", "[data-lit] path", "n", "Escape")
            _waits("the same, pointed at", page, "Enter", "[data-lit] path", "n …", "Escape")
            _waits("turned a step", page, ".", "[data-lit] path", "n Enter", "Escape")
            page.keyboard.press("n")
            page.keyboard.press("Enter")
            page.wait_for_selector("[data-lit] path")
            _frames("a piece in the hand", page, lambda: _stroll(page, 300))
            page.keyboard.press("Escape")
            print(f"\n{MANY_HIDES} hides, {MANY_HIDES * MANY_PIECES} pieces")
            _opened("opened", page, f"{base}/lay/{many}", "[data-key]")
        store.database.close_all()


def _kept(job: Job, lay: Lay) -> int:
    hide, batch = hides.rack()[0], batches.all_batches()[0].id
    lay_id = lays.create_lay(batch, "bench", job, [LaidOn(hide.id, hide.version)], shared=True)
    lays.save(lay_id, lay, "engine", base=1)
    return lay_id


def _forty(job: Job, lay: Lay) -> tuple[Job, Lay]:
    """The same side forty times, with the first pieces on each."""
    names = [f"N-{k:02}" for k in range(MANY_HIDES)]
    few = lay.placements[:MANY_PIECES]
    pieces = tuple(replace(p, quantity=p.quantity * MANY_HIDES) for p in job.pieces)
    laid = [
        replace(p, hide=name, copy=p.copy + k * job.pieces_by_id[p.piece].quantity)
        for k, name in enumerate(names)
        for p in few
    ]
    own = tuple(replace(job.hides[0], id=name) for name in names)
    return replace(job, hides=own, pieces=pieces), Lay(tuple(laid))


@contextmanager
def served() -> Iterator[str]:
    """The application in a process of its own, as a shop has it."""
    port = free_port()
    words = ["--factory", "fairlay.api.app:create_app", "--port", str(port), "--log-level", "error"]
    running = subprocess.Popen([sys.executable, "-m", "uvicorn", *words])
    base = f"http://127.0.0.1:{port}"
    try:
        for _ in range(600):
            with suppress(OSError), socket.create_connection(("127.0.0.1", port), 0.2):
                break
            time.sleep(0.1)
        yield base
    finally:
        running.terminate()
        running.kill()
        running.wait()


def _frames(what: str, page: Page, act: Callable[[], None]) -> None:
    """Print the frames a second while something is done, and the longest one frame took."""
    page.evaluate(COUNT_FRAMES)
    act()
    at = page.evaluate(FRAMES)
    gaps = [b - a for a, b in pairwise(at)]
    if gaps:
        middle, late = statistics.median(gaps), sorted(gaps)[len(gaps) * 95 // 100]
        rate = 1000 * len(gaps) / sum(gaps)
        print(
            f"  {what:26} {rate:5.1f} frames a second; median {middle:5.1f} ms, 95 % {late:5.1f} ms",
            flush=True,
        )


def _stroll(page: Page, reach: float) -> None:
    end, k = time.monotonic() + SECONDS, 0
    while time.monotonic() < end:
        k += 1
        page.mouse.move(640 + reach * ((k * 7 % 200) / 100 - 1), 300 + reach / 3 * ((k * 3 % 200) / 100 - 1))


def _drag(page: Page, x: float, y: float) -> None:
    page.mouse.move(x, y)
    page.mouse.down()
    end, k = time.monotonic() + SECONDS, 0
    while time.monotonic() < end:
        k += 1
        page.mouse.move(x - (k * 5 % 300), y + (k * 2 % 120))
    page.mouse.up()


def _wheel(page: Page) -> None:
    page.mouse.move(600, 300)
    end, k = time.monotonic() + SECONDS, 0
    while time.monotonic() < end:
        k += 1
        page.mouse.wheel(0, -60 if k % 24 < 12 else 60)
        time.sleep(0.012)


def _waits(what: str, page: Page, key: str, drawn: str, before: str, after: str) -> None:
    """Print how long it takes from a key until something is drawn anew."""
    ms = []
    for _ in range(TIMES):
        for one in before.split():
            if one == "…":
                time.sleep(0.4)  # as long as a hand takes from a piece to the button
                continue
            page.keyboard.press(one)
            if one == "Enter":
                page.wait_for_selector(drawn, state="attached")
        ms.append(float(page.evaluate(WATCH, [key, drawn])))
        if after:
            page.keyboard.press(after)
    _say(what, ms)


def _opened(what: str, page: Page, address: str, drawn: str) -> None:
    """Print how long it takes from going to an address until something of it is there."""
    ms = []
    for _ in range(TIMES // 3 + 1):
        begun = time.perf_counter()
        page.goto(address, wait_until="commit")
        page.wait_for_selector(drawn, state="attached")
        ms.append(1e3 * (time.perf_counter() - begun))
    _say(what, ms[1:])


def _say(what: str, ms: list[float]) -> None:
    ms = [m for m in ms if not math.isnan(m)]
    print(
        f"  {what:26} median {statistics.median(ms):6.0f} ms, 95 % {sorted(ms)[len(ms) * 95 // 100]:6.0f} ms",
        flush=True,
    )
