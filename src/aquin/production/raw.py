"""How raw stills are developed: the first link of a shot's chain, kept as its conversion layer, so that it is
journaled and undone.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from aquin.errors import AquinError
from aquin.frames import RawDecode
from aquin.frames.raw import SUFFIXES
from aquin.production.records import Grade, Shot

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production


def is_raw(shot: Shot) -> bool:
    return any(shot.path.lower().endswith(s) for s in SUFFIXES)


def decode_record(production: Production, shot: Shot) -> Grade | None:
    return next((g for g in production.all(Grade) if g.layer == "conversion" and g.shot_id == shot.id), None)


def decode_of(production: Production, shot: Shot) -> RawDecode | None:
    """A raw shot's settings; None for other shots. Values that another program spoilt count as none."""
    if not is_raw(shot):
        return None
    held = decode_record(production, shot)
    if held is None or not held.on:
        return RawDecode()
    try:
        return RawDecode.of(dict(held.values.get("decode", {})))
    except (ValueError, TypeError):
        return RawDecode()


def keep_decode(production: Production, shots: list[Shot], decode: RawDecode) -> Entry | None:
    """Develop raw shots with these settings from now on; what was graded on top becomes stale. Raises AquinError."""
    wrong = [s.name for s in shots if not is_raw(s)]
    if wrong:
        raise AquinError(f"{wrong[0]} is no raw still", None, "Choose raw shots only")
    records = [
        replace(
            decode_record(production, s) or Grade("conversion", shot_id=s.id),
            values={"decode": decode.values()},
        )
        for s in shots
    ]
    names = shots[0].name if len(shots) == 1 else f"{len(shots)} raw stills"
    return production.change(f"develop {names}", *records)
