"""How the shop keeps its data: which copies stay, and how long files that nothing refers to any more."""

from __future__ import annotations

import datetime
import json
import re
from dataclasses import dataclass, field

from pydantic import TypeAdapter

from fairlay.core.errors import Refused
from fairlay.core.formats.stored import Document
from fairlay.store.clock import now
from fairlay.store.copies import Rule
from fairlay.store.database import connected
from fairlay.store.jobs import LIVE
from fairlay.store.setting import setting_of
from fairlay.store.tables import HideEventRow, HideRow, JobRow, UploadRow

MOST_KEPT, MOST_DAYS = 400, 3650
PICTURE = re.compile(r'"picture":\s*(?:"[^"]*/files/)?(\d+)')
"""How a hide's documents name a file: by its id, or by where it is served."""


@dataclass(frozen=True)
class Keeping:
    """``copies``: which copies stay; ``files_days``: how long a file is kept that nothing refers to (0: for
    ever).
    """

    copies: Rule = field(default_factory=Rule)
    files_days: int = 180


KEEPING = Document("shop's choices of keeping", 1, TypeAdapter(Keeping), Refused)
CHOICES = setting_of("keeping", KEEPING, Keeping)


@connected
def keeping() -> Keeping:
    """Return the shop's choices; what was never chosen has its default."""
    return CHOICES.get()


@connected
def set_keeping(chosen: Keeping) -> None:
    """Keep the shop's choices. Raises Refused for ones that would keep no copy; those before stay then."""
    rule = chosen.copies
    if not (
        1 <= rule.days <= MOST_KEPT and 0 <= rule.weeks <= MOST_KEPT and 0 <= rule.months <= MOST_KEPT
    ) or not (chosen.files_days == 0 or 1 <= chosen.files_days <= MOST_DAYS):
        raise Refused(
            "a rule of keeping that makes no sense",
            value=rule.days,
            expected=f"copies of 1 to {MOST_KEPT} days, of none to {MOST_KEPT} weeks and months, files for 1 "
            f"to {MOST_DAYS} days or 0 for ever; the choices before were kept",
        )
    CHOICES.put(chosen)


@connected
def referred_to() -> set[int]:
    """Return the files that something still refers to: a hide's picture, one that Undo brings back, the
    pictures a hide was last found in, and whatever a job is at.
    """
    found: set[int] = set()
    for hide in HideRow.select(HideRow.looking, HideRow.seen):
        found |= _named(hide.looking, hide.seen)
    before = HideEventRow.select(HideEventRow.before).where(HideEventRow.before.is_null(False))
    for event in before.iterator():
        found |= _named(event.before)
    newest: dict[int, list[int]] = {}
    jobs = JobRow.select(JobRow.id, JobRow.hide, JobRow.upload, JobRow.state, JobRow.asked)
    for job in jobs.where(JobRow.kind.in_(("look", "read"))).order_by(JobRow.id):
        files = [int(f) for f in job.asked.get("files", ())]
        if job.state in LIVE:
            found |= {*files, *([job.upload_id] if job.upload_id else [])}
        if job.hide_id and files:
            newest[job.hide_id] = files
    return found.union(*newest.values()) if newest else found


def _named(*documents: object) -> set[int]:
    """The files that documents name, whatever they are: read as text, so that none is overlooked."""
    return {int(n) for value in documents if value for n in PICTURE.findall(json.dumps(value))}


@connected
def clear_files(before: datetime.datetime) -> int:
    """Clear files brought in before a time that nothing refers to; return how many went."""
    old = {row.id for row in UploadRow.select(UploadRow.id).where(UploadRow.created_at < before)}
    gone = sorted(old - referred_to())
    for upload_id in gone:
        UploadRow.delete().where(UploadRow.id == upload_id).execute()
    return len(gone)


def clear_old_files() -> int:
    """Clear files that nothing refers to, once they are as old as the shop chose; return how many went."""
    days = keeping().files_days
    return clear_files(now() - datetime.timedelta(days=days)) if days else 0
