"""Same materials: gains found without any correspondence, on real photographs that packages ship."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage import data

from aquin.colour import acescct
from aquin.errors import AquinError
from aquin.match.engine import ALIKE, Side, gather, match_sides
from aquin.match.materials import match_frames, match_materials, overlap, pixels_of, places_of, seen
from photographs import photographs
from stereo import stereo_pair

MATRIX = np.array([[0.93, 0.05, 0.02], [0.02, 1.02, -0.04], [-0.01, 0.03, 0.98]])


def side(linear: np.ndarray) -> Side:
    light = np.asarray(linear, np.float32)
    return Side(np.asarray(acescct.encode(light), np.float32), light)


def true_gains() -> np.ndarray:
    """(3,) log2 of the stereo pair's right view over its left one, at the true correspondence."""
    pairs = stereo_pair().true_pairs(stereo_pair().right)
    return np.asarray(np.median(np.log2(pairs.shot / pairs.hero), axis=0))


def test_gains_of_the_stereo_pair_are_found_without_correspondence() -> None:
    """scikit-image's pair (Middlebury 2014), one side changed by eight random gains."""
    pair, base = stereo_pair(), true_gains()
    random = np.random.default_rng(77)
    levels, channels, errors = [], [], []
    for _ in range(8):
        gains = random.uniform(-0.8, 0.8) + random.normal(0, 0.15, 3)
        found = match_materials(pair.left, pair.right * np.float32(2**gains))
        assert found is not None and found.likeness > 0.7
        off = found.off - gains - base
        levels.append(abs(off.mean()))
        channels.append(np.abs(off - off.mean()).mean())
        errors.append(np.abs(off) / found.error)
    assert np.mean(levels) < 0.035 and np.max(levels) < 0.07
    assert np.mean(channels) < 0.012
    assert np.mean(np.array(errors) < 2) > 0.85  # what it says of its error holds


@given(st.floats(-0.6, 0.6), st.floats(-0.2, 0.2), st.floats(-0.2, 0.2))
@settings(max_examples=12, deadline=None)
def test_a_known_gain_reads_as_that_gain(level: float, red: float, blue: float) -> None:
    """Added to one side, it is added to what is read, within 0.07 stop."""
    pair = stereo_pair()
    gains = np.array([level + red, level, level + blue])
    plain, moved = (match_materials(pair.left, pair.right * np.float32(2**g)) for g in (0 * gains, gains))
    assert plain is not None and moved is not None
    assert moved.off - plain.off == pytest.approx(gains, abs=0.07)


BLOCKS = np.array(
    [
        [0.5, 0.1, 0.08],
        [0.1, 0.3, 0.12],
        [0.08, 0.12, 0.5],
        [0.4, 0.36, 0.1],
        [0.3, 0.28, 0.26],
        [0.05, 0.2, 0.22],
    ]
)


def blocks(colours: np.ndarray, turn: int) -> np.ndarray:
    """(360, 540, 3) scene-linear: six even walls in another order, each with a fold of light over it."""
    places = np.roll(np.arange(6), turn).reshape(2, 3)
    wall = np.repeat(np.repeat(places, 180, axis=0), 180, axis=1)
    y, x = np.mgrid[:360, :540]
    light = np.exp2(0.5 * np.sin(2 * np.pi * (x % 180) / 180) + 0.3 * np.cos(2 * np.pi * (y % 180) / 180))
    return np.asarray(colours[wall] * light[..., None], np.float32)


def test_a_material_that_was_struck_does_not_count() -> None:
    """A wall that was painted lighter by a stop pulls; struck, nothing is left of that. Everything else is a third of a
    stop brighter.
    """
    other = BLOCKS * 2**0.33
    other[3] *= 2.0
    hero, shot = blocks(BLOCKS, 0), blocks(other, 2)
    found = match_materials(hero, shot)
    assert found is not None
    painted = np.log2(BLOCKS[3] / BLOCKS[3, 1])[[0, 2]]
    votes = {tuple(np.round(m.at, 1)): m.vote.mean() for m in found.materials}
    nearest = min(found.materials, key=lambda m: np.hypot(*(m.at - painted)))
    assert np.hypot(*(nearest.at - painted)) < 0.3 and nearest.vote.mean() > 0.9, votes
    struck = match_materials(hero, shot, struck=nearest.at[None])
    assert struck is not None and all(np.hypot(*(m.at - painted)) > 0.2 for m in struck.materials)
    assert struck.off == pytest.approx(0.33, abs=0.05)
    assert np.abs(struck.off - 0.33).max() <= np.abs(found.off - 0.33).max() + 0.01


