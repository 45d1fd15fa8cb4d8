"""ACEScct against Academy S-2016-001 and OpenColorIO."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aquin.colour import acescct
from aquin.colour.config import ColourConfig


@pytest.mark.parametrize(
    ("linear", "log"),
    [  # Academy S-2016-001: equations 4 and 5 and its table of values (0.18 from memory, checked by the equation)
        (0.0, 0.0729055341958355),
        (0.0078125, 0.155251141552511),
        (0.18, 0.4135884),
        (1.0, 0.5547945),
        (65504.0, 1.4679964),
    ],
)
def test_published_values(linear: float, log: float) -> None:
    assert acescct.encode(np.array(linear)) == pytest.approx(log, abs=1e-6)
    assert acescct.decode(np.array(log)) == pytest.approx(linear, rel=2e-5, abs=1e-7)


def test_one_stop_moves_acescct_by_one_over_17_52() -> None:
    levels = np.array([0.02, 0.18, 4.0])
    assert np.allclose(acescct.encode(2 * levels) - acescct.encode(levels), 1 / 17.52)
    assert acescct.encode(np.array(0.18)) == pytest.approx(acescct.GREY)


def test_agrees_with_opencolorio(builtin: ColourConfig) -> None:
    linear = np.concatenate([np.linspace(-0.005, 0.02, 400), np.geomspace(0.02, 200, 400)]).astype(np.float32)
    rgb = np.repeat(linear[:, None], 3, axis=1)
    assert np.abs(builtin.from_linear("ACEScct")(rgb) - acescct.encode(rgb)).max() < 2e-6


@given(st.floats(-0.006, 60000))
def test_decoding_undoes_encoding(level: float) -> None:
    assert acescct.decode(acescct.encode(np.array(level))) == pytest.approx(level, rel=1e-9, abs=1e-12)
