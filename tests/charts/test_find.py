"""Finding the chart in real photographs (shipped by scikit-image and scikit-learn) under hard conditions."""

import cv2
import numpy as np
import pytest

from aquin.charts.find import ENOUGH, SURE, find_chart, glimpse, judge, tones
from aquin.charts.layout import Layout
from aquin.colour.acescct import encode
from photographs import Case, compose, error_in_patches, photographs, random_case

CASES = {
    "upright": Case("coffee", 0.4, 2),
    "on its side": Case("china", 0.28, 91, (0.1, 0.0)),
    "upside down": Case("motorcycle", 0.35, 178, (0.2, -0.2)),
    "at an angle": Case("cat", 0.3, -37, (-0.3, 0.3)),
    "strong perspective": Case("flower", 0.42, 12, (0.7, 0.3)),
    "small": Case("china", 0.15, 8, (0.2, 0.1)),
    "small and turned": Case("motorcycle", 0.15, -64, (0.2, 0.1), blur=1.2),
    "orange tungsten": Case("coffee", 0.25, 15, light=(1.7, 0.8, 0.22)),
    "orange spill over one half": Case("astronaut", 0.3, -10, spill=2.0),
    "deep shade beside a blown window": Case("china", 0.22, 5, shade=4.5, window=True, at=(0.35, 0.5)),
    "flat log": Case("cat", 0.3, 25, encoding="log"),
    "flat log in shade under tungsten": Case(
        "flower", 0.2, -20, encoding="log", shade=3, window=True, light=(1.6, 0.85, 0.28), at=(0.4, 0.5)
    ),
    "scene-linear": Case("rocket", 0.25, 100, encoding="linear"),
    "three stops under": Case("coffee", 0.3, 40, stops=-3, noise=0.012),
    "over": Case("cat", 0.3, -5, stops=1.2),
    "compressed": Case("motorcycle", 0.2, 20, jpeg=60, blur=1.4),
    "beside another page of patches": Case("coffee", 0.3, -3, page=True),
    "green fluorescent": Case("china", 0.24, 170, light=(0.7, 1.1, 0.7)),
}


@pytest.mark.parametrize("name", CASES)
def test_chart_is_found_and_its_patches_are_where_they_are(name: str, chart24: Layout) -> None:
    frame, true = compose(CASES[name], chart24)
    found = find_chart(frame, chart24)
    assert found is not None
    assert error_in_patches(found.corners, true, chart24) < 0.15
    assert found.score >= ENOUGH


@pytest.mark.parametrize("photo", ["astronaut", "motorcycle", "china"])
def test_photographs_without_a_chart_have_none(photo: str, chart24: Layout) -> None:
    picture = photographs()[photo]
    assert find_chart(picture ** (1 / 2.2), chart24) is None
    assert find_chart(encode(picture), chart24) is None


def test_a_glimpse_sees_nearly_all_of_these_charts_and_none_in_photographs(chart24: Layout) -> None:
    seen = 0
    for case in CASES.values():
        frame, true = compose(case, chart24)
        found = glimpse(frame, chart24)
        seen += found is not None and error_in_patches(found.corners, true, chart24) < 0.15
    assert seen >= len(CASES) - 2
    for picture in photographs().values():
        assert glimpse(picture ** (1 / 2.2), chart24) is None and glimpse(encode(picture), chart24) is None


def test_random_charts_are_found(chart24: Layout) -> None:
    """Twenty charts of random size, angle, tilt and place: a rate, so that no case is chosen by hand."""
    random = np.random.default_rng(8)
    hits, errors = 0, []
    for seed in range(20):
        case = random_case(random, seed)
        frame, true = compose(case, chart24)
        found = find_chart(frame, chart24)
        error = error_in_patches(found.corners, true, chart24) if found else np.inf
        hits += error < 0.25
        errors.append(error)
    assert hits >= 19
    assert np.median(errors) < 0.1


def test_a_wrong_orientation_or_place_is_judged_low(chart24: Layout) -> None:
    frame, true = compose(CASES["upright"], chart24)
    tone, scale = tones(frame)
    assert judge(tone, true * scale, chart24) > SURE
    for wrong in (np.roll(true, 2, axis=0), np.roll(true, 1, axis=0), true + [120, 0], true[::-1]):
        assert judge(tone, wrong * scale, chart24) < 0.5


@pytest.mark.parametrize(
    "frame",
    [
        np.zeros((40, 60, 3)),
        np.ones((300, 300, 3)),
        np.zeros((1, 1, 3)),
        np.full((200, 300, 3), -1.0),
        np.random.default_rng(1).random((240, 320, 3)),
    ],
)
def test_frames_with_nothing_in_them_are_no_trouble(frame: np.ndarray, chart24: Layout) -> None:
    assert find_chart(frame.astype(np.float32), chart24) is None


def test_other_grids_are_not_taken_for_the_chart(chart24: Layout) -> None:
    random = np.random.default_rng(5)
    board = np.kron(np.indices((8, 12)).sum(0) % 2, np.ones((50, 50)))[..., None] * np.ones(3)
    colours = cv2.resize(
        random.random((4, 6, 3)).astype(np.float32), (600, 400), interpolation=cv2.INTER_NEAREST
    )
    for frame in (board, colours):
        assert find_chart(frame.astype(np.float32), chart24) is None
