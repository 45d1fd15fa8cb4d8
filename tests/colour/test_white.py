"""White point work against CIE values and a reference library."""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from aquin.colour.primaries import ACES_WHITE, AP0, AP0_TO_AP1, AP1, AP1_TO_XYZ, rgb_to_xyz_matrix, xyz_of
from aquin.colour.white import ACES_MIRED, M16, adaptation, mired_duv, uv_of_xyz, xy_at


@pytest.mark.parametrize(
    ("xy", "kelvin", "duv"),
    [  # CIE 15:2018: illuminant A is a 2855.5 K radiator; D50..D75 have 5003, 5503, 6504, 7504 K. Duv by Ohno 2014.
        ((0.44758, 0.40745), 2855.5, 0.0000),
        ((0.34567, 0.35850), 5003, 0.0032),
        ((0.33243, 0.34744), 5503, 0.0033),
        ((0.31272, 0.32903), 6504, 0.0032),
        ((0.29903, 0.31488), 7504, 0.0030),
    ],
)
def test_cie_illuminants(xy: tuple[float, float], kelvin: float, duv: float) -> None:
    mired, found = mired_duv(xyz_of(xy))
    assert 1e6 / mired == pytest.approx(kelvin, rel=8e-4)
    assert found == pytest.approx(duv, abs=2e-4)


def test_planckian_radiators_lie_on_the_locus() -> None:
    for kelvin in (1800, 2856, 4000, 6500, 12000):
        power = colour.sd_blackbody(kelvin, colour.SpectralShape(380, 780, 5))
        xyz = colour.sd_to_XYZ(power, method="Integration")
        mired, duv = mired_duv(xyz)
        # the library takes c2 = 1.4388e-2 m K as CCT does; its colour-matching functions are the same table
        assert mired == pytest.approx(1e6 / kelvin, abs=0.15)
        assert abs(duv) < 3e-5


def test_agrees_with_ohno_in_the_reference_library(random: np.random.Generator) -> None:
    for kelvin, duv in zip(random.uniform(2200, 9000, 12), random.uniform(-0.02, 0.02, 12), strict=True):
        uv = colour.temperature.CCT_to_uv_Ohno2013([kelvin, duv])
        xyz = xyz_of(colour.UCS_uv_to_xy(uv))
        mired, found = mired_duv(xyz)
        assert mired == pytest.approx(1e6 / kelvin, abs=0.25)
        assert found == pytest.approx(duv, abs=5e-5)


@settings(max_examples=60)
@given(st.floats(60, 600), st.floats(-0.02, 0.02))
def test_placing_a_white_and_measuring_it_again(mired: float, duv: float) -> None:
    found = mired_duv(xyz_of(xy_at(mired, duv)))
    assert found[0] == pytest.approx(mired, abs=0.01)
    assert found[1] == pytest.approx(duv, abs=1e-6)


def test_greener_is_positive_and_warmer_is_more_mired() -> None:
    grey = AP1_TO_XYZ @ np.ones(3)
    green = mired_duv(AP1_TO_XYZ @ np.array([1, 1.05, 1]))
    warm = mired_duv(AP1_TO_XYZ @ np.array([1.1, 1.0, 0.9]))
    assert green[1] > mired_duv(grey)[1]
    assert warm[0] > mired_duv(grey)[0] == pytest.approx(ACES_MIRED)


def test_many_at_once_is_the_same_as_one_by_one(random: np.random.Generator) -> None:
    xyz = random.uniform(0.3, 1.2, (5, 4, 3))
    together = mired_duv(xyz)
    assert together.shape == (5, 4, 2)
    assert np.allclose(together[2, 3], mired_duv(xyz[2, 3]))


def test_uv_of_the_equal_energy_white() -> None:
    """CIE 1960: u = 4/19, v = 6/19 at the equal-energy point."""
    assert np.allclose(uv_of_xyz([1, 1, 1]), [4 / 19, 6 / 19])


def test_cat16_agrees_with_the_reference_library() -> None:
    """Li et al. 2017, equation for M16."""
    assert np.allclose(colour.CHROMATIC_ADAPTATION_TRANSFORMS["CAT16"], M16)
    a, d65 = (0.44758, 0.40745), (0.3127, 0.3290)
    theirs = colour.adaptation.matrix_chromatic_adaptation_VonKries(xyz_of(a), xyz_of(d65), transform="CAT16")
    assert np.allclose(adaptation(a, d65), theirs, atol=1e-6)
    assert np.allclose(adaptation(a, d65) @ xyz_of(a), xyz_of(d65))


def test_primaries_give_the_published_matrices() -> None:
    """SMPTE ST 2065-1 (AP0 to XYZ) and Academy S-2014-004 (AP0 to AP1), as their tables state them."""
    assert np.allclose(
        rgb_to_xyz_matrix(AP0, ACES_WHITE),
        [
            [0.9525523959, 0.0, 0.0000936786],
            [0.3439664498, 0.7281660966, -0.0721325464],
            [0.0, 0.0, 1.0088251844],
        ],
        atol=2e-6,
    )
    assert np.allclose(AP0_TO_AP1[0], [1.4514393161, -0.2365107469, -0.2149285693], atol=2e-6)
    assert np.allclose(
        rgb_to_xyz_matrix(AP1, ACES_WHITE)[1], [0.2722287168, 0.6740817658, 0.0536895174], atol=2e-6
    )
