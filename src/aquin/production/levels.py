"""Level targets of a production, and what follows when a hero is levelled: all that is matched to it goes along."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour import acescct
from aquin.colour.cdl import Cdl, Triple
from aquin.colour.grade import MOST_FLARE, Balance
from aquin.colour.grade import Grade as Correction
from aquin.colour.hue_warp import MOST_TURN, HueWarp
from aquin.colour.root_polynomial import root_rows
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import MOST, ZoneGains
from aquin.errors import AquinError
from aquin.match.levelling import HIGH_AT, LOW_AT, through
from aquin.measure.targets import SCHOOLS, Range, School, Targets, targets_of
from aquin.production.grading import balance_of, correction_of, keep_grade, trim_of
from aquin.production.heroes import hero_of, main_hero
from aquin.production.records import Grade, Option, Record, Setup, Shot
from aquin.production.stale import inputs_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.shoot import Shoot
    from aquin.production.store import Entry, Production

SCHOOL, OWN, TIES = "level school", "level targets", "tied heroes"
"""Options: the school; rows with a person's ranges; setup id to the shot that its hero's level is tied to."""

TIED = {"skin level": 2.0, "warmth": 3.0, "tint": 1.5}
"""How near a tied hero is brought to the other one, row by row, in the row's unit."""
TIED_CHROMA = 1.5
BASE = "before levelling"
PARTS = ("root", "turn", "scale", "lift", "softness", "regions", "keys", "zones", "flare")


def targets_in(production: Production, school: School | None = None) -> Targets:
    """What the production's pictures are to be brought to; of another school where one is named."""
    held = production.option(SCHOOL, "bright")
    chosen: School = school or (held if held in SCHOOLS else "bright")
    own = _own(production) if chosen == "own" else None
    try:
        return targets_of(chosen, own)
    except ValueError:  # another program's numbers
        return targets_of(chosen)


def _own(production: Production) -> dict[str, Range]:
    held = production.option(OWN, {})
    try:
        return {str(k): (float(low), float(high)) for k, (low, high) in dict(held).items()}
    except (TypeError, ValueError):
        return {}


def choose_school(
    production: Production, school: School, own: Mapping[str, Range] | None = None
) -> Entry | None:
    """Use a school; `own`: ranges by row, over those that are there, which makes it own numbers. Raises AquinError."""
    puts: list[Record] = []
    if own is not None:
        ranges = with_own(targets_in(production), own).ranges
        school = "own"
        puts.append(Option({k: [low, high] for k, (low, high) in ranges.items()}, id=OWN))
    puts.append(Option(school, id=SCHOOL))
    return production.change(f"level targets: {SCHOOLS[school]}", *puts)


def with_own(targets: Targets, own: Mapping[str, Range]) -> Targets:
    """Targets with a person's ranges over them. Raises AquinError."""
    if not own:
        return targets
    try:
        return targets_of("own", dict(targets.ranges) | dict(own))
    except ValueError as error:
        raise AquinError(
            f"these targets can't be used ({error})",
            None,
            "Write ROW=LOW:HIGH, for example 'white ceiling=75:85'",
        ) from error


# heroes that are tied to another one


def tie(production: Production, hero: Shot, other: Shot | None) -> Entry | None:
    """Tie a hero's level to another hero's, or let it go. Raises AquinError."""
    if other is not None and (other.id == hero.id or tied_to(production, other) is not None):
        raise AquinError(
            f"{hero.name} can't be tied to {other.name}", None, "Tie it to a hero that is not tied itself"
        )
    held = production.option(TIES, {})
    values = {k: v for k, v in dict(held if isinstance(held, dict) else {}).items() if k != hero.setup_id}
    if other is not None:
        values[hero.setup_id] = other.id
    words = f"{hero.name} tied to {other.name}" if other is not None else f"{hero.name} stands alone"
    return production.change(words, Option(values, id=TIES))


def tied_to(production: Production, shot: Shot) -> Shot | None:
    """The hero that a setup's hero is tied to."""
    held = production.option(TIES, {})
    found = production.find(Shot, str(held.get(shot.setup_id) or "")) if isinstance(held, dict) else None
    own = hero_of(production, production.find(Setup, shot.setup_id))
    return found if own is not None and own.id == shot.id else None


def beside_other(targets: Targets, own: Mapping[str, float], other: Mapping[str, float]) -> Targets:
    """Targets of a tied hero: the other's skin level and neutral, and a saturation half way to it. `own`, `other`: the
    two pictures' values by row.
    """
    ranges = dict(targets.ranges)
    for name, near in TIED.items():
        if name in other and name in own:
            ranges[name] = (other[name] - near, other[name] + near)
    if "saturation" in own and "saturation" in other:
        middle = (own["saturation"] + other["saturation"]) / 2
        ranges["saturation"] = (max(middle - TIED_CHROMA, 0.0), middle + TIED_CHROMA)
    return replace(targets, ranges=ranges)


# what is matched to a hero goes along


