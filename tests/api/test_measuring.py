"""Measuring a hide over HTTP: pictures, a digitising table's drawing, a rule; found, mended, accepted, or
left.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import numpy as np
import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from shapely.geometry import Polygon

from fairlay.api.files import as_file
from fairlay.demo.hide_tables import tables
from fairlay.devices.hide_table import SimulatedHideCamera
from fairlay.work import files as reading
from fairlay.work import looking
from tests.api.leather_room import by_rule, change, ring, room, side
from tests.effort import LONG, tried

FILES = Path(__file__).resolve().parents[1] / "files"


@pytest.fixture(scope="module")
def small_pictures(workshop: TestClient) -> Any:
    """The demo's tables under a camera of fewer pixels."""
    state = cast(FastAPI, workshop.app).state
    own = state.hide_camera
    state.hide_camera = SimulatedHideCamera(
        {
            name: tuple(replace(s, width_px=2400, height_px=1600) for s in shots)
            for name, shots in tables().items()
        }
    )
    yield own
    state.hide_camera = own


def photograph(client: TestClient, table: str, shots: int = 1) -> list[int]:
    taken = [client.post("/api/leather/camera", json={"table": table, "shot": k}) for k in range(shots)]
    assert all(t.status_code == 201 for t in taken), taken[-1].text
    return [t.json()["id"] for t in taken]


def look(client: TestClient, hide: int, files: list[int]) -> Any:
    """Have pictures read, by this process in the worker's place; return the job as it ended."""
    asked = client.post(f"/api/leather/hides/{hide}/pictures", json={"files": files})
    assert asked.status_code == 202, asked.text
    looking.look_one(asked.json()["id"])
    return client.get(f"/api/jobs/{asked.json()['id']}").json()


def test_a_hide_is_photographed_corrected_and_taken(workshop: TestClient, small_pictures: object) -> None:
    hide = side(workshop)
    assert workshop.get("/api/leather/camera").json()["tables"]["a long russet side, in two pictures"] == 2
    job = look(workshop, hide, photograph(workshop, "a chestnut side, chalked"))
    assert job["state"] == "done" and job["kind"] == "look" and job["subject"] == hide
    assert [
        words for words in job["said"] if "10 markers" in words
    ] and "6 rings and 1 lines of chalk" in job["said"][-1]
    seen = room(workshop, hide)["seen"]
    assert (
        len(seen["rings"]) == 6 and seen["markers"] == 10 and [x["kind"] for x in seen["lines"]] == ["arrow"]
    )
    assert workshop.get(seen["picture"]).headers["content-type"] == "image/jpeg"
    # It waits beside the hide, whoever closes the browser; nothing of it is taken yet.
    before = room(workshop, hide)
    assert (
        before["seen"]["area_m2"] == seen["area_m2"]
        and before["flaws"] == []
        and not before["rack"]["measured"]
    )
    rings = [
        {"outline": r["outline"], "severity": r["severity"], "chalk": r["chalk"], "kind": "scar"}
        for r in seen["rings"][:5]
    ]
    rings[0] = {**rings[0], "severity": 3, "kind": "hole"}
    arrow = {"means": "least stretch", "points": seen["lines"][0]["points"]}
    taken = workshop.post(
        f"/api/leather/hides/{hide}/accept",
        json={"outline": seen["outline"], "rings": rings, "lines": [arrow]},
    )
    assert taken.status_code == 200, taken.text
    known = room(workshop, hide)
    assert known["seen"] is None and known["rack"]["measured"] and len(known["flaws"]) == 5
    assert known["flaws"][0]["severity"] == 3 and known["flaws"][0]["kind"] == "hole"
    assert known["rack"]["area_m2"] == pytest.approx(seen["area_m2"], rel=1e-3)
    assert known["backdrop"]["picture"] == seen["picture"]
    assert min(p[0] for p in known["outline"]) == pytest.approx(0, abs=0.01) and not known["neck_left"]
    assert workshop.post(f"/api/leather/hides/{hide}/undo").status_code == 200
    assert room(workshop, hide)["flaws"] == [] and not room(workshop, hide)["rack"]["measured"]


