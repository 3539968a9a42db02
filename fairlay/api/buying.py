"""Buying and costing: forecasts by laying on made-up hides, named by what they rest on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from fastapi import APIRouter

from fairlay.api.buying_models import (
    BreakEvenOut,
    BuyIn,
    ChanceOut,
    CostIn,
    CostingOut,
    ForecastOut,
    ForecastRow,
    HardwareCost,
    MoneyOut,
    NextHideOut,
    PartAnswer,
    PieceCostOut,
    Prices,
    SourceIn,
    SourceOut,
    VariantOut,
)
from fairlay.api.jobs import job_out
from fairlay.api.models import JobOut
from fairlay.core.book.costing import Prices as ShopPrices
from fairlay.core.book.costing import costing
from fairlay.core.errors import NotFound, Refused
from fairlay.core.forecast.answer import Answer, BreakEven
from fairlay.core.forecast.stock import Source
from fairlay.core.lay.lay import Job
from fairlay.core.lay.order import Line, cutlist, pieces_of_batch
from fairlay.core.lay.what_if import eased, in_words
from fairlay.core.leather import Hide
from fairlay.core.leather.usual_outline import usual_outline
from fairlay.core.pattern.article import figures_of
from fairlay.core.rules import Policy
from fairlay.store import articles, batches, book, forecasts, hides, jobs, prices, spoken_for
from fairlay.store.articles import Kept, by_revision
from fairlay.store.book import Asked
from fairlay.store.forecasts import FIRM, Forecast, Part
from fairlay.store.settings import leather_settings
from fairlay.store.work_asked import ForecastWork, Wanted
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/buying", tags=["buying"])
SIZES = (1, 10, 100)
WORLDS_OF_COSTING = 40
MOST_VARIANTS = 4


@router.get("/sources")
def buying_sources(material: str) -> list[SourceOut]:
    """Leather of a material that the shop has bought, as its hides taught it."""
    return [_source(s) for s in forecasts.sources(material)]


@router.get("")
def all_forecasts() -> list[ForecastRow]:
    """The newest forecasts."""
    return [
        ForecastRow(job_id=i, title=_title(work), state=state, asked_at=at)
        for i, work, state, at in forecasts.newest()
        if not work.sizes
    ]


@router.post("", status_code=202)
def begin_forecast(asked: BuyIn) -> JobOut:
    """Forecast how many hides to buy: a first answer within seconds, a firm one in the background."""
    if asked.batch_id is not None:
        batch = batches.batch_by_id(asked.batch_id)
        lines = forecasts.lines_of_batch(asked.batch_id)
        gap, school = batch.gap_mm, batch.grain_school
    else:
        lines = forecasts.usual_lines([(x.article_id, x.quantity) for x in asked.lines])
        gap, school = asked.gap_mm, "backbone"
    rack: tuple[int, ...] = ()
    if asked.use_rack:
        found = [h for h in hides.rack() if h.material == asked.material and h.state != "used up"]
        kept = spoken_for.kept_by_others(asked.batch_id or 0, [h.id for h in found])
        free = sorted((h for h in found if h.id not in kept), key=lambda h: -h.area_m2)
        rack = tuple(h.id for h in free)
    work = ForecastWork(
        lines,
        asked.material,
        gap,
        school,
        _asked_sources(asked.sources, asked.material),
        asked.margin,
        rack,
        worlds=FIRM,
    )
    return _begun(work)


def _begun(work: ForecastWork) -> JobOut:
    job_id = forecasts.ask(work)
    hand_out(job_id, "forecast")
    return job_out(jobs.job_by_id(job_id))


def _asked_sources(asked: Sequence[SourceIn], material: str) -> tuple[Source, ...]:
    known = forecasts.sources(material) if any(s.stated is None for s in asked) else []
    return tuple(_asked_source(s, material, known) for s in asked)


def _asked_source(asked: SourceIn, material: str, known: Sequence[Source]) -> Source:
    if asked.stated is not None:
        s = asked.stated
        return forecasts.stated(material, s.kind, s.area_m2, s.price_per_m2, s.quality)
    found = next((s for s in known if s.name == asked.name), None)
    if found is None:
        raise NotFound(
            f"the shop never had {asked.name or 'this leather'}",
            value=asked.name,
            expected="leather of its records, or leather that is stated",
        )
    return found if asked.price_per_m2 is None else replace(found, price_per_m2=asked.price_per_m2)


@router.get("/prices")
def shop_prices() -> Prices:
    """What else than leather costs."""
    p = prices.prices()
    return Prices(minute=p.minute, thread_m=p.thread_m, hardware=dict(p.hardware), strip_m=p.strip_m)


@router.put("/prices", status_code=204)
def put_prices(asked: Prices) -> None:
    """Keep what else than leather costs."""
    prices.set_prices(ShopPrices(asked.minute, asked.thread_m, asked.hardware, asked.strip_m))


@router.get("/costing/{article_id}")
def article_costing(article_id: int, material: str = "") -> CostingOut:
    """What one article costs, by the newest forecast of it."""
    kept = articles.article_at(article_id)
    list_ = cutlist(kept.article, (), kept.letter)
    materials = list(dict.fromkeys(p.material for p in list_.pieces))
    chosen = material or (materials[0] if materials else "")
    return _costed(kept, chosen, materials)


@router.post("/costing/{article_id}", status_code=202)
def begin_costing(article_id: int, asked: CostIn) -> JobOut:
    """Find out what an article's leather costs at batches of 1, 10 and 100, and what rules would save."""
    kept = articles.article_at(article_id)
    (source,) = _asked_sources([asked.source], asked.material)
    pieces = pieces_of_batch([Line(cutlist(kept.article, (), kept.letter), 1)], asked.material)
    if not pieces:
        raise Refused(
            f"{kept.article.name} cuts nothing from {asked.material}",
            value=asked.material,
            expected="one of its materials",
        )
    some = Hide("some", "side", usual_outline("side", 4.0), (), 0.0)
    changes = eased(Job("costing", (some,), pieces, Policy()))[:MOST_VARIANTS]
    return _begun(
        ForecastWork(
            (Wanted(kept.revision_id, 1),),
            asked.material,
            sources=(source,),
            sizes=SIZES,
            variants=tuple(changes),
            worlds=WORLDS_OF_COSTING,
        )
    )


