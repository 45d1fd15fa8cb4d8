"""Levels of real photographs: rows reach their ranges or say why not, nothing is newly clipped, twice is once."""

from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from skimage import data
from sklearn.datasets import load_sample_images

from aquin.colour.baked import baked_view
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance, Grade
from aquin.colour.primaries import AP1_LUMA
from aquin.match.levelling import Levelled, level, settle_row, through
from aquin.measure.levels import Picture
from aquin.measure.neutrals import find_neutrals, named, white_of, zone_of
from aquin.measure.skin import find_skin
from aquin.measure.targets import ORDER, RANGES, School, targets_of

PHOTOGRAPHS = ("astronaut", "coffee", "chelsea", "rocket", "left", "right", "china", "flower")


@lru_cache(maxsize=1)
def view() -> Any:
    config = ColourConfig.load()
    return baked_view(config.view(*config.default_view())).process


@lru_cache(maxsize=16)
def photograph(name: str, stops: float = 0.0) -> Picture:
    """Photographs that scikit-image and scikit-learn ship, thinned out, in scene-linear AP1."""
    if name in ("left", "right"):
        code = data.stereo_motorcycle()[name == "right"]
    elif name in ("china", "flower"):
        code = load_sample_images().images[name == "flower"]
    else:
        code = getattr(data, name)()
    code = np.ascontiguousarray(code[:: 1 + code.shape[0] // 600, :: 1 + code.shape[0] // 600])
    linear = ColourConfig.load().to_linear("sRGB Encoded Rec.709 (sRGB)")(code.astype(np.float32) / 255)
    linear = np.asarray(linear * np.float32(2.0**stops))
    usable = (code < 254).all(axis=-1)
    return Picture(linear, view(), find_skin(linear, view()), usable)


@lru_cache(maxsize=64)
def levelled(name: str, school: School, stops: float = 0.0) -> Levelled:
    return level(photograph(name, stops), Grade(), targets_of(school))


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("school", ["bright", "dark"])
def test_rows_reach_their_ranges_or_say_why_not_and_nothing_is_newly_clipped(
    name: str, school: School
) -> None:
    found, targets = levelled(name, school), targets_of(school)
    picture = photograph(name)
    for row in found.rows:
        assert row.within(targets) or row.why, row
        # steeper tones make a cast steeper, too: what lies within its doubt may grow, but not beyond it
        room = max(4.0, row.doubt)
        assert abs(targets.off(row.name, row.after)) <= abs(targets.off(row.name, row.before)) + room, row
    # counted on every pixel of the picture, apart from what the solver looked at
    before, after = (
        np.asarray(view()(np.ascontiguousarray(g.apply_linear(picture.linear), np.float32))).reshape(-1, 3)
        for g in (Grade(), found.grade)
    )
    top = 1 - 0.5 / 1023
    assert ((after.max(axis=1) >= top) & (before.max(axis=1) < top)).sum() == 0
    assert found.newly_clipped == 0


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_levelling_twice_changes_nothing(name: str) -> None:
    found = levelled(name, "bright")
    assert level(photograph(name), found.grade, targets_of("bright")).grade == found.grade


@pytest.mark.parametrize("name", ["astronaut", "left", "china"])
def test_what_is_filmed_too_dark_comes_to_the_same_levels(name: str) -> None:
    """Exposure is settled first: a stop and a half less light ends within some per cent of the same middle."""
    rows = {r.name: r for r in levelled(name, "bright", -1.5).rows}
    middle = photograph(name, -1.5).middle
    assert rows[middle].within(targets_of("bright"))
    assert levelled(name, "bright", -1.5).newly_clipped == 0


def test_schools_are_in_the_order_of_their_names() -> None:
    """Common practice: bright has lighter faces and whites than restrained, and that than dark."""
    for name in ("skin level", "white ceiling", "mid level"):
        lows = [RANGES[s][name][0] for s in ("bright", "restrained", "dark")]  # type: ignore[index]
        assert lows == sorted(lows, reverse=True)
    assert list(ORDER).index("white ceiling") < list(ORDER).index("warmth") < list(ORDER).index("skin hue")


def test_a_row_alone_moves_its_own_part() -> None:
    picture, targets = photograph("astronaut", -1.5), targets_of("bright")
    made = settle_row(picture, Grade(), targets, "skin level")
    assert made == Grade(Balance(made.balance.stops))
    assert targets.off("skin level", picture.values(made)["skin level"]) == 0
    with pytest.raises(ValueError, match="no level"):
        settle_row(picture, Grade(), targets, "beauty")


def test_what_a_person_says_is_neutral_becomes_neutral() -> None:
    """A grey that a cast of 60 mired lies on, pointed at, ends within a mired or two; guessed, it would be little."""
    cast = np.asarray(Balance.from_shift(0.0, 60.0, 0.0).factors, np.float32)
    picture = photograph("left")
    grey = np.full((30, 3), 0.2) * cast
    known = Picture(
        np.asarray(picture.linear * cast), view(), None, None, 0.0, named(grey, "a named neutral", (2.0, 0.8))
    )
    made = level(known, Grade(), targets_of("bright"))
    assert white_of(np.asarray(made.grade.linear(grey)))[0] == pytest.approx(0, abs=5.5)
    assert made.by == "a named neutral"


def test_a_picture_of_one_colour_says_nothing_of_white() -> None:
    """The cat on its rug and the cup of coffee are warm things, not warm light."""
    for name in ("chelsea", "coffee"):
        picture = photograph(name)
        assert not find_neutrals(picture.small, picture.small).samples
        assert levelled(name, "bright").grade.balance.gains == (1.0, 1.0, 1.0)


def test_slope_offset_and_power_go_through_three_tones() -> None:
    x = np.array([0.2, 0.41, 0.6])
    for y in (x + [0.01, 0.0, 0.03], x + [-0.03, 0.0, -0.02]):
        found = through(x, y)
        assert found is not None
        slope, offset, power = found
        assert np.allclose((slope * x + offset) ** power, y, atol=1e-8)
    assert through(x, np.array([0.2, 0.9, 0.6])) is None


def test_own_numbers_are_ranges() -> None:
    own = targets_of("own", {"white ceiling": (75.0, 85.0)})
    assert own.off("white ceiling", 70) == -5
    assert own.off("white ceiling", 80) == 0
    for wrong in ({"white ceiling": (90.0, 80.0)}, {"light": (0.0, 1.0)}, {"warmth": (-900.0, 0.0)}):
        with pytest.raises(ValueError):
            targets_of("own", wrong)


def test_what_is_pointed_at_speaks_for_its_zone() -> None:
    """White cloth in the astronaut's picture is of the lights, the dark behind her of the shadows."""
    linear = photograph("astronaut").linear
    level = linear @ AP1_LUMA
    for share, zone in ((99.0, "lights"), (50.0, "middle"), (5.0, "shadows")):
        at = np.unravel_index(int(np.argmin(np.abs(level - np.percentile(level, share)))), level.shape)
        assert zone_of(linear, np.asarray(linear[at][None], np.float64)) == zone