def test_what_was_found_tells_its_doubt_and_is_read_again_with_a_press(
    workshop: TestClient, small_pictures: object
) -> None:
    hide = side(workshop)
    files = photograph(workshop, "a chestnut side, chalked")
    assert look(workshop, hide, files)["state"] == "done"
    seen = room(workshop, hide)["seen"]
    assert 0 < seen["off_m2"] < 0.02 * seen["area_m2"] and seen["files"] == files and seen["presses"] == []
    first = np.mean(seen["rings"][0]["outline"], axis=0)
    press = {"x": float(first[0]), "y": float(first[1]), "means": "stain", "picture": None}
    asked = workshop.post(f"/api/leather/hides/{hide}/pictures", json={"files": files, "presses": [press]})
    looking.look_one(asked.json()["id"])
    again = room(workshop, hide)["seen"]
    assert again["presses"] == [press] and len(again["rings"]) == len(seen["rings"]) - 1
    kept = workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": again["outline"], "rings": []})
    assert kept.status_code == 200, kept.text


def test_the_camera_is_checked_with_a_page_of_known_size(
    workshop: TestClient, small_pictures: object
) -> None:
    page = workshop.get("/api/leather/check-page.pdf")
    assert page.headers["content-type"] == "application/pdf" and page.content.startswith(b"%PDF")
    (file,) = photograph(workshop, "the check page")
    asked = workshop.post("/api/leather/camera-checks", json={"file": file, "camera": "bench"})
    assert asked.status_code == 202, asked.text
    reading.read_one(asked.json()["id"])
    told = workshop.get(f"/api/leather/camera-checks/{asked.json()['id']}").json()
    assert abs(told["off_share"]) < 0.002 and told["camera"] == "bench"
    kept = workshop.get("/api/leather/camera-checks").json()
    assert kept[0]["off_share"] == told["off_share"] and kept[0]["camera"] == "bench"


def test_a_bad_picture_says_why_and_keeps_what_was_known(
    workshop: TestClient, small_pictures: object
) -> None:
    hide = side(workshop)
    change(workshop, hide, flaw={"id": "a", "kind": "scar", "severity": 1, "outline": ring(700, 300)})
    before = room(workshop, hide)
    for table, words in [
        ("a side with its markers covered", "2 markers"),
        ("a side in bad light", "too dark"),
        ("a side half out of the picture", "goes beyond the picture"),
    ][: tried(1, 3)]:
        files = photograph(workshop, table)
        job = look(workshop, hide, files)
        assert job["state"] == "failed" and words in job["error"]
        # The pictures wait for one more, or for another try.
        now = room(workshop, hide)
        assert now["pictures"]["files"] == files and now["pictures"]["job"]["error"] == job["error"]
        assert {**now, "pictures": None} == before
    assert workshop.post("/api/leather/camera", json={"table": "an empty table"}).status_code == 404
    assert (
        workshop.post("/api/leather/camera", json={"table": "a side in bad light", "shot": 3}).status_code
        == 404
    )
    assert workshop.post(f"/api/leather/hides/{hide}/pictures", json={"files": [99999]}).status_code == 404
    assert workshop.post(f"/api/leather/hides/{hide}/pictures", json={"files": []}).status_code == 422


def test_what_was_found_can_be_left(workshop: TestClient) -> None:
    hide = side(workshop)
    by_rule(workshop, hide)
    assert room(workshop, hide)["seen"]["source"] == "rule"
    assert workshop.delete(f"/api/leather/hides/{hide}/seen").status_code == 204
    assert room(workshop, hide)["seen"] is None and not room(workshop, hide)["rack"]["measured"]
    refused = workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": ring(500, 500, 400)})
    assert refused.status_code == 409 and "nothing was found" in refused.json()["problem"]


def test_a_hide_is_measured_by_rule(workshop: TestClient) -> None:
    hide = side(workshop)
    seen = by_rule(workshop, hide)
    assert seen["area_m2"] == pytest.approx(2.1 * 0.86, rel=0.05)
    ends = {"tail_x": 2100, "tail_y": 0, "neck_x": 0, "neck_y": 0}
    assert (
        workshop.post(
            f"/api/leather/hides/{hide}/accept", json={"outline": seen["outline"], "ends": ends}
        ).status_code
        == 200
    )
    known = room(workshop, hide)
    assert known["neck_left"] and next(s for s in known["steps"] if s["step"] == "backbone")["done"]
    bad = workshop.post(
        f"/api/leather/hides/{hide}/by-rule", json={"stations": [[0, 0, 100], [100, 90, 50], [200, 0, 100]]}
    )
    assert bad.status_code == 422 and "before it begins" in bad.json()["problem"]


