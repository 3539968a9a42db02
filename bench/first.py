"""How long after the press the first piece of a lay is seen on the screen, workers warm, in headless
Chromium.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from bench.cases import job_of
from bench.kinds import KINDS
from bench.screen import CHROMIUM, SIZE, served
from fairlay.core.lay import Job
from fairlay.demo import fill_if_empty
from fairlay.store import batches, hides, jobs, lays
from fairlay.store import database as store
from fairlay.store.lays import LaidOn
from scripts.mariadb import PrivateMariaDB

TIMES = 3
LAY_IT = "button:has-text('Lay it')"


def print_first(seed: int) -> None:
    """Print, for jobs of four sizes, how long until the first piece is drawn: on leather that was never laid
    on, and again.
    """
    cases = {
        "one side": lambda k: KINDS["everything"](seed + k),
        "whole sets": lambda k: KINDS["sets"](seed + 2 * k),
        "three sides": lambda k: job_of(seed + k, 3, "order", full=0.3),
        "twelve sides": lambda k: job_of(seed + k, 12, "order", full=0.55),
    }
    with tempfile.TemporaryDirectory() as home, PrivateMariaDB(Path(home)) as server:
        os.environ[store.URL_VARIABLE] = server.url
        store.open_database()
        store.migrate()
        fill_if_empty()
        with _working(), served() as base, sync_playwright() as p:
            page = p.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"]).new_page(viewport=SIZE)
            page.goto(base)
            for name, make in cases.items():
                made = [make(k) for k in range(TIMES)]
                fresh = [_wait(page, base, job) for job in made]
                again = [_wait(page, base, replace(job, name="again")) for job in made]
                pieces = sum(piece.quantity for piece in made[0].pieces)
                print(
                    f"{name:14} {pieces:4} pieces: first seen after {statistics.median(fresh):.2f} s, "
                    f"{max(fresh):.2f} at most; on the same leather again {statistics.median(again):.2f} s",
                    flush=True,
                )
        store.database.close_all()


@contextmanager
def _working() -> Iterator[None]:
    """Two workers at the queue, once they are warm."""
    running = subprocess.Popen([sys.executable, "-m", "fairlay.cli", "worker", "--count", "2"])
    try:
        time.sleep(12.0)
        yield
    finally:
        running.terminate()
        running.wait()


def _wait(page: Page, base: str, job: Job) -> float:
    """Seconds from the press until a piece is drawn; the search is stopped then."""
    hide, batch = hides.rack()[0], batches.all_batches()[0].id
    lay = lays.create_lay(batch, "bench", job, [LaidOn(hide.id, hide.version)], shared=True)
    page.goto(f"{base}/lay/{lay}")
    button = page.locator(LAY_IT).first
    button.wait_for()
    began = time.perf_counter()
    button.click()
    page.wait_for_selector("[data-key]", state="attached", timeout=120_000)
    waited = time.perf_counter() - began
    page.goto(base)
    job_now = jobs.newest_of_lay(lay)
    if job_now is not None:
        jobs.ask_to_stop(job_now.id)
    while jobs.running():
        time.sleep(0.2)
    return waited
