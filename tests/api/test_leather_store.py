"""Leather in the store: what is known of a hide under many hands, through old databases, and when a change
breaks in the middle.
"""

from __future__ import annotations

import datetime
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient
from shapely.geometry import Polygon

from fairlay.core.capture.chalk import USUAL_CHALKS, Chalk
from fairlay.core.errors import BadHide, NotFound, Refused
from fairlay.core.lay.card import card_of
from fairlay.core.leather import Hide
from fairlay.core.leather.gauge import GaugeReading
from fairlay.core.leather.looking_over import (
    LookingOver,
    RingedFlaw,
    begun,
    with_flaw,
    with_reading,
    with_step,
)
from fairlay.core.leather.receiving import Invoice
from fairlay.core.leather.reshaped import cut_along
from fairlay.core.leather.usual_outline import usual_outline
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, fair_areas, needs_of
from fairlay.store import database as store
from fairlay.store import deliveries, fair, hides, looking, settings, spoken_for
from fairlay.store.hides import About
from fairlay.store.tables import DeliveryRow, HideEventRow, HideRow
from tests.api.leather_room import lots

LOT = Invoice(
    "Ferrow Mill", "S-1", 90.0, "m2", "body leather", "vegetable", "plain", "chestnut", "medium", 2.2, "1"
)
TODAY = datetime.date(2026, 11, 23)
ABOUT = About("body leather", "Ferrow Mill", "chestnut", "vegetable", "medium", 2.2, "1", "received", TODAY)

pytestmark = pytest.mark.usefixtures("workshop")


def lot(**changed: object) -> Invoice:
    return replace(LOT, lot=f"S-{next(lots)}", **changed)  # type: ignore[arg-type]  # the invoice's own fields


def side() -> int:
    made = deliveries.begin_delivery(lot(), TODAY)
    return deliveries.receive_hides(made, "side", [2.0], "S-")[0]


def flaw(name: str, x: float = 600.0) -> RingedFlaw:
    return RingedFlaw(name, "scar", 2, [[x, 200], [x + 40, 200], [x + 40, 240], [x, 240]])


def broken(known: LookingOver) -> LookingOver:
    raise BadHide("broke in the middle", value=1)


def test_a_change_that_breaks_leaves_everything_as_it_was() -> None:
    hide = side()
    before = looking.known(hide)
    with pytest.raises(BadHide, match="broke in the middle"):
        looking.change(hide, broken, "breaks")
    after = looking.known(hide)
    assert (
        after.looking == before.looking and after.rack.version == before.rack.version and not after.can_undo
    )
    assert [e.kind for e in looking.history(hide)] == ["received"]


def test_what_cannot_be_read_back_is_never_written() -> None:
    hide = side()
    before = looking.known(hide).looking
    crossed = replace(
        before, guess=[replace(before.guess[0], outline=[[0, 0], [900, 900], [900, 0], [0, 900]])]
    )
    with pytest.raises(ValueError, match="crosses"):
        looking.change(hide, lambda _: crossed, "a zone that crosses itself")
    assert looking.known(hide).looking == before and not looking.known(hide).can_undo


def test_nothing_changed_is_no_change() -> None:
    hide = side()
    version = looking.known(hide).rack.version
    assert looking.change(hide, lambda known: known, "nothing") == version
    assert not looking.known(hide).can_undo


def test_a_hide_is_what_was_known_of_it_step_by_step() -> None:
    hide = side()
    for k in range(5):
        looking.change(hide, lambda known, k=k: with_flaw(known, flaw(f"f{k}", 300 + 200 * k)), f"flaw {k}")  # type: ignore[misc]  # k is bound to each
    looking.change(hide, lambda known: with_reading(known, GaugeReading("r", 700, 300, 2.1)), "reading")
    found = hides.hides_by_id([hide])[0].hide
    assert len(found.flaws) == 5 and found.thickness[0].mm == 2.1
    assert (
        found.edge_margin_mm == settings.leather_settings().edge_margin_mm
        and found.cost_per_m2 == pytest.approx(90.0)
    )
    for left in (5, 4, 3):
        looking.undo(hide)
        assert len(hides.hides_by_id([hide])[0].hide.flaws) == left
    assert [e.words for e in looking.history(hide)][:2] == ["undone: flaw 3", "undone: flaw 4"]


