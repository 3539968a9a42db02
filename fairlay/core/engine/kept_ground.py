"""Compiled grounds kept between jobs, by what the hide is and what rules read of the piece: whoever lays
again on leather that has not changed does not wait for it. They are kept by the process that made them, and
in files while it is told to.
"""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import fields, is_dataclass
from typing import Any, Protocol
from weakref import WeakKeyDictionary

import numpy as np

from fairlay.core.engine.ground import HideGround
from fairlay.core.leather import Hide

MOST_BYTES = 160_000_000
"""Of all grounds kept; those longest unused go first."""


class Files(Protocol):
    """Grounds kept beyond the process, by a key that says all that they are made of but the code."""

    def get(self, key: bytes) -> HideGround | None:
        """Return the ground kept under a key, None where there is none."""
        ...

    def put(self, key: bytes, ground: HideGround) -> None:
        """Keep a ground under a key."""
        ...


class KeptGrounds:
    """Grounds, at most so many bytes of them."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self.most_bytes, self.bytes = most_bytes, 0
        self.files: Files | None = None
        self._kept: OrderedDict[Hashable, HideGround] = OrderedDict()
        self._content: WeakKeyDictionary[Hide, bytes] = WeakKeyDictionary()

    def __len__(self) -> int:
        return len(self._kept)

    def get(self, hide: Hide, needs: Hashable, make: Callable[[], HideGround]) -> HideGround:
        """Return the ground of a hide for some needs, made by ``make`` where it is not kept."""
        key = (self._content_of(hide), needs)
        known = self._kept.get(key)
        if known is None:
            known = self._kept[key] = self._from_files(key, make)
            self.bytes += known.nbytes
            while self.bytes > self.most_bytes and len(self._kept) > 1:
                self.bytes -= self._kept.popitem(last=False)[1].nbytes
        else:
            self._kept.move_to_end(key)
        return known

    @contextmanager
    def in_files(self, files: Files | None) -> Iterator[None]:
        """Look in files for grounds that are not here, and keep there what is compiled: for leather that a
        shop has, and not for what is made up, which no one asks for again.
        """
        self.files, before = files, self.files
        try:
            yield
        finally:
            self.files = before

    def _from_files(self, key: tuple[bytes, Hashable], make: Callable[[], HideGround]) -> HideGround:
        if self.files is None:
            return make()
        name = key[0] + repr(key[1]).encode()
        known = self.files.get(name)
        if known is None:
            known = make()
            # That may be in a later job, with files of its own, or none.
            known.when_compiled = lambda ground: self.files.put(name, ground) if self.files else None
        return known

    def _content_of(self, hide: Hide) -> bytes:
        """A digest of all that a hide is: equal hides have equal ones, a changed one another."""
        if hide not in self._content:
            digest = hashlib.blake2b(digest_size=16)
            _add(digest, hide)
            self._content[hide] = digest.digest()
        return self._content[hide]


def _add(digest: Any, value: object) -> None:
    if isinstance(value, np.ndarray):
        digest.update(repr((value.shape, value.dtype.str)).encode())
        digest.update(np.ascontiguousarray(value).tobytes())
    elif is_dataclass(value):
        digest.update(type(value).__name__.encode())
        for own in fields(value):
            _add(digest, getattr(value, own.name))
    elif isinstance(value, tuple):
        digest.update(f"({len(value)}".encode())
        for item in value:
            _add(digest, item)
    else:
        digest.update(repr(value).encode() + b";")


kept_grounds = KeptGrounds()
"""Those of this process."""