def test_several_frames_of_one_picture_say_what_one_says() -> None:
    pair = stereo_pair()
    gains = np.array([0.4, 0.1, -0.1])
    shot = pair.right * np.float32(2**gains)
    one = match_materials(pair.left, shot)
    three = match_frames([((pair.left, None), (shot, None))] * 3)
    assert one is not None and three is not None
    assert three.off == pytest.approx(one.off, abs=1e-6)
    assert three.doubt == pytest.approx(one.doubt, abs=1e-6)


def test_what_passes_in_one_frame_counts_as_such() -> None:
    """A painted panel goes by, a stop lighter in the shot's light: of one frame it pulls more than of three. What has
    not changed reads as nothing, and a third of a stop as that.
    """
    passing = BLOCKS.copy()
    passing[3] *= 2.0
    still = BLOCKS.copy()
    still[3] = still[4]
    for stops in (0.0, 0.33):
        lit = np.float32(2**stops)
        moment = ((blocks(BLOCKS, 0), None), (blocks(passing, 2) * lit, None))
        others = [((blocks(still, 0), None), (blocks(still, 2) * lit, None))] * 2
        one, three = match_frames([moment]), match_frames([moment, *others])
        assert one is not None and three is not None
        assert three.off == pytest.approx(stops, abs=0.06)
        assert np.abs(three.off - stops).max() < np.abs(one.off - stops).max() - 0.02
        assert match_frames(others).off == pytest.approx(stops, abs=0.02)


