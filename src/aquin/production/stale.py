"""What a grade was computed from, as a hash: when any of it changes, the grade is stale and has to be looked at again."""

import hashlib
import json
from typing import Any

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.production.measuring import encoding_of, range_of
from aquin.production.raw import decode_of
from aquin.production.records import Camera, Grade, Setup, Shot
from aquin.production.store import Production


def inputs_of(production: Production, config: ColourConfig, grade: Grade) -> str:
    """The hash of everything that a grade of this layer and place is computed from, as it is now.

    Conversion: the camera's encoding in the configuration, its range and matrix. Balance: the conversion, and what the charts and
    cards of the camera in the setup hold. Trim: the balance, the shot itself and its setup's hero. Look: nothing.
    """
    return hashlib.blake2b(
        json.dumps(_inputs(production, config, grade)).encode(), digest_size=16
    ).hexdigest()


def is_stale(production: Production, config: ColourConfig, grade: Grade) -> bool:
    """Whether something upstream changed since the grade was made; a grade that was typed in has no inputs and never is."""
    return bool(grade.inputs) and grade.inputs != inputs_of(production, config, grade)


def stale_grades(production: Production, config: ColourConfig) -> list[Grade]:
    return [g for g in production.all(Grade) if is_stale(production, config, g)]


def _inputs(production: Production, config: ColourConfig, grade: Grade) -> list[Any]:
    if grade.layer == "look":
        return []
    if grade.layer == "conversion" and grade.shot_id:
        return []  # how a raw still is developed is a choice, made from nothing
    if grade.layer == "conversion":
        return _conversion(production, config, production.find(Camera, grade.camera_id))
    if grade.layer == "balance":
        return _balance(production, config, grade.camera_id, grade.setup_id)
    shot = production.find(Shot, grade.shot_id)
    if shot is None:
        return ["gone"]
    setup = production.find(Setup, shot.setup_id)
    hero = production.find(Shot, setup.hero_id) if setup is not None else None
    balances = [
        g.values
        for g in production.all(Grade)
        if g.layer == "balance" and (g.camera_id, g.setup_id) == (shot.camera_id, shot.setup_id)
    ]
    own = [_seen(production, config, s) for s in (shot, hero) if s is not None]
    return [own, [dict(b) for b in balances]]


def _balance(production: Production, config: ColourConfig, camera_id: str, setup_id: str) -> list[Any]:
    charts = [
        _seen(production, config, s)
        for s in production.all(Shot)
        if s.camera_id == camera_id and s.setup_id == setup_id and s.kind in ("chart", "grey card")
    ]
    return [_conversion(production, config, production.find(Camera, camera_id)), sorted(charts)]


def _conversion(production: Production, config: ColourConfig, camera: Camera | None) -> list[Any]:
    if camera is None:
        return ["gone"]
    return [_means(config, camera.encoding), camera.range, camera.matrix]


def _seen(production: Production, config: ColourConfig, shot: Shot) -> list[Any]:
    """A shot as it is read: what it holds, and how it is understood."""
    return [
        shot.content,
        _means(config, encoding_of(production, shot)),
        range_of(production, shot),
        shot.matrix or shot.file_matrix,
        *([decode.values()] if (decode := decode_of(production, shot)) is not None else []),
    ]


def _means(config: ColourConfig, encoding: str) -> str:
    try:
        return config.fingerprint(encoding) if encoding else ""
    except AquinError:
        return f"unknown {encoding}"
