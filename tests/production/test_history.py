"""What a shot was graded with before, and trims after the light, accepted one by one."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.colour.white import STOPS_A_MIRED
from aquin.match.points import match_points
from aquin.measure.ledger import AXES
from aquin.production import Camera, Grade, Production, Setup, Shot
from aquin.production.drifting import drift_in
from aquin.production.grading import held_grade, keep_grade, propagate
from aquin.production.heroes import hero_of, take_proposed
from aquin.production.history import history_of
from aquin.production.ledgers import compare_frames, known_charts
from aquin.production.match_work import side_of
from aquin.production.matching import Wish, settle
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.trims import accept, trims_for
from aquin.simulate.cameras import CAMERAS
from aquin.simulate.crew import Rolling
from aquin.simulate.stage import Stage
from shoots import copy_of, short_shoot

SEED = 11
"""Of the filmed production."""
TOLERANCE = {a.name: a.tolerance for a in AXES}


def small(tmp_path: Path) -> tuple[Production, Shot]:
    production = Production.create(tmp_path / "film.aquin")
    camera, setup = Camera("Heron"), Setup("pier")
    from aquin.production import Root

    root = Root("media", "media")
    shot = Shot(root.id, "a.mov", "a", camera_id=camera.id, setup_id=setup.id)
    other = Shot(root.id, "b.mov", "b", camera_id=camera.id, setup_id=setup.id)
    production.change("log", root, camera, setup, shot, other)
    return production, shot


def lit(stops: float) -> Correction:
    return Correction(Balance(stops))


def test_each_grade_that_a_shot_had_is_listed_with_who_made_it(tmp_path: Path) -> None:
    production, shot = small(tmp_path)
    config = config_of(production)
    other = next(s for s in production.all(Shot) if s.name == "b")
    balance = Grade("balance", shot.camera_id, shot.setup_id, values=lit(1.0).values())
    production.change("balance", balance)
    keep_grade(production, config, shot, lit(0.5), "by hand")
    keep_grade(production, config, other, lit(3.0), "by hand")  # another shot's
    production.change("balance again", replace(balance, values=lit(2.0).values()))  # hidden by the trim
    keep_grade(production, config, shot, lit(0.75), "more")
    found = history_of(production, shot)
    assert [s.grade.balance.stops for s in found] == [0.75, 0.5, 1.0, 0.0]
    assert found[0].what == "trim of a: more" and found[-1].what == "as filmed"
    assert all(s.who and s.at for s in found[:-1])
    production.undo()
    assert held_grade(production, shot) == lit(0.5)
    back = history_of(production, shot)
    assert back[0].what == "undone: trim of a: more" and [s.grade.balance.stops for s in back] == [
        0.5,
        0.75,
        0.5,
        1.0,
        0.0,
    ]
    assert [s.grade.balance.stops for s in history_of(production, other)] == [3.0, 1.0, 0.0]
    production.close()


def test_a_linked_balance_and_spoilt_values_are_followed_as_far_as_they_lead(tmp_path: Path) -> None:
    production, shot = small(tmp_path)
    config = config_of(production)
    far = Setup("deck")
    source = Grade("balance", shot.camera_id, far.id, values=lit(1.5).values())
    production.change("more", far)
    production.change("source", source)
    propagate(production, config, source, [(shot.setup_id, shot.camera_id)], linked=True)
    assert [s.grade.balance.stops for s in history_of(production, shot)] == [1.5, 0.0]
    own = next(g for g in production.all(Grade) if g.setup_id == shot.setup_id)
    production.change("spoil", replace(own, values={"stops": "x", "gains": [1, 1, 1]}))
    assert history_of(production, shot)[0].grade == Correction()
    production.close()


@pytest.fixture(scope="module")
def dusk(filmed: Path) -> Path:
    """The filmed production settled without trims of single shots."""
    path = copy_of(filmed)
    production = Production.open(path)
    take_proposed(production)
    config = config_of(production)
    places = [p for p in Shoot(production, config).shots if production.get(Setup, p[0]).name == "upper-deck"]
    settle(production, config, places, Wish("gains", shots=False))
    production.close()
    return path


def opened(path: Path, name: str) -> tuple[Production, Shoot, Setup]:
    production = Production.open(copy_of(path, path.with_name(f"{name}.aquin")))
    setup = next(s for s in production.all(Setup) if s.name == "upper-deck")
    desk = Shoot(production, config_of(production))
    places = [p for p in desk.shots if p[0] == setup.id]
    known_charts(desk)
    compare_frames(desk, places, 1)
    return production, desk, setup


def test_the_heros_cameras_drift_over_dusk_is_recovered_within_a_quarter_of_the_tolerance(
    dusk: Path, stage: Callable[[str, str], Stage]
) -> None:
    """Against the simulation's truth: the same camera's noiseless pictures, at the places that were compared. Dusk
    does not change all parts of a picture alike: lamps stay, the sky goes.
    """
    production, desk, setup = opened(dusk, "dusk-drift")
    hero = hero_of(production, setup)
    assert hero is not None
    drift = drift_in(desk, setup)
    assert len(drift.seen) >= 3 and max(abs(c) for c in drift.seen[-1].change) > 0.3  # dusk it is
    to_ap1 = config_of(production).to_linear(CAMERAS["Heron"].linear_encoding.name)
    takes = {t.clip: t for t in short_shoot(SEED).takes}

    def truth(shot: Shot) -> np.ndarray:
        """The middle frame as the sensor saw it, without noise."""
        take = takes[shot.name]
        rolling = Rolling(take, stage(take.setup, take.role), SEED)
        return np.asarray(
            to_ap1(np.asarray(rolling.linear(shot.frames // 2, noise=False), np.float32)), np.float64
        )

    for shot in desk.shots[setup.id, hero.camera_id]:
        moved = desk.moved(shot)
        if shot.kind != "shot" or moved is None or shot.id == hero.id:
            continue
        at = desk.moment(shot)
        assert at is not None
        sides = []
        for one, frame in ((at.hero, at.hero_frame), (shot, at.shot_frame)):
            ref = desk.ref(one, frame)
            assert ref is not None
            sides.append(side_of(ref, desk.config_path))
        points = match_points(sides[0].linear, sides[1].linear, sides[0].usable(), sides[1].usable())
        assert points is not None and points.verified > 100
        own, first = truth(shot), truth(hero)
        scale = own.shape[1] / sides[0].linear.shape[1]
        x, y = (np.rint(points.hero[:, k] * scale).astype(int).clip(0, own.shape[1 - k] - 1) for k in (0, 1))
        true = np.median(np.log2(own[y, x] / first[y, x]), axis=0)
        off = moved[0] - true
        assert abs(off.mean()) < TOLERANCE["exposure"] / 4, (shot.name, off)
        assert abs(off[0] - off[2]) < TOLERANCE["warmth"] / 4 * STOPS_A_MIRED, (shot.name, off)
    production.close()


def test_trims_after_the_light_are_accepted_one_by_one_or_together(dusk: Path) -> None:
    production, desk, setup = opened(dusk, "dusk-accept")
    config = config_of(production)
    places = [p for p in desk.shots if p[0] == setup.id]
    found = trims_for(desk, places, all_of_them=True)
    assert len(found) >= 3 and not any(t.held for t in found)
    one = found[0]
    before = held_grade(production, one.shot) or Correction()
    accept(production, config, [one])
    after = held_grade(production, one.shot)
    assert after is not None
    step = np.log2(after.balance.factors / before.balance.factors)
    assert step == pytest.approx(-np.array(one.moved), abs=1e-3)
    assert all(held_grade(production, t.shot) != Correction.of(t.record.values) for t in found[1:])
    left = trims_for(Shoot(production, config, desk.readings, {}, desk.seen), places, all_of_them=True)
    assert [t.shot.name for t in left if t.held] == [one.shot.name]
    entry = accept(production, config, [t for t in left if not t.held])
    assert entry is not None and "shots" in entry.what
    assert all(held_grade(production, t.shot) == Correction.of(t.record.values) for t in left)
    production.undo()
    assert held_grade(production, found[1].shot) != Correction.of(found[1].record.values)
    production.close()
