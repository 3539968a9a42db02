"""Files on their way out."""

from __future__ import annotations

import re
from urllib.parse import quote

from fastapi import Response


def as_file(body: str | bytes, media_type: str, name: str) -> Response:
    """Return a file to be kept under a name; where a name has letters of other scripts, plain ones stand
    beside it (RFC 6266).
    """
    plain = re.sub(r"[^A-Za-z0-9._-]+", "-", name).strip("-") or "file"
    return Response(
        body,
        media_type=media_type,
        headers={"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"},
    )


PICTURES = (
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"II*\x00", "image/tiff"),
    (b"MM\x00*", "image/tiff"),
    (b"BM", "image/bmp"),
)
"""What pictures begin with, and the types they are served under; nothing else is served to be looked at."""


def picture_type(body: bytes) -> str | None:
    """Return the type of a picture by its first bytes; None for what is none that is read here."""
    if body[:4] == b"RIFF" and body[8:12] == b"WEBP":
        return "image/webp"
    return next((kind for begins, kind in PICTURES if body.startswith(begins)), None)
