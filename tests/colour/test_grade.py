"""Balance, trim, and how they fold into one CDL."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.grade import POINTS_PER_STOP, Balance, Grade
from aquin.colour.primaries import AP1_LUMA


def test_a_stop_is_12_04_printer_points() -> None:
    """A printer point is 0.025 in log10 exposure (common practice), so a stop is 0.30103 / 0.025."""
    assert pytest.approx(12.04, abs=0.005) == POINTS_PER_STOP
    assert Balance(1.0).printer_points == pytest.approx((POINTS_PER_STOP,) * 3)


def test_one_stop_doubles_scene_linear() -> None:
    rgb = np.array([[0.18, 0.02, 1.4]])
    assert np.allclose(Grade(Balance(1.0)).linear(rgb), 2 * rgb)


@settings(max_examples=60)
@given(st.floats(-60, 150), st.floats(-0.015, 0.015), st.floats(-3, 3))
def test_shift_and_gains_say_the_same(mired: float, duv: float, stops: float) -> None:
    balance = Balance.from_shift(stops, mired, duv)
    assert balance.shift == pytest.approx((mired, duv), abs=1e-2)
    assert AP1_LUMA @ np.array(balance.gains) == pytest.approx(1.0)
    again = Balance.from_factors(balance.factors)
    assert again.stops == pytest.approx(stops, abs=1e-9)
    assert again.gains == pytest.approx(balance.gains)


def test_warmer_raises_red_and_lowers_blue() -> None:
    red, _, blue = Balance.from_shift(0, 30, 0).gains
    assert red > 1 > blue


@settings(max_examples=40)
@given(st.floats(-1.5, 1.5), st.floats(-30, 30), st.floats(0.8, 1.2), st.floats(0.8, 1.2))
def test_folding_is_exact_on_the_log_part(stops: float, mired: float, slope: float, power: float) -> None:
    grade = Grade(
        Balance.from_shift(stops, mired, 0.002), Cdl((slope, 1, 1), (0.01, 0, 0), (power, 1, 1), 1.1)
    )
    linear = np.repeat(np.geomspace(0.03, 16, 100)[:, None], 3, axis=1)
    assert np.abs(grade.apply_linear(linear) - grade.folded().apply(acescct.encode(linear))).max() < 1e-12


def test_a_matrix_does_not_fold() -> None:
    turned = Grade(matrix=((1.0, 0.1, -0.1), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)))
    assert np.allclose(turned.linear(np.array([[0.2, 0.3, 0.4]])), [[0.19, 0.3, 0.4]])
    with pytest.raises(ValueError):
        turned.folded()


@pytest.mark.parametrize(
    "factors", [(0.0, 1.0, 1.0), (-1.0, 1.0, 1.0), (float("nan"), 1, 1), (float("inf"), 1, 1)]
)
def test_impossible_factors_are_refused(factors: tuple) -> None:
    with pytest.raises(ValueError):
        Balance.from_factors(np.array(factors))


def test_preview_and_measurement_use_the_same_arithmetic() -> None:
    grade = Grade(Balance.from_shift(0.4, 20, 0.003), Cdl((1.1, 1, 0.9), (0.01, 0, 0), (1.05, 1, 1), 1.1))
    rgb = np.random.default_rng(2).uniform(0.001, 2, (200, 3))
    assert np.abs(grade.apply_linear(rgb) - grade.apply_linear(rgb.astype(np.float32))).max() < 3e-6
