"""Whatever is sent to a room, it answers in words: no request drawn from the API's own description, sound or
not, breaks the server or leaves a hide that cannot be read.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Placement
from fairlay.core.shapes import Placing
from fairlay.store import by_hand, hides, jobs, lays
from fairlay.store.lays import LaidOn
from fairlay.store.looking import known
from fairlay.store.work_asked import ReadWork
from tests import jobs as small
from tests.api.leather_room import by_rule, delivery, room, side
from tests.effort import tried

SPARED = {
    "/api/leather/settings": "the shop's own choices, which other tests read",
    "/api/leather/acts": "acts on hides of the demo",
    "/api/batches": "makes batches, which nothing takes away again",
    "/api/patterns": "makes articles, which other tests would find",
    "/api/lays/{lay_id}/run": "begins long work",
    "/api/leather/hides/{hide_id}/pictures": "begins long work",
    "/api/leather/camera": "renders pictures",
    "/api/ways-in/camera": "renders pictures",
    "/api/ways-in/files": "takes a file, not words",
}
NUMBERS = st.one_of(
    st.integers(-3, 3),
    st.floats(-100, 3000),
    st.sampled_from([0, -1, 1e-12, 1e9, 1e300, -1e300, 2**70, 0.1 + 0.2]),
)
WORDS = st.one_of(
    st.sampled_from(["", " ", "side", "a", "\x00", "'; --", "é" * 70, "x" * 3000, "../..", "<b>"]),
    st.text(max_size=12),
)
ANYTHING = st.one_of(
    st.none(),
    st.booleans(),
    NUMBERS,
    WORDS,
    st.lists(NUMBERS, max_size=3),
    st.dictionaries(st.text(max_size=4), NUMBERS, max_size=2),
)


def values(schema: dict[str, Any], parts: dict[str, Any], depth: int = 0) -> st.SearchStrategy[Any]:
    """Values that look like what a schema asks for; now and then one that does not."""
    return st.integers(0, 24).flatmap(
        lambda n: ANYTHING if n == 0 and depth else _sound(schema, parts, depth)
    )


def _sound(schema: dict[str, Any], parts: dict[str, Any], depth: int) -> st.SearchStrategy[Any]:
    if "$ref" in schema:
        return _sound(parts[schema["$ref"].rsplit("/", 1)[1]], parts, depth)
    if "anyOf" in schema:
        return st.one_of([values(one, parts, depth + 1) for one in schema["anyOf"]])
    if "const" in schema or "enum" in schema:
        return st.sampled_from(schema.get("enum", [schema.get("const")]))
    kind = schema.get("type")
    if kind == "object" and "properties" in schema:
        need = set(schema.get("required", ()))
        fields = {k: values(v, parts, depth + 1) for k, v in schema["properties"].items()}
        return st.fixed_dictionaries(
            {k: v for k, v in fields.items() if k in need},
            optional={k: v for k, v in fields.items() if k not in need},
        )
    if kind == "object":
        return st.dictionaries(
            WORDS,
            values(schema.get("additionalProperties") or {}, parts, depth + 1)
            if isinstance(schema.get("additionalProperties"), dict)
            else ANYTHING,
            max_size=2,
        )
    if kind == "array":
        least = int(schema.get("minItems", 0))
        return st.lists(
            values(schema.get("items", {}), parts, depth + 1),
            min_size=min(least, 4),
            max_size=max(4, min(least + 3, 6)),
        )
    if kind == "integer":
        return st.one_of(
            st.integers(int(schema.get("minimum", -5)), int(schema.get("maximum", 5))),
            st.integers(-(2**40), 2**40),
        )
    return {"number": NUMBERS, "string": WORDS, "boolean": st.booleans(), "null": st.none()}.get(
        str(kind), ANYTHING
    )


def routes(client: TestClient) -> list[tuple[str, str, dict[str, Any]]]:
    """Every route that takes a body: method, path, and the body's schema."""
    found = []
    for path, methods in client.get("/openapi.json").json()["paths"].items():
        for method, told in methods.items():
            content = told.get("requestBody", {}).get("content", {})
            if "application/json" in content and path not in SPARED:
                found.append((method, path, content["application/json"]["schema"]))
    return sorted(found, key=lambda r: (r[1], r[0]))


