"""Trims of single shots: light that drifts while a setup is filmed, and shots that stand apart from their camera's
others.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from aquin.colour.grade import Grade as Correction
from aquin.colour.white import STOPS_A_MIRED
from aquin.match.drift import Drift, to_parts
from aquin.production.audit.case import Case
from aquin.production.audit.light import exposure_off
from aquin.production.beside import DUV_A_STOP, beside_of, without
from aquin.production.drifting import drift_in
from aquin.production.grading import correction_of
from aquin.production.heroes import hero_of
from aquin.production.measuring import measure_shots
from aquin.production.records import Grade, Record, Setup, Shot
from aquin.production.setups import seconds_of
from aquin.production.shoot import FOLLOWED, frame_of
from aquin.production.stale import balances_of, inputs_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.beside import Verdict
    from aquin.production.shoot import CellKey, Shoot
    from aquin.production.store import Entry, Production


APART = 0.75
"""Stops by which a recording must differ from its siblings for its exposure to be settled by them, where nothing else
speaks.
"""

MOVED = (0.05, 2.75 * STOPS_A_MIRED, 1e-3 / DUV_A_STOP)
"""Exposure, log2 R/B and green, in stops, from which a shot gets a trim of its own: half of what is usually tolerated.
"""


def exposed_apart(shoot: Shoot, places: Sequence[CellKey]) -> dict[str, float]:
    """By shot, stops by which those with a finding on their exposure are above their siblings."""
    case = _case(shoot)
    out: dict[str, float] = {}
    for setup_id in dict.fromkeys(p[0] for p in places):
        for shot, off, width in exposure_off(case, setup_id):
            if "exposure" in shoot.odd.get(shot.id, ()) and abs(off) > max(APART, 3 * width):
                out[shot.id] = off
    return out


def _case(shoot: Shoot) -> Case:
    production = shoot.production
    case = Case(production, shoot.config, measure_shots(production, shoot.config, only_known=True))
    return replace(case, altered=frozenset(id for id, kinds in shoot.odd.items() if "baked picture" in kinds))


@dataclass(frozen=True)
class Trim:
    """A shot's own exposure and white. `moved`: (3,) log2 of the channels by which it differs from what its
    camera's balance supposes, and its standard error in stops. `record` is switched off where no trim is needed any
    more. `held`: it is kept already.
    """

    shot: Shot
    record: Grade
    moved: tuple[float, float, float]
    error: float
    by: str
    held: bool = False

    @property
    def parts(self) -> tuple[float, float, float]:
        """What the trim adds: stops, mired (positive is warmer), and green in stops."""
        level, warm, green = to_parts(-np.array(self.moved)[None])[0]
        return float(level), float(warm) / STOPS_A_MIRED, float(green)


def trims_for(
    shoot: Shoot,
    places: Sequence[CellKey],
    all_of_them: bool = False,
    left: Mapping[str, Verdict] | None = None,
    alike: Mapping[str, Verdict] | None = None,
) -> list[Trim]:
    """Trims for shots that do not look as their camera's balance supposes: by the same points, by the light's
    drift, or for an odd exposure by its siblings. A trim by hand stays; one of ours that is not needed any more is
    switched off, and so is a hero's from when it was none. `all_of_them`: also what is kept as it is. `left`: what
    single shots have beyond their cell's others, by what is seen beside their hero; without it, what is known of their
    pictures. Both go before the light's drift, which speaks for shots that nothing else does. `alike`: of shots of the
    hero's own camera that share no points with it, by the same materials (`own_camera`).
    """
    production = shoot.production
    case = _case(shoot)
    beside = beside_of(shoot, places) if left is None else {}
    out: list[Trim] = []
    drifts: dict[str, Drift] = {}
    apart: dict[str, tuple[float, float]] = {}
    for setup_id in dict.fromkeys(p[0] for p in places):
        drifts[setup_id] = drift_in(shoot, production.get(Setup, setup_id))
        apart |= {s.id: (off, width) for s, off, width in exposure_off(case, setup_id)}
    for place in places:
        hero = hero_of(production, production.get(Setup, place[0]))
        if hero is None:
            continue
        if (own := shoot.trims.get(hero.id)) is not None and place[1] == hero.camera_id:
            out += _of_hero(shoot, place, hero, own)
        for shot in shoot.shots[place]:
            if shot.kind != "shot" or shot.id == hero.id or not _ours_to_trim(shoot, shot):
                continue
            said = (left or {}).get(shot.id), beside.get(shot.id)
            told = apart.get(shot.id), (alike or {}).get(shot.id)
            drifted = partial(_shift, shoot, shot, hero, drifts[place[0]], *told)
            trim = _decided(shoot, place, shot, said, drifted)
            if trim is not None and (all_of_them or not trim.held):
                out.append(trim)
    return out


def _of_hero(shoot: Shoot, place: CellKey, hero: Shot, own: Grade) -> list[Trim]:
    """A trim of ours from when another shot was the hero is off, but for keys over time."""
    if not own.on or not own.values.get("auto") or not (_held(own).any() or own.values.get("unbaked")):
        return []
    if own.values.get("keys"):
        return [_trim(shoot, shoot.grade_at(place), hero, own, (np.zeros(3), FOLLOWED, 0.0))]
    return [_off(hero, own)]


def _ours_to_trim(shoot: Shoot, shot: Shot) -> bool:
    """Whether no person has trimmed it, and its picture is one that a trim can take back (else see `unbaked`)."""
    own = shoot.trims.get(shot.id)
    by_hand = own is not None and own.on and not own.values.get("auto")
    return not by_hand and "baked picture" not in shoot.odd.get(shot.id, ())


def _decided(
    shoot: Shoot,
    place: CellKey,
    shot: Shot,
    said: tuple[Verdict | None, Verdict | None],
    drifted: Callable[[], _Shift | None],
) -> Trim | None:
    """`said`: what is left to the shot alone, and what is known of its picture beside its hero's. None where it needs
    no trim and has none.
    """
    known, seen = said
    own = shoot.trims.get(shot.id)
    held = own if own is not None and own.on else None
    if held is not None and held.values.get("unbaked"):
        return _off(shot, held)
    if seen is not None and (np.abs(seen.off) <= seen.error).all():  # it is right as it is
        return _kept(shot, held, float(seen.error.mean())) if held is not None else None
    found: _Shift | None
    if seen is not None:
        before = _held(held) if held is not None else 0.0
        found = (before + seen.off, seen.by, float(seen.error.mean()))
    elif known is not None:
        found = known.off, known.by, float(known.error.mean())  # drawn to nothing as far as it is not sure
    else:
        found = drifted()
    if found is None or not matters(found[0]):
        if held is None or not held.values.get("keys"):
            return None if held is None else _off(shot, held)
        found = np.zeros(3), FOLLOWED, 0.0
    return _trim(shoot, shoot.grade_at(place), shot, own, found)


def matters(moved: np.ndarray) -> bool:
    """Whether (3,) log2 of the channels are worth a trim."""
    return bool((np.abs(to_parts(moved[None])[0]) >= MOVED).any())


def _off(shot: Shot, record: Grade) -> Trim:
    return Trim(shot, replace(record, on=False), (0.0, 0.0, 0.0), 0.0, "not needed")


_Shift = tuple[np.ndarray, str, float]
"""(3,) log2 of the channels by which a shot differs, who says so, and the error in stops."""


def _held(record: Grade) -> np.ndarray:
    """(3,) log2 of the channels that a trim of ours takes back."""
    moved = np.array(record.values.get("moved", (0.0, 0.0, 0.0)), np.float64)
    return moved if moved.shape == (3,) else np.zeros(3)


def _trim(shoot: Shoot, base: Correction, shot: Shot, own: Grade | None, found: _Shift) -> Trim:
    """What takes a shift back, on its camera's balance `base`; keys over time stay."""
    moved, by, error = found
    made = without(base, moved)
    before = correction_of(shoot.production, own) if own is not None else None
    if before is not None and before.keys:
        made = before.as_at(frame_of(shoot, shot), made)
    values = made.values() | {"auto": True, "moved": [round(float(v), 4) for v in moved]}
    record = replace(
        own or Grade("trim", shot_id=shot.id), values=values, origin=_words(by, moved, error), on=True
    )
    r, g, b = (float(v) for v in moved)
    held = own is not None and own.on and dict(own.values) == values
    return Trim(shot, record, (r, g, b), error, by, held)


