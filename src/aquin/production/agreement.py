"""Marks of agreement: a versioned hash of the grade that somebody agreed to."""

import ast
import hashlib
import json
from dataclasses import MISSING, fields, is_dataclass
from typing import Any

from aquin.colour.grade import Grade

VERSION = "1"


def mark_of(grade: Grade) -> str:
    """A grade as a short word. Only what differs from doing nothing counts, so that a field that a later version adds
    changes none.
    """
    said = json.dumps(_said(grade), sort_keys=True)
    return f"{VERSION}:{hashlib.blake2b(said.encode(), digest_size=16).hexdigest()}"


def from_repr(text: str) -> str | None:
    """The mark for what schema 2 kept: the grade's values as Python wrote them. None for anything else."""
    try:
        return mark_of(Grade.of(dict(ast.literal_eval(text))))
    except (ValueError, SyntaxError, TypeError, KeyError, RecursionError, MemoryError):
        return None


def _said(value: Any) -> Any:
    if is_dataclass(value) and not isinstance(value, type):
        out = {}
        for f in fields(value):
            own = getattr(value, f.name)
            usual = f.default_factory() if f.default_factory is not MISSING else f.default
            if own != usual:
                out[f.name] = _said(own)
        return out
    if isinstance(value, tuple | list):
        return [_said(v) for v in value]
    return value
