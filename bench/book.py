"""How long each page of the Book takes after a year of records, over the API, at the median and at 95 %."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from fairlay.api.app import create_app
from fairlay.demo.year import put_year
from fairlay.store import database as store
from scripts.mariadb import PrivateMariaDB

PAGES = (
    "where",
    "where?mill=Ferrow%20Mill",
    *(f"by/{what}" for what in ("hide", "mill", "lot", "grade", "material", "batch", "month")),
    *(f"by/{what}" for what in ("article", "piece", "cutter")),
    "hides",
    "hides?doubted=true",
    "learned",
    "notes",
    "hide.csv",
    "piece.csv",
)
TIMES = 20


def print_book(hides: int = 3000) -> None:
    """Fill a store of its own with a year, and print what each page takes."""
    with PrivateMariaDB(Path(tempfile.mkdtemp())) as server:
        os.environ[store.URL_VARIABLE] = server.url
        app = create_app()
        store.migrate()
        began = time.monotonic()
        closed, pieces = put_year(hides, say=lambda words: print(words, flush=True))
        print(f"{closed} hides, {pieces} pieces, written in {time.monotonic() - began:.0f} s")
        with TestClient(
            app, base_url="http://127.0.0.1", headers={"fair-lay": "1"}, client=("127.0.0.1", 50_000)
        ) as client:
            first = client.get("/api/book/where").json()["months"][1]["month"]
            batch = client.get("/api/book/hides").json()[0]["batch_id"]
            for page in (*PAGES, f"batches/{batch}", f"month/{first}.pdf"):
                spent = []
                for _ in range(TIMES):
                    at = time.perf_counter()
                    answer = client.get(f"/api/book/{page}")
                    spent.append(time.perf_counter() - at)
                    assert answer.status_code == 200, answer.text
                print(
                    f"{page:28} {np.median(spent) * 1000:6.0f} ms {np.percentile(spent, 95) * 1000:6.0f} ms "
                    f"at 95 %, {len(answer.content) / 1000:7.0f} kB",
                    flush=True,
                )
        store.database.close_all()
