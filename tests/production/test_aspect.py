"""A place lit otherwise from the second camera's place: a card before both tells it from the cameras' difference."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest

from aquin.exchange import picture
from aquin.production import Production
from aquin.production.aspect import ASPECT, CardJob, _job, about, card_job, contradicts, look_about_cards
from aquin.production.beside import beside_of
from aquin.production.heroes import take_proposed
from aquin.production.ledgers import known_charts
from aquin.production.match_work import Ref
from aquin.production.matching import settle
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.simulate.logbook import log_demo
from photographs import photographs
from shoots import copy_of, film_short
from yardstick import judged

CARD = ((250.0, 130.0), (390.0, 130.0), (390.0, 230.0), (250.0, 230.0))
OTHERWISE = np.array([0.12, 0.1, 0.05])
"""Log2 of the channels."""


def test_what_lies_about_a_card_and_holds_it_is_left_out() -> None:
    left = about(np.array(CARD), (360, 640))
    assert left[180, 320] and left[350, 320] and left[110, 240]  # the card, what holds it, the hand beside it
    assert not left[20, 20] and not left[350, 100]
    assert 0.1 < left.mean() < 0.25


@pytest.mark.parametrize("name", ["coffee", "china", "astronaut"])
def test_a_known_difference_of_views_is_read_and_none_as_none(name: str, tmp_path: Path) -> None:
    """Photographs that packages ship: the second view's light is known, the card's is the same in both."""
    scene = cv2.resize(photographs()[name], (640, 360), interpolation=cv2.INTER_AREA).astype(np.float32)
    other = scene * np.exp2(OTHERWISE).astype(np.float32)
    for one in (scene, other):
        one[130:230, 250:390] = 0.18
    for which, view in (("hero", scene), ("same", scene), ("other", other)):
        picture.write(tmp_path / f"{which}.exr", view)
    hero, same, there = (Ref(tmp_path / f"{n}.exr", "ACEScg", "", "", 0) for n in ("hero", "same", "other"))
    for shot, expected in ((same, np.zeros(3)), (there, OTHERWISE)):
        found = card_job(CardJob("", hero, shot, (CARD, CARD), None))
        off, error = np.array(found["off"]), np.array(found["error"])
        assert off.mean() == pytest.approx(expected.mean(), abs=0.035)
        assert (np.abs(off - expected) < 2 * error + 0.01).all() and (error < 0.3).all()


@pytest.fixture(scope="module")
def galley(once: Callable[[str, Callable[[Path], None]], Path]) -> Path:
    """A setup whose second camera sees the people from their darker side; its card was filmed with care."""

    def film(folder: Path) -> None:
        film_short(
            folder / "ferry",
            21,
            folder / "truth",
            keep=lambda t: t.setup == "galley" and t.role in ("main", "small") and not t.mistake,
            whole=("chart",),
        )
        log_demo(folder / "ferry", audit=True)
        production = Production.open(folder / "ferry" / "ferry.aquin")
        take_proposed(production)
        settle(production, config_of(production), list(Shoot(production, config_of(production)).shots))
        production.close()

    return once("galley", film) / "ferry" / "ferry.aquin"


def test_a_card_keeps_materials_from_darkening_a_camera_that_sees_the_lit_side(galley: Path) -> None:
    """Judged against what the hero's camera would have recorded from there: without the card's word, 0.1 stop."""
    production = Production.open(galley, read_only=True)
    shoot = Shoot(production, config_of(production))
    place = next(p for p in shoot.shots if np.abs(shoot.aspect_of(p)).any())
    assert 0.05 < shoot.aspect_of(place).mean() < 0.12
    rows = [
        o for o in judged(production, shoot, galley.parents[1] / "truth") if not o.hero and o.moment.same_time
    ]
    assert rows and max(abs(o.stops) for o in rows) < 0.06
    said = beside_of(shoot, [place])
    assert all(abs((said[o.shot.id].off - o.off).mean()) < 0.05 for o in rows)
    shoot.aspect[place] = np.zeros(3)
    untold = beside_of(shoot, [place])
    assert all((untold[o.shot.id].off - o.off).mean() > 0.06 for o in rows)
    production.close()


def test_a_card_that_things_about_it_contradict_is_not_believed(galley: Path) -> None:
    """As though the card had been shaded by 0.7 stop before one camera: the pictures decide, and it is said."""
    production = Production.open(copy_of(galley))
    config = config_of(production)
    shoot = Shoot(production, config)
    place = next(p for p in shoot.shots if np.abs(shoot.aspect_of(p)).any())
    known_charts(shoot)
    shoot.one_light[place] = "chart"
    job, card = _job(shoot, place)
    said = {"off": (card - 0.7).tolist(), "error": [0.05] * 3}
    production.keep_measured(ASPECT, {job.key: said})
    look_about_cards(shoot, [place])
    assert shoot.contradicted[place] == pytest.approx(np.full(3, -0.7))
    assert place not in shoot.one_light and not shoot.aspect_of(place).any()
    for off, error, expected in (
        (-0.7, 0.05, True),
        (0.2, 0.05, False),
        (-0.6, 0.3, False),
        (0.5, 0.05, True),
    ):
        assert contradicts(np.full(3, off), np.full(3, error)) is expected
    for warm, error, expected in (
        (0.28, 0.03, True),
        (-0.28, 0.03, True),
        (0.03, 0.03, False),
        (0.2, 0.1, False),
    ):
        assert contradicts(np.array([warm / 2, 0, -warm / 2]), np.full(3, error)) is expected
    production.close()
