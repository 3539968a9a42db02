"""Looking at pictures as a job: a hide found in them, each thing said as it is found, the whole kept beside
the hide until the cutter takes it.
"""

from __future__ import annotations

import logging
import threading
import time
from types import TracebackType

from fairlay.core.capture.hide_picture import look_at_hide
from fairlay.core.capture.squared_paper import as_jpeg, decode
from fairlay.core.errors import FairLayError
from fairlay.core.formats.seen_json import seen_in_pictures
from fairlay.store import jobs, looking, uploads
from fairlay.store.jobs import WorkJob
from fairlay.store.settings import leather_settings

BEAT_S = 1.0
PICTURE_QUALITY = 82
log = logging.getLogger("fairlay.work")


class Stopped(Exception):
    """Whoever asked for it asked to stop."""


def look_one(job_id: int) -> None:
    """Look at the pictures of a job until the hide is found or it is asked to stop.

    What was known of the hide stays as it was.
    """
    job = jobs.take_up(job_id)
    if job is None:
        return
    log.info("job %d: looking at %d pictures of hide %d", job.id, len(job.asked.files), job.subject)
    with _Beating(job) as beating:
        try:
            _look(job, beating)
        except Stopped:
            jobs.end(job.id, "stopped", beating.spent())
        except FairLayError as error:
            jobs.end(job.id, "failed", beating.spent(), str(error))
        except Exception:
            log.exception("job %d broke", job.id)
            jobs.end(
                job.id,
                "failed",
                beating.spent(),
                "reading the pictures broke; the pictures and what was known of the hide were kept",
            )
            raise
        else:
            jobs.end(job.id, "done", beating.spent())
            log.info("job %d: found after %.1f s", job.id, beating.spent())


def _look(job: WorkJob, beating: _Beating) -> None:
    known = looking.known(job.subject)
    images = [decode(uploads.upload(file).body) for file in job.asked.files]
    found = look_at_hide(
        images,
        thickness_mm=known.rack.thickness_mm,
        bar_mm=job.asked.bar_mm,
        chalks=leather_settings().chalks,
        tell=beating.say,
    )
    kept = uploads.keep(
        f"{known.rack.number} from above.jpg", "image/jpeg", as_jpeg(found.top.image, PICTURE_QUALITY)
    )
    looking.put_seen(
        job.subject, seen_in_pictures(found, f"/api/ways-in/files/{kept}/picture").model_dump(mode="json")
    )


class _Beating:
    """Says from a thread of its own that the worker is alive: one step of looking may take longer than a
    worker may be silent.
    """

    def __init__(self, job: WorkJob) -> None:
        self.job = job
        self.began = time.monotonic()
        self.said: list[str] = []
        self.stopped = False
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> _Beating:
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._over.set()
        self._thread.join()

    def spent(self) -> float:
        return self.job.spent_s + time.monotonic() - self.began

    def say(self, words: str) -> None:
        """Note what was found. Raises Stopped once asked to stop."""
        self.said.append(words)
        jobs.say(self.job.id, self.said)
        if self.stopped or jobs.beat(self.job.id, self.spent()):
            raise Stopped

    def _beat(self) -> None:
        while not self._over.wait(BEAT_S):
            try:
                self.stopped = jobs.beat(self.job.id, self.spent()) or self.stopped
            except FairLayError as error:
                log.warning("job %d: %s", self.job.id, error)
