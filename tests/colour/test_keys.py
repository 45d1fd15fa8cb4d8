"""Grades that move over time: linear between keys in log2 of the channels, so in a CDL's offsets, too (ASC CDL v1.2 on
a logarithm); the middle is what holds where no frame is known.
"""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aquin.colour.grade import Balance, Grade
from aquin.colour.over_time import APART, MOST_KEYS, Key, change_at, fewest, keys_of
from aquin.production.agreement import mark_of

stops = st.floats(-2, 2).map(lambda v: round(v, 4))
moving = st.lists(
    st.tuples(st.integers(0, 500), stops, stops, stops), min_size=2, max_size=8, unique_by=lambda k: k[0]
)
PLAIN = Grade(Balance.from_shift(0.3, 12.0, 1e-3))


@given(moving)
def test_a_moving_grade_is_linear_between_its_keys_and_held_beyond(rows: list) -> None:
    grade = PLAIN.moving(keys_of(rows))
    frames = [k.frame for k in grade.keys]
    for a, b in zip(grade.keys, grade.keys[1:], strict=False):
        middle = (np.array(a.change) + b.change) / 2
        assert change_at(grade.keys, (a.frame + b.frame) / 2) == pytest.approx(middle, abs=1e-9)
    assert grade.at(frames[0] - 99) == grade.at(frames[0]) and grade.at(frames[-1] + 99) == grade.at(
        frames[-1]
    )
    assert not grade.at(3).keys


@given(moving)
def test_what_holds_one_value_only_holds_the_middle(rows: list) -> None:
    keys = keys_of(rows)
    grade = PLAIN.moving(keys)
    middle = (keys[0].frame + keys[-1].frame) // 2
    assert np.log2(grade.at(middle).balance.factors) == pytest.approx(
        np.log2(grade.balance.factors), abs=2e-4
    )
    # whatever the keys were counted from, each frame gets what was asked for
    asked = np.log2(PLAIN.balance.factors) + change_at(keys, keys[0].frame)
    assert np.log2(grade.at(keys[0].frame).balance.factors) == pytest.approx(asked, abs=3e-4)


@given(moving, st.integers(0, 500))
def test_a_grade_solved_at_a_frame_holds_there_and_goes_on_moving(rows: list, frame: int) -> None:
    grade, made = PLAIN.moving(keys_of(rows)), Grade(Balance.from_shift(-0.4, -5.0, 0.0))
    whole = grade.as_at(frame, made)
    assert np.log2(whole.at(frame).balance.factors) == pytest.approx(np.log2(made.balance.factors), abs=1e-9)
    assert whole.keys == grade.keys


def test_an_edit_on_a_key_moves_that_key_alone_and_elsewhere_all() -> None:
    grade = PLAIN.moving((Key(0, (0.0, 0.0, 0.0)), Key(40, (0.4, 0.4, 0.4)), Key(100, (1.0, 1.0, 1.0))))
    brighter = Grade(Balance(grade.at(40).balance.stops + 0.5, grade.at(40).balance.gains))
    on = grade.edited_at(40, brighter)
    levels = [np.log2(g.at(f).balance.factors) for g in (grade, on) for f in (0, 40, 100)]
    assert levels[4] - levels[1] == pytest.approx(np.full(3, 0.5), abs=5e-4)
    assert levels[3] == pytest.approx(levels[0], abs=5e-4) and levels[5] == pytest.approx(levels[2], abs=5e-4)
    between = Grade(Balance(grade.at(20).balance.stops + 0.5, grade.at(20).balance.gains))
    everywhere = grade.edited_at(20, between)
    for frame in (0, 20, 40, 100):
        more = np.log2(everywhere.at(frame).balance.factors / grade.at(frame).balance.factors)
        assert more == pytest.approx(np.full(3, 0.5), abs=1e-9)


def test_a_cdls_offsets_are_linear_between_keys() -> None:
    grade = PLAIN.moving((Key(10, (0.0, 0.1, 0.0)), Key(30, (-0.8, -0.5, -0.6))))
    a, b, c = (np.array(grade.at(f).folded().offset) for f in (10, 15, 30))
    assert b == pytest.approx(0.75 * a + 0.25 * c, abs=1e-9)


def test_keys_go_through_a_file_and_bad_ones_are_refused() -> None:
    grade = PLAIN.moving((Key(10, (0.0, 0.1, 0.0)), Key(30, (-0.8, -0.5, -0.6))))
    assert Grade.of(json.loads(json.dumps(grade.values()))) == grade
    assert "keys" not in PLAIN.values() and mark_of(Grade.of(PLAIN.values())) == mark_of(PLAIN)
    assert mark_of(grade) != mark_of(Grade(grade.balance))
    for bad in (
        [[0, 0, 0, 0]],
        [[0, 0, 0, 0], [1.5, 0, 0, 0]],
        [[0, 0, 0, 0], [9, float("nan"), 0, 0]],
        [[0, 0, 0, 0], [9, 9.0, 0, 0]],
        [[k, 0, 0, 0] for k in range(MOST_KEYS + 1)],
    ):
        with pytest.raises(ValueError):
            keys_of(bad)
    with pytest.raises((ValueError, TypeError)):
        Grade.of(PLAIN.values() | {"keys": ["a", "b"]})


def test_strength_takes_a_share_of_the_movement() -> None:
    grade = PLAIN.moving((Key(0, (-0.4, -0.4, -0.4)), Key(50, (0.4, 0.4, 0.4))))
    half = grade.at_strength(0.5)
    assert np.log2(half.at(50).balance.factors / half.at(0).balance.factors) == pytest.approx(np.full(3, 0.4))
    assert grade.at_strength(0.0) == Grade() and grade.at_strength(1.0) == grade


def test_the_fewest_keys_follow_a_ramp_and_none_follows_noise() -> None:
    """A known change reads as that change, and no change as none."""
    random = np.random.default_rng(5)
    frames = list(range(0, 121, 6))
    errors = np.full(len(frames), 0.01)
    ramp = np.clip((np.array(frames) - 30) / 60, 0, 1)[:, None] * np.array([-0.6, -0.5, -0.4])
    for _ in range(20):
        noise = random.normal(0, 0.008, (len(frames), 3))
        keys = fewest(frames, ramp + noise, errors, 0.03)
        assert 4 <= len(keys) <= 6
        assert np.abs(change_at(keys, frames) - ramp).max() < 0.03 + 2 * 0.008
        assert min(np.diff([k.frame for k in keys])) >= APART
        assert fewest(frames, noise, errors, 0.03) == ()
