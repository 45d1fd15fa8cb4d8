"""What several hands did to one thing: said, refused, or merged where their parts differ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from aquin.errors import AquinError

MISSING: Any = object()
"""Stands for a key that is not there."""


class LineCut(AquinError):
    """The server does not answer."""


class Apart(Exception):
    """Two changes of one value can't both hold."""


@dataclass(frozen=True)
class Part:
    """One value that two hands changed, or a record that one changed and another removed or made as well.

    `name` is the record in words, `field` the column (empty: all of it), `was` what the change was based on, `there`
    what stands there now and `who` put it there, `wanted` what was to be written.
    """

    table: str
    id: str
    name: str
    field: str
    who: str
    was: Any = None
    there: Any = None
    wanted: Any = None
    what: str = "changed"

    def line(self) -> str:
        """In words."""
        who = self.who or "somebody"
        if self.what == "changed" and self.field:
            return f"{who} has changed {_words(self.field)} of {self.name}"
        return f"{who} has {self.what} {self.name}"


class Moved(AquinError):
    """A change that was based on something which another has changed meanwhile; nothing was written. `rest`: whether
    it has other parts that could be done.
    """

    def __init__(
        self,
        parts: Sequence[Part],
        file: str | Path | None,
        remedy: str = "",
        done: str = "saved",
        rest: bool = False,
    ) -> None:
        self.parts, self.rest = tuple(parts), rest
        self.changes: list[Any] = []
        """All that was to be written."""
        self.item: Any = None
        """The change as it can be made all the same (`Unsent.insist`)."""
        first = self.parts[0].line()
        more = len({p.line() for p in self.parts}) - 1
        what = f"not {done}, since {first} meanwhile" + (f", and {more} more" if more else "")
        super().__init__(
            what, file, remedy or "Look at it as it is now, and do it again if it is still right"
        )


def _words(field: str) -> str:
    return {"values": "the numbers", "value": "the value", "on": "on and off"}.get(
        field, f"the {field.removesuffix('_id').replace('_', ' ')}"
    )


def merged(base: Any, mine: Any, there: Any) -> Any:
    """One value from two changes of it: keys of a mapping apart, and what each added to or took out of a list of named
    or plain things. Raises Apart where both changed the same; numbers in a row are one thing.
    """
    if mine == there or there == base:
        return mine
    if mine == base:
        return there
    if isinstance(mine, dict) and isinstance(there, dict):
        return _merged_keys(base if isinstance(base, dict) else {}, mine, there)
    if isinstance(mine, list) and isinstance(there, list) and isinstance(base, list | None):
        return _merged_list(base or [], mine, there)
    raise Apart


def _merged_keys(base: dict[str, Any], mine: dict[str, Any], there: dict[str, Any]) -> dict[str, Any]:
    out = {}
    for key in [*there, *(k for k in mine if k not in there)]:
        value = merged(base.get(key, MISSING), mine.get(key, MISSING), there.get(key, MISSING))
        if value is not MISSING:
            out[key] = value
    return out


def _merged_list(base: list[Any], mine: list[Any], there: list[Any]) -> list[Any]:
    lists = [{_key(v): v for v in one} for one in (base, mine, there)]
    if any(len(keyed) < len(one) for keyed, one in zip(lists, (base, mine, there), strict=True)):
        raise Apart  # the same twice: which one is meant is not known
    return list(_merged_keys(*lists).values())


def _key(value: Any) -> str:
    """What a thing in a list is known by. Raises Apart for numbers and rows, whose order is their meaning."""
    if isinstance(value, str):
        return f"= {value}"
    if isinstance(value, dict):
        for name in ("id", "name"):
            if isinstance(value.get(name), str):
                return f"{name} {value[name]}"
    raise Apart
