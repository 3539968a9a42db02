"""The command line: ``fairlay lay``, ``check``, ``bound``, ``serve``, ``worker``, ``demo``, ``migrate``,
``owner``, ``first``."""

from __future__ import annotations

import json
import logging
import os
import sys
import time
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from fairlay.core.errors import BadJob, FairLayError, NotAllowed
from fairlay.core.formats.exchange import read_job, read_lay, write_lay
from fairlay.core.formats.svg import lay_svg
from fairlay.core.lay import Job, Lay

ROOT = Path(__file__).resolve().parents[1]

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Lay pattern pieces on hides.",
)


Over = Annotated[
    bool, typer.Option("--over", help="In the place of what the store holds; a copy of that is made first.")
]


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as cause:
        raise BadJob(
            f"{path} cannot be read: {cause.strerror}", value=str(path), expected="a file"
        ) from cause


def _write(path: Path, text: str) -> None:
    """Write a file whole or not at all."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_text(text, encoding="utf-8")
        part.replace(path)
    except OSError as cause:
        raise BadJob(
            f"{path} cannot be written: {cause.strerror}",
            value=str(path),
            expected="a place that can be written to",
        ) from cause


@app.command("lay")
def lay_command(
    job_file: Annotated[Path, typer.Argument(metavar="JOB.json", help="The job, in the exchange format.")],
    out: Annotated[Path, typer.Option(help="Where the lay goes.")],
    seconds: Annotated[
        float | None, typer.Option(help="Time to spend; the job's own by default.", min=0.0)
    ] = None,
    seed: Annotated[int | None, typer.Option(help="The seed; the job's own by default.")] = None,
    steps: Annotated[
        int | None, typer.Option(help="Stop after so many steps: the same steps give the same lay.", min=1)
    ] = None,
    processes: Annotated[
        int | None,
        typer.Option(
            help="Processes to lay with; one for each core by default, always one with --steps.", min=1
        ),
    ] = None,
    svg: Annotated[Path | None, typer.Option(help="Draw the lay here as well, at true size.")] = None,
    sizes_are_right: Annotated[
        bool, typer.Option("--sizes-are-right", help="Accept pieces longer than any hide.")
    ] = False,
) -> None:
    """Lay a job and write the lay.

    Exit 0 with a lay that keeps every rule, even one that could not place everything.
    """
    from fairlay.core.engine import lay_job
    from fairlay.work.together import lay_together, usual_processes

    job = read_job(_read(job_file), sizes_are_right=sizes_are_right)
    if seed is not None:
        job = replace(job, seed=seed)
    if steps is None:
        lay = lay_together(job, job.seconds if seconds is None else seconds, processes or usual_processes())
    else:
        lay = lay_job(job, time.monotonic, seconds=seconds, steps=steps)
    _write(out, json.dumps(write_lay(lay), indent=1) + "\n")
    if svg:
        _write(svg, lay_svg(job, lay))


@app.command()
def check(
    job_file: Annotated[Path, typer.Argument(metavar="JOB.json")],
    lay_file: Annotated[Path, typer.Argument(metavar="LAY.json")],
) -> None:
    """Check a lay against its job by the product's own rules: prints each rule that is broken, exit 1 if any
    is.
    """
    from fairlay.core.lay import broken_rules, measure

    job = read_job(_read(job_file), sizes_are_right=True)
    lay = read_lay(_read(lay_file))
    broken = broken_rules(job, lay)
    for b in broken:
        print(f"{b.rule}: {b.sentence}")
    if broken:
        raise typer.Exit(1)
    m = measure(job, lay)
    print(
        f"fair: {m.placed} of {m.wanted} pieces, {m.placed_m2:.3f} m2 placed, fill {m.fill:.4f}, "
        f"{m.used_m2:.3f} m2 of leather used for {m.cost:.2f}"
    )


@app.command("bound")
def bound_command(
    job_file: Annotated[Path, typer.Argument(metavar="JOB.json")],
    lay: Annotated[Path | None, typer.Option(metavar="LAY.json")] = None,
) -> None:
    """Say what no lay of a job can exceed: pieces that have no room at all, the fill, whole sets. Of a lay,
    how many of what it leaves out could lie at all instead.

    Takes up to some minutes.
    """
    from fairlay.core.bounds.bound import bound

    job = read_job(_read(job_file), sizes_are_right=True)
    if lay is not None:
        _say_what_has_room(job, read_lay(_read(lay)))
        return
    most = bound(job)
    for piece in job.pieces:
        if most.copies[piece.id] < piece.quantity:
            print(f"{piece.id}: no more than {most.copies[piece.id]} of {piece.quantity} have room")
    for name, sets in most.sets.items():
        print(f"whole sets of {name}: {sets} at most")
    if len(most.sets) > 1:
        print(f"whole sets of all of them: {most.all_sets} at most")
    print(f"fill: {most.fill:.4f} at most")
    if most.cost is not None:
        print(f"leather for all of it: {most.cost:.2f} at least")


def _say_what_has_room(job: Job, lay: Lay) -> None:
    from fairlay.core.bounds.at_most import Proving, in_words, steps, told

    asked = steps(job, lay)
    proving = Proving(job, asked, {})
    while (step := proving.next()) is not None:
        print(f"{step.hide}: {proving.known[step]} {step.name} at most", file=sys.stderr)
    for found in told(job, lay, asked, proving.known):
        print(in_words(found, found.name))
    if not asked:
        print("Nothing large is left out of which anything can be proved.")


@app.command()
def serve(
    host: Annotated[str, typer.Option()] = "127.0.0.1",
    port: Annotated[int, typer.Option(min=1, max=65535)] = 8350,
) -> None:
    """Serve the application.

    Beyond this machine only where an owner can sign in: the demo is never open to others.
    """
    import uvicorn

    from fairlay.api.door import is_loopback
    from fairlay.store import people

    _log()
    _open_store()
    if not is_loopback(host) and not people.somebody_can_sign_in():
        raise NotAllowed(
            f"serving at {host} would open the shop to whoever reaches it",
            value=host,
            expected="an owner with a password first (fairlay owner NAME); it was not served",
        )
    uvicorn.run(
        "fairlay.api.app:create_app",
        factory=True,
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=2,
    )


@app.command()
def worker(count: Annotated[int, typer.Option(help="Processes at the queue.", min=1)] = 2) -> None:
    """Work at the queue of long jobs."""
    from fairlay.work.queue import run_workers

    _log()
    run_workers(count)


@app.command()
def migrate() -> None:
    """Bring the tables up to date."""
    from fairlay.store.database import migrate as run

    _open_store()
    done = run()
    print("tables brought up to date: " + ", ".join(done) if done else "the tables are up to date")


@app.command()
def demo(
    year: Annotated[bool, typer.Option("--year", help="With a year of records beside it.")] = False,
    hides: Annotated[int, typer.Option(help="How many hides of that year.", min=1)] = 3000,
) -> None:
    """Put the demo workshop into an empty store; or a year of records beside it, once."""
    from fairlay.demo import fill_if_empty

    _open_store()
    if year:
        from fairlay.demo.year import put_year

        closed, pieces = put_year(hides, say=print)
        print(
            f"a year of records: {closed} hides, {pieces} pieces"
            if closed
            else "the store holds closed hides already; nothing was changed"
        )
        return
    print(
        "Quillback Yard is in the store"
        if fill_if_empty()
        else "the store holds a workshop already; nothing was changed"
    )


@app.command()
def owner(
    name: Annotated[str, typer.Argument(help="An owner who is known, or is to be made.")],
) -> None:
    """Print a code with which an owner makes a password: the first one, or one who forgot it."""
    from fairlay.store import people

    _open_store()
    known = next((p for p in people.people() if p.name.casefold() == name.strip().casefold()), None)
    if known is not None and known.role != "owner":
        raise NotAllowed(f"{known.name} is no owner", value=name, expected="an owner; no code was made")
    found = known or people.add(name, "owner")
    print(f"{people.make_code(found.id)}  makes a password for {found.name}, once, within a day")


@app.command()
def first() -> None:
    """Print a one-time code that makes the first owner, while the shop has none that can sign in."""
    from fairlay.store import people

    _open_store()
    if people.somebody_can_sign_in() or people.demo_owner() is not None:
        return
    print(f"\nThis shop has no owner yet. The code that makes one, once: {people.make_code(None)}")


@app.command()
def backup(
    file: Annotated[Path, typer.Argument(help="Where the copy goes; a file that is not there yet.")],
) -> None:
    """Write a copy of everything into one file, while people work, and read it back."""
    from fairlay.store import copies

    _open_store()
    made = copies.write_copy(file)
    print(f"{file}: {file.stat().st_size / 1e6:.1f} MB, whole (release {made.release}, {made.made_at} UTC)")


@app.command()
def restore(
    file: Annotated[Path, typer.Argument(help="A copy that fairlay backup wrote.")],
    over: Over = False,
) -> None:
    """Bring a copy into the store. Stop the application first; workers and pages would see it half done."""
    from fairlay.store import copies

    _open_store()
    found, kept = copies.restore(file, over=over)
    print(f"{file} of {found.made_at} UTC is in the store, its tables up to date")
    _say_kept(kept)


def _say_kept(kept: Path | None) -> None:
    if kept is not None:
        print(f"what the store held before is in {kept}")


@app.command("copies")
def copies_command(folder: Annotated[Path, typer.Argument(help="Where copies are kept.")]) -> None:
    """Make the day's copy if it is due, let go those that the rule keeps no longer, and clear files that
    nothing refers to any more.
    """
    import datetime

    from fairlay.store import copies, keeping

    _open_store()
    made = copies.make_due(folder, keeping.keeping().copies, datetime.timedelta(hours=20))
    if made is None:
        return
    print(f"a copy of everything: {made}")
    # What goes now is in the copy that was just made.
    if gone := keeping.clear_old_files():
        print(f"files that nothing refers to any more: {gone} cleared")


@app.command("export")
def export_command(
    file: Annotated[Path, typer.Argument(help="Where the archive goes; a file that is not there yet.")],
) -> None:
    """Take the whole workshop out in open formats (JSON, SVG, DXF, CSV, pictures as they came)."""
    from fairlay.store import moving

    _open_store()
    moved = moving.take_out(file)
    print(f"{file}: {sum(moved.rows.values())} rows, {file.stat().st_size / 1e6:.1f} MB. Not in it:")
    for words in moved.stays:
        print(f"- {words}")


@app.command("import")
def import_command(
    file: Annotated[Path, typer.Argument(help="An archive that fairlay export wrote.")],
    over: Over = False,
) -> None:
    """Bring a workshop that was taken out elsewhere into the store."""
    from fairlay.store import moving
    from fairlay.store.database import migrate as migrate_tables

    _open_store()
    migrate_tables()
    moved, kept = moving.bring_in(file, over=over)
    print(f"the workshop of {moved.made_at} UTC is in the store: {sum(moved.rows.values())} rows")
    _say_kept(kept)
    print("Nobody can sign in yet: fairlay owner NAME prints an owner's code.")


@app.command()
def warm() -> None:
    """Compile the kernels once, so that the first lay does not wait for them."""
    from fairlay.core.engine.warm import warm_kernels

    warm_kernels()


@app.command()
def openapi() -> None:
    """Print the OpenAPI document that the front end's client is made from."""
    from fairlay.api.app import create_app

    print(json.dumps(create_app(connect=False).openapi(), indent=1, sort_keys=True))


@app.command("may")
def may_command() -> None:
    """Print the handbook's page of who may do what."""
    from fairlay.api.may import as_page

    print(as_page(), end="")


def _open_store() -> None:
    """Open the store: the shop's own by its variable, else the private one that ./start has up."""
    from fairlay.store.database import URL_VARIABLE, open_database, wait_until_up

    if URL_VARIABLE not in os.environ:
        address = Path(os.environ.get("FAIRLAY_STORE") or ROOT / "var" / "mariadb") / "url"
        with suppress(OSError):
            os.environ[URL_VARIABLE] = address.read_text()
    open_database()
    wait_until_up()


def _log() -> None:
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s: %(message)s", datefmt="%H:%M:%S")
    logging.getLogger("huey").setLevel(logging.WARNING)


def main() -> None:
    """Run the command line; what goes wrong on purpose is one line on stderr and exit 2."""
    try:
        app()
    except FairLayError as error:
        print(f"fairlay: {error}", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    main()
