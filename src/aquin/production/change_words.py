"""What became of a value that holds others, in words: what came, what went, what is another."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

MOST = 12
"""Changes of one value that are told."""
LONG = 80
TIME = re.compile(r"^(\d{4}-\d\d-\d\d)T(\d\d:\d\d):\d\d(?:\.\d+)?(?:\+00:00|Z)$")
NAMES = ("name", "version", "id", "shot", "title")
"""Fields by which a part of a list is called, the first that it has."""


def plain(value: Any) -> str:
    """A value in words: no braces, no quotes, and not too long."""
    if value is None or value == "" or value == [] or value == {}:
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, Mapping):
        text = ", ".join(f"{_words(k)} {plain(v)}" for k, v in value.items() if _told(v))
    elif isinstance(value, list | tuple):
        text = ", ".join(_called(v) for v in value)
    else:
        text = TIME.sub(r"\1 \2 UTC", str(value))
    return text if len(text) <= LONG else f"{text[: LONG - 1]}…"


def changed(before: Any, after: Any) -> list[str]:
    """Lines that say how one became the other."""
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        lines = [
            line
            for key in dict.fromkeys([*before, *after])
            if before.get(key) != after.get(key)
            for line in _under(_words(key), before.get(key), after.get(key))
        ]
    elif isinstance(before, list) and isinstance(after, list):
        was, now = ({_called(v): v for v in held} for held in (before, after))
        lines = [f"added {plain(v)}" for k, v in now.items() if k not in was]
        lines += [f"gone: {plain(v)}" for k, v in was.items() if k not in now]
        for k in (k for k in now if k in was and was[k] != now[k]):
            lines += _under(k, was[k], now[k])
        if not lines and before != after:
            lines = ["in another order"]
    else:
        lines = [f"{plain(before)} → {plain(after)}"]
    return lines if len(lines) <= MOST else [*lines[:MOST], f"and {len(lines) - MOST} more"]


def _under(name: str, before: Any, after: Any) -> list[str]:
    return [f"{name}: {line}" for line in changed(before, after)]


def _called(value: Any) -> str:
    if isinstance(value, Mapping):
        for name in NAMES:
            if value.get(name) not in (None, ""):
                return plain(value[name]) if name != "version" else f"version {value[name]}"
    return plain(value)


def _told(value: Any) -> bool:
    """Whether a part of a value says something to a person: no hash, nothing that is nothing."""
    hashed = isinstance(value, str) and len(value) >= 32 and all(c in "0123456789abcdef" for c in value)
    return not hashed and value not in (None, "", [], {}, 0, False) and not _all_nothing(value)


def _all_nothing(value: Any) -> bool:
    return isinstance(value, list | tuple) and not any(value)


def _words(key: Any) -> str:
    return str(key).removesuffix("_id").replace("_", " ")