@pytest.fixture(scope="module")
def own(workshop: TestClient) -> Iterator[dict[str, int]]:
    """Ids of things that only these tests touch; what others would find is taken away again."""
    hide = side(workshop)
    by_rule(workshop, hide)
    article = workshop.post("/api/patterns", json={"name": "Junk drawer"}).json()["id"]
    slings = next(a["id"] for a in workshop.get("/api/articles").json() if a["slug"] == "log-sling")
    lines = [{"article_id": slings, "quantity": 1}]
    batch = workshop.post("/api/batches", json={"number": "J-1", "name": "Junk", "lines": lines}).json()["id"]
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="40mm">'
    svg += b'<rect width="80" height="30"/></svg>'
    file = workshop.post("/api/ways-in/files", files={"file": ("tab.svg", svg)}).json()["id"]
    yield {
        "hide_id": hide,
        "delivery_id": delivery(workshop, 20.0)["id"],
        "article_id": article,
        "batch_id": batch,
        "lay_id": _lay(batch),
        "job_id": jobs.add_read(file, ReadWork("drawing"))[0],
        "file_id": file,
    }
    assert workshop.delete(f"/api/patterns/{article}").status_code == 204


def _lay(batch: int) -> int:
    """A lay of the junk batch, on a hide of its own, with a piece on it."""
    job = read_job(json.dumps(small.everything(hides=[small.side("J-1", flaws=[], zones=[])])))
    like = next(h for h in hides.rack() if h.number == "F-101")
    about = hides.About(
        "body leather", "Ferrow Mill", "chestnut", "", "medium", 2.3, "1", "looked over", like.received_on
    )
    made = hides.add_hide(job.hides[0], about)
    lay_id = lays.create_lay(batch, "body leather", job, [LaidOn(made, 0)])
    by_hand.act(lay_id, base=1, put=[Placement("washer", 0, "J-1", Placing(420.0, 60.0, 0.0))])
    return lay_id


@pytest.fixture(autouse=True)
def no_workers(monkeypatch: pytest.MonkeyPatch) -> None:
    for room_ in ("lays", "measuring", "reading"):
        monkeypatch.setattr(f"fairlay.api.{room_}.hand_out", lambda job_id, kind: None)


def test_there_is_much_to_send_to(workshop: TestClient) -> None:
    paths = {path for _, path, _ in routes(workshop)}
    assert len(paths) >= 15 and not paths & set(SPARED)


@settings(
    max_examples=tried(15, 1500),
    suppress_health_check=[
        HealthCheck.function_scoped_fixture,
        HealthCheck.too_slow,
        HealthCheck.data_too_large,
    ],
)
@given(data=st.data())
def test_no_request_breaks_a_room(workshop: TestClient, own: dict[str, int], data: st.DataObject) -> None:
    document = workshop.get("/openapi.json").json()
    method, path, schema = data.draw(st.sampled_from(routes(workshop)))
    body = data.draw(values(schema, document["components"]["schemas"]))
    at = path
    for name, number in own.items():
        at = at.replace("{" + name + "}", str(number))
    at = at.replace("{number}", "1").replace("{letter}", "A").replace("{slug}", "none")
    answer = workshop.request(method, at, json=body)
    # 503 is a device that gives nothing there, in words; 500 is a break.
    assert answer.status_code != 500, (method, at, body, answer.text)
    if answer.status_code >= 400:
        assert answer.json()["problem"], "what was wrong is said"
    assert (
        answer.status_code != 404
        or "{lay_id}" not in path
        or "revision" in answer.text
        or "no hide" in answer.text
    ), answer.text
    assert known(own["hide_id"]).looking.outline and room(workshop, own["hide_id"])["outline"]
    assert workshop.get(f"/api/lays/{own['lay_id']}").status_code == 200
    assert workshop.get(f"/api/batches/{own['batch_id']}").status_code == 200


@settings(
    max_examples=tried(10, 800),
    suppress_health_check=[
        HealthCheck.function_scoped_fixture,
        HealthCheck.too_slow,
        HealthCheck.data_too_large,
    ],
)
@given(data=st.data())
def test_no_change_breaks_a_hide(workshop: TestClient, own: dict[str, int], data: st.DataObject) -> None:
    """The room with most ways to be changed, one change at a time as the screen sends them."""
    parts = workshop.get("/openapi.json").json()["components"]["schemas"]
    what = data.draw(st.sampled_from(sorted(parts["Change"]["properties"])))
    body = {what: data.draw(values(parts["Change"]["properties"][what], parts))}
    before = room(workshop, own["hide_id"])
    answer = workshop.post(f"/api/leather/hides/{own['hide_id']}/changes", json=body)
    assert answer.status_code != 500, (body, answer.text)
    after = room(workshop, own["hide_id"])
    if answer.status_code >= 400:
        assert answer.json()["problem"] and after == before, "refused, and nothing was changed"
    if answer.status_code == 200 and after != before:
        assert workshop.get(f"/api/leather/hides/{own['hide_id']}/worth").status_code == 200
        assert workshop.post(f"/api/leather/hides/{own['hide_id']}/undo").status_code == 200
        back = room(workshop, own["hide_id"])
        assert {k: v for k, v in back.items() if k not in ("version", "rack", "can_undo")} == {
            k: v for k, v in before.items() if k not in ("version", "rack", "can_undo")
        }
