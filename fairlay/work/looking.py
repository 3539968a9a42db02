"""Looking at pictures as a job: a hide found in them, each thing said as it is found, the whole kept beside
the hide until the cutter takes it.
"""

from __future__ import annotations

from fairlay.core.formats.seen_json import PressRecord
from fairlay.store import jobs, looking, uploads
from fairlay.store.settings import leather_settings
from fairlay.store.work_asked import WorkJob
from fairlay.work import reading
from fairlay.work.beating import Beating, carry_out, patiently
from fairlay.work.fence import fenced


def look_one(job_id: int) -> None:
    """Look at the pictures of a job until the hide is found or it is asked to stop. What was known of the
    hide stays as it was.
    """
    carry_out(
        job_id, _look, "reading the pictures broke; the pictures and what was known of the hide were kept"
    )


def _look(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
    work = job.look_work
    known = patiently(lambda: looking.known(job.subject))
    bodies = [uploads.upload(file).body for file in work.files]
    presses = [PressRecord.model_validate(p) for p in work.presses]
    asked = reading.LookAtHide(
        bodies, known.rack.thickness_mm, work.bar_mm, leather_settings().chalks, presses
    )
    found = fenced(asked, tell=beating.say, should_stop=beating.check)
    said = {"presses": presses, "files": list(work.files), "bar_mm": work.bar_mm}

    def keep() -> None:
        kept = uploads.keep(f"{known.rack.number} from above.jpg", "image/jpeg", found.top)
        seen = found.seen.model_copy(update={"picture": f"/api/ways-in/files/{kept}/picture", **said})
        looking.put_seen(job.subject, seen.model_dump(mode="json"))

    beating.check()
    patiently(lambda: jobs.as_owner(job.id, job.owner, keep))
    return "done", None