@router.get("/{job_id}")
def one_forecast(job_id: int) -> ForecastOut:
    """A forecast as far as it is."""
    return forecast_out(forecasts.forecast(job_id))


def forecast_out(f: Forecast) -> ForecastOut:
    """Return a forecast as it is told."""
    return ForecastOut(
        job=job_out(f.job),
        title=_title(f.work),
        material=f.work.material,
        margin=f.work.margin,
        articles=sum(w.quantity for w in f.work.lines),
        worlds=f.worlds,
        of=len(forecasts.parts_of(f.work)) * f.work.worlds,
        parts=[_part(*p) for p in f.parts],
        rests=_rests(f.work),
        old=list(f.old),
        asked_at=f.asked_at,
    )


def _title(work: ForecastWork) -> str:
    known = by_revision(w.revision_id for w in work.lines)
    return ", ".join(
        f"{w.quantity} {known[w.revision_id][2].name} rev. {known[w.revision_id][1]}"
        for w in work.lines
        if w.revision_id in known
    )


def _rests(work: ForecastWork) -> list[str]:
    said = [
        f"{work.rests.get('hides', 0)} hides of {work.material} on record on {work.rests.get('day', '?')}"
    ]
    said += [
        f"{s.name}: {s.n} hides of it, {s.area_m2:.2f} m2 each, "
        f"{s.flaws_per_m2[1] + s.flaws_per_m2[2]:.1f} blemishes and unsound places in a m2, at "
        f"{s.price_per_m2:.2f} a m2"
        for s in work.sources
    ]
    if work.rests.get("prices"):
        said.append(f"prices as of the delivery of {work.rests['prices']}")
    if work.rack:
        said.append(f"{len(work.rack)} free hides of the rack are laid on first")
    said.append("matched sets are not held together on one hide here")
    return said


def _source(s: Source) -> SourceOut:
    return SourceOut(
        name=s.name,
        kind=s.kind,
        material=s.material,
        mill=s.mill,
        grade=s.grade,
        price_per_m2=s.price_per_m2,
        area_m2=s.area_m2,
        spread_m2=s.spread_m2,
        flaws_per_m2=list(s.flaws_per_m2),
        n=s.n,
    )


