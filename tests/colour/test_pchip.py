"""Monotone cubics are scipy's, whatever the knots and values."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from aquin.colour.pchip import Pchip

steps = st.floats(0.05, 3.0)
values = st.lists(st.sampled_from((-1.5, -1.0, 0.0, 0.0, 0.2, 1.0, 4.0)), min_size=9, max_size=9)


@given(st.lists(steps, min_size=2, max_size=8), values, values)
def test_they_are_those_of_scipy(gaps: list[float], one: list[float], other: list[float]) -> None:
    knots = np.cumsum([-1.0, *gaps])
    rows = np.array([one, other])[:, : len(knots)]
    at = np.concatenate([knots, np.linspace(knots[0], knots[-1], 41)])
    expected = PchipInterpolator(knots, rows, axis=-1)(at)
    assert np.abs(Pchip(knots, at)(rows) - expected).max() < 1e-12


def test_rows_that_rise_stay_between_their_values() -> None:
    knots = np.arange(6.0)
    rows = np.array([0, 0, 1, 1.01, 5, 5.0])
    read = Pchip(knots, np.linspace(0, 5, 501))(rows)
    assert (np.diff(read) >= -1e-12).all()
    assert read.min() >= -1e-12
    assert read.max() <= 5 + 1e-12
