"""Reading a file as a job: behind the fence, with progress; what it told is kept with the job."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

from fairlay.core.capture.squared_paper import Said
from fairlay.core.errors import Refused
from fairlay.core.formats.sort_out import SaidOf
from fairlay.core.shapes.rings import as_points
from fairlay.store import by_hand, camera_checks, jobs, looking, uploads
from fairlay.store.uploads import Upload
from fairlay.store.work_asked import WorkJob
from fairlay.work import reading
from fairlay.work.beating import Beating, carry_out, patiently
from fairlay.work.fence import Act, fenced

USUAL_MM = 2.0
"""How thick leather is taken to be where nobody measured it."""


def read_one(job_id: int) -> None:
    """Read the file of a job for what is asked of it."""
    carry_out(job_id, _read, "reading the file broke; it was kept as it came")


def _templates_of(body: bytes, said: dict[str, Any]) -> reading.ReadTemplates:
    """What a picture of templates is asked: the pieces of a lay, and the hide they lie on."""
    job = by_hand.in_hand(int(said["lay_id"])).job
    hide = job.hides_by_id[said["hide"]]
    thick = [r.mm for r in hide.thickness]
    return reading.ReadTemplates(
        body,
        float(said["bar_mm"]),
        sum(thick) / len(thick) if thick else USUAL_MM,
        as_points(hide.outline, 2),
        [(p.id, as_points(p.outline, 3)) for p in job.pieces],
    )


@dataclass(frozen=True)
class _Asked:
    """A file and what is asked of it; ``behind_fence`` runs the reading of a stranger's file apart."""

    job: WorkJob
    kept: Upload
    said: dict[str, Any]
    behind_fence: Callable[[Act[Any]], Any]


Keep = Callable[[], dict[str, Any]]
"""Writes what a reading gave beside its job, and returns what the job keeps of it."""


def _drawing(asked: _Asked) -> Keep:
    result = asked.behind_fence(reading.ReadDrawing(asked.kept.name, asked.kept.body))
    return lambda: result


def _sorted(asked: _Asked) -> Keep:
    said = asked.said
    act = reading.SortDrawing(
        asked.kept.name,
        asked.kept.body,
        said["uses"],
        said["unit_mm"],
        bool(said.get("all_windows", False)),
        tuple(SaidOf(**one) for one in said.get("contours", ())),
    )
    result = asked.behind_fence(act)
    return lambda: result


def _traced(asked: _Asked) -> Keep:
    said = dict(asked.said)
    bar = said.pop("bar_mm")
    found = asked.behind_fence(reading.TracePicture(asked.kept.body, Said(**said), bar))
    return lambda: found.values | _picture(f"{asked.kept.name} straightened.jpg", found.straight)


def _hide(asked: _Asked) -> Keep:
    act = reading.HideInDrawing(asked.kept.name, asked.kept.body, asked.said["unit_mm"])
    seen = asked.behind_fence(act).model_copy(update={"files": [asked.job.subject]})
    result: dict[str, Any] = seen.model_dump(mode="json")

    def keep() -> dict[str, Any]:
        looking.put_seen(asked.said["hide_id"], result)
        return result

    return keep


def _templates(asked: _Asked) -> Keep:
    found = asked.behind_fence(patiently(lambda: _templates_of(asked.kept.body, asked.said)))
    return lambda: found.values | _picture(f"{asked.kept.name} from above.jpg", found.top)


def _check(asked: _Asked) -> Keep:
    said = asked.said
    true_mm = (float(said["wide_mm"]), float(said["high_mm"]))
    result = asked.behind_fence(reading.CheckCamera(asked.kept.body, said["bar_mm"], true_mm))
    result["camera"] = result["camera"] or said["camera"]

    def keep() -> dict[str, Any]:
        camera_checks.add_check(
            result["camera"], result["wide_mm"], result["high_mm"], result["off_share"], result["off_mm"]
        )
        return dict(result)

    return keep


READINGS: Final[dict[str, Callable[[_Asked], Keep]]] = {
    "drawing": _drawing,
    "sorted": _sorted,
    "traced": _traced,
    "hide": _hide,
    "templates": _templates,
    "check": _check,
}


def _picture(name: str, body: bytes) -> dict[str, Any]:
    return {"picture": f"/api/ways-in/files/{uploads.keep(name, 'image/jpeg', body)}/picture"}


def _read(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
    work = job.read_work
    if work.what not in READINGS:
        raise Refused(f"a file read for {work.what!r}", value=work.what, expected=", ".join(READINGS))

    def behind_fence(act: Act[Any]) -> Any:
        return fenced(act, tell=beating.say, should_stop=beating.check)

    kept = patiently(lambda: uploads.upload(job.subject))
    keep = READINGS[work.what](_Asked(job, kept, dict(work.said), behind_fence))
    patiently(lambda: jobs.as_owner(job.id, job.owner, lambda: _keep_all(job, keep)))
    return "done", None


def _keep_all(job: WorkJob, keep: Keep) -> None:
    jobs.keep_result(job.id, job.owner, keep())
