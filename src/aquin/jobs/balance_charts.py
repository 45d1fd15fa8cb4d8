"""Read a production's chart takes and keep the best one's solution for each camera in each setup."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from aquin.charts.fits import DE00, Metric
from aquin.charts.solve import Solution, solve
from aquin.errors import AquinError
from aquin.production import Shot, charting

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production
    from aquin.workers import Tell


@dataclass(frozen=True)
class Wish:
    """What is asked for. `cameras`, `setups`: ids, None for all. `to_hero`: towards the setup's hero camera where its
    chart is there.
    `release`: shots' own corrections are taken off, so that they follow."""

    model: str = "gains"
    metric: Metric = DE00
    cameras: frozenset[str] | None = None
    setups: frozenset[str] | None = None
    to_hero: bool = False
    release: bool = False


@dataclass(frozen=True)
class Kept:
    """One balance that was kept: the take, what it was solved towards, and the shots that follow it or hold their
    own.
    """

    shot: Shot
    solution: Solution
    to_hero: bool
    following: tuple[Shot, ...]
    own: tuple[Shot, ...]


@dataclass
class Balanced:
    """What came of it; `troubles`: takes that gave nothing, with the reason."""

    kept: list[Kept] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)


def takes_for(production: Production, wish: Wish) -> list[Shot]:
    """The 24-patch charts that it is about."""
    return [
        s
        for s in charting.chart_takes(production)
        if s.kind == "chart"
        and s.target in ("24-patch", "")
        and s.camera_id
        and s.setup_id
        and (wish.cameras is None or s.camera_id in wish.cameras)
        and (wish.setups is None or s.setup_id in wish.setups)
    ]


def balance_charts(
    production: Production,
    config: ColourConfig,
    wish: Wish,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> Balanced:
    """Sweep the takes, solve each, and keep the one that leaves least for each camera in each setup: slow. Raises
    AquinError.
    """
    takes = takes_for(production, wish)
    out = Balanced()
    heroes = {s.id: h for s in takes if wish.to_hero and (h := charting.hero_take(production, s)) is not None}
    every = list({s.id: s for s in (*takes, *heroes.values())}.values())
    reads = {r.shot.id: r for r in charting.read_takes(production, config, every, jobs, tell)}
    best: dict[tuple[str, str], tuple[Shot, Solution]] = {}
    for shot in takes:
        reading = reads[shot.id].reading
        if reading is None:
            out.troubles.append(f"{shot.name}: {reads[shot.id].trouble or 'no chart was found'}")
            continue
        hero = heroes.get(shot.id)
        try:
            pairs = charting.evidence_of(reading, reads[hero.id].reading if hero is not None else None)
            found = solve(pairs, wish.model, metric=wish.metric)
        except AquinError as error:
            out.troubles.append(f"{shot.name}: {error.line()}")
            continue
        key = (shot.camera_id, shot.setup_id)
        if key not in best or found.mean < best[key][1].mean:
            best[key] = (shot, found)
    _keep(production, config, wish, list(best.values()), set(heroes), out)
    return out


def _keep(
    production: Production,
    config: ColourConfig,
    wish: Wish,
    best: Sequence[tuple[Shot, Solution]],
    to_hero: set[str],
    out: Balanced,
) -> None:
    for shot, found in best:
        charting.keep_balance(production, config, shot, found)
        follow, own = charting.followers(production, shot)
        if wish.release and own:
            charting.let_follow(production, own)
            follow, own = [*follow, *own], []
        out.kept.append(Kept(shot, found, shot.id in to_hero, tuple(follow), tuple(own)))
