"""Runs everything ``./start`` promises, and stops all of it, and nothing else, on Ctrl-C."""

from __future__ import annotations

import argparse
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from contextlib import ExitStack, suppress
from pathlib import Path

from scripts.mariadb import CannotStart, PrivateMariaDB

ROOT = Path(__file__).resolve().parents[1]
URL = "FAIRLAY_DATABASE_URL"
FAIRLAY = [sys.executable, "-m", "fairlay.cli"]
DEFAULT_PORT = 8350
COPIES, GROUNDS = "FAIRLAY_COPIES", "FAIRLAY_GROUNDS"
FIRST_COPY_S, COPY_EVERY_S = 600.0, 3600.0
"""A copy that is due is made so long after the start, and looked for as often."""


def main() -> int:
    """Start MariaDB (unless the shop has one), bring the tables up to date, then worker and web server;
    wait.
    """
    asked = argparse.ArgumentParser(prog="./start", description="Start Fair Lay on this machine.")
    asked.add_argument(
        "--port", type=int, help=f"port to serve at ({DEFAULT_PORT}, or the next that is free)"
    )
    asked.add_argument(
        "--host", default="127.0.0.1", help="address to serve at; 127.0.0.1 is this machine only"
    )
    asked.add_argument(
        "--empty", action="store_true", help="do not put the demo workshop into an empty store"
    )
    asked.add_argument(
        "--store", type=Path, default=ROOT / "var" / "mariadb", help="folder of the private MariaDB"
    )
    asked.add_argument("--restore", type=Path, metavar="FILE", help="first bring a copy into the store")
    asked.add_argument(
        "--over", action="store_true", help="with --restore: in the place of what the store holds"
    )
    asked.add_argument("--workers", type=int, default=2, help="processes that lay")
    args = asked.parse_args()
    stopping = False

    def on_signal(_number: int, _frame: object) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGINT, on_signal)
    signal.signal(signal.SIGTERM, on_signal)
    try:
        port = _port(args.host, args.port)
        with ExitStack() as stack:
            own = None
            if URL not in os.environ:
                own = stack.enter_context(PrivateMariaDB(args.store))
                os.environ[URL] = own.url
            os.environ.setdefault(COPIES, str((args.store.parent / "copies").resolve()))
            os.environ.setdefault(GROUNDS, str((args.store.parent / "grounds").resolve()))
            if args.restore is not None:
                _run("restore", str(args.restore.resolve()), *(["--over"] if args.over else []))
            _run("migrate")
            if not args.empty and args.restore is None:
                _run("demo")
            children = [
                _begin(stack, "worker", "--count", str(args.workers)),
                _begin(stack, "serve", "--host", args.host, "--port", str(port)),
            ]
            address = f"http://{args.host}:{port}/"
            while not stopping and not _answers(address):
                if any(child.poll() is not None for child in children):
                    raise CannotStart("the worker or the web server ended at once; what it said stands above")
                time.sleep(0.1)
            if not stopping:
                _run("first")
                print(f"\nFair Lay is ready: {address}\nCtrl-C stops it; everything is kept.", flush=True)
            copy_at = time.monotonic() + FIRST_COPY_S
            while not stopping:
                if time.monotonic() > copy_at:
                    copy_at = time.monotonic() + COPY_EVERY_S
                    _copy(args.store)
                if own is not None and own.start_again_if_gone():
                    print("MariaDB had ended, and was started again; all goes on.", flush=True)
                ended = next((c for c in children if c.poll() is not None), None)
                if ended is not None:
                    raise CannotStart(
                        f"{ended.args[3]} ended with {ended.returncode}; what it said stands above"
                    )  # type: ignore[index]  # args is the list given below
                time.sleep(0.2)
            print("\nStopping ...", flush=True)
    except CannotStart as error:
        print(f"fairlay: {error}", file=sys.stderr)
        return 1
    return 0


def _port(host: str, asked: int | None) -> int:
    for port in [asked] if asked else range(DEFAULT_PORT, DEFAULT_PORT + 50):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as s:
            s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                s.bind((host, port))
            except OSError as cause:
                if asked:
                    raise CannotStart(
                        f"port {port} at {host} cannot be served at: {cause.strerror}; name another with "
                        "--port"
                    ) from cause
                continue
            return port
    raise CannotStart(f"no port from {DEFAULT_PORT} to {DEFAULT_PORT + 49} is free; name one with --port")


def _copy(home: Path) -> None:
    """Make the copy that is due; one that cannot be made is told, and the work goes on."""
    done = subprocess.run([*FAIRLAY, "copies", os.environ[COPIES]], cwd=ROOT, check=False)
    if done.returncode:
        print(f"No copy of {home} was made; what was wrong stands above.", file=sys.stderr, flush=True)


def _run(*words: str) -> None:
    done = subprocess.run([*FAIRLAY, *words], cwd=ROOT, check=False)
    if done.returncode:
        raise CannotStart(f"'fairlay {' '.join(words)}' did not succeed; what it said stands above")


def _begin(stack: ExitStack, *words: str) -> subprocess.Popen[bytes]:
    # In a session of its own, so that Ctrl-C at the terminal comes to us alone and we stop things in order.
    child = subprocess.Popen([*FAIRLAY, *words], cwd=ROOT, start_new_session=True)
    stack.callback(_end, child)
    return child


def _end(child: subprocess.Popen[bytes]) -> None:
    if child.poll() is None:
        child.terminate()
        with suppress(subprocess.TimeoutExpired):
            child.wait(8)
    # A worker's own processes share its session; none is left behind.
    with suppress(ProcessLookupError):
        os.killpg(child.pid, signal.SIGKILL)
    child.wait()


def _answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}api/health", timeout=1) as answer:
            return bool(answer.status == 200)
    except (urllib.error.URLError, OSError):
        return False


if __name__ == "__main__":
    sys.exit(main())