def test_flesh_side_up_is_turned_over(workshop: TestClient) -> None:
    hide = side(workshop)
    seen = by_rule(workshop, hide)
    lopsided = [
        *seen["outline"][:3],
        [seen["outline"][3][0], seen["outline"][3][1] - 60],
        *seen["outline"][4:],
    ]
    first = workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": lopsided, "flesh_up": True})
    assert first.status_code == 200
    flesh = np.asarray(room(workshop, hide)["outline"])
    workshop.post(f"/api/leather/hides/{hide}/undo")
    by_rule(workshop, hide)
    workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": lopsided})
    grain = np.asarray(room(workshop, hide)["outline"])
    mirrored = Polygon(grain * [-1, 1] + [grain[:, 0].max(), 0])
    assert mirrored.symmetric_difference(Polygon(flesh)).area < 0.02 * mirrored.area


@pytest.mark.usefixtures("reads_at_once")
def test_a_drawing_of_a_digitising_table_is_read(workshop: TestClient) -> None:
    hide = side(workshop)
    svg = b"""<svg xmlns="http://www.w3.org/2000/svg" width="2000mm" height="1000mm" viewBox="0 0 2000 1000">
      <path d="M50,40 L1950,40 L1900,900 L120,950 Z"/><circle cx="700" cy="400" r="30"/></svg>"""
    file = workshop.post("/api/ways-in/files", files={"file": ("table.svg", svg, "image/svg+xml")}).json()[
        "id"
    ]
    asked = workshop.post(f"/api/leather/hides/{hide}/drawing", json={"file": file, "unit_mm": None})
    assert asked.status_code == 202 and asked.json()["state"] == "done", asked.text
    seen = room(workshop, hide)["seen"]
    assert seen["source"] == "drawing" and len(seen["holes"]) == 1
    assert seen["area_m2"] == pytest.approx(
        (Polygon([(50, 40), (1950, 40), (1900, 900), (120, 950)]).area - np.pi * 900) / 1e6, rel=1e-3
    )
    assert seen["files"] == [file] and seen["unit_mm"] == seen["told_mm"] == pytest.approx(25.4 / 96)
    half = seen["unit_mm"] / 2
    workshop.post(f"/api/leather/hides/{hide}/drawing", json={"file": file, "unit_mm": half})
    halved = room(workshop, hide)["seen"]
    assert halved["unit_mm"] == half and halved["told_mm"] == seen["told_mm"]
    assert halved["area_m2"] == pytest.approx(seen["area_m2"] / 4, rel=1e-3)
    empty = workshop.post(
        "/api/ways-in/files",
        files={
            "file": (
                "line.svg",
                b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0,0 L500,0"/></svg>',
                "image/svg+xml",
            )
        },
    ).json()["id"]
    refused = workshop.post(f"/api/leather/hides/{hide}/drawing", json={"file": empty})
    assert refused.json()["state"] == "failed" and "no closed outline" in refused.json()["error"]
    # What one shop takes out, another brings in, flaws and all; names of any script make a file.
    known = next(h for h in workshop.get("/api/leather").json() if h["number"] == "F-103")
    for kind, media in (("svg", "image/svg+xml"), ("dxf", "image/vnd.dxf"), ("json", "application/json")):
        out = workshop.get(f"/api/leather/hides/{known['id']}/hide.{kind}")
        assert (
            out.status_code == 200
            and out.headers["content-type"].startswith(media)
            and f'filename="F-103.{kind}"' in out.headers["content-disposition"]
        )
        if kind == "json":
            assert out.json()["id"] == "F-103" and len(out.json()["flaws"]) == sum(known["flaws_by_severity"])
            continue
        file = workshop.post(
            "/api/ways-in/files", files={"file": (f"F-103.{kind}", out.content, media)}
        ).json()["id"]
        workshop.post(f"/api/leather/hides/{hide}/drawing", json={"file": file})
        again = room(workshop, hide)["seen"]
        assert again["area_m2"] == pytest.approx(known["area_m2"], rel=1e-3)
        assert [sum(r["severity"] == s for r in again["rings"]) for s in (1, 2, 3)] == known[
            "flaws_by_severity"
        ]
    assert (
        as_file("x", "text/plain", "Lederstück 皮.svg").headers["content-disposition"]
        == "attachment; filename=\"Lederst-ck-.svg\"; filename*=UTF-8''Lederst%C3%BCck%20%E7%9A%AE.svg"
    )
    dxf = (FILES / "bellows.dxf").read_bytes()
    file = workshop.post("/api/ways-in/files", files={"file": ("table.dxf", dxf, "application/dxf")}).json()[
        "id"
    ]
    assert workshop.post(f"/api/leather/hides/{hide}/drawing", json={"file": file}).status_code == 202


