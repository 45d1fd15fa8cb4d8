"""The yardstick that the match of a shoot is judged by: no change reads as none, a known change as that change."""

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.match.materials import match_materials
from aquin.production import Production
from aquin.production.grading import keep_grade
from aquin.production.heroes import take_proposed
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.simulate.cameras import CAMERAS
from yardstick import JUDGING, TUNING, Judged, beside_others, exposed, judged


@pytest.fixture
def production(shoot_copy: Path) -> Iterator[Production]:
    made = Production.open(shoot_copy)
    take_proposed(made)
    yield made
    made.close()


def read(production: Production, truth: Path) -> list[Judged]:
    return list(judged(production, Shoot(production, config_of(production)), truth))


def test_the_heros_own_camera_reads_zero_and_a_third_of_a_stop_as_that(
    production: Production, filmed: Path
) -> None:
    truth = filmed.parents[1] / "truth"
    own = [j for j in read(production, truth) if j.hero]
    assert len(own) >= 4
    for one in own:
        assert one.before < 0.9 and one.after < 0.9  # grain at dusk, in blocks
        assert one.stops == pytest.approx(0, abs=0.03) and one.white[0] == pytest.approx(0, abs=1)
    config = config_of(production)
    shot = own[0].shot
    keep_grade(production, config, shot, Correction(Balance.from_shift(1 / 3, 10, 0.002)), "test")
    changed = next(j for j in read(production, truth) if j.shot.id == shot.id)
    # a hero is compared with its own grade: its target moves with it, unlike those of the others beside it
    assert changed.after < 0.9
    other = next(j for j in read(production, truth) if not j.hero and not j.mistake)
    keep_grade(production, config, other.shot, Correction(Balance.from_shift(1 / 3, 10, 0.002)), "test")
    after = next(j for j in read(production, truth) if j.shot.id == other.shot.id)
    assert after.stops - other.stops == pytest.approx(1 / 3, abs=0.02)
    assert after.white[0] - other.white[0] == pytest.approx(10, abs=1)
    assert after.white[1] - other.white[1] == pytest.approx(0.002, abs=2e-4)
    assert after.before == other.before


def test_beside_another_recording_of_the_heros_camera_it_reads_as_beside_the_hero(
    production: Production, filmed: Path
) -> None:
    """Where that recording is sound both ways round say the same; where it is graded brighter, shots that were right
    beside it are as much too dark.
    """
    truth = filmed.parents[1] / "truth"
    config = config_of(production)

    def beside() -> dict[str, Judged]:
        return {j.shot.id: j for j in beside_others(production, Shoot(production, config), truth)}

    usual = {j.shot.id: j for j in read(production, truth)}
    found = beside()
    assert len(found) >= 3
    for id, one in found.items():
        assert one.stops == pytest.approx(usual[id].stops, abs=0.03)
        assert one.white[0] == pytest.approx(usual[id].white[0], abs=1)
    one = next(iter(found.values()))
    keep_grade(production, config, one.moment.hero, Correction(Balance(0.5)), "test")
    assert beside()[one.shot.id].stops == pytest.approx(one.stops - 0.5, abs=0.02)


def test_the_same_things_seen_by_two_cameras_agree(production: Production, filmed: Path) -> None:
    """The truth of the shot's view and of its hero's, each as bright as the hero's camera was: the same
    materials must have the same light. With the `hero_stops` of the hero's view instead they were up to 0.46 stop off.
    """
    truth = filmed.parents[1] / "truth"
    to_ap1 = config_of(production).to_linear(CAMERAS["Heron"].linear_encoding.name)
    gaps, wrong = [], []
    for one in read(production, truth):
        if one.hero:
            continue
        said, theirs = (
            json.loads((truth / f"{s.name}.json").read_text()) for s in (one.shot, one.moment.hero)
        )
        pictures = [
            to_ap1(np.load(truth / f"{s.name}.npz")["hero"].astype(np.float32))
            for s in (one.moment.hero, one.shot)
        ]
        hero, shot = exposed(pictures[0], theirs, theirs), exposed(pictures[1], said, theirs)
        found = match_materials(hero.astype(np.float32), shot.astype(np.float32))
        if found is None or float(found.error.mean()) > 0.08 or not one.moment.same_time:
            continue
        gaps.append(float(found.off.mean()))
        wrong.append(gaps[-1] - (said["hero_stops"] - theirs["hero_stops"]))
    assert len(gaps) >= 3
    assert np.median(np.abs(gaps)) < 0.06 and np.abs(gaps).max() < 0.15
    assert np.abs(wrong).max() > 2 * np.abs(gaps).max()  # what the mistake would have read


def test_seeds_for_choosing_and_for_judging_are_kept_apart() -> None:
    assert not set(TUNING) & set(JUDGING) and len(JUDGING) >= 8


def test_a_brighter_hero_is_a_brighter_target() -> None:
    seen = np.full((2, 2, 3), 0.2)
    said = {"hero_stops": 1.0}
    assert exposed(seen, said, {"stops": 1.0}) == pytest.approx(seen)
    assert exposed(seen, said, {"stops": 1.5}) == pytest.approx(seen * 2**0.5)
