"""One choice of the shop in the store: read with its default, kept under its name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from fairlay.core.formats.stored import Document
from fairlay.store.database import connected
from fairlay.store.tables import SettingRow

T = TypeVar("T")


@dataclass(frozen=True)
class Setting(Generic[T]):
    """A value kept as JSON under a name; ``usual`` gives it where nobody ever chose."""

    name: str
    usual: Callable[[], T]
    read: Callable[[Any], T]
    write: Callable[[T], Any]

    def get(self) -> T:
        """Return what was chosen last."""
        return connected(self._get)()

    def put(self, chosen: T) -> None:
        """Keep a choice in the place of the one before."""
        connected(self._put)(chosen)

    def _get(self) -> T:
        row = SettingRow.get_or_none(SettingRow.name == self.name)
        return self.usual() if row is None else self.read(row.value)

    def _put(self, chosen: T) -> None:
        values = self.write(chosen)
        SettingRow.insert(name=self.name, value=values).on_conflict(preserve=[SettingRow.value]).execute()


def setting_of(name: str, document: Document[T], usual: Callable[[], T]) -> Setting[T]:
    """Return a setting that is kept as a document with a version."""
    return Setting(name, usual, document.read, document.write)
