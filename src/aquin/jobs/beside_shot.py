"""A production's shot beside its hero's moment: what each witness says of exposure and white, and what a person says of
them.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour.white import STOPS_A_MIRED
from aquin.errors import AquinError
from aquin.jobs.same_materials import MOST, SameMaterials, Shown, look_at_materials, toggled
from aquin.match.drift import to_parts
from aquin.production.beside import DUV_A_STOP, beside_of, look_again
from aquin.production.ledgers import known_frames
from aquin.production.match_work import side_of
from aquin.production.named import Colour, Named, name_things, named_of, strike, struck_of
from aquin.production.shoot import Shoot, pair_grades

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.match.engine import Side
    from aquin.production.heroes import Moment
    from aquin.production.records import Shot
    from aquin.production.store import Production

Pixels = tuple[tuple[float, float], tuple[float, float]]
"""A place in the hero and one in the shot, in pixels."""


def look_beside(
    production: Production,
    config: ColourConfig,
    shot: Shot,
    change: Sequence[int] = (),
    same: Sequence[Pixels] = (),
    forget: bool = False,
) -> dict[str, Any]:
    """What `aquin beside --json` says. `change`: numbers of materials to strike, or to take back. `same`: places that
    show the same thing. `forget`: take back all that was said of the shot first. Raises AquinError.
    """
    shoot = Shoot(production, config)
    at = shoot.moment(shot)
    if at is None:
        raise AquinError(
            f"{shot.name} has no hero to be looked at beside", None, "Choose heroes: aquin settle --heroes"
        )
    grades = pair_grades(shoot, shot, at)
    refs = shoot.ref(at.hero, at.hero_frame, grades[0]), shoot.ref(shot, at.shot_frame, grades[1])
    if refs[0] is None or refs[1] is None:
        raise AquinError(
            f"{shot.name} or its hero can't be read", None, "See that both files and encodings are there"
        )
    sides = [side_of(ref, shoot.config_path) for ref in refs if ref is not None]
    if forget:
        strike(production, shot, ())
        name_things(production, shot, at.hero, (at.hero_frame, at.shot_frame), [])
    if same:
        _name(production, shot, at, sides, same)

    def look() -> SameMaterials:
        pictures = [(s.linear, s.usable()) for s in sides]
        return look_at_materials(pictures[0], pictures[1], grades, struck_of(production, shot))

    found = look()
    if change:
        struck: tuple[Colour, ...] = struck_of(production, shot)
        for number in change:
            struck = toggled(struck, _numbered(found, number))
        strike(production, shot, struck)
        found = look()
    return _data(production, config, shot, at, found)


def _numbered(found: SameMaterials, number: int) -> Shown:
    for one in found.materials:
        if one.number == number:
            return one
    there = f"There are 1 to {len(found.materials)}" if found.materials else "The two pictures share none"
    raise AquinError(f"there is no material {number}", None, f"{there}; at most {MOST} are told of")


def _name(
    production: Production, shot: Shot, at: Moment, sides: Sequence[Side], same: Sequence[Pixels]
) -> None:
    """Keep places in pixels as things that were named, beside those that were named before."""
    frames = at.hero_frame, at.shot_frame
    before = [
        n
        for n in named_of(production, shot)
        if (n.hero_id, n.hero_frame, n.shot_frame) == (at.hero.id, *frames)
    ]
    things = [(n.places, n.hero, n.shot) for n in before]
    for pair in same:
        (a, hero), (b, own) = (_seen(side, place) for side, place in zip(sides, pair, strict=True))
        things.append(((a, b), hero, own))
    name_things(production, shot, at.hero, frames, things)


def _seen(side: Side, place: tuple[float, float]) -> tuple[tuple[float, float], Colour]:
    """A place in shares, and the mean of 7 by 7 pixels about it."""
    h, w = side.linear.shape[:2]
    x, y = (round(v) for v in place)
    if not (3 <= x < w - 3 and 3 <= y < h - 3):
        raise AquinError(f"{place[0]:g},{place[1]:g} lies outside the frame", None, "Name another place")
    r, g, b = side.linear[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3).mean(axis=0)
    return ((x + 0.5) / w, (y + 0.5) / h), (float(r), float(g), float(b))


def _data(
    production: Production, config: ColourConfig, shot: Shot, at: Moment, found: SameMaterials
) -> dict[str, Any]:
    shoot = Shoot(production, config)
    place = (shot.setup_id, shot.camera_id)
    known_frames(shoot, [place])
    if not production.read_only:
        look_again(shoot, shot)
    verdict = beside_of(shoot, [place]).get(shot.id)
    return {
        "shot": shot.name,
        "hero": at.hero.name,
        "frames": [at.hero_frame, at.shot_frame],
        "by": verdict.by if verdict is not None else "",
        "off": {
            axis: {"value": round(value, 4), "error": round(error, 4)}
            for axis, (value, error) in (verdict.axes if verdict is not None else {}).items()
        },
        "kinship": round(found.kinship, 3),
        "taken_off": _taken_off(shoot.aspect_of(place)),
        "materials": [
            {
                "number": m.number,
                "colour": list(m.colour),
                "stops": m.vote[0],
                "mired": m.vote[1],
                "duv": m.vote[2] / 1000,
                "share": m.share,
                "struck": m.struck,
                "line": m.line,
            }
            for m in found.materials
        ],
        "named": [_thing(n) for n in named_of(production, shot)],
    }


def _taken_off(aspect: np.ndarray) -> dict[str, float]:
    """What materials read from this camera's place whatever the cameras are, as a card before both has told."""
    stops, warm, green = (float(v) for v in to_parts(aspect[None])[0])
    return {
        "stops": round(stops, 3),
        "mired": round(warm / STOPS_A_MIRED, 2),
        "duv": round(green * DUV_A_STOP, 5),
    }


def _thing(named: Named) -> dict[str, Any]:
    ratio = np.log2(np.maximum(named.shot, 1e-6)) - np.log2(np.maximum(named.hero, 1e-6))
    return named.values() | {"stops_as_filmed": [round(float(v), 3) for v in ratio]}
