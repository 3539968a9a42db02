"""Compiled grounds in files, for processes that begin later and those beside this one: leather that was laid
on before a restart is laid on again at once.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray
from shapely import from_wkb, to_wkb
from shapely.errors import ShapelyError

from fairlay import core
from fairlay.core.engine.ground import Compiled, Ground, HideGround

MOST_BYTES = 1_000_000_000
"""Of all files; those longest unused go first."""
SHARE_LEFT = 0.8
"""Where there are more, so many go that this share is left: they are not counted at each."""
COUNTED = 50
"""How many files are written between two counts."""


class WrittenLater:
    """Ground files that are written beside a search, which does not wait for them; what is written may not be
    found at once. Leaving it waits for the last.
    """

    def __init__(self, files: GroundFiles) -> None:
        self.files, self.writer = files, ThreadPoolExecutor(1, "grounds")

    def __enter__(self) -> WrittenLater:
        return self

    def __exit__(self, *_: object) -> None:
        self.writer.shutdown()

    def get(self, key: bytes) -> HideGround | None:
        """Return the ground kept under a key, None where there is none that can be read."""
        return self.files.get(key)

    def put(self, key: bytes, ground: HideGround) -> None:
        """Have a ground kept under a key soon."""
        self.writer.submit(self.files.put, key, ground)


class GroundFiles:
    """Grounds as files of a folder, which is made where it is missing. What cannot be read or written is as
    if it were not kept: a ground can always be made.
    """

    def __init__(self, folder: Path, most_bytes: int = MOST_BYTES) -> None:
        self.folder, self.most_bytes, self._written = folder, most_bytes, 0

    def get(self, key: bytes) -> HideGround | None:
        """Return the ground kept under a key, None where there is none that can be read."""
        path = self._path(key)
        try:
            with path.open("rb") as file, np.load(file, allow_pickle=False) as held:
                ground = _read(dict(held))
            os.utime(path)
        except FileNotFoundError:
            return None
        except (OSError, ValueError, KeyError, EOFError, BadZipFile, ShapelyError):
            with suppress(OSError):
                path.unlink()
            return None
        return ground

    def put(self, key: bytes, ground: HideGround) -> None:
        """Keep a ground under a key: whole, or not at all."""
        with suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            held, name = tempfile.mkstemp(dir=self.folder, suffix=".part")
            try:
                with os.fdopen(held, "wb") as file:
                    np.savez(file, allow_pickle=False, **_written(ground))
                Path(name).replace(self._path(key))
            finally:
                Path(name).unlink(missing_ok=True)
            if self._written % COUNTED == 0:
                self._make_room()
            self._written += 1

    def _path(self, key: bytes) -> Path:
        return self.folder / f"{hashlib.blake2b(_how_made() + key, digest_size=16).hexdigest()}.npz"

    def _make_room(self) -> None:
        """Delete the files longest unused, where there are too many."""
        files = sorted((p.stat().st_mtime, p.stat().st_size, p) for p in self.folder.iterdir())
        over = sum(size for _, size, _ in files)
        if over <= self.most_bytes:
            return
        for _, size, path in files:
            if over <= SHARE_LEFT * self.most_bytes:
                return
            path.unlink(missing_ok=True)
            over -= size


def _written(ground: HideGround) -> dict[str, NDArray[np.generic]]:
    out: dict[str, NDArray[np.generic]] = {f"fair_{k}": a for k, a in ground.fair._asdict().items()}
    if ground.off_show is not None:
        out |= {f"off_show_{k}": a for k, a in ground.off_show._asdict().items()}
    region = np.frombuffer(to_wkb(ground.region), np.uint8)
    return out | {"area": np.array(ground.area_mm2), "region": region, "pool": ground.pool}


def _read(held: dict[str, NDArray[Any]]) -> HideGround:
    def compiled(which: str) -> Ground:
        return Ground(**{name: held[f"{which}_{name}"] for name in Ground._fields})

    own = Compiled(
        compiled("fair"),
        compiled("off_show") if "off_show_pts" in held else None,
        held["pool"].astype(np.float32, copy=False),
    )
    nbytes = sum(held[name].nbytes for name in ("fair_field", "off_show_field", "pool") if name in held)
    return HideGround(from_wkb(held["region"].tobytes()), float(held["area"]), nbytes, lambda: own)


@lru_cache(maxsize=1)
def _how_made() -> bytes:
    """A digest of all the core's code: a ground made by other rules is never found again."""
    digest, root = hashlib.blake2b(digest_size=16), Path(core.__path__[0])
    for path in sorted(root.rglob("*.py")):
        digest.update(str(path.relative_to(root)).encode() + path.read_bytes())
    return digest.digest()
