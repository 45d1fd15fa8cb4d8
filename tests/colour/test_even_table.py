"""Tables whose points lie evenly, beside `numpy.interp` (NumPy's reference)."""

import numpy as np
import pytest

from aquin.colour.even_table import EvenTable


@pytest.mark.parametrize("kind, near", [(np.float32, 1e-6), (np.float64, 1e-12)])
def test_it_reads_as_numpy_does(kind: type, near: float, random: np.random.Generator) -> None:
    rows = np.cumsum(random.uniform(-0.02, 0.03, (2, 700)), axis=1)
    places = random.uniform(-0.5, 1.5, (40, 50, 3)).astype(kind)
    places[0, 0], places[0, 1] = (-0.1, 0.0, 0.9), (-np.inf, np.inf, 0.9)
    made = EvenTable(-0.1, 0.9, rows)(places)
    assert made.dtype == kind and made.shape == (2, *places.shape)
    at = np.linspace(-0.1, 0.9, 700)
    for row, own in zip(rows, made, strict=True):
        assert np.abs(own - np.interp(places, at, row)).max() < near * np.abs(rows).max()
        assert (EvenTable(-0.1, 0.9, row)(places) == own).all()


def test_what_is_no_number_stays_none() -> None:
    made = EvenTable(0.0, 1.0, np.array([3.0, 4.0, 6.0]))(np.array([0.25, np.nan, 1.0]))
    assert made[[0, 2]] == pytest.approx([3.5, 6.0]) and np.isnan(made[1])
    assert EvenTable(0.0, 1.0, np.array([[3.0, 4.0, 6.0]] * 2))(np.float32(0.25)) == pytest.approx([3.5, 3.5])