def _kept(shot: Shot, record: Grade, error: float) -> Trim:
    """A trim that stays as it is."""
    r, g, b = (float(v) for v in _held(record))
    return Trim(shot, record, (r, g, b), error, record.origin.split(":")[0].split(", ±")[0], True)


def accept(production: Production, config: ColourConfig, trims: Sequence[Trim]) -> Entry | None:
    """Keep some trims as one step that can be undone. Raises AquinError."""
    puts = [t.record for t in trims]
    names = trims[0].shot.name if len(trims) == 1 else f"{len(trims)} shots"
    return production.change(f"trim {names} after the light", *with_inputs(production, config, puts))


def with_inputs(production: Production, config: ColourConfig, puts: Sequence[Grade]) -> list[Record]:
    """With the hash of what each was made from."""
    held = balances_of(production, puts)
    return [replace(g, inputs=inputs_of(production, config, g, puts, held)) for g in puts]


DRIFT = "the drift of light"


def _shift(
    shoot: Shoot,
    shot: Shot,
    hero: Shot,
    drift: Drift,
    apart: tuple[float, float] | None,
    alike: Verdict | None = None,
) -> _Shift | None:
    """Log2 of the channels by which a shot differs from what its camera's balance supposes, who says so, and the
    error in stops.
    """
    kinds = shoot.odd.get(shot.id, set())
    if "baked picture" in kinds:
        return None
    own = shoot.moved(shot)
    at = seconds_of(shot)
    clip = shoot.moment(shot) if shot.camera_id != hero.camera_id else None
    if own is not None and clip is None:
        return own[0], "the same points as the hero's", own[1]
    light = np.zeros(3)
    error = 0.0
    if at is not None and len(drift.seen) > 1:
        light, error = drift.at(at[0])
    if alike is not None and (not error or float(alike.error.mean()) < error):
        return alike.off, alike.by, float(alike.error.mean())
    if own is not None and clip is not None and clip.same_time:
        theirs = shoot.moved(clip.hero) if clip.hero.id != hero.id else None
        total = own[0] + (theirs[0] if theirs is not None else light)
        return total, "the same points", float(np.hypot(own[1], theirs[1] if theirs is not None else error))
    if "exposure" in kinds and apart is not None and abs(apart[0]) > max(APART, 3 * apart[1]):
        moved = light + apart[0]  # siblings are compared after the change of light that all cameras saw
        return moved, "exposure by its siblings", apart[1]
    if matters(light) and error < 0.5:
        return light, DRIFT, error
    return None


def _words(by: str, moved: np.ndarray, error: float) -> str:
    parts = to_parts(moved[None])[0]
    sure = f", ±{error:.2f} st" if by == DRIFT else ""
    words = f"{by}{sure}: {-parts[0]:+z.2f} st"
    if abs(parts[1]) > 0.02:
        words += f", {-parts[1] / STOPS_A_MIRED:+z.0f} mired"
    return words.replace("-", "\u2212")
