"""Questions of a lay and ticks of a cut without a screen."""

from __future__ import annotations

from typing import Any

from tests.browser.conftest import Call


def _change(kind: str, of: str = "", to: float = 0.0, way: str = "") -> dict[str, Any]:
    return {"kind": kind, "of": of, "to": to, "way": way}


def test_questions_are_asked_each_or_together_and_a_lane_is_one_whatever_its_width(call: Call) -> None:
    changes = [_change("marks", "seat", 1), _change("lane", to=90, way="first")]
    assert call("asking.asksBy", changes, "each") == [[c] for c in changes]
    assert call("asking.asksBy", changes, "together") == [changes]
    assert call("asking.idOf", changes[1]) == call("asking.idOf", _change("lane", to=120, way="first"))
    assert call("asking.idOf", changes[0]) != call("asking.idOf", _change("marks", "seat", 2))


def test_what_saves_most_comes_first_and_what_was_refused_saves_nothing(call: Call) -> None:
    def answer(reckoned: float, refused: str = "") -> dict[str, Any]:
        return {"changes": [], "reckoned": reckoned, "refused": refused}

    rows = call(
        "asking.bySaving", [answer(100), answer(104), answer(80), answer(3, "no leather"), answer(95)]
    )
    assert [r["number"] for r in rows] == [2, 4, 3, 1]
    assert [r["saves"] for r in rows] == [20, 5, 0, -4]
    assert call("asking.bySaving", []) == []


def test_names_are_never_the_same(call: Call) -> None:
    names = {call("ticks.freshId") for _ in range(50)}
    assert len(names) == 50 and all(len(n) == 32 for n in names)
