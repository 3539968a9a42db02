"""How many of what a lay leaves out have room at all: proof after proof, each kept as it comes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fairlay.core.bounds.at_most import Proving
from fairlay.store import lays, proofs
from fairlay.store.work_asked import WorkJob
from fairlay.work.beating import Beating, carry_out, patiently
from fairlay.work.in_turn import InTurn


def prove_one(job_id: int, hand_out_again: Callable[[int], None]) -> None:
    """Make the proofs of a job, as far as it gets; where a lay waits for a worker, it is put back in the
    queue with those it has.
    """

    def work(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
        turns, asked = InTurn(job, beating, hand_out_again), job.prove_work
        saved = patiently(lambda: lays.load(job.subject, asked.base))
        proving = Proving(proofs.job_proved(saved), asked.steps, proofs.known_of(turns.rows))

        def prove(_: int) -> Any:
            step = proving.next(turns.should_stop)
            return None if step is None else proofs.row_of(step, proving.known[step])

        return turns.run(len(asked.steps), prove)

    carry_out(job_id, work, "the proof broke; what was proved before was kept")
