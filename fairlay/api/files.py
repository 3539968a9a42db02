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
