"""What a person says of a shot beside its hero is kept with the shot, counts, and can be taken back."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from aquin.jobs.beside_shot import look_beside
from aquin.production import Option, Production, Shot
from aquin.production.beside import beside_of
from aquin.production.named import LEAST, ONE, name_things, named_of, said_by, strike, struck_of
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, shot_grade
from shoots import copy_of


@pytest.fixture
def production(settled: Path) -> Iterator[Production]:
    made = Production.open(copy_of(settled))
    yield made
    made.close()


def compared(production: Production) -> tuple[Shoot, Shot]:
    """A shot that is known beside another camera's hero."""
    shoot = Shoot(production, config_of(production))
    known = beside_of(shoot, list(shoot.shots))
    return shoot, production.get(Shot, min(known, key=lambda id: production.get(Shot, id).name))


def test_one_thing_says_little_and_many_say_more() -> None:
    """The error falls with the root of how many agree, and is no smaller than what they disagree by."""
    hero = np.full((16, 3), 0.2)
    off, error = said_by(hero[:1], hero[:1] * 2**0.5)
    assert off == pytest.approx(0.5) and error == pytest.approx(np.hypot(ONE, LEAST))
    off, error = said_by(hero, hero * 2**0.5)
    assert off == pytest.approx(0.5) and error == pytest.approx(np.hypot(ONE / 4, LEAST))
    apart = np.exp2(np.random.default_rng(2).normal(0.5, 0.6, (16, 3)))
    assert (said_by(hero, hero * apart)[1] > 1.5 * error).all()


def test_the_error_that_is_stated_for_named_things_holds() -> None:
    """Things drawn with the scatter that single points have (0.15 stop): two standard errors hold 90 to 98 %."""
    random = np.random.default_rng(11)
    for many in (1, 3, 8):
        z = []
        for _ in range(400):
            ratio = np.exp2(random.normal(0.3, ONE, (many, 3)))
            off, error = said_by(np.full((many, 3), 0.2), 0.2 * ratio)
            z += list(np.abs(off - 0.3) / error)
        assert 0.9 <= np.mean(np.array(z) < 2) <= 0.99, many


def test_what_is_named_is_kept_counts_and_is_undone(production: Production) -> None:
    shoot, shot = compared(production)
    at = shoot.moment(shot)
    assert at is not None
    before = beside_of(shoot, [(shot.setup_id, shot.camera_id)])[shot.id]
    thing = (((0.25, 0.5), (0.75, 0.5)), (0.2, 0.2, 0.2), (0.9, 0.9, 0.9))
    name_things(production, shot, at.hero, (at.hero_frame, at.shot_frame), [thing])
    (kept,) = named_of(production, shot)
    assert kept.places == thing[0] and kept.hero == thing[1] and kept.shot == thing[2]
    again = Shoot(production, config_of(production))
    after = beside_of(again, [(shot.setup_id, shot.camera_id)])[shot.id]
    assert "what was named" in after.by and "what was named" not in before.by
    assert after.off.mean() > before.off.mean()  # two stops lighter, says the person
    assert after.axes["exposure"][1] > before.axes["exposure"][1]  # which nothing else bears out
    other = (((0.1, 0.1), (0.2, 0.2)), (0.1, 0.1, 0.1), (0.1, 0.1, 0.1))
    name_things(production, shot, at.hero, (at.hero_frame + 1, at.shot_frame), [other])
    assert len(named_of(production, shot)) == 2  # of other frames, beside the first
    production.undo()
    production.undo()
    assert not named_of(production, shot)


@pytest.mark.parametrize(
    "value",
    [
        "text",
        [{"hero_id": 1}],
        [
            {
                "hero_id": "x",
                "frames": [1, 2],
                "places": [[0, 2], [0, 0]],
                "hero": [1, 1, 1],
                "shot": [1, 1, 1],
            }
        ],
        [
            {
                "hero_id": "x",
                "frames": [1, 2],
                "places": [[0, 0], [0, 0]],
                "hero": [1, 1, 1e9],
                "shot": [1, 1, 1],
            }
        ],
    ],
)
def test_what_another_program_spoilt_counts_as_nothing(production: Production, value: object) -> None:
    _, shot = compared(production)
    production.change("spoil", Option(value, id=f"named:{shot.id}"), Option(value, id=f"struck:{shot.id}"))
    assert named_of(production, shot) == () and struck_of(production, shot) == ()


def test_a_struck_material_is_looked_past_and_comes_back(production: Production) -> None:
    _, shot = compared(production)
    config = config_of(production)
    first = look_beside(production, config, shot)
    assert len(first["materials"]) > 2 and first["off"]
    weightiest = first["materials"][0]
    struck = look_beside(production, config, shot, change=[1])
    assert [m["colour"] for m in struck["materials"] if m["struck"]] == [
        [round(v, 6) for v in weightiest["colour"]]
    ]
    assert struck["off"] != first["off"]
    (number,) = (m["number"] for m in struck["materials"] if m["struck"])
    back = look_beside(production, config, shot, change=[number])
    assert not any(m["struck"] for m in back["materials"]) and back["off"] == first["off"]
    assert not struck_of(production, shot)
    strike(production, shot, [tuple(weightiest["colour"])])
    assert not look_beside(production, config, shot, forget=True)["named"] and not struck_of(production, shot)


def test_naming_settles_a_doubt_that_comes_from_another_moment(production: Production) -> None:
    """What pictures of two moments show may be the light; what a person names is to look alike whatever the light."""
    shoot = Shoot(production, config_of(production))
    known = beside_of(shoot, list(shoot.shots))
    later = [
        production.get(Shot, id)
        for id in known
        if (at := shoot.moment(production.get(Shot, id))) is not None and not at.same_time
    ]
    assert later, "the upper deck's cameras do not always roll together"
    shot = max(later, key=lambda s: known[s.id].axes["exposure"][1])
    at = shoot.moment(shot)
    assert at is not None
    before = known[shot.id].axes["exposure"][1]
    grey = np.full(3, 0.2)  # and what is the same, by what the pictures say
    wanted = shot_grade(shoot, at.hero).linear(grey) * np.exp2(known[shot.id].off)
    same = grey * wanted / shot_grade(shoot, shot).linear(grey)
    thing = (((0.5, 0.5), (0.5, 0.5)), (0.2, 0.2, 0.2), (float(same[0]), float(same[1]), float(same[2])))
    name_things(production, shot, at.hero, (at.hero_frame, at.shot_frame), [thing] * 4)
    place = (shot.setup_id, shot.camera_id)
    after = beside_of(Shoot(production, config_of(production)), [place])[shot.id].axes["exposure"][1]
    assert after < 0.12 < before
