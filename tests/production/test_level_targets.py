"""Level targets of a production: kept, and everything that is matched to a levelled hero goes along."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.errors import AquinError
from aquin.jobs.level_shot import keep_standing, level_heroes, stand
from aquin.measure.targets import targets_of
from aquin.production import Production, Setup, Shot
from aquin.production.grading import held_grade
from aquin.production.heroes import hero_of
from aquin.production.levels import beside_other, carried, choose_school, targets_in, tie, tied_to
from aquin.production.matching import settle
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, shot_grade
from shoots import copy_of


@pytest.fixture
def production(settled: Path, tmp_path: Path) -> Production:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    return Production.open(path)


def hero_in(production: Production, name: str) -> Shot:
    setup = next(s for s in production.all(Setup) if s.name == name)
    found = hero_of(production, setup)
    assert found is not None
    return found


def same(a: Correction, b: Correction) -> bool:
    """Whether two grades do the same: a file keeps numbers to the last digit but one."""
    grey = np.repeat((0.18 * np.exp2(np.linspace(-6, 4, 60)))[:, None], 3, axis=1)
    return bool(np.abs(a.apply_linear(grey) - b.apply_linear(grey)).max() < 1e-9)


def test_light_and_tones_go_along_exactly_where_nothing_else_is() -> None:
    """A shot with gains of its own, matched to a hero: what the level does to the hero, it does to the shot."""
    before = Correction()
    after = Correction(
        Balance.from_shift(0.8, 12.0, 0.001), Cdl((1.1,) * 3, (-0.04,) * 3, (0.95,) * 3, 0.9), curve=None
    )
    follower = Correction(Balance.from_factors(np.array([1.3, 0.9, 1.1])))
    made = carried(before, after, follower)
    same = 0.18 * np.exp2(np.random.default_rng(3).uniform(-3, 3, (200, 3)))
    filmed = same / follower.balance.factors  # the same things, as the other camera recorded them
    assert np.abs(made.apply_linear(filmed) - after.apply_linear(same)).max() < 1e-6


@pytest.mark.parametrize("part", ["matrix", "trim", "curve", "zones"])
def test_a_grade_with_parts_of_its_own_goes_along_nearly(part: str) -> None:
    """Within a fiftieth of a stop over the middle tones of neutrals."""
    after = replace(
        Correction(Balance(0.5), Cdl((1.08,) * 3, (-0.03,) * 3)),
        curve=ToneCurve((0, 0, 0, 0, 0.3)),
        zones=ZoneGains((0, 0, 0.05), (0, 0, 0), (-0.04, 0, 0)),
    )
    own = {
        "matrix": Correction(matrix=((1.1, -0.05, -0.05), (0.0, 0.95, 0.05), (0.02, 0.03, 0.95))),
        "trim": Correction(trim=Cdl((1.05, 1.0, 0.97), (0.0, 0.01, 0.0))),
        "curve": Correction(curve=ToneCurve((0.1, 0.0, 0.0, 0.1, 0.0))),
        "zones": Correction(zones=ZoneGains((0.05, 0, 0), (0, 0, 0), (0, 0, 0.03))),
    }[part]
    grey = np.repeat((0.18 * np.exp2(np.linspace(-2, 1.5, 40)))[:, None], 3, axis=1)
    made = carried(Correction(), after, own)
    matched = np.asarray(own.linear(grey))  # what the follower gave before is what the hero gave
    gap = (made.apply_linear(grey) - after.apply_linear(matched)) / acescct.STOP
    assert np.abs(gap).max() < (0.02 if part in ("matrix", "trim") else 0.06)


def test_levelling_a_hero_takes_all_that_is_matched_to_it_along(production: Production) -> None:
    config, hero = config_of(production), hero_in(production, "pier")
    shoot = Shoot(production, config)
    shots = [s for s in production.all(Shot) if s.kind == "shot"]
    others = {s.id: shot_grade(shoot, s) for s in shots if s.setup_id == hero.setup_id}
    elsewhere = {s.id: shot_grade(shoot, s) for s in shots if s.setup_id != hero.setup_id}
    found = stand(production, config, hero, targets_of("dark"), settle=True)
    assert found.levelled.newly_clipped == 0
    went = keep_standing(production, config, hero, found)
    assert went
    now = Shoot(production, config)
    assert all(shot_grade(now, production.get(Shot, i)) != g for i, g in others.items())
    assert all(shot_grade(now, production.get(Shot, i)) == g for i, g in elsewhere.items())
    assert held_grade(production, hero) == found.levelled.grade
    again = stand(production, config, hero, targets_of("dark"), settle=True)
    assert same(again.levelled.grade, found.levelled.grade)
    entry = production.undo()
    assert entry is not None
    back = Shoot(production, config)
    assert all(shot_grade(back, production.get(Shot, i)) == g for i, g in others.items())


def test_schools_and_ranges_are_kept(production: Production) -> None:
    assert targets_in(production).school == "bright"
    choose_school(production, "restrained")
    assert targets_in(production).ranges["white ceiling"] == (70, 78)
    choose_school(production, "own", {"white ceiling": (72.0, 76.0)})
    assert targets_in(production).school == "own"
    assert targets_in(production).ranges["white ceiling"] == (72, 76)
    assert targets_in(production).ranges["black floor"] == (0.5, 4)  # as it was
    with pytest.raises(AquinError, match="targets"):
        choose_school(production, "own", {"white ceiling": (90.0, 10.0)})
    production.undo()
    assert targets_in(production).school == "restrained"


def test_a_tied_hero_is_brought_to_the_other_ones_skin_and_neutral(production: Production) -> None:
    first, second = hero_in(production, "pier"), hero_in(production, "upper-deck")
    tie(production, second, first)
    assert tied_to(production, second) == first
    for a, b in ((first, second), (second, second)):
        with pytest.raises(AquinError, match="tied"):
            tie(production, a, b)
    targets = beside_other(
        targets_of("bright"),
        {"skin level": 40.0, "warmth": 20.0, "saturation": 10.0},
        {"skin level": 66.0, "warmth": -4.0, "saturation": 20.0},
    )
    assert targets.ranges["skin level"] == (64, 68)
    assert targets.ranges["warmth"] == (-7, -1)
    assert targets.middle("saturation") == 15
    # how far the two are apart is measured, in what both have
    config = config_of(production)
    apart = stand(production, config, second).apart
    own = {r.name: r.after for r in stand(production, config, first).levelled.rows}
    its = {r.name: r.after for r in stand(production, config, second).levelled.rows}
    assert "saturation" in apart
    for name, value in apart.items():
        assert value == pytest.approx(its[name] - own[name], abs=1e-6)
    assert not stand(production, config, first).apart
    tie(production, second, None)
    assert tied_to(production, second) is None


def test_several_heroes_are_levelled_and_one_that_is_gone_stops_none(production: Production) -> None:
    heroes = [hero_in(production, "pier"), replace(hero_in(production, "upper-deck"), path="gone.mov")]
    production.change("lose a file", heroes[1])
    lines = level_heroes(production, config_of(production), heroes)
    assert len(lines) == 2
    assert heroes[0].name in lines[0]


def test_settling_again_keeps_the_level(production: Production) -> None:
    """What is matched anew to a levelled hero is solved as it was filmed, and gets its level, contrast and all."""
    config, hero = config_of(production), hero_in(production, "pier")
    found = stand(production, config, hero, targets_of("dark"), settle=True)
    keep_standing(production, config, hero, found)
    shoot = Shoot(production, config)
    places = [p for p in shoot.shots if p[0] == hero.setup_id]
    before = {p: shoot.grade_at(p) for p in places}
    settle(production, config, places)
    again = Shoot(production, config)
    assert held_grade(production, hero) == found.levelled.grade
    for place in places:
        grey = np.repeat((0.18 * np.exp2(np.linspace(-2, 1.5, 20)))[:, None], 3, axis=1)
        gap = again.grade_at(place).apply_linear(grey) - before[place].apply_linear(grey)
        assert np.abs(gap).max() / acescct.STOP < 0.15  # the same level on the same match
