"""What tests of the Leather room ask of it, over HTTP."""

from __future__ import annotations

import itertools
from typing import Any

from fastapi.testclient import TestClient

LOT = {
    "mill": "Oxlade Pits",
    "lot": "T-1",
    "price": 8.4,
    "unit": "ft2",
    "material": "body leather",
    "tannage": "vegetable",
    "finish": "waxed",
    "colour": "chestnut",
    "temper": "medium",
    "thickness_mm": 2.3,
    "grade": "1",
}
lots = itertools.count(100)


def delivery(client: TestClient, *areas: float, **changed: Any) -> dict[str, Any]:
    """A delivery of a lot of its own, with sides of these areas."""
    made = client.post(
        "/api/leather/deliveries", json={"invoice": {**LOT, "lot": f"T-{next(lots)}", **changed}}
    )
    assert made.status_code == 201, made.text
    if areas:
        got = client.post(
            f"/api/leather/deliveries/{made.json()['id']}/hides",
            json={"kind": "side", "areas": areas, "prefix": "T-"},
        )
        assert got.status_code == 201, got.text
    return dict(client.get(f"/api/leather/deliveries/{made.json()['id']}").json())


def side(client: TestClient) -> int:
    return int(delivery(client, 22.0)["hides"][0]["id"])


def change(client: TestClient, hide: int, **what: Any) -> Any:
    return client.post(f"/api/leather/hides/{hide}/changes", json=what)


def room(client: TestClient, hide: int) -> dict[str, Any]:
    return dict(client.get(f"/api/leather/hides/{hide}").json())


def ring(x: float, y: float, r: float = 20.0) -> list[list[float]]:
    return [[x - r, y - r], [x + r, y - r], [x + r, y + r], [x - r, y + r]]


def flaw(name: str, x: float = 700, y: float = 300, **more: Any) -> dict[str, Any]:
    return {"id": name, "kind": "scratch", "severity": 2, "outline": ring(x, y), **more}


def by_rule(client: TestClient, hide: int, scale: float = 1.0) -> dict[str, Any]:
    stations = [[x, 0, (850 + 60 * (x in (300, 1500))) * scale] for x in range(0, 2101, 300)]
    seen = client.post(f"/api/leather/hides/{hide}/by-rule", json={"stations": stations})
    assert seen.status_code == 200, seen.text
    return dict(seen.json())
