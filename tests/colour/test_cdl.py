"""CDL mathematics against ASC CDL v1.2 and OpenColorIO's own CDL."""

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aquin.colour.cdl import Cdl

_SLOPE = st.tuples(*[st.floats(0.2, 3)] * 3)
_OFFSET = st.tuples(*[st.floats(-0.3, 0.3)] * 3)
_POWER = st.tuples(*[st.floats(0.3, 3)] * 3)


def through_ocio(cdl: Cdl, rgb: np.ndarray, clamp: bool) -> np.ndarray:
    step = ocio.CDLTransform(slope=cdl.slope, offset=cdl.offset, power=cdl.power, sat=cdl.saturation)
    step.setStyle(ocio.CDL_ASC if clamp else ocio.CDL_NO_CLAMP)
    cpu = ocio.Config.CreateRaw().getProcessor(step).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)
    out = rgb.astype(np.float32).copy()
    cpu.applyRGB(out)
    return out


@given(_SLOPE, _OFFSET, _POWER, st.floats(0, 2), st.booleans())
def test_agrees_with_opencolorio(
    slope: tuple, offset: tuple, power: tuple, saturation: float, clamp: bool
) -> None:
    cdl = Cdl(slope, offset, power, saturation)
    rgb = np.random.default_rng(4).uniform(-0.1, 1.1, (300, 3)).astype(np.float32)
    theirs = through_ocio(cdl, rgb, clamp)
    assert np.abs(cdl.apply(rgb, clamp=clamp) - theirs).max() < 2e-5 * max(1.0, float(np.abs(theirs).max()))


def test_worked_example_by_hand() -> None:
    """ASC CDL v1.2: out = (in x slope + offset) ^ power, then saturation about the Rec. 709 luma."""
    out = Cdl((1.2, 1.0, 0.8), (0.1, 0.0, -0.1), (2.0, 1.0, 1.0), 0.5).apply(np.array([0.5, 0.4, 0.3]))
    sop = np.array([0.7**2, 0.4, 0.14])
    luma = 0.2126 * sop[0] + 0.7152 * sop[1] + 0.0722 * sop[2]
    assert np.allclose(out, luma + 0.5 * (sop - luma))


def test_saturation_zero_leaves_the_luma() -> None:
    out = Cdl(saturation=0.0).apply(np.array([[0.9, 0.2, 0.1]]))
    assert np.ptp(out) < 1e-12


def test_clamping_holds_zero_to_one() -> None:
    rgb = np.array([[-0.2, 0.5, 1.4]])
    assert Cdl((2, 2, 2)).apply(rgb, clamp=True).tolist() == [[0.0, 1.0, 1.0]]
    assert Cdl((2, 2, 2)).apply(rgb).tolist() == [[-0.4, 1.0, 2.8]]


def test_default_does_nothing_and_keeps_the_float_type() -> None:
    rgb = np.random.default_rng(1).normal(0.5, 1, (50, 3)).astype(np.float32)
    assert Cdl().neutral
    assert (Cdl().apply(rgb) == rgb).all()
    assert Cdl(power=(1.1, 1, 1)).apply(rgb).dtype == np.float32


@pytest.mark.parametrize(
    "wrong",
    [{"slope": (-0.1, 1, 1)}, {"power": (0.0, 1, 1)}, {"saturation": -1.0}, {"offset": (float("nan"), 0, 0)}],
)
def test_what_the_standard_forbids_is_refused(wrong: dict) -> None:
    with pytest.raises(ValueError):
        Cdl(**wrong)
