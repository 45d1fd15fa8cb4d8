"""How light changed in a setup over the day, and the trims that follow from it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from aquin.production import Camera, Setup
from aquin.production.drifting import drift_in
from aquin.production.ledgers import compare_frames, known_charts, known_frames
from aquin.production.setups import seconds_of
from aquin.production.shoot import Shoot
from aquin.production.trims import Trim, trims_for

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.match.drift import Drift
    from aquin.production import Production
    from aquin.workers import Tell


@dataclass(frozen=True)
class Light:
    """A setup's drift and the trims of its shots by time of day; `cameras`: names by id."""

    drift: Drift
    trims: tuple[Trim, ...]
    cameras: dict[str, str]


def look_at_light(
    production: Production,
    config: ColourConfig,
    setup: Setup,
    compare: bool = False,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Light:
    """What is known of it; `compare`: frames that were not compared yet are read, too, which is slow. Raises
    AquinError.
    """
    shoot = Shoot(production, config)
    places = [p for p in shoot.shots if p[0] == setup.id]
    known_charts(shoot)
    if compare:
        compare_frames(shoot, places, jobs, tell)
    else:
        known_frames(shoot, places)
    found = [t for t in trims_for(shoot, places, all_of_them=True) if t.record.on]
    found.sort(key=lambda t: (seconds_of(t.shot) or (0.0, 0.0))[0])
    return Light(drift_in(shoot, setup), tuple(found), {c.id: c.name for c in production.all(Camera)})
