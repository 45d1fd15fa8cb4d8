"""Balances corrected by what their shots have in common beside the hero."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from aquin.arrays import Float64
from aquin.colour.grade import Grade as Correction
from aquin.colour.white import STOPS_A_MIRED
from aquin.match.drift import to_parts
from aquin.production.aspect import look_about_cards
from aquin.production.beside import WILD, Verdict, verdicts, without
from aquin.production.cell_sum import (
    BEFORE,
    BEFORE_ONE_LIGHT,
    BEFORE_SET,
    SPREAD,
    SPREAD_AUTO,
    VIEWS,
    CellVerdict,
    of_cell,
)
from aquin.production.drifting import LIGHT, drift_in
from aquin.production.records import Camera, Grade, Setup, Shot
from aquin.production.setups import kelvin
from aquin.production.told import TOLD, told
from aquin.production.trims import Trim, exposed_apart, matters
from aquin.workers import Tell, part

if TYPE_CHECKING:
    from aquin.production.shoot import CellKey, Shoot


FAR = 0.75
"""Stops by which a shot is off its cell's balance from which it is looked at once more with those taken off."""


def corrected(
    shoot: Shoot,
    places: Sequence[CellKey],
    trims: Sequence[Trim],
    made: dict[CellKey, Grade],
    jobs: int | None,
    tell: Tell | None,
) -> dict[str, Verdict]:
    """Correct the balances in `made` by what their shots say beside the hero; what is left to single shots, by their
    ids. `trims`: of the hero cameras' shots, just decided or kept as they were.
    """
    look_about_cards(shoot, places, jobs, part(tell, 0.0, 0.2))
    graded = {
        t.shot.id: Correction.of(t.record.values)
        if t.record.on
        else shoot.grade_at((t.shot.setup_id, t.shot.camera_id))
        for t in trims
    }
    known = exposed_apart(shoot, places)
    drifts = {id: drift_in(shoot, shoot.production.get(Setup, id)) for id in {p[0] for p in places}}
    mended = {t.shot.id: t.error for t in trims if _mended(shoot, t)}
    found = verdicts(shoot, places, graded, jobs, part(tell, 0.2, 0.95), known, drifts, mended)
    far = {id: stops for id, v in found.items() if abs(stops := _stops(v) - known.get(id, 0.0)) > FAR}
    if far:  # from near by, the same things may be told from others better
        near = {id: known.get(id, 0.0) + stops for id, stops in far.items()}
        there = [p for p in places if any(s.id in far for s in shoot.shots.get(p, ()))]
        again = verdicts(shoot, there, graded, jobs, part(tell, 0.95, 1.0), {**known, **near}, drifts, mended)
        found |= {id: _surer(found[id], v) for id, v in again.items() if id in far}
    out: dict[str, Verdict] = {}
    for place in places:
        own = {s.id: found[s.id] for s in shoot.shots.get(place, ()) if s.id in found}
        if not own or place not in shoot.decided:
            continue
        camera = shoot.production.get(Camera, place[1])
        auto = any(not kelvin(s.white).isdigit() for s in shoot.shots[place] if s.kind == "shot")
        spread = SPREAD_AUTO if auto else SPREAD
        before = BEFORE if auto or shoot.reading(place) is None else BEFORE_SET
        if place in shoot.one_light:
            before = BEFORE_ONE_LIGHT
        light = {id: _light_of(shoot, id, trims) for id in own}
        views = (0.0, 0.0, 0.0) if shoot.aspect_of(place).any() else VIEWS
        odd = [id for id in own if shoot.odd_pair(shoot.production.get(Shot, id))]
        cell = of_cell(own, odd, spread, before, light, views)
        out |= cell.shots
        if place in made and camera is not None:
            made[place] = _moved(shoot, place, made[place], cell, own)
            shoot.decided[place] = Correction.of(made[place].values)
    return out


def _mended(shoot: Shoot, trim: Trim) -> bool:
    """Whether a hero camera's shot with a finding on its light looks as the hero does, as what both show tells."""
    odd = shoot.odd.get(trim.shot.id, set())
    return bool(odd) and odd <= LIGHT and trim.record.on and trim.by.startswith("the same")


def _surer(far: Verdict, near: Verdict) -> Verdict:
    """What was seen from near by where the two can't both be right, else the surer one."""
    apart = np.abs(near.off - far.off) / np.hypot(near.error, far.error)
    return near if apart.mean() > WILD or near.error.mean() < far.error.mean() else far


def _stops(verdict: Verdict) -> float:
    """By how much it is too bright."""
    return float(to_parts(verdict.off[None])[0, 0])


def _card_words(shoot: Shoot, place: CellKey) -> str:
    """What is said of what stands about the card, where it is worth a word: how the place looks from elsewhere, or that
    the card was not in one light.
    """
    if (other := shoot.contradicted.get(place)) is not None:
        stops, warm, _ = to_parts(other[None])[0]
        apart = f"{stops:+z.2f} st and {warm / STOPS_A_MIRED:+z.0f} mired"
        return f"; but what stands about the two cards is {apart} apart: they were not in one light"
    aspect = shoot.aspect_of(place)
    stops, warm, _ = to_parts(aspect[None])[0]
    if not matters(aspect):
        return ""
    return f"; from its place materials read {stops:+z.2f} st and {warm / STOPS_A_MIRED:+z.0f} mired, by the card"


def _light_of(shoot: Shoot, shot_id: str, trims: Sequence[Trim]) -> Float64:
    """(3,) log2 of the channels by which the light of a shot's moment is above that of its setup's charts, by what the
    hero's camera recorded then: its trim takes it back there.
    """
    at = shoot.moment(shoot.production.get(Shot, shot_id))
    if at is None or not at.same_time or shoot.odd.get(at.hero.id):
        return np.zeros(3)
    moved = next((t.moved for t in trims if t.shot.id == at.hero.id and t.record.on), (0.0, 0.0, 0.0))
    return np.array(moved, np.float64)


def _told(shoot: Shoot, cell: CellVerdict, said: Mapping[str, Verdict]) -> dict[str, dict[str, object]]:
    """By shot, what its witnesses have wrong by the sum of the cell, and how sure it is since."""
    out: dict[str, dict[str, object]] = {}
    for id, one in cell.shots.items():
        at = shoot.moment(shoot.production.get(Shot, id))
        if at is not None:
            wrong = said[id].off - cell.off - one.off
            out[id] = told(at.hero, wrong, one.doubt)
    return out


def _moved(
    shoot: Shoot, place: CellKey, record: Grade, cell: CellVerdict, said: Mapping[str, Verdict]
) -> Grade:
    """A balance's record with what its shots have in common taken back."""
    grade = without(Correction.of(record.values), cell.off)
    light = shoot.light_of(place) - cell.off
    shoot.light[place] = light
    parts = to_parts(cell.off[None])[0]
    by = next(iter(cell.shots.values())).by
    words = (
        f"{record.origin}; beside its hero by {by}: {-parts[0]:+z.2f} st and {-parts[1] / STOPS_A_MIRED:+z.0f} mired "
        f"more, ±{float(cell.error.mean()):.2f} st{_card_words(shoot, place)}"
    ).replace("-", "−")
    values = dict(record.values) | grade.values() | {"light": [round(float(v), 5) for v in light]}
    values[TOLD] = _told(shoot, cell, said)
    values["aspect"] = [round(float(v), 4) for v in shoot.aspect_of(place)]
    return replace(record, values=values, origin=words)