def keep_level(
    production: Production, config: ColourConfig, shot: Shot, grade: Correction, origin: str
) -> tuple[Entry | None, list[str]]:
    """Write a levelled grade. Of a hero, everything that is matched to it goes along, in the same step; gives that step
    and what went along, in words. Raises AquinError.
    """
    setup = production.find(Setup, shot.setup_id)
    hero = hero_of(production, setup)
    if setup is None or hero is None or hero.id != shot.id:
        return keep_grade(production, config, shot, grade, origin), []
    own, cell = trim_of(production, shot), balance_of(production, shot)
    record = own if own is not None and own.on else cell
    before = correction_of(production, record) or Correction()
    if grade == before:
        return None, []
    record = record or Grade("balance", shot.camera_id, shot.setup_id)
    made = {record.id: _with(record, grade, origin, _origin_kept(record))}
    went: list[str] = []
    for follower in _followers(production, shot):
        found = correction_of(production, follower)
        if follower.id in made or found is None or follower.values.get("linked"):
            continue
        moved = carried(before, grade, found)
        made[follower.id] = _with(follower, moved, f"goes along with {shot.name}", follower.origin)
        went.append(_name(production, follower))
    pending = list(made.values())
    puts = [
        replace(g, inputs=inputs_of(production, config, g, pending)) if g.inputs or g.id == record.id else g
        for g in pending
    ]
    words = f"level {shot.name}: {origin}" + (f", {len(went)} grades go along" if went else "")
    return production.change(words, *puts), went


def _with(record: Grade, grade: Correction, origin: str, before: str) -> Grade:
    """A record with another correction; what else it keeps stays."""
    values: dict[str, Any] = {k: v for k, v in record.values.items() if k not in PARTS and k != "linked"}
    words = f"{before}; {origin}" if before and origin not in before else before or origin
    if BASE not in values:
        values[BASE] = (_own_values(record) or Correction()).values()
    return replace(record, values=values | grade.values(), origin=words[:400])


def _own_values(record: Grade) -> Correction | None:
    """The correction in a record's own values; None where they are none."""
    try:
        return Correction.of(record.values)
    except (ValueError, KeyError, TypeError):
        return None


def unlevelled(record: Grade | None) -> Correction | None:
    """What a record was before its hero was levelled; None where it was not."""
    if record is None or not record.on or BASE not in record.values:
        return None
    try:
        return Correction.of(record.values[BASE])
    except (ValueError, KeyError, TypeError):
        return None


def base_of(record: Grade | None) -> Balance:
    """How a camera was balanced in a setup before its hero was levelled: neutrals are looked for under it."""
    if record is None:
        return Balance()
    return (unlevelled(record) or _own_values(record) or Correction()).balance


Levels = dict[str, tuple[Correction, Correction]]
"""By setup: its hero's grade before it was levelled, and now."""


def unlevel(shoot: Shoot) -> Levels:
    """Let heroes that were levelled stand as they were before, while others are solved to them; gives what levelling
    did, by setup.
    """
    production, out = shoot.production, dict[str, tuple[Correction, Correction]]()
    found: dict[str, tuple[Correction, Correction]] = {}
    for setup in production.all(Setup):
        hero = hero_of(production, setup)
        if hero is None:
            continue
        place, own = (hero.setup_id, hero.camera_id), shoot.trims.get(hero.id)
        record = own if own is not None and own.on else shoot.balances.get(place)
        before, now = unlevelled(record), correction_of(production, record)
        if record is None or before is None or now is None:
            continue
        found[hero.id] = out[setup.id] = (before, now)
        if record is own:
            shoot.trims[hero.id] = replace(own, values=before.values())
        else:
            shoot.decided[place] = before
    for setup in production.all(Setup):
        main = main_hero(production, setup)
        if setup.id not in out and main is not None and main.id in found:
            out[setup.id] = found[main.id]
    return out


def relevelled(production: Production, levels: Levels, record: Grade) -> Grade:
    """A grade that was solved to an unlevelled hero, with what levelling did to the hero."""
    shot = production.find(Shot, record.shot_id) if record.shot_id else None
    level = levels.get(shot.setup_id if shot is not None else record.setup_id)
    solved = _own_values(record)
    if level is None or solved is None or not record.on or "linked" in record.values:
        return record
    kept = {k: v for k, v in record.values.items() if k not in PARTS}
    made = carried(*level, solved)
    return replace(record, values=kept | made.values() | {BASE: solved.values()})


def _origin_kept(record: Grade) -> str:
    return record.origin.split("; levelled")[0]


def _name(production: Production, record: Grade) -> str:
    from aquin.production.records import Camera

    if record.shot_id:
        return production.get(Shot, record.shot_id).name
    camera, setup = production.find(Camera, record.camera_id), production.find(Setup, record.setup_id)
    return f"{camera.name if camera else '?'} in {setup.name if setup else '?'}"


def _followers(production: Production, hero: Shot) -> list[Grade]:
    """Grades of all that is matched to a hero: its setup's, and, of a main hero, those of the setups matched to it."""
    setups = {hero.setup_id}
    for setup in production.all(Setup):
        main = main_hero(production, setup)
        if main is not None and main.id == hero.id:
            setups.add(setup.id)
    out = []
    for grade in production.all(Grade):
        shot = production.find(Shot, grade.shot_id) if grade.shot_id else None
        place = shot.setup_id if shot is not None else grade.setup_id
        if grade.layer in ("balance", "trim") and grade.on and place in setups:
            out.append(grade)
    return out


