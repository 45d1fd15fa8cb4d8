"""The match for skin beside the one for the whole frame, and the second pass, on the portrait and on known
corrections.
"""

from dataclasses import replace

import numpy as np
import pytest
from skimage import data

from aquin.charts.solve import residual, solve
from aquin.colour import acescct
from aquin.colour.grade import Balance, Grade
from aquin.colour.hue_warp import HueWarp
from aquin.colour.tone_curve import ToneCurve
from aquin.match.engine import Side, match_sides, second_pass
from aquin.match.skin import skin_colours, skin_source, with_skin
from aquin.measure.ledger import Evidence
from aquin.measure.skin import Dab, find_skin, skin_mask


def portrait() -> np.ndarray:
    """scikit-image's portrait (a face, public domain), as scene-linear."""
    return np.asarray((data.astronaut() / 255) ** 2.4 + 1e-3, np.float32)


def view(log: np.ndarray) -> np.ndarray:
    return np.asarray(np.clip(acescct.decode(log), 0, 1) ** (1 / 2.4), np.float32)


def side(linear: np.ndarray) -> Side:
    return Side(np.asarray(np.clip(linear * 0.8 + 0.1, 0, 1), np.float32), linear)


@pytest.fixture(scope="module")
def two() -> tuple[Side, Side, tuple[np.ndarray, np.ndarray]]:
    """The portrait, and the same with all but skin lit by another lamp: what is right for one is wrong for the
    other.
    """
    hero = portrait()
    mask = skin_mask(hero, view)
    shot = hero * np.float32([1.05, 0.95, 0.8])
    shot[~mask] *= np.float32([0.8, 1.0, 1.3])
    return side(hero), side(shot), (mask, mask)


def test_the_match_for_skin_leaves_less_on_skin_and_says_so(
    two: tuple[Side, Side, tuple[np.ndarray, np.ndarray]],
) -> None:
    hero, shot, masks = two
    found = match_sides(hero, shot, "points", ("gains", "cdl"))
    both = with_skin(found, hero, shot, masks, ("gains", "cdl"))
    assert both.solutions == found.solutions and len(both.other) == 2
    for model in ("gains", "cdl"):
        assert both.on_skin["skin", model] < 0.75 * both.on_skin["frame", model]
        frame, skin = both.solution(model, "frame"), both.solution(model, "skin")
        assert frame.mean <= skin.mean  # the frame's own is the best on the frame
        assert both.on_skin["skin", model] == pytest.approx(
            residual(skin_source(hero, shot, masks).evidence, skin.grade).mean()  # type: ignore[union-attr]
        )
    weighed = {
        w: both.solution(None, w).mean + both.on_skin[w, both.solution(None, w).model]
        for w in ("frame", "skin")
    }
    assert both.preferred == ("skin" if weighed["skin"] < 0.95 * weighed["frame"] else "frame")
    assert both.solution().grade == both.solution(None, both.preferred).grade


def test_without_skin_in_both_nothing_changes(two: tuple[Side, Side, tuple[np.ndarray, np.ndarray]]) -> None:
    hero, shot, masks = two
    found = match_sides(hero, shot, "points", ("gains",))
    nothing = np.zeros_like(masks[0])
    assert with_skin(found, hero, shot, (masks[0], nothing), ("gains",)) is found


def test_skin_is_averaged_from_dark_to_light(two: tuple[Side, Side, tuple[np.ndarray, np.ndarray]]) -> None:
    hero, _, masks = two
    colours = skin_colours(hero, masks[0])
    assert colours is not None and (np.diff(colours.sum(axis=1)) > 0).all()
    pixels = hero.linear[masks[0]]
    assert colours[2] == pytest.approx(np.median(pixels, axis=0), rel=0.2)


def test_painted_skin_goes_before_what_is_found_and_later_dabs_lie_over_earlier_ones() -> None:
    picture = portrait()
    found = find_skin(picture, view)
    wall = Dab(0.1, 0.9, 0.05, True)
    more = find_skin(picture, view, [wall])
    assert more[int(0.9 * 512), int(0.1 * 512)] and more.sum() > found.sum()
    less = find_skin(picture, view, [Dab(0.43, 0.25, 0.2, False)])
    assert less.sum() < 0.6 * found.sum()
    back = find_skin(picture, view, [Dab(0.43, 0.25, 0.2, False), Dab(0.43, 0.25, 0.02, True)])
    assert back[int(0.25 * 512), int(0.43 * 512)] and back.sum() > less.sum()


def test_faces_limit_skin_to_the_face() -> None:
    """Where the face is in that picture: about 190 to 255 across and 70 to 180 down."""
    picture = portrait()
    hands = np.asarray(picture.copy())
    hands[300:370, 20:90] = picture[110:130, 215:235].mean(axis=(0, 1))  # a patch of the same skin elsewhere
    wide, narrow = find_skin(hands, view), find_skin(hands, view, faces=True)
    assert wide[300:370, 20:90].mean() > 0.8 and narrow[300:370, 20:90].mean() < 0.05
    assert narrow[100:150, 205:240].mean() > 0.6


def test_what_is_larger_than_the_face_is_no_hand() -> None:
    """A wall of the colour of skin."""
    wall = np.asarray(portrait().copy())
    wall[300:500, 20:220] = wall[110:130, 215:235].mean(axis=(0, 1))
    assert find_skin(wall, view)[300:500, 20:220].mean() < 0.05


def evidence(grade: Grade, count: int = 150, noise: float = 0.004) -> Evidence:
    """Colours, and what a known correction makes of them."""
    random = np.random.default_rng(8)
    shot = np.exp(random.normal(np.log(0.15), 0.9, (count, 1)) + random.normal(0, 0.35, (count, 3)))
    hero = np.asarray(grade.linear(shot)) * np.exp(random.normal(0, noise, (count, 3)))
    return Evidence(np.maximum(hero, 1e-4), shot, np.zeros(count, bool))


def test_a_second_pass_takes_what_a_cdl_leaves() -> None:
    known = Grade(
        Balance.from_shift(0.4, 12.0, 0.002),
        warp=HueWarp((9.0, -6.0, 5.0, 0.0, -8.0, 0.0), (1.2, 1.0, 0.8, 1.0, 1.15, 1.0)),
        curve=ToneCurve((0.2, -0.15, 0.0, 0.15, -0.2)),
    )
    pairs = evidence(known)
    first = solve(pairs, "cdl", leave_one_out=False).grade
    again = second_pass(pairs, first)
    assert again is not None
    assert (again.balance, again.trim, again.matrix) == (first.balance, first.trim, first.matrix)
    before, after = residual(pairs, first).mean(), residual(pairs, again).mean()
    assert after < 0.5 * before
    fresh = evidence(known, 60)  # colours that were not looked at
    assert residual(fresh, again).mean() < 0.6 * residual(fresh, first).mean()


def test_a_second_pass_finds_nothing_where_nothing_but_noise_is_left() -> None:
    pairs = evidence(Grade(Balance.from_shift(0.4, 12.0, 0.002)), noise=0.02)
    first = solve(pairs, "gains", leave_one_out=False)
    assert second_pass(pairs, first.grade) is None
    few = pairs.part(np.arange(len(pairs.hero)) < 8)
    assert second_pass(few, replace(first.grade)) is None
