"""CIEDE2000 against the published test data and a reference library."""

import colour
import numpy as np
import pytest

from aquin.colour.difference import delta_e00, delta_terms, lab_of_ap1, lab_of_xyz

# Sharma, Wu & Dalal 2005, "The CIEDE2000 color-difference formula: implementation notes, supplementary test data",
# table 1: all 34 pairs (entered from memory; every row also agrees with the reference library below).
SHARMA = """
50.0000 2.6772 -79.7751 50.0000 0.0000 -82.7485 2.0425
50.0000 3.1571 -77.2803 50.0000 0.0000 -82.7485 2.8615
50.0000 2.8361 -74.0200 50.0000 0.0000 -82.7485 3.4412
50.0000 -1.3802 -84.2814 50.0000 0.0000 -82.7485 1.0000
50.0000 -1.1848 -84.8006 50.0000 0.0000 -82.7485 1.0000
50.0000 -0.9009 -85.5211 50.0000 0.0000 -82.7485 1.0000
50.0000 0.0000 0.0000 50.0000 -1.0000 2.0000 2.3669
50.0000 -1.0000 2.0000 50.0000 0.0000 0.0000 2.3669
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0009 7.1792
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0010 7.1792
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0011 7.2195
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0012 7.2195
50.0000 -0.0010 2.4900 50.0000 0.0009 -2.4900 4.8045
50.0000 -0.0010 2.4900 50.0000 0.0010 -2.4900 4.8045
50.0000 -0.0010 2.4900 50.0000 0.0011 -2.4900 4.7461
50.0000 2.5000 0.0000 50.0000 0.0000 -2.5000 4.3065
50.0000 2.5000 0.0000 73.0000 25.0000 -18.0000 27.1492
50.0000 2.5000 0.0000 61.0000 -5.0000 29.0000 22.8977
50.0000 2.5000 0.0000 56.0000 -27.0000 -3.0000 31.9030
50.0000 2.5000 0.0000 58.0000 24.0000 15.0000 19.4535
50.0000 2.5000 0.0000 50.0000 3.1736 0.5854 1.0000
50.0000 2.5000 0.0000 50.0000 3.2972 0.0000 1.0000
50.0000 2.5000 0.0000 50.0000 1.8634 0.5757 1.0000
50.0000 2.5000 0.0000 50.0000 3.2592 0.3350 1.0000
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
61.2901 3.7196 -5.3901 61.4292 2.2480 -4.9620 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.6940 23.0331 14.9730 -42.5619 2.0373
36.4612 47.8580 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.4410 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.1350 0.9033 -0.0636 -0.5514 0.9082
"""
ROWS = np.array([[float(v) for v in line.split()] for line in SHARMA.strip().splitlines()])


def test_all_34_published_pairs() -> None:
    assert len(ROWS) == 34
    assert np.abs(delta_e00(ROWS[:, :3], ROWS[:, 3:6]) - ROWS[:, 6]).max() <= 1e-4


def test_difference_is_symmetric_and_zero_for_itself() -> None:
    assert np.allclose(delta_e00(ROWS[:, :3], ROWS[:, 3:6]), delta_e00(ROWS[:, 3:6], ROWS[:, :3]), atol=1e-9)
    assert delta_e00(ROWS[:, :3], ROWS[:, :3]).max() == 0


def test_agrees_with_the_reference_library_on_any_colours(random: np.random.Generator) -> None:
    a, b = (random.uniform([0, -90, -90], [100, 90, 90], (4000, 3)) for _ in range(2))
    assert np.abs(delta_e00(a, b) - colour.delta_E(a, b, method="CIE 2000")).max() < 1e-6


def test_terms_make_up_the_difference(random: np.random.Generator) -> None:
    a = random.uniform([5, -80, -80], [95, 80, 80], (500, 3))
    b = a + random.normal(0, 4, a.shape)
    assert np.allclose((delta_terms(a, b) ** 2).sum(1), delta_e00(a, b) ** 2)


def test_lab_agrees_with_the_reference_library(random: np.random.Generator) -> None:
    xyz = random.uniform(0, 1.2, (500, 3))
    white = np.array([0.95047, 1.0, 1.08883])
    xy = white[:2] / white.sum()
    assert np.allclose(lab_of_xyz(xyz, white), colour.XYZ_to_Lab(xyz, xy), atol=2e-3)


@pytest.mark.parametrize(("level", "lightness"), [(1.0, 100.0), (0.18, 49.496), (0.0, 0.0)])
def test_lightness_of_neutrals(level: float, lightness: float) -> None:
    """CIE 15: L* of Y = 18 % is 49.5."""
    lab = lab_of_ap1(np.full(3, level))
    assert lab[0] == pytest.approx(lightness, abs=2e-3)
    assert np.abs(lab[1:]).max() < 1e-9
