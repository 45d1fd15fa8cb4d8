"""What a manifest must hold before anything relies on it: kinds of values, by their names."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from aquin.colour.grade import Grade

Form = Any
"""A type, a tuple of types, a mapping of names to forms, or a list of one form."""
NUMBER = (int, float)
TEXT_OR_NONE = (str, type(None))
CDL = {
    "slope": [NUMBER],
    "offset": [NUMBER],
    "power": [NUMBER],
    "saturation": NUMBER,
    "exact": bool,
    "dE00_mean": NUMBER,
}
SHOT: dict[str, Form] = {
    **dict.fromkeys(
        ("id", "name", "stem", "camera", "setup", "encoding", "path", "content", "mark", "state"), str
    ),
    **dict.fromkeys(("stops", "mired", "duv", "saturation"), NUMBER),
    "files": Mapping,
    "written": {"cdl": CDL},
    "check": {"frame": int, "source": str, "graded": str, "screen": str},
    "grade": Mapping,
    "look": TEXT_OR_NONE,
    "agreed": [{"who": str, "at": str, "now": bool}],
    "ledger": [{"axis": str, "unit": str}],
    "open": [str],
    "not_in_files": [str],
}
ABOUT: dict[str, Form] = {
    "version": int,
    "parent": (Mapping, type(None)),
    "production": {"id": str, "name": str},
    **dict.fromkeys(("who", "when", "note", "only"), str),
    "chain": {"working": str, "screen": [str], "deliverables": [{"name": str, "display": str, "view": str}]},
    "cameras": [{"name": str, "encoding": str, "input": str, "shots": int}],
    "looks": [{"name": str, "strength": NUMBER, "clf": str, "json": str}],
    "edits": [Mapping],
}
MOST = 100_000
"""Shots of a release."""


def check_about(about: Mapping[str, Any]) -> None:
    """Raises ValueError."""
    _fits(about, ABOUT, "")
    if len(about["chain"]["screen"]) != 2 or about["version"] < 1:
        raise ValueError("it does not say which release it is, or of what screen")
    parent = about["parent"]
    if parent is not None and not (
        isinstance(parent.get("version"), int) and isinstance(parent.get("seal"), str)
    ):
        raise ValueError("what came before it is not usable")
    for d in about["chain"]["deliverables"]:
        tags = d.get("tags")
        names = ("primaries", "transfer", "matrix")
        if tags is not None and not (
            isinstance(tags, Mapping) and all(isinstance(tags.get(n), int) for n in names)
        ):
            raise ValueError("the tags of a deliverable are not usable")


def check_shot(shot: Any) -> None:
    """Raises ValueError."""
    _fits(shot, SHOT, "")
    cdl = shot["written"]["cdl"]
    if any(len(cdl[k]) != 3 for k in ("slope", "offset", "power")):
        raise ValueError(f"the CDL of {shot['name'][:60]} is none")
    if not all(isinstance(v, str) for v in shot["files"].values()):
        raise ValueError(f"the files of {shot['name'][:60]} are not usable")
    ready = shot["written"].get("ready", {"points": 65})
    if not isinstance(ready, Mapping) or not isinstance(ready.get("points"), int):
        raise ValueError(f"the ready LUT of {shot['name'][:60]} is not usable")
    try:
        Grade.of(shot["grade"])
    except (KeyError, TypeError) as error:
        raise ValueError(f"the grade of {shot['name'][:60]} is not usable ({error})") from error


def _fits(value: Any, form: Form, where: str) -> None:
    if isinstance(form, Mapping):
        if not isinstance(value, Mapping):
            raise ValueError(f"{where or 'it'} is no mapping")
        for name, inner in form.items():
            if name not in value:
                raise ValueError(f"{where}{name} is missing")
            _fits(value[name], inner, f"{where}{name}.")
    elif isinstance(form, list):
        if not isinstance(value, list) or len(value) > MOST:
            raise ValueError(f"{where.rstrip('.')} is no list that is usable")
        for one in value:
            _fits(one, form[0], where)
    elif not isinstance(value, form) or (isinstance(value, bool) and form in (int, NUMBER)):
        raise ValueError(f"{where.rstrip('.')} is a {type(value).__name__}")
    elif isinstance(value, float) and not math.isfinite(value):
        raise ValueError(f"{where.rstrip('.')} is no number")
