"""How the light of a setup changes while it is filmed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from aquin.match.drift import Drift, Seen, drift_of
from aquin.production.heroes import hero_of
from aquin.production.records import Setup, Shot
from aquin.production.setups import seconds_of

if TYPE_CHECKING:
    from aquin.production.shoot import Shoot

LIGHT = frozenset({"exposure", "white setting"})
"""Findings on a shot's light, which gains take back."""


def drift_in(shoot: Shoot, setup: Setup) -> Drift:
    """How light changed in a setup, by the hero camera's shots: what the same points say against the hero. Odd shots
    say nothing.
    """
    hero = hero_of(shoot.production, setup)
    begin = seconds_of(hero) if hero is not None else None
    if hero is None or begin is None or shoot.odd.get(hero.id, set()) & LIGHT:
        return Drift(())
    seen = [Seen(begin[0], (0.0, 0.0, 0.0))]
    for shot in shoot.shots.get((setup.id, hero.camera_id), ()):
        at, moved = seconds_of(shot), shoot.moved(shot)
        if at is not None and moved is not None and shot.id != hero.id and not shoot.odd.get(shot.id):
            r, g, b = (float(v) for v in moved[0])
            seen.append(Seen(at[0], (r, g, b), moved[1]))
    return drift_of(seen)


def apart(drift: Drift, shot: Shot, hero: Shot) -> float:
    """Stops by which light differs between two shots, as far as it is known; where one has no time of day, between any
    two of the setup.
    """
    times = seconds_of(shot), seconds_of(hero)
    if times[0] is None or times[1] is None:
        return drift.span
    return drift.between(sum(times[0]) / 2, sum(times[1]) / 2)
