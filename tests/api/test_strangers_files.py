"""Files that mean harm, or are too much: each is refused in words, and nothing else is touched by it."""

from __future__ import annotations

import io
import struct
import time
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from fastapi.testclient import TestClient

from fairlay.api.safety import MOST_REQUEST_BYTES
from fairlay.core.errors import FairLayError, Refused
from fairlay.work.fence import Tell, TooMuch, close_fence, fenced
from fairlay.work.reading import ReadDrawing

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
    'width="90mm" height="90mm">{}</svg>'
)


@pytest.fixture(autouse=True, scope="module")
def no_fence_left() -> Iterator[None]:
    yield
    close_fence()


@dataclass(frozen=True)
class Takes:
    """Takes so much memory, and so long."""

    megabytes: int = 0
    seconds: float = 0.0

    def __call__(self, tell: Tell) -> int:
        tell("taking", 0.5)
        taken = len(b"x" * (self.megabytes * 1_000_000))
        time.sleep(self.seconds)
        return taken


def test_what_takes_too_much_ends_and_the_next_is_read() -> None:
    heard: list[str] = []
    assert fenced(Takes(2), tell=lambda words, _: heard.append(words)) == 2_000_000 and heard == ["taking"]
    with pytest.raises(TooMuch, match="too much memory"):
        fenced(Takes(9_000))
    with pytest.raises(TooMuch, match="more than 1 s"):
        fenced(Takes(seconds=60), seconds=1)

    def stop() -> None:
        raise Refused("stopped", value=0, expected="")

    with pytest.raises(Refused, match="stopped"):
        fenced(Takes(seconds=60), should_stop=stop)
    assert fenced(Takes(3)) == 3_000_000


def nested(tag: str, times: int, inner: str = '<path d="M0 0H9V9Z"/>') -> str:
    return SVG.format(f"<{tag}>" * times + inner + f"</{tag}>" * times)


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (nested("g", 50_000), "deep"),
        (SVG.format('<g id="a"><use xlink:href="#a"/><use xlink:href="#a"/></g>'), None),
        (
            SVG.format(
                "".join(f'<g id="l{k}">' + f'<use xlink:href="#l{k + 1}"/>' * 10 + "</g>" for k in range(11))
                + '<path id="l11" d="M0 0H9V9Z"/>'
            ),
            None,
        ),
        (SVG.format('<path d="M0 0H1e300V1e300Z"/>'), None),
        (SVG.format('<path d="M0 0HnanVinfZ"/>'), None),
        ('<!DOCTYPE a [<!ENTITY b "xxxxxxxx"><!ENTITY c "&b;&b;">]>' + SVG.format("<text>&c;</text>"), None),
        ('<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]>' + SVG.format("<text>&b;</text>"), None),
        ("<svg", None),
    ],
)
def test_a_hostile_drawing_is_refused_in_words(body: str, words: str | None) -> None:
    with pytest.raises(FairLayError, match=words) as refused:
        fenced(ReadDrawing("x.svg", body.encode()))
    assert not isinstance(refused.value, TooMuch) and "passwd" not in str(refused.value).replace(body, "")


def png(width: int, height: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 1, 0, 0, 0, 0)
    rows = zlib.compress(bytes((width + 7) // 8 + 1) * height, 9)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


def test_a_small_picture_that_unfolds_is_refused_by_its_header(workshop: TestClient) -> None:
    body = png(30_000, 30_000)
    assert len(body) < 300_000
    refused = workshop.post("/api/ways-in/files", files={"file": ("x.png", io.BytesIO(body), "image/png")})
    assert refused.status_code == 422 and "900 million pixels" in refused.text


def test_what_is_served_back_runs_nothing(workshop: TestClient) -> None:
    body = SVG.format("<script>alert(1)</script>").encode()
    kept = workshop.post(
        "/api/ways-in/files", files={"file": ("x.svg", io.BytesIO(body), "text/html")}
    ).json()
    assert kept["kind"] == "drawing"
    served = workshop.get(f"/api/ways-in/files/{kept['id']}/picture")
    assert served.status_code == 409 and "is no picture" in served.text and b"<script" not in served.content
    page = workshop.get("/api/health")
    assert page.headers["x-content-type-options"] == "nosniff"


def test_a_request_that_brings_too_much_is_not_read(workshop: TestClient) -> None:
    def forever() -> Iterator[bytes]:
        for _ in range(MOST_REQUEST_BYTES // 1_000_000 + 2):
            yield bytes(1_000_000)

    for body in (bytes(MOST_REQUEST_BYTES + 1), forever()):
        refused = workshop.post("/api/batches", content=body, headers={"content-type": "application/json"})
        assert refused.status_code == 413 and refused.json()["problem"]
