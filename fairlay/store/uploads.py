"""Files and photographs that patterns come from, kept as they came."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fairlay.core.errors import NotFound, Refused
from fairlay.store.acting import who
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import UploadPartRow, UploadRow

PART_BYTES = 8_000_000
"""MariaDB takes 16 MB in one packet unless it is told otherwise; what is larger is kept in parts."""
MOST_BYTES = 60_000_000


@dataclass(frozen=True)
class Upload:
    """A file that was brought in."""

    id: int
    name: str
    media_type: str
    body: bytes


def check_size(name: str, size: int) -> None:
    """Raise Refused for a file larger than any that is kept."""
    if size > MOST_BYTES:
        raise Refused(
            f"{name} has {size / 1e6:.0f} MB",
            value=size,
            expected=f"{MOST_BYTES // 1_000_000} MB at most; nothing was kept",
        )


@connected
def keep(name: str, media_type: str, body: bytes) -> int:
    """Keep a file; return its id. Raises Refused for one that is empty or larger than ``MOST_BYTES``."""
    check_size(name, len(body))
    if not body:
        raise Refused(f"{name or 'the file'} is empty", value=0, expected="a file with something in it")
    return keep_as(
        {"name": name[:255], "media_type": media_type[:64], "body": body, "created_at": now(), "by": who()}
    )


def keep_as(values: dict[str, Any]) -> int:
    """Keep a file with all that its row says, its whole body among it; return its id."""
    body = values["body"]
    upload_id = int(UploadRow.insert({**values, "body": body[:PART_BYTES]}).execute())
    for number, start in enumerate(range(PART_BYTES, len(body), PART_BYTES), 1):
        UploadPartRow.create(upload=upload_id, number=number, body=body[start : start + PART_BYTES])
    return upload_id


@connected
def upload(upload_id: int) -> Upload:
    """Return a file that was kept. Raises NotFound."""
    row = UploadRow.get_or_none(UploadRow.id == upload_id)
    if row is None:
        raise NotFound(f"there is no file {upload_id}", value=upload_id)
    parts = UploadPartRow.select().where(UploadPartRow.upload == row).order_by(UploadPartRow.number)
    return Upload(
        row.id, row.name, row.media_type, b"".join([bytes(row.body), *(bytes(part.body) for part in parts)])
    )