def _part(part: Part, a: Answer, even: BreakEven | None) -> PartAnswer:
    n = a.next_hide
    return PartAnswer(
        name=part.name,
        source=_source(a.source),
        variant=part.variant,
        size=part.size,
        worlds=a.worlds,
        patient=a.patient,
        buy=a.buy,
        short=a.short,
        short_low=a.short_low,
        short_high=a.short_high,
        chances=[ChanceOut(hides=c.hides, enough=c.enough, low=c.low, high=c.high) for c in a.chances],
        hides=a.hides,
        cost=a.cost,
        each=MoneyOut(
            mean=a.each.mean,
            low=_num(a.each.low),
            high=_num(a.each.high),
            least=a.each.least,
            most=a.each.most,
        ),
        next_hide=NextHideOut(cost=n.cost, left=n.left, less_short=n.less_short, worth_if=_num(n.worth_if)),
        break_even=None
        if even is None
        else BreakEvenOut(price_per_m2=even.price_per_m2, low=even.low, high=even.high),
        never=a.never,
    )


def _num(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def _costed(kept: Kept, material: str, materials: list[str]) -> CostingOut:
    article = kept.article
    pieces = pieces_of_batch([Line(cutlist(article, (), kept.letter), 1)], material)
    found = _newest_costing(kept, material)
    base = None
    variants: list[VariantOut] = []
    if found is not None:
        middle = [p for p in found.parts if p[0].variant == "" and p[0].size == SIZES[1]]
        base = middle[0][1] if middle else next((p[1] for p in found.parts), None)
        variants = _variants(found, {p.id: p.id.partition("/")[2] for p in pieces})
    book.keep_up()
    asked = Asked(currency=leather_settings().currency)
    minutes = {
        f"{a}/{p}": f.true_min / f.timed
        for (a, p), f in ((x.key, x) for x in book.pieces(asked, "article", "piece"))
        if f.timed
    }
    own = figures_of(article)
    costed = costing(
        pieces,
        base.each.mean if base is not None else math.nan,
        own.thread_mm,
        own.hardware,
        minutes,
        prices.prices(),
        book.class_worth(),
    )
    names = {f"{article.slug}/{p.slug}": p.name for p in article.pieces}
    return CostingOut(
        article_id=kept.id,
        name=article.name,
        material=material,
        job_id=None if found is None else found.job.id,
        pieces=[
            PieceCostOut(
                piece=p.piece,
                name=names.get(p.piece, p.piece),
                each=p.each,
                m2=p.m2,
                tightness=p.tightness,
                money=_num(p.money),
                minutes=_num(p.minutes),
            )
            for p in costed.leather
        ],
        leather=_num(costed.leather_money),
        thread_m=costed.thread_m,
        thread_money=costed.thread_money,
        hardware=[HardwareCost(name=n, each=k, money=m) for n, k, m in costed.hardware],
        minutes=_num(costed.minutes),
        minutes_money=_num(costed.minutes_money),
        total=costed.total,
        unpriced=list(costed.unpriced),
        variants=variants,
        materials=materials,
    )


def _newest_costing(kept: Kept, material: str) -> Forecast | None:
    for job_id, work, _, _ in forecasts.newest([kept.revision_id], 40):
        if work.sizes and work.material == material:
            return forecasts.forecast(job_id)
    return None


def _variants(found: Forecast, names: dict[str, str]) -> list[VariantOut]:
    """What each changed rule saves, by the same deliveries laid with it and without."""
    laid = forecasts.worlds_of(found.job.id)
    parts = forecasts.parts_of(found.work)
    source, size = found.work.sources[0], SIZES[1]
    plain = next((laid.get(p.key, []) for p in parts if not p.variant and p.size == size), [])
    price = source.area_m2 * source.price_per_m2 / size
    out = []
    for change in found.work.variants:
        name = forecasts.variant_name(change)
        own = next((laid.get(p.key, []) for p in parts if p.variant == name), [])
        n = min(len(plain), len(own))
        if n < 2:
            continue
        off = price * (
            np.array([x.quick.hides for x in plain[:n]]) - np.array([x.quick.hides for x in own[:n]])
        )
        reach = 2.0 * float(off.std(ddof=1)) / math.sqrt(n)
        mean = float(off.mean())
        out.append(
            VariantOut(
                words=in_words(change, names),
                saves=mean,
                low=mean - reach,
                high=mean + reach,
                firm=abs(mean) > reach,
            )
        )
    return sorted(out, key=lambda v: -v.saves)
