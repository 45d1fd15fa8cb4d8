"""Fewer pixels of larger pictures say the same."""

import numpy as np
import pytest

from aquin.measure.survey import FEWEST, STRIDE, stride_of, survey
from photographs import photographs


@pytest.mark.parametrize(
    ("size", "stride"), [((640, 360), 3), ((1920, 1080), 3), ((3840, 2160), 12), ((7680, 4320), 24)]
)
def test_how_many_pixels_count(size: tuple[int, int], stride: int) -> None:
    assert stride_of(*size) == stride
    assert size[0] * size[1] / stride**2 >= min(FEWEST, size[0] * size[1] / STRIDE**2)


@pytest.mark.parametrize("name", ["coffee", "astronaut", "china"])
def test_a_quarter_of_the_pixels_says_the_same(name: str) -> None:
    """Light within 0.03 stop, also of shadows; white within 0.01 stop; levels within 0.5 % of signal."""
    linear = np.maximum(photographs()[name].astype(np.float32), 1e-5)
    whole = np.kron(linear, np.ones((3, 3, 1), np.float32))  # as large as UHD has them
    signal = whole ** (1 / 2.4) + np.random.default_rng(1).normal(0, 0.004, whole.shape).astype(np.float32)
    many, few = (
        survey([signal[::k, ::k]] * 2, lambda s: np.maximum(s, 0) ** 2.4, (0.2126, 0.7152, 0.0722), None)
        for k in (6, 12)
    )
    assert np.array(few.stops[3:9]) == pytest.approx(np.array(many.stops[3:9]), abs=0.03)
    assert (few.warm, few.green) == pytest.approx((many.warm, many.green), abs=0.01)
    assert np.array(few.signal)[3:9] == pytest.approx(np.array(many.signal)[3:9], abs=0.005)
    assert few.clipped == pytest.approx(many.clipped, abs=0.002)