def test_a_material_is_where_it_is_in_both_pictures() -> None:
    hero, shot = blocks(BLOCKS, 0), blocks(BLOCKS * [1.2, 1.0, 0.9], 2)
    at = np.log2(BLOCKS / BLOCKS[:, 1:2])[:, [0, 2]]
    off = np.log2([1.2, 1.0, 0.9])
    for picture, turn, moved in ((hero, 0, None), (shot, 2, off)):
        places = places_of(picture, at, moved)
        true = np.roll(np.arange(6), turn).reshape(2, 3)
        h, w = places.shape
        for row in range(2):
            for column in range(3):
                part = places[row * h // 2 : (row + 1) * h // 2, column * w // 3 : (column + 1) * w // 3]
                inside = part[8:-8, 8:-8]
                assert np.mean(inside == true[row, column]) > 0.97


def test_nothing_changed_reads_as_nothing() -> None:
    for name, picture in photographs().items():
        found = match_materials(picture, picture)
        assert found is not None, name
        assert np.abs(found.off).max() < 0.01 and found.likeness > 0.99


def test_areas_hardly_count() -> None:
    """The same chromaticities and levels in quite other amounts: quartiles would be off by a stop."""
    random = np.random.default_rng(5)
    colours = 0.18 * 2 ** random.uniform(-2, 2, (12, 1)) * 2 ** random.normal(0, 0.4, (12, 3))

    def picture(amounts: np.ndarray) -> np.ndarray:
        labels = np.sort(random.choice(12, 360 * 200, p=amounts / amounts.sum())).reshape(360, 200)
        texture = 2 ** random.normal(0, 0.15, (360, 200, 1))
        return np.asarray((colours[labels] * texture).transpose(1, 0, 2), np.float32)

    order = np.argsort(colours.mean(axis=1))
    light = np.empty(12)
    light[order] = np.geomspace(1, 30, 12)
    hero, shot = picture(light), picture(1 / light)
    assert np.log2(np.median(shot) / np.median(hero)) < -1
    found = match_materials(hero, shot)
    assert found is not None and np.abs(found.off).max() < 0.08


def views(picture: np.ndarray, share: float, random: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Two parts of a photograph that share so much of their width, the second by another camera."""
    width = picture.shape[1]
    wide = int(width / (2 - share))
    gains = 2 ** (random.normal(0, 0.5) + random.normal(0, 0.15, 3))
    shot = np.maximum((picture[:, width - wide :] * gains) @ MATRIX.T, 0)
    return picture[:, :wide], np.asarray(0.18 * (shot / 0.18) ** random.uniform(0.9, 1.1), np.float32)


def test_unrelated_pictures_are_refused_and_related_ones_are_not() -> None:
    """At least 95 % and at most 5 %; by statistics alone all were taken, at a sureness of 0.26 to 0.33."""
    cells, retina = (
        (p / 255.0).astype(np.float32) ** 2.2 for p in (data.immunohistochemistry(), data.retina())
    )
    found = list((photographs() | {"cells": cells, "retina": retina[::2, ::2]}).values())
    random = np.random.default_rng(404)  # the threshold was chosen on others

    def part(picture: np.ndarray) -> np.ndarray:
        h, w = picture.shape[:2]
        x, y = random.integers(0, int(0.3 * w)), random.integers(0, int(0.2 * h))
        return picture[y : y + int(0.8 * h), x : x + int(0.7 * w)]

    likeness = []
    for k in range(60):
        a, b = random.choice(len(found), 2, replace=False)
        hero, shot = part(found[a]), views(part(found[b]), 1.0, random)[1]
        same = match_materials(hero, shot)
        likeness.append(0.0 if same is None else same.kinship)
        if k % 10 == 0 and likeness[-1] < ALIKE:
            with pytest.raises(AquinError, match="their materials agree to") as refused:
                gather(side(hero), side(shot))
            assert "click the same things" in refused.value.line()
    assert np.mean(np.array(likeness) < ALIKE) >= 0.95
    likeness = []
    for k in range(45):
        hero, shot = views(found[k % len(found)], (1.0, 0.7, 0.5, 0.4)[k % 4], random)
        same = match_materials(hero, shot)
        likeness.append(0.0 if same is None else same.kinship)
    assert np.mean(np.array(likeness) < ALIKE) <= 0.05


def test_noise_is_refused() -> None:
    noise = np.random.default_rng(0).uniform(0.01, 1, (200, 300, 3)).astype(np.float32)
    with pytest.raises(AquinError, match="do not show the same things"):
        gather(side(photographs()["astronaut"]), side(noise), "materials")


def test_materials_give_gains_and_no_more() -> None:
    """Weak evidence does little: tones and colours are not touched."""
    hero, shot = views(photographs()["china"], 0.4, np.random.default_rng(8))
    found = match_sides(side(hero), side(shot), "materials", ("gains", "cdl"))
    assert found.by == "materials" and 0.1 < found.sureness <= 0.6
    gains, cdl = found.solution("gains").grade, found.solution("cdl").grade
    probe = np.array([[0.02, 0.02, 0.02], [0.18, 0.18, 0.18], [0.7, 0.3, 0.1], [0.1, 0.3, 0.7]])
    assert np.log2(cdl.linear(probe) / gains.linear(probe)) == pytest.approx(np.zeros((4, 3)), abs=0.05)


def test_each_material_has_a_vote() -> None:
    pair = stereo_pair()
    found = match_materials(pair.left, pair.right)
    assert found is not None and len(found.materials) >= 4
    shares = [m.share for m in found.materials]
    assert shares == sorted(shares, reverse=True) and sum(shares) <= 1.0 + 1e-9
    near = [np.abs(m.vote - found.off).max() for m in found.materials[:6]]
    assert np.median(near) < 0.2


def test_pictures_without_materials_say_nothing() -> None:
    black = np.zeros((200, 300, 3), np.float32)
    assert match_materials(black, black) is None
    flat = seen(pixels_of(np.full((200, 300, 3), 0.2, np.float32)))
    other = seen(pixels_of(np.broadcast_to(np.float32([2.0, 0.05, 0.05]), (200, 300, 3)).copy()))
    none = overlap(flat, other)
    assert none is None or none.likeness < 0.1
