"""What a grade was computed from, as a hash: when any of it changes, the grade is stale and has to be looked at
again.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from aquin.production.heroes import hero_of, main_hero
from aquin.production.measuring import encoding_of, range_of
from aquin.production.raw import decode_of
from aquin.production.records import Camera, Grade, Setup, Shot

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Production


Balances = Mapping[tuple[str, str], list[dict[str, Any]]]
"""Values of balances by camera's and setup's id."""


def inputs_of(
    production: Production,
    config: ColourConfig,
    grade: Grade,
    pending: Sequence[Grade] = (),
    balances: Balances | None = None,
) -> str:
    """The hash of everything that a grade of this layer and place is computed from, as it is now.

    Conversion: the camera's encoding in the configuration, its range and matrix. Balance: the conversion, and what
    the charts and cards of the camera in the setup hold; one that was matched also its setup's hero, the hero's
    charts and the hero's balance. Trim: the balance, the shot itself and its setup's hero. Look: nothing.
    `pending`: grades that are written together with this one. `balances`: what `balances_of` gave with them; worth
    having at hand for many grades.
    """
    known = balances_of(production, pending) if balances is None else balances
    said = json.dumps(_inputs(production, config, grade, known))
    return hashlib.blake2b(said.encode(), digest_size=16).hexdigest()


def balances_of(production: Production, pending: Sequence[Grade] = ()) -> Balances:
    """The values of all balances by camera and setup, with those of `pending` in the place of what is kept."""
    grades = {g.id: g for g in production.all(Grade)} | {g.id: g for g in pending}
    out: dict[tuple[str, str], list[dict[str, Any]]] = {}
    for g in grades.values():
        if g.layer == "balance":
            out.setdefault((g.camera_id, g.setup_id), []).append(dict(g.values))
    return out


def is_stale(
    production: Production, config: ColourConfig, grade: Grade, balances: Balances | None = None
) -> bool:
    """Whether something upstream changed since the grade was made; a grade that was typed in has no inputs and never
    is.
    """
    return bool(grade.inputs) and grade.inputs != inputs_of(production, config, grade, (), balances)


def _inputs(production: Production, config: ColourConfig, grade: Grade, balances: Balances) -> list[Any]:
    if grade.layer == "look":
        return []
    if grade.layer == "conversion" and grade.shot_id:
        return []  # how a raw still is developed is a choice, made from nothing
    if grade.layer == "conversion":
        return _conversion(production, config, production.find(Camera, grade.camera_id))
    if grade.layer == "balance":
        own = _balance(production, config, grade.camera_id, grade.setup_id)
        return own + _hero(production, config, grade, balances) if grade.values.get("hero") else own
    shot = production.find(Shot, grade.shot_id)
    if shot is None:
        return ["gone"]
    setup = production.find(Setup, shot.setup_id)
    hero = production.find(Shot, setup.hero_id) if setup is not None else None
    own = [_seen(production, config, s) for s in (shot, hero) if s is not None]
    return [own, balances.get((shot.camera_id, shot.setup_id), [])]


def _balance(production: Production, config: ColourConfig, camera_id: str, setup_id: str) -> list[Any]:
    charts = [
        _seen(production, config, s)
        for s in production.all(Shot)
        if s.camera_id == camera_id and s.setup_id == setup_id and s.kind in ("chart", "grey card")
    ]
    return [_conversion(production, config, production.find(Camera, camera_id)), sorted(charts)]


def _hero(production: Production, config: ColourConfig, grade: Grade, balances: Balances) -> list[Any]:
    """What a matched balance was matched to: the setup's hero, or for the hero's own camera the main hero."""
    setup = production.find(Setup, grade.setup_id)
    hero = hero_of(production, setup)
    if setup is None or hero is None:
        return ["no hero"]
    if hero.camera_id == grade.camera_id:
        main = main_hero(production, setup)
        if main is None:
            return ["no main hero"]
        hero = main
    theirs = balances.get((hero.camera_id, hero.setup_id), [])
    return [
        _seen(production, config, hero),
        _balance(production, config, hero.camera_id, hero.setup_id),
        theirs,
    ]


def _conversion(production: Production, config: ColourConfig, camera: Camera | None) -> list[Any]:
    if camera is None:
        return ["gone"]
    return [config.meaning(camera.encoding), camera.range, camera.matrix]


def _seen(production: Production, config: ColourConfig, shot: Shot) -> list[Any]:
    """A shot as it is read: what it holds, and how it is understood."""
    return [
        shot.content,
        config.meaning(encoding_of(production, shot)),
        range_of(production, shot),
        shot.matrix or shot.file_matrix,
        *([decode.values()] if (decode := decode_of(production, shot)) is not None else []),
    ]
