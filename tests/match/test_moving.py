"""A thing that moves and is lit otherwise must not decide a match: a textured disc over real photographs, at another
place and under other light in the shot, while the rest stands still.
"""

import cv2
import numpy as np
import pytest

from aquin.colour import acescct
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Balance
from aquin.match.engine import Side, match_sides
from aquin.match.motions import background, variety_of
from aquin.match.points import match_points
from photographs import photographs

MATRIX = np.array([[0.93, 0.05, 0.02], [0.02, 1.02, -0.04], [-0.01, 0.03, 0.98]])
STOPS = 0.4
"""By which the other camera is brighter; it is 18 mired warmer, too."""
LIGHT = np.array([0.4, 0.5, 0.9], np.float32)
"""On the disc in the shot."""


def filmed(scene: np.ndarray) -> np.ndarray:
    """By another camera, with two codes of noise of a 10-bit log recording."""
    seen = np.maximum((scene * Balance.from_shift(STOPS, 18, 0.002).factors) @ MATRIX.T, 0)
    noise = np.random.default_rng(0).normal(0, 2 / 1023, seen.shape)
    return np.asarray(acescct.decode(acescct.encode(seen) + noise), np.float32)


def with_disc(
    scene: np.ndarray, share: float, colour: tuple[float, float, float]
) -> tuple[np.ndarray, np.ndarray]:
    """The scene with a disc over a share of it, and the same with the disc moved and lit otherwise."""
    h, w = scene.shape[:2]
    texture = cv2.GaussianBlur(np.random.default_rng(5).normal(0, 1, (h, w)).astype(np.float32), (0, 0), 4)
    thing = np.exp2(texture / texture.std() * 0.5)[..., None] * np.array(colour, np.float32)
    y, x = np.mgrid[:h, :w]
    step, radius = int(0.12 * w), np.sqrt(share * h * w / np.pi)

    def disc(at: float) -> np.ndarray:
        return ((x - at) ** 2 + (y - h / 2) ** 2 < radius**2)[..., None]

    hero = np.where(disc(0.4 * w), thing, scene)
    return hero, np.where(disc(0.4 * w + step), np.roll(thing, step, axis=1) * LIGHT, scene)


def side(linear: np.ndarray) -> Side:
    light = np.asarray(linear, np.float32)
    return Side(np.asarray(acescct.encode(light), np.float32), light)


@pytest.mark.parametrize("colour", [(0.5, 0.06, 0.04), (0.2, 0.2, 0.2)], ids=["red", "grey"])
@pytest.mark.parametrize("share", [0.2, 0.4, 0.6])
@pytest.mark.parametrize("name", ["china", "astronaut", "coffee", "motorcycle"])
def test_what_moved_under_other_light_does_not_decide(
    name: str, share: float, colour: tuple[float, float, float]
) -> None:
    scene = np.maximum(cv2.resize(photographs()[name], (720, 480), interpolation=cv2.INTER_AREA), 1e-4)
    hero, shot = with_disc(scene, share, colour)
    found = match_sides(side(hero), side(filmed(shot)), "points", ("gains",))
    grade = found.solution("gains").grade
    assert grade.balance.stops == pytest.approx(-STOPS, abs=0.06)
    true, graded = scene[::5, ::5].reshape(-1, 3), grade.linear(filmed(scene)[::5, ::5].reshape(-1, 3))
    seen = (true > 2e-3).all(axis=1)
    assert (
        delta_e00(lab_of_ap1(true[seen]), lab_of_ap1(graded[seen])).mean() < 3.1
    )  # a matrix lies between them
    alone = match_sides(side(scene), side(filmed(scene)), "points", ("gains",))
    # what disagrees makes less sure
    assert found.sureness < alone.sureness - (0 if share < 0.4 else 0.1)


def test_a_thing_of_one_colour_that_fills_the_frame_is_not_believed() -> None:
    """Nothing tells that it is not the background; but one colour can't stand for a scene."""
    scene = np.maximum(cv2.resize(photographs()["astronaut"], (720, 480), interpolation=cv2.INTER_AREA), 1e-4)
    hero, shot = with_disc(scene, 0.95, (0.2, 0.2, 0.2))
    found = match_points(hero.astype(np.float32), filmed(shot))
    assert found is not None and found.sureness < 0.3


def test_parallax_is_no_contest() -> None:
    """Two depths of one scene move differently and tell the same change: all may speak."""
    random = np.random.default_rng(2)
    hero = random.uniform(0, 600, (400, 2))
    shot = hero + np.where(np.arange(400)[:, None] < 200, (40.0, 0.0), (5.0, 0.0))
    colours = random.uniform(0.05, 0.6, (400, 3))
    same = background(hero, shot, (colours, colours * (0.5, 0.6, 0.7)), (600, 600))
    assert same.keep.all() and same.contested == 0
    other = colours * np.where(np.arange(400)[:, None] < 100, (1.0, 0.6, 0.3), (0.5, 0.6, 0.7))
    split = background(
        hero,
        shot + np.where(np.arange(400)[:, None] < 100, (0.0, 90.0), (0.0, 0.0)),
        (colours, other),
        (600, 600),
    )
    assert not split.keep[:100].any() and split.keep[100:].all() and 0 < split.contested < 0.5


def test_variety_counts_chromaticities() -> None:
    grey = np.geomspace(0.01, 1, 50)[:, None] * np.ones(3)
    assert variety_of(grey) == 1.0 and variety_of(grey[:0]) == 0.0
    four = np.concatenate([grey * f for f in ((1, 1, 1), (2, 1, 1), (1, 2, 1), (1, 1, 2))])
    assert variety_of(four) == pytest.approx(4)
