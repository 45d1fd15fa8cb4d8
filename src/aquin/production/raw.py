"""How stills are decoded where their files leave a choice, raw development and the picture of several: the first link
of a shot's chain, kept as its conversion layer, so that it is journaled and undone.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from aquin.errors import AquinError
from aquin.frames import Decode
from aquin.frames.model import PICTURES
from aquin.frames.raw import SUFFIXES
from aquin.production.records import Grade, Shot

if TYPE_CHECKING:
    from aquin.production.store import Entry, Production


def is_raw(shot: Shot) -> bool:
    return any(shot.path.lower().endswith(s) for s in SUFFIXES)


def decode_record(production: Production, shot: Shot) -> Grade | None:
    return next((g for g in production.all(Grade) if g.layer == "conversion" and g.shot_id == shot.id), None)


def decode_of(production: Production, shot: Shot) -> Decode | None:
    """A raw shot's settings, and those of a shot of which another picture than the likeliest is meant; None for other
    shots. Values that another program spoilt count as none.
    """
    held = decode_record(production, shot)
    usual = Decode() if is_raw(shot) else None
    if held is None or not held.on:
        return usual
    try:
        found = Decode.of(dict(held.values.get("decode", {})))
    except (ValueError, TypeError):
        return usual
    return found if is_raw(shot) or found.layer else None


def keep_decode(production: Production, shots: list[Shot], decode: Decode) -> Entry | None:
    """Develop raw shots with these settings from now on; what was graded on top becomes stale. Raises AquinError."""
    wrong = [s.name for s in shots if not is_raw(s)]
    if wrong:
        raise AquinError(f"{wrong[0]} is no raw still", None, "Choose raw shots only")
    names = shots[0].name if len(shots) == 1 else f"{len(shots)} raw stills"
    return production.change(f"develop {names}", *(_kept(production, s, decode) for s in shots))


def pictures_of(shot: Shot) -> tuple[str, ...]:
    """The parts and layers that are pictures in a shot's file; none where it holds just one."""
    return tuple(filter(None, shot.metadata.get(PICTURES, "").split("\n")))


def keep_layer(production: Production, shots: list[Shot], layer: str) -> Entry | None:
    """Read this picture of files that hold several from now on; empty for the likeliest. What was graded on top becomes
    stale. Raises AquinError.
    """
    names = shots[0].name if len(shots) == 1 else f"{len(shots)} shots"
    kept = [layer_record(production, s, layer) for s in shots]
    return production.change(f"picture of {names}: {layer or 'the likeliest'}", *kept)


def layer_record(production: Production, shot: Shot, layer: str) -> Grade:
    """What is kept when this picture of a shot's file is meant; empty for the likeliest. Raises AquinError."""
    there = pictures_of(shot)
    if layer and layer not in there:
        hint = f"There are: {', '.join(there)}" if there else "Choose shots whose files hold several"
        raise AquinError(f"{shot.name} holds no picture '{layer}'", None, hint)
    return _kept(production, shot, Decode(layer=layer))


def _kept(production: Production, shot: Shot, decode: Decode) -> Grade:
    record = decode_record(production, shot) or Grade("conversion", shot_id=shot.id)
    return replace(record, values={"decode": decode.values()})
