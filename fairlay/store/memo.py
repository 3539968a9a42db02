"""What was reckoned from what does not change, kept for whoever asks next."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

from cachetools import LRUCache

from fairlay.core.lay.lay import Job

V = TypeVar("V")


class Memo(Generic[V]):
    """Up to ``most`` answers, those asked for last, for all threads. They are reckoned outside the lock: two
    that ask at once may both reckon, and get the same.
    """

    def __init__(self, most: int) -> None:
        self._kept: LRUCache[Hashable, V] = LRUCache(most)
        self._lock = Lock()

    def get(self, key: Hashable, reckon: Callable[[], V]) -> V:
        """Return the answer for a key, reckoned where it is not known."""
        with self._lock:
            if key in self._kept:
                return self._kept[key]
        found = reckon()
        with self._lock:
            return self._kept.setdefault(key, found)


class JobMemo(Generic[V]):
    """Answers for jobs as they are in memory. A job is kept with its answer, so that no other has its id."""

    def __init__(self, most: int) -> None:
        self._memo: Memo[tuple[Job, V]] = Memo(most)

    def get(self, job: Job, key: Hashable, reckon: Callable[[], V]) -> V:
        """Return the answer for a job and a key, reckoned where it is not known."""
        return self._memo.get((id(job), key), lambda: (job, reckon()))[1]
