"""Reading a file as a job: behind the fence, with progress; what it told is kept with the job."""

from __future__ import annotations

from typing import Any

from fairlay.core.capture.squared_paper import Said
from fairlay.core.errors import Refused
from fairlay.core.formats.sort_out import SaidOf
from fairlay.core.shapes.rings import as_points
from fairlay.store import by_hand, camera_checks, jobs, looking, uploads
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


def _read(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
    work = job.read_work
    kept = patiently(lambda: uploads.upload(job.subject))
    said = dict(work.said)

    def behind_fence(act: Act[Any]) -> Any:
        return fenced(act, tell=beating.say, should_stop=beating.check)

    if work.what == "drawing":
        result = behind_fence(reading.ReadDrawing(kept.name, kept.body))
    elif work.what == "sorted":
        act = reading.SortDrawing(
            kept.name,
            kept.body,
            said["uses"],
            said["unit_mm"],
            bool(said.get("all_windows", False)),
            tuple(SaidOf(**one) for one in said.get("contours", ())),
        )
        result = behind_fence(act)
    elif work.what == "traced":
        bar = said.pop("bar_mm")
        found = behind_fence(reading.TracePicture(kept.body, Said(**said), bar))
        picture = uploads.keep(f"{kept.name} straightened.jpg", "image/jpeg", found.straight)
        result = found.values | {"picture": f"/api/ways-in/files/{picture}/picture"}
    elif work.what == "hide":
        seen = behind_fence(reading.HideInDrawing(kept.name, kept.body, said["unit_mm"]))
        result = seen.model_copy(update={"files": [job.subject]}).model_dump(mode="json")
        looking.put_seen(said["hide_id"], result)
    elif work.what == "templates":
        asked = patiently(lambda: _templates_of(kept.body, said))
        seen_there = behind_fence(asked)
        picture = uploads.keep(f"{kept.name} from above.jpg", "image/jpeg", seen_there.top)
        result = seen_there.values | {"picture": f"/api/ways-in/files/{picture}/picture"}
    elif work.what == "check":
        true_mm = (float(said["wide_mm"]), float(said["high_mm"]))
        result = behind_fence(reading.CheckCamera(kept.body, said["bar_mm"], true_mm))
        result["camera"] = result["camera"] or said["camera"]
        camera_checks.add_check(
            result["camera"], result["wide_mm"], result["high_mm"], result["off_share"], result["off_mm"]
        )
    else:
        raise Refused(f"a file read for {work.what!r}", value=work.what, expected="a drawing or a picture")
    patiently(lambda: jobs.keep_result(job.id, job.owner, result))
    return "done", None