def test_old_changes_stay_as_words_when_they_can_no_longer_be_undone(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(looking, "KEPT_STEPS", 3)
    hide = side()
    for k in range(6):
        looking.change(hide, lambda known, k=k: with_flaw(known, flaw(f"f{k}")), f"flaw {k}")  # type: ignore[misc]  # k is bound to each
    for _ in range(3):
        looking.undo(hide)
    with pytest.raises(Refused, match="nothing to undo"):
        looking.undo(hide)
    assert len(looking.known(hide).looking.flaws) == 3
    assert sum(e.words.startswith("flaw") for e in looking.history(hide)) == 3


def test_a_cut_can_be_seen_for_ever(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(looking, "KEPT_STEPS", 1)
    hide = side()
    whole = looking.known(hide).looking.outline
    looking.change(
        hide,
        lambda known: replace(known, outline=[[0, 0], [900, 0], [900, 600], [0, 600]]),
        "cut for B-30",
        "cut",
    )
    for k in range(4):
        looking.change(hide, lambda known, k=k: with_flaw(known, flaw(f"f{k}")), f"flaw {k}")  # type: ignore[misc]  # k is bound to each
    cut = next(e for e in looking.history(hide) if e.kind == "cut")
    assert cut.outline == whole


def test_what_is_not_there_is_said(workshop: TestClient) -> None:
    for act in (
        looking.known,
        looking.undo,
        looking.history,
        deliveries.send_back,
        deliveries.delivery_by_id,
    ):
        with pytest.raises(NotFound, match="99999"):
            act(99_999)
    with pytest.raises(NotFound):
        looking.change(99_999, lambda known: known, "nothing")
    with pytest.raises(NotFound):
        looking.put_seen(99_999, None)
    with pytest.raises(NotFound):
        deliveries.change_delivery(99_999, lot(), "", True)


def test_a_hide_from_before_there_was_looking_over_is_known(workshop: TestClient) -> None:
    ring = usual_outline("side", 1.9)
    old = hides.add_hide(
        Hide(f"OLD-{next(lots)}", "side", ring, cost_per_m2=80.0), replace(ABOUT, state="looked over")
    )
    row = hides.hides_by_id([old])[0]
    assert row.looked == "looked over" and row.looked_enough
    assert looking.known(old).looking.outline[0] == pytest.approx(list(ring[0]), abs=0.01)
    looking.change(old, lambda known: with_flaw(known, flaw("a")), "a scar")
    assert hides.hides_by_id([old])[0].looked == "not looked over", "nobody wrote down which steps were done"
    looking.undo(old)
    assert looking.known(old).looking.flaws == []


def test_only_hides_that_nobody_knows_are_doubted(workshop: TestClient) -> None:
    number = hides.hides_by_id([side()])[0].number
    told = hides.told_of([number, "F-101", "no such hide"])
    assert {n: t.doubt for n, t in told.items()} == {number: "not measured, not looked over", "F-101": ""}
    assert told["F-101"].colour == "chestnut"
    assert hides.told_of([]) == {}


def test_states_are_words_of_the_rack(workshop: TestClient) -> None:
    hide = side()
    spoken_for.set_state([hide], "part used")
    spoken_for.set_state([hide], "part used")
    assert [e.words for e in looking.history(hide)] == ["part used", "received from Ferrow Mill"]
    with pytest.raises(Refused, match="cannot be called 'lost'"):
        spoken_for.set_state([hide], "lost")


def test_a_part_used_hide_stays_so_when_it_is_looked_at_again(workshop: TestClient) -> None:
    hide = side()
    spoken_for.set_state([hide], "part used")
    for step in ("backbone", "surface", "feel"):
        looking.change(
            hide, lambda known, step=step: with_step(replace(known, measured=True), step, True), step
        )  # type: ignore[misc]  # step is bound to each
    assert hides.hides_by_id([hide])[0].state == "part used"


@pytest.mark.parametrize(
    "wrong",
    [
        {"limits": (4.0, 2.0, 7.0)},
        {"tolerance": -0.1},
        {"tolerance": 0.6},
        {"strap_mm": 2.0},
        {"edge_margin_mm": -1.0},
        {"chalks": ()},
        {"chalks": (USUAL_CHALKS[0], USUAL_CHALKS[0])},
        {"chalks": (Chalk(" ", (1, 2, 3), "surface"),)},
        {"chalks": (Chalk("odd", (1, 2, 999), "surface"),)},
    ],
)
def test_choices_that_make_no_sense_keep_the_ones_before(
    workshop: TestClient, wrong: dict[str, object]
) -> None:
    before = settings.leather_settings()
    with pytest.raises((Refused, BadHide)):
        settings.set_leather_settings(replace(before, **wrong))  # type: ignore[arg-type]  # the settings' own fields
    assert settings.leather_settings() == before


def test_choices_are_kept_and_changed(workshop: TestClient) -> None:
    before = settings.leather_settings()
    try:
        for tolerance in (0.03, 0.05):
            settings.set_leather_settings(
                replace(before, tolerance=tolerance, currency="kr", chalks=before.chalks[:3])
            )
            found = settings.leather_settings()
            assert (found.tolerance, found.currency, len(found.chalks)) == (tolerance, "kr", 3)
    finally:
        settings.set_leather_settings(before)
    assert settings.leather_settings() == before


def test_numbers_of_two_lots_never_meet(workshop: TestClient) -> None:
    first, second = (deliveries.begin_delivery(lot(), TODAY) for _ in range(2))
    a = deliveries.receive_hides(first, "side", [2.0, 2.1], "N-")
    b = deliveries.receive_hides(second, "bend", [0.8], "N-")
    found = [h.number for h in hides.hides_by_id([*a, *b])]
    assert len(set(found)) == 3 and sorted(found) == found
    assert hides.hides_by_id(b)[0].hide.kind == "bend"


def test_the_rack_is_read_and_not_reckoned(workshop: TestClient, queries: list[str]) -> None:
    hide = side()
    with store.database.connection_context():
        HideRow.update(card=None).where(HideRow.id == hide).execute()
    before = next(h for h in hides.rack() if h.id == hide)
    assert store.connected(HideRow.get_by_id)(hide).card is not None, "a card that was lacking is kept"
    assert before.card == card_of(hides.hides_by_id([hide])[0].hide) and before.card.flaws_by_severity == [
        0,
        0,
        0,
    ]
    looking.change(hide, lambda k: with_flaw(k, flaw("a")), "scar, blemish")
    queries.clear()
    after = next(h for h in hides.rack() if h.id == hide)
    assert len(queries) == 1 and "`shape`" not in queries[0] and "`looking`" not in queries[0]
    assert after.card.flaws_by_severity == [0, 1, 0] and after.card.drawn.flaws[0].kind == "scar"
    outline = np.asarray(before.card.drawn.rings[0])
    assert (
        Polygon(outline).symmetric_difference(Polygon(hides.hides_by_id([hide])[0].hide.outline)).area < 8000
    ), "drawn within a mm"


def test_fair_ground_is_reckoned_once_for_each_state_of_a_hide(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = side()
    (hide,) = (h for h in hides.rack() if h.id == made)
    asked: list[int] = []
    monkeypatch.setattr(
        fair,
        "fair_areas",
        lambda pieces, shape, policy: (asked.append(len(pieces)), fair_areas(pieces, shape, policy))[1],
    )
    panel, tab = (
        Piece(name, np.array([[0.0, 0], [200, 0], [200, 150], [0, 150]]), quantity=1, show_limit=limit)
        for name, limit in (("panel", 0), ("tab", 2))
    )
    first = fair.fair_of([fair.FairQuestion([hide], [panel], Policy())])[hide.id]
    assert fair.fair_of([fair.FairQuestion([hide], [panel, tab], Policy())])[hide.id][
        needs_of(panel)
    ] == first[needs_of(panel)] and asked == [1, 1]
    looking.change(hide.id, lambda k: with_flaw(k, flaw("a")), "scar, blemish")
    (marked,) = (h for h in hides.rack() if h.id == hide.id)
    now = fair.fair_of([fair.FairQuestion([marked], [panel, tab], Policy())])[hide.id]
    assert (
        asked == [1, 1, 2]
        and first[needs_of(panel)] - now[needs_of(panel)] == pytest.approx(1600, abs=1)
        and now[needs_of(tab)] == pytest.approx(first[needs_of(panel)], abs=1)
    )


def test_a_cut_that_is_undone_leaves_the_hide_kept_as_it_was(workshop: TestClient) -> None:
    hide = side()
    with store.database.connection_context():
        HideRow.update(state="kept").where(HideRow.id == hide).execute()
    for racked in (False, True):
        line = [[900.0, -50.0], [900.0, 3000.0]]
        if racked:
            looking.cut_off(hide, line, "cut for B-29")
        else:
            looking.change(
                hide, lambda k: cut_along(k, [[900.0, -50.0], [900.0, 3000.0]])[0], "cut for B-29", "cut"
            )
        looking.change(
            hide, lambda k: cut_along(k, [[500.0, -50.0], [500.0, 3000.0]])[0], "cut across", "cut"
        )
        states = []
        for _ in range(2):
            states.append(hides.hides_by_id([hide])[0].state)
            looking.undo(hide)
        assert states == ["part used", "part used"] and hides.hides_by_id([hide])[0].state == "kept"


def test_two_people_at_two_lorries_number_hides_one_after_the_other(workshop: TestClient) -> None:
    made = [deliveries.begin_delivery(lot(), TODAY) for _ in range(6)]

    def receive(delivery: int) -> list[int]:
        return deliveries.receive_hides(delivery, "side", [2.0, 2.1, 2.2], "Q-")

    with ThreadPoolExecutor(6) as people:
        ids = [i for own in people.map(receive, made) for i in own]
    assert sorted(h.number for h in hides.hides_by_id(ids)) == [f"Q-{k:03d}" for k in range(1, 19)]


def test_the_rack_stands_in_the_order_of_its_numbers(workshop: TestClient) -> None:
    in_order = ["Z-9", "Z-99", "Z-999", "Z-1000"]
    for number in (*in_order[2:], *in_order[:2]):
        hides.add_hide(Hide(number, "side", usual_outline("side", 1.9), cost_per_m2=80.0), ABOUT)
    for listed in (hides.rack(), hides.listed(), hides.all_hides(), hides.leather_there_is()):
        assert [h.number for h in listed if h.number.startswith("Z-")] == in_order


def test_what_does_not_fit_its_table_is_refused_in_words(workshop: TestClient) -> None:
    """The screens keep words short; whatever gets past them is no break, and nothing of it is kept."""
    made = deliveries.begin_delivery(replace(lot(), colour="chestnut " * 9), TODAY)
    with pytest.raises(Refused, match=r"cannot be saved.*colour"):
        deliveries.receive_hides(made, "side", [2.0], "W-")
    assert deliveries.delivery_by_id(made).hides == ()
    with store.database.connection_context():
        DeliveryRow.delete().where(DeliveryRow.id == made).execute()  # no screen could have sent it
    with pytest.raises(Refused, match=r"was given out before.*nothing was received"):
        hides.add_hide(hides.all_hides()[0].hide, ABOUT)


@pytest.mark.parametrize(
    ("kind", "areas", "words"),
    [
        ("side", [2.0, 0.0], "an area of 0"),
        ("roll", [2.0], "without its width"),
        ("side", [], "0 hides"),
        ("side", [2.0] * 201, "201 hides"),
    ],
)
def test_hides_that_make_no_sense_are_not_received(
    workshop: TestClient, kind: str, areas: list[float], words: str
) -> None:
    made = deliveries.begin_delivery(lot(), TODAY)
    with pytest.raises(BadHide, match=words):
        deliveries.receive_hides(made, kind, areas, "X-")
    assert deliveries.delivery_by_id(made).hides == ()


def test_two_lots_cannot_become_one(workshop: TestClient) -> None:
    one, two = lot(), lot()
    first = deliveries.begin_delivery(one, TODAY)
    deliveries.begin_delivery(two, TODAY)
    with pytest.raises(Refused, match="another delivery"):
        deliveries.change_delivery(first, two, "", False)
    deliveries.change_delivery(first, replace(one, price=95.0), "agreed", False)
    assert deliveries.delivery_by_id(first).invoice.price == 95.0


def test_the_newest_delivery_comes_first(workshop: TestClient) -> None:
    made = [deliveries.begin_delivery(lot(), TODAY + datetime.timedelta(days=400 + d)) for d in (0, 2, 1)]
    found = [d.id for d in deliveries.all_deliveries()]
    assert [i for i in found if i in made] == [made[1], made[2], made[0]] and found[0] == made[1]


def test_a_hide_and_its_history_go_together(workshop: TestClient) -> None:
    hide = side()
    looking.change(hide, lambda known: with_flaw(known, flaw("a")), "a scar")
    deliveries.send_back(hide)
    with store.database.connection_context():
        assert not HideRow.select().where(HideRow.id == hide).exists()
        assert not HideEventRow.select().where(HideEventRow.hide == hide).exists()


def test_an_expected_outline_has_the_invoices_area(workshop: TestClient) -> None:
    known = looking.known(side())
    assert not known.looking.measured and known.rack.area_m2 == pytest.approx(2.0, rel=1e-3)
    assert np.asarray(known.looking.outline).min() == pytest.approx(0.0, abs=0.06)
    assert begun("side", known.looking.ring).guess == known.looking.guess