@pytest.mark.parametrize(
    ("how", "stroke", "area"),
    [
        ("add", [[0, 400], [-60, 400]], 0.64 + 0.00283 + 0.001),
        ("take off", [[0, 0], [100, 0]], 0.64 - 0.0025),
        ("cut", [[700, -10], [700, 900]], 0.56),
    ],
)
def test_an_outline_is_mended_where_it_lies(
    workshop: TestClient, how: str, stroke: list[list[float]], area: float
) -> None:
    square = [[0, 0], [800, 0], [800, 800], [0, 800]]
    done = workshop.post(
        "/api/leather/mend", json={"outline": square, "stroke": stroke, "width_mm": 40, "how": how}
    )
    assert done.status_code == 200, done.text
    assert done.json()["area_m2"] == pytest.approx(area, abs=0.0015)
    assert Polygon(done.json()["outline"]).intersection(Polygon(square)).area > 0.5e6, "it stays where it was"


def test_a_cut_beside_an_outline_is_refused(workshop: TestClient) -> None:
    refused = workshop.post(
        "/api/leather/mend", json={"outline": ring(0, 0, 400), "stroke": [[900, 0], [900, 50]], "how": "cut"}
    )
    assert refused.status_code == 409 and "nothing was cut" in refused.json()["problem"]
    assert (
        workshop.post(
            "/api/leather/mend", json={"outline": [[0, 0], [1, 1]], "stroke": [[0, 0]], "how": "add"}
        ).status_code
        == 422
    )


@pytest.mark.skipif(not LONG, reason="the same way is gone in the browser")
def test_what_a_cut_left_is_photographed_and_nothing_known_is_lost(
    workshop: TestClient, small_pictures: object
) -> None:
    hide = side(workshop)
    look(workshop, hide, photograph(workshop, "a chestnut side, chalked"))
    seen = room(workshop, hide)["seen"]
    rings = [
        {"outline": r["outline"], "severity": r["severity"], "chalk": r["chalk"], "kind": "scar"}
        for r in seen["rings"]
    ]
    assert (
        workshop.post(
            f"/api/leather/hides/{hide}/accept",
            json={"outline": seen["outline"], "rings": rings, "lines": []},
        ).status_code
        == 200
    )
    change(workshop, hide, pull={"id": "p", "x": 1600, "y": 500, "along_mm": 3, "across_mm": 5})
    before = room(workshop, hide)
    assert (
        look(workshop, hide, photograph(workshop, "what a cut left of the chestnut side"))["state"] == "done"
    )
    seen = room(workshop, hide)["seen"]
    again = workshop.post(f"/api/leather/hides/{hide}/known-again", json={"outline": seen["outline"]}).json()
    assert again["fits"] and "of its edge lies along the old one" in again["words"] and again["pulls"] == 1
    assert 3 <= len(again["flaws"]) < 6 and {f["kind"] for f in again["flaws"]} == {"scar"}
    flesh = workshop.post(
        f"/api/leather/hides/{hide}/known-again", json={"outline": seen["outline"], "flesh_up": True}
    ).json()
    assert not flesh["fits"] and "flesh side" in flesh["words"] and flesh["flaws"] == []
    refused = workshop.post(
        f"/api/leather/hides/{hide}/accept",
        json={"outline": seen["outline"], "keep_known": True, "flesh_up": True},
    )
    assert refused.status_code == 422 and room(workshop, hide)["seen"] == seen, (
        "refused, and what was seen still waits"
    )
    assert (
        workshop.post(
            f"/api/leather/hides/{hide}/accept", json={"outline": seen["outline"], "keep_known": True}
        ).status_code
        == 200
    )
    after = room(workshop, hide)
    assert (
        after["rack"]["state"] == "part used"
        and len(after["flaws"]) == len(again["flaws"])
        and len(after["pulls"]) == 1
    )
    assert after["rack"]["area_m2"] < 0.8 * before["rack"]["area_m2"] and not after["neck_left"]
    said = workshop.get(f"/api/leather/hides/{hide}/history").json()[0]
    assert said["words"] == "measured from pictures, after a cut" and said["outline"] == before["outline"]
    assert workshop.post(f"/api/leather/hides/{hide}/undo").status_code == 200
    back = room(workshop, hide)
    assert back["flaws"] == before["flaws"] and back["rack"]["state"] == before["rack"]["state"]