def carried(before: Correction, after: Correction, follower: Correction) -> Correction:
    """What is matched to a hero graded as `before`, brought along to `after`: flare, light and white exactly, tones
    through three tones of each channel, saturation, curve, zones and hues part by part.
    """
    factors = after.balance.factors / before.balance.factors
    made = replace(follower, flare=_flares(before, after, follower))
    if follower.root is not None:  # the last of the linear parts
        made = replace(made, root=root_rows(np.diag(factors) @ np.asarray(follower.root)))
    elif follower.matrix is not None:
        r, g, b = (_triple(row) for row in np.diag(factors) @ np.asarray(follower.matrix))
        made = replace(made, matrix=(r, g, b))
    else:
        made = replace(made, balance=Balance.from_factors(follower.balance.factors * factors))
    return replace(
        made,
        trim=_trims(before.trim, after.trim, follower.trim, np.log2(factors)),
        curve=_curves(before.curve, after.curve, follower.curve),
        zones=_zones(before.zones, after.zones, follower.zones),
        warp=_warps(before.warp, after.warp, follower.warp),
    )


def _flares(before: Correction, after: Correction, follower: Correction) -> Triple:
    """What the hero's flare is more now, in the follower's own light."""
    more = (np.asarray(after.flare) - np.asarray(before.flare)) * before.balance.factors
    if not more.any():
        return follower.flare
    rows = np.asarray(follower.matrix or np.eye(3)) @ np.diag(follower.balance.factors)
    return _triple(np.clip(np.asarray(follower.flare) + np.linalg.solve(rows, more), -MOST_FLARE, MOST_FLARE))


def _trims(before: Cdl, after: Cdl, follower: Cdl, light: Float64) -> Cdl:
    """The trim that does to the follower's tones what the hero's change does to its own. `light`: (3,) stops by which
    the channels are moved before it now.
    """
    saturation = float(np.clip(follower.saturation * after.saturation / max(before.saturation, 0.05), 0, 4))
    same = (before.slope, before.offset, before.power) == (after.slope, after.offset, after.power)
    if same and (not light.any() or {*follower.slope, *follower.power} == {1.0}):
        return replace(follower, saturation=saturation)
    x = acescct.GREY + acescct.STOP * np.array([LOW_AT, 0.0, HIGH_AT])
    parts: list[tuple[float, float, float]] = []
    for k in range(3):
        moved = acescct.STOP * light[k]
        y = _one(follower, k, x - moved)
        own = np.maximum(y, 1e-4) ** (1 / before.power[k])
        back = (own - before.offset[k]) / max(before.slope[k], 1e-3)
        z = _one(after, k, back + moved)
        found = through(x, z)
        if found is None:  # no power does it: a straight line through the outer two
            slope = float((z[2] - z[0]) / (x[2] - x[0]))
            found = (max(slope, 0.0), float(z[0] - slope * x[0]), 1.0)
        parts.append(found)
    slope3, offset3, power3 = (_triple(p[j] for p in parts) for j in range(3))
    return Cdl(slope3, offset3, power3, saturation)


def _triple(values: Any) -> Triple:
    r, g, b = (float(v) for v in values)
    return r, g, b


def _one(trim: Cdl, k: int, x: Any) -> Any:
    """One channel of a trim, without its saturation."""
    return np.maximum(trim.slope[k] * x + trim.offset[k], 1e-4) ** trim.power[k]


def _curves(a: ToneCurve | None, b: ToneCurve | None, c: ToneCurve | None) -> ToneCurve | None:
    if a == b:
        return c
    before, after, own = (np.array((t or ToneCurve()).lift) for t in (a, b, c))
    lift = own + after - before
    for share in (1.0, 0.5, 0.0):
        try:
            made = own + share * (lift - own)
            return ToneCurve(tuple(float(v) for v in made)) if made.any() else None  # type: ignore[arg-type]
        except ValueError:  # tones would change places
            continue
    return c


def _zones(a: ZoneGains | None, b: ZoneGains | None, c: ZoneGains | None) -> ZoneGains | None:
    if a == b:
        return c
    before, after, own = (np.zeros((3, 3)) if z is None else z.rows for z in (a, b, c))
    return ZoneGains.of(np.clip(own + after - before, -MOST, MOST))


def _warps(a: HueWarp | None, b: HueWarp | None, c: HueWarp | None) -> HueWarp | None:
    if a == b:
        return c
    before, after, own = (w or HueWarp() for w in (a, b, c))
    turn = np.clip(np.array(own.turn) + after.turn - np.array(before.turn), -MOST_TURN, MOST_TURN)
    scale = np.array(own.scale) * np.array(after.scale) / np.maximum(before.scale, 0.05)
    made = HueWarp(tuple(float(v) for v in turn), tuple(float(v) for v in scale))  # type: ignore[arg-type]
    return None if made == HueWarp() else made
