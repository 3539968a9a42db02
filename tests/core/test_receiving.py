"""A delivery against its invoice, hide by hide and in money; numbers; what is printed of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fairlay.core.errors import BadHide, BadPicture
from fairlay.core.formats.leather_pdf import Tag, claim_pdf, markers_pdf, tags_pdf
from fairlay.core.leather.receiving import (
    M2_PER,
    HideReceived,
    Invoice,
    check_invoice,
    check_lot,
    in_m2,
    next_numbers,
    roll_bought,
)
from fairlay.demo import sides

LOT = Invoice(
    "Oxlade Pits",
    "OP-2217",
    8.40,
    "ft2",
    "body leather",
    "vegetable",
    "waxed",
    "chestnut",
    "medium",
    2.3,
    "1",
)


def test_a_square_foot_is_what_it_is() -> None:
    assert in_m2(22.0, "ft2") == pytest.approx(2.0439, abs=1e-4) and in_m2(2.0, "m2") == 2.0
    assert LOT.price_per_m2 == pytest.approx(90.417, abs=1e-3)


@pytest.mark.parametrize(
    ("measured", "claim", "words"),
    [
        (1.98, False, "short by 1.0%"),
        (1.90, True, "a claim of 9.04"),
        (2.05, False, "over by 2.5%"),
        (1.96, False, "within"),
    ],
)
def test_a_lot_is_claimed_beyond_the_tolerance(measured: float, claim: bool, words: str) -> None:
    check = check_lot(LOT, [HideReceived("O-1", 2.0, measured)], 0.02 + 1e-12)
    assert check.claim is claim and words in check.words
    assert check.off_money == pytest.approx((measured - 2.0) * LOT.price_per_m2)


def test_only_hides_that_were_measured_count() -> None:
    check = check_lot(
        LOT, [HideReceived("O-1", 2.0, 1.8), HideReceived("O-2", 2.2), HideReceived("O-3", 1.9, 1.9)]
    )
    assert (
        check.measured == 2 and check.invoice_m2 == pytest.approx(3.9) and check.off_m2 == pytest.approx(-0.2)
    )
    assert "(2 of 3 hides measured)" in check.words and check.claim
    assert check.hides[1].off_money == 0.0 and check.hides[1].measured_m2 is None
    assert check_lot(LOT, [HideReceived("O-2", 2.2)]).words == "no hide of this lot is measured yet"
    assert check_lot(LOT, []).measured == 0


def test_what_never_came_is_a_share_of_the_whole_lot_and_hides_no_short_hide() -> None:
    lot = replace(LOT, unit="m2", area=10.0, hides=5)
    one = check_lot(
        lot, [HideReceived("a", 2.0, 1.9), *(HideReceived(str(i), 2.0) for i in range(3))], closed=True
    )
    assert "1 of its hides never came; short by 21.0%" in one.words and one.claim_money == pytest.approx(
        2.1 * lot.price
    )
    little = check_lot(
        replace(lot, area=8.05, hides=4),
        [HideReceived("a", 2.0, 1.9), *(HideReceived(str(i), 2.0) for i in range(3))],
        closed=True,
    )
    assert (
        little.claim
        and "short by 5.0%" in little.words
        and little.claim_money == pytest.approx(0.15 * lot.price)
    ), "the hide that was measured is short by itself"


@pytest.mark.parametrize(
    ("stated", "closed", "hides", "out", "claim", "words"),
    [
        ((0.0, 0), True, [2.0], (0, 0.0), False, "over by 0.0%"),
        ((4.1, 2), False, [2.0], (1, 2.1), False, "over by 0.0%"),
        (
            (4.1, 2),
            True,
            [2.0],
            (1, 2.1),
            True,
            "1 of its hides never came; short by 51.2%, more than the 2.0% allowed: a claim of 189.88",
        ),
        ((4.1, 0), True, [2.0, 2.0], (0, 0.1), True, "2.4% of its area never came; short by 2.4%"),
        ((4.004, 2), True, [2.0, 2.0], (0, 0.0), False, "over by 0.0%"),
        ((4.0, 2), True, [2.0, 2.0, 2.0], (-1, -2.0), False, "over by 0.0%"),
        ((4.0, 2), True, [], (2, 4.0), True, "2 of its hides never came; short by 100.0%"),
    ],
)
def test_what_never_came_is_short_once_the_delivery_is_closed(
    stated: tuple[float, int],
    closed: bool,
    hides: list[float],
    out: tuple[int, float],
    claim: bool,
    words: str,
) -> None:
    lot = replace(LOT, unit="m2", price=LOT.price_per_m2, area=stated[0], hides=stated[1])
    check = check_lot(lot, [HideReceived(str(i), m2, m2) for i, m2 in enumerate(hides)], closed=closed)
    assert (
        (check.out_hides, check.out_m2) == (out[0], pytest.approx(out[1]))
        and check.claim is claim
        and words in check.words
    )
    assert check.claim_money == pytest.approx(max(0.0, out[1]) * lot.price if claim else 0.0)


@given(
    st.lists(st.tuples(st.floats(0.1, 5), st.floats(0.1, 5)), min_size=1, max_size=12),
    st.sampled_from(["m2", "ft2"]),
)
def test_the_lot_is_the_sum_of_its_hides(areas: list[tuple[float, float]], unit: str) -> None:
    lot = replace(LOT, unit=unit)  # type: ignore[arg-type]  # one of the two
    check = check_lot(lot, [HideReceived(str(i), a, b) for i, (a, b) in enumerate(areas)])
    assert check.off_money == pytest.approx(sum(h.off_money for h in check.hides), abs=1e-6)
    assert check.off_m2 == pytest.approx(sum(b - a for a, b in areas), abs=1e-9)
    assert check.claim == (check.off_share < -0.02)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"mill": " "}, "without a mill"),
        ({"lot": ""}, "without a mill or a lot"),
        ({"price": -1.0}, "a price of"),
        ({"price": float("nan")}, "a price of"),
        ({"thickness_mm": 0.0}, "thickness"),
        ({"unit": "acre"}, "areas in"),
        ({"area": -1.0}, "a lot of -1"),
        ({"area": float("inf")}, "a lot of inf"),
        ({"hides": -2}, "a lot of -2 hides"),
    ],
)
def test_an_invoice_that_makes_no_sense_is_refused(change: dict[str, object], words: str) -> None:
    with pytest.raises(BadHide, match=words):
        check_invoice(replace(LOT, **change))  # type: ignore[arg-type]  # the invoice's own fields


@pytest.mark.parametrize("area", [0.0, -3.0, 1e9, float("nan")])
def test_no_hide_has_such_an_area(area: float) -> None:
    with pytest.raises(BadHide, match="an area of"):
        in_m2(area, "ft2")


def test_a_tolerance_is_a_share() -> None:
    with pytest.raises(BadHide, match="tolerance of 2"):
        check_lot(LOT, [], 2.0)
    assert set(M2_PER) == {"m2", "ft2"}


@pytest.mark.parametrize(
    ("prefix", "taken", "count", "found"),
    [
        ("O-", [], 2, ["O-001", "O-002"]),
        ("O-", ["O-041", "O-B02", "F-101"], 1, ["O-042"]),
        ("F-", ["F-999"], 2, ["F-1000", "F-1001"]),
        ("", ["7", "x"], 1, ["008"]),
    ],
)
def test_numbers_go_on_from_the_highest(prefix: str, taken: list[str], count: int, found: list[str]) -> None:
    assert next_numbers(prefix, taken, count) == found


@pytest.mark.parametrize("count", [0, -1, 201])
def test_so_many_hides_do_not_come_in_one_go(count: int) -> None:
    with pytest.raises(BadHide, match="hides in one go"):
        next_numbers("O-", [], count)


def _pages(body: bytes) -> int:
    assert body.startswith(b"%PDF-")
    return body.count(b"/Type /Page\n") + body.count(b"/Type /Page ") or body.count(b"/Page") - body.count(
        b"/Pages"
    ) - body.count(b"/PageMode")


@pytest.mark.parametrize(("count", "pages"), [(1, 1), (10, 1), (11, 2)])
def test_tags_fill_sheets(count: int, pages: int) -> None:
    tags = [
        Tag(
            f"O-{i:03d}", ("side, body leather", "Oxlade Pits, grade 1"), f"http://127.0.0.1:8350/leather/{i}"
        )
        for i in range(count)
    ]
    one, all_of_them = tags_pdf(tags[:1]), tags_pdf(tags)
    assert _pages(all_of_them) == pages and len(all_of_them) >= len(one)
    with pytest.raises(BadHide, match="no tags"):
        tags_pdf([])


def test_markers_are_printed_one_a_sheet() -> None:
    assert _pages(markers_pdf(range(3))) == 3 and _pages(markers_pdf([4], "Letter")) == 1
    with pytest.raises(BadHide, match="not printed on 'A7'"):
        markers_pdf([1], "A7")
    with pytest.raises(BadHide, match="0 markers"):
        markers_pdf([])
    with pytest.raises(BadPicture, match="no marker 50"):
        markers_pdf([50])


def test_the_claim_has_every_hide() -> None:
    hides = [sides.side(f"O-{i}", i, 2200, 1050, 90.0, (1, 1, 1)) for i in range(14)]
    check = check_lot(
        LOT,
        [
            HideReceived(h.id, h.region.area / 1e6 * 1.05, h.region.area / 1e6 if i else None)
            for i, h in enumerate(hides)
        ],
    )
    assert check.claim
    body = claim_pdf(LOT, check, hides, "Quillback Yard", "2026-11-23", "kr")
    assert _pages(body) == 2
    assert np.isclose(check.off_share, -1 + 1 / 1.05)


@pytest.mark.parametrize(
    ("width", "area", "length"), [(1400.0, 12.6, 9000.0), (900.0, 0.9, 1000.0), (1500.0, 150.0, 100_000.0)]
)
def test_a_roll_is_as_long_as_its_area_makes_it(width: float, area: float, length: float) -> None:
    roll = roll_bought("L-004", width, area, edge_margin_mm=6.0, cost_per_m2=18.0)
    assert roll.is_roll and roll.width_mm == width and roll.region.area == pytest.approx(area * 1e6)
    assert roll.outline[:, 0].max() == pytest.approx(length) and roll.usable.area == pytest.approx(
        length * (width - 12)
    )


@pytest.mark.parametrize(
    ("width", "area", "words"),
    [
        (0.0, 10.0, "0 mm wide"),
        (float("nan"), 10.0, "wide"),
        (9000.0, 10.0, "9000 mm wide"),
        (1400.0, 0.05, "m long"),
        (1400.0, 900.0, "m long"),
    ],
)
def test_no_roll_is_like_that(width: float, area: float, words: str) -> None:
    with pytest.raises(BadHide, match=words):
        roll_bought("L-004", width, area)
