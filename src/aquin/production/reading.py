"""Reading the records of a production from memory."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from aquin.production.memory import Memory
from aquin.production.records import Option
from aquin.production.rows import NAMES, R


class Reading:
    """A part of `Production`, which gives the memory."""

    _shown: Memory

    def all(self, kind: type[R]) -> list[R]:
        """All records of a kind, by position where they have one, else in the order in which they came."""
        found = list(self._shown.records[kind].values())
        if kind is not Option and "position" in NAMES[kind]:
            found.sort(key=lambda r: r.position)
        return found

    def get(self, kind: type[R], id: str) -> R:
        """Raises KeyError."""
        found: R = self._shown.records[kind][id]
        return found

    def find(self, kind: type[R], id: str) -> R | None:
        return self._shown.find(kind, id)

    def by(self, kind: type[R], key: Callable[[R], Any]) -> dict[Any, list[R]]:
        """Records sorted by what a function of the module level gives for them; made once for each state of theirs."""
        return self._shown.by(kind, key)

    def option(self, name: str, default: Any = None) -> Any:
        """A setting of the production."""
        found = self._shown.find(Option, name)
        return default if found is None else found.value
