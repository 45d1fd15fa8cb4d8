"""Settle cells of the board: measure what is not measured yet, see to what is wrong first, then match them to their
heroes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from aquin.production import Camera, Shot
from aquin.production.audit import Finding, apply_fixes, run_audit, sure_fixes
from aquin.production.audit.charts import UNLOGGED
from aquin.production.charting import CHARTS
from aquin.production.charts_seen import look_for_charts, series_seen
from aquin.production.heroes import take_proposed
from aquin.production.matching import Summary, Wish, settle
from aquin.production.measuring import measure_shots
from aquin.production.over_time import follow, may_change
from aquin.production.presence import SETTLE
from aquin.production.settings import config_of
from aquin.production.stand_in import StandIn, encode
from aquin.workers import Tell, part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production
    from aquin.production.shoot import CellKey


@dataclass(frozen=True)
class Ready:
    """A production before it is settled. `config`: another one than before where `encoded` had to be measured.
    `fixes`: what the audit is sure of and can mend.
    """

    config: ColourConfig
    encoded: tuple[StandIn, ...]
    fixes: tuple[Finding, ...]
    waits: bool = False
    """Whether a camera has no encoding yet since its series is to be logged first."""


def prepare(
    production: Production,
    config: ColourConfig,
    places: Sequence[CellKey],
    jobs: int | None = None,
    tell: Tell | None = None,
    offered: bool = False,
) -> Ready:
    """Measure the setups' shots, give cameras without an encoding one, and audit what is known then. `offered`: sure
    fixes are made before settling, so that a camera whose exposure series is not logged yet waits for it.

    Slow, for a worker. Raises AquinError.
    """
    wanted, cameras = {p[0] for p in places}, {p[1] for p in places}
    shots = [
        s for s in production.all(Shot) if s.setup_id in wanted and s.kind not in ("series", "reference")
    ]
    encoded: list[StandIn] = []
    waits: set[str] = set()
    if not any(s.kind in CHARTS for s in production.all(Shot)):  # nobody said which takes show one
        look_for_charts(production, jobs, part(tell, 0.0, 0.2))
        tell = part(tell, 0.2, 1.0)
    if not production.read_only:  # first, since light is read through it
        bare = [c for c in production.all(Camera) if c.id in cameras and not c.encoding]
        unread = {s.camera_id for s in shots if not s.encoding and not s.floating}
        waits = _series_to_log(production, config) & unread & {c.id for c in bare} if offered else set()
        bare = [c for c in bare if c.id in unread - waits]
        encoded = encode(production, bare, jobs, part(tell, 0.0, 0.3))
        config = config_of(production) if encoded else config
    measured = measure_shots(production, config, shots, jobs, part(tell, 0.3 if encoded else 0.0, 0.5))
    may = [s for s in shots if may_change(measured.get(s.id, {}).get("levels", ()))]
    follow(production, config, may, jobs, part(tell, 0.5, 1.0))
    run_audit(production, config, measure=False)
    return Ready(config, tuple(encoded), tuple(sure_fixes(production)), bool(waits))


def _series_to_log(production: Production, config: ColourConfig) -> set[str]:
    """Ids of cameras with an exposure series that is sure and logged as shots."""
    found = series_seen(production, config, look_for_charts(production, only_known=True))
    return {camera_id for (camera_id, _), series in found.items() if series.sure}


PREPARING = 0.24
"""Share of the time that goes by before anything is matched: these parts, and those of `settle`, are what each took of
the demo from nothing.
"""


def settle_cells(
    production: Production,
    config: ColourConfig,
    places: Sequence[CellKey],
    wish: Wish | None = None,
    screen: tuple[str, str] | None = None,
    jobs: int | None = None,
    tell: Tell | None = None,
    fix: bool = False,
    encoded: tuple[StandIn, ...] = (),
    heroes: bool = False,
) -> Summary:
    """Match cells to their setups' heroes as one step that can be undone. `screen`: display and view that ledgers are
    measured on. `fix`: make the audit's sure fixes first, as a step of their own. `encoded`: cameras that were just
    given an encoding, to be told of. `heroes`: have them proposed for setups without one, as a step of their own, once
    it is known what speaks against a shot.

    Slow, for a worker. Raises AquinError, also where another program settles this production just now.
    """
    with production.alone(SETTLE, "settling"):
        ready = prepare(production, config, places, jobs, part(tell, 0.0, PREPARING), offered=fix)
        fixes = ready.fixes
        if fix and fixes and not production.read_only:
            apply_fixes(production, fixes)
            run_audit(production, ready.config, measure=False)
            fixes = ()
        # charts that were logged speak for more; and a series may stay a set of shots, as somebody said
        if ready.waits or (fix and any(f.kind in UNLOGGED for f in ready.fixes)):
            again = prepare(production, ready.config, places, jobs)
            if fix and not production.read_only:
                apply_fixes(production, again.fixes)
            ready = replace(again, encoded=ready.encoded + again.encoded)
        if heroes and take_proposed(production) is not None:
            run_audit(production, ready.config, measure=False)  # what it says beside heroes
        done = settle(production, ready.config, places, wish, screen, jobs, part(tell, PREPARING, 1.0))
    return replace(done, encoded=encoded + ready.encoded, fixes=fixes)
