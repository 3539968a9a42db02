"""Lay every case and print a table: what the first lay gave, what the time gave on top of it, and when.

Usage: .venv/bin/python -m bench [--seconds 60] [--processes 2] [--times 3] [--only NAME] [--growth]
[--capture] [--hides] [--door] [--hand SEED] [--screen SEED] [--first SEED] [--forecast SHOPS] [--book]
[--kinds plain,roll] [--jobs 10] [--seed 1] [--abreast 1] [JOB.json ...]

Ratios are of the same run on the same machine: the first lay is 1. With --growth: how the lay grows with
time, and time and memory with pieces and hides, and where the time goes. With --capture: how truly parts are
traced in photographs on squared paper. With --hides: how truly hides are read in pictures of the cutting
table. With --door: what being signed in costs a call. With --hand: what hands wait for at the lay bench;
with --screen: the same at the screen, and frames a second; with --first: how soon the first piece of a lay
is seen. With --forecast: how often what was advised to buy was not enough, beside what was promised. With
--book: how long each page of the Book takes after a year of records. With --kinds: fresh jobs of each kind
(all of them: 'all'), their median, worst and spread, and how far that is from what is proved.
"""

from __future__ import annotations

import argparse
import dataclasses
import statistics
from pathlib import Path

from bench.book import print_book
from bench.capture import print_capture
from bench.cases import own_cases
from bench.door import print_door
from bench.first import print_first
from bench.forecast import print_forecast
from bench.growth import print_growth
from bench.hand import print_hand
from bench.hides import print_hides
from bench.kinds import KINDS, print_kinds
from bench.run import Row, apart, lay_and_measure
from bench.screen import print_screen
from bench.templates import print_templates
from bench.weighed import print_weighed
from fairlay.core.engine.warm import warm_kernels
from fairlay.core.formats.exchange import read_job


def middle(rows: list[Row]) -> Row:
    """Return the row of median worth, with the median times and the largest memory of all."""
    shown = sorted(rows, key=lambda r: r.best)[(len(rows) - 1) // 2]
    return dataclasses.replace(
        shown,
        first_s=statistics.median(r.first_s for r in rows),
        half_s=statistics.median(r.half_s for r in rows),
        peak_mb=max(r.peak_mb for r in rows),
    )


def main() -> None:
    """Print the table."""
    asked = argparse.ArgumentParser(prog="python -m bench")
    asked.add_argument("jobs", nargs="*", type=Path, help="job files; the bench's own ten by default")
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--processes", type=int, default=2)
    asked.add_argument("--times", type=int, default=3)
    asked.add_argument("--only", default="", help="cases whose name holds this")
    asked.add_argument("--growth", action="store_true")
    asked.add_argument(
        "--capture",
        action="store_true",
        help="trace parts in simulated photographs on squared paper, and nothing else",
    )
    asked.add_argument(
        "--hides",
        action="store_true",
        help="read hides in simulated pictures of the cutting table, and nothing else",
    )
    asked.add_argument(
        "--kept",
        type=Path,
        help="with --hides: keep the pictures there, and render none that is there already",
    )
    asked.add_argument(
        "--pictures", type=int, default=0, help="how many: 36 with --capture, 44 with --hides by default"
    )
    asked.add_argument("--door", action="store_true", help="what being signed in costs a call")
    asked.add_argument("--hand", type=int, metavar="SEED", help="what hands wait for at the lay bench")
    asked.add_argument("--screen", type=int, metavar="SEED", help="the same at the screen, in Chromium")
    asked.add_argument("--first", type=int, metavar="SEED", help="how soon the first piece is on the screen")
    asked.add_argument("--forecast", type=int, metavar="SHOPS", help="whether forecasts are honest")
    asked.add_argument("--book", action="store_true", help="how long pages of the Book take after a year")
    asked.add_argument("--kinds", help=f"fresh jobs of these kinds, with commas: all, {', '.join(KINDS)}")
    asked.add_argument("--jobs", type=int, default=10, dest="fresh", help="with --kinds: how many of each")
    asked.add_argument(
        "--seed", type=int, default=1, help="with --kinds: the first job's seed; pictures' seed"
    )
    asked.add_argument(
        "--width", type=int, default=6000, help="with --hides: how wide its pictures are, in px"
    )
    asked.add_argument("--templates", action="store_true", help="read card templates laid on hides")
    asked.add_argument("--laid", action="store_true", help="templates as the engine lays them, not anywhere")
    asked.add_argument("--abreast", type=int, default=1, help="with --kinds: jobs laid at a time")
    args = asked.parse_args()
    if args.kinds:
        warm_kernels()
        print_weighed()
        kinds = list(KINDS) if args.kinds == "all" else args.kinds.split(",")
        print_kinds(kinds, args.fresh, args.seed, args.seconds, args.processes, args.abreast)
        return
    if args.forecast is not None:
        print_forecast(args.forecast, args.processes)
        return
    if args.book:
        print_book()
        return
    if args.first is not None:
        print_first(args.first)
        return
    if args.screen is not None:
        print_screen(args.screen)
        return
    if args.hand is not None:
        print_hand(args.hand)
        return
    if args.door:
        print_door()
        return
    if args.capture:
        print_capture(args.pictures or 36, args.seed)
        return
    if args.hides:
        print_hides(args.pictures or 44, args.kept, args.seed, args.width)
        return
    if args.templates:
        print_templates(args.pictures or 24, args.seed, laid=args.laid)
        return
    warm_kernels()
    if args.growth:
        print_growth(args.processes)
        return
    cases = [read_job(p.read_bytes()) for p in args.jobs] or own_cases()
    cases = [c for c in cases if args.only in c.name]
    print(
        f"{'case':24} {'pieces':>6} {'hides':>5} {'first s':>8} {'half by s':>9} {'best/first':>10} "
        f"{'MB':>6}  measure (median of {args.times})"
    )
    for case in cases:
        row = middle([apart(lay_and_measure, case, args.seconds, args.processes) for _ in range(args.times)])
        print(
            f"{row.name:24} {row.pieces:6} {row.hides:5} {row.first_s:8.2f} {row.half_s:9.1f} "
            f"{row.best / row.first:10.4f} {row.peak_mb:6.0f}  {row.measure}",
            flush=True,
        )


if __name__ == "__main__":
    main()
