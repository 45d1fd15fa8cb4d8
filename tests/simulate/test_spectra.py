"""Lights, charts and skins of the simulation against CIE tables, published chart colours and measured skin."""

import itertools

import colour
import numpy as np
import pytest

from aquin.colour.difference import delta_e00, lab_of_xyz
from aquin.colour.white import adaptation, mired_duv
from aquin.errors import AquinError
from aquin.simulate import spectra, targets
from aquin.simulate.materials import SKINS, library, like
from aquin.simulate.skin import skin

D50 = (0.34567, 0.35850)
XYZ_TO_709 = np.array(
    [
        [3.2409699, -1.5373832, -0.4986108],
        [-0.9692436, 1.8759675, 0.0415551],
        [0.0556301, -0.2039770, 1.0569715],
    ]
)
"""ITU-R BT.709-6 primaries and white, inverted."""


def white_xy(name: str) -> tuple[float, float]:
    xyz = spectra.xyz_of(np.ones(81), spectra.light(name))
    return float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())


def kelvin_of(name: str) -> float:
    return 1e6 / float(mired_duv(spectra.xyz_of(np.ones(81), spectra.light(name)))[0])


def white_of(xy: tuple[float, float]) -> np.ndarray:
    return np.array([xy[0] / xy[1], 1.0, (1 - xy[0] - xy[1]) / xy[1]])


@pytest.mark.parametrize(
    ("name", "x", "y"),
    [("A", 0.44758, 0.40745), ("D50", 0.34567, 0.35850), ("D65", 0.31272, 0.32903), ("FL4", 0.4402, 0.4031)],
)
def test_lights_have_their_cie_chromaticity(name: str, x: float, y: float) -> None:
    """CIE 15:2018 tables of illuminants."""
    assert spectra.xyz_of(np.ones(81), spectra.light(name))[1] == pytest.approx(1.0)
    assert white_xy(name) == pytest.approx((x, y), abs=4e-4)


@pytest.mark.parametrize(
    ("name", "kelvin"),
    [("A", 2856), ("D50", 5003), ("D65", 6504), ("FL4", 2940), ("FL2", 4230), ("FL11", 4000), ("HP1", 1959)]
    + [("LED-B1", 2733), ("LED-B2", 2998), ("LED-B3", 4103)],
)
def test_lights_have_their_cie_colour_temperature(name: str, kelvin: float) -> None:
    """CIE 15:2018, tables of the correlated colour temperatures of its illuminants (to half a per cent)."""
    assert kelvin_of(name) == pytest.approx(kelvin, rel=0.005)


def test_lights_by_colour_temperature_and_unknown_ones() -> None:
    assert white_xy("2856K") == pytest.approx((0.44758, 0.40745), abs=5e-4)
    for kelvin in (4800, 6300, 12000):
        assert kelvin_of(f"{kelvin}K") == pytest.approx(kelvin, rel=0.003)
    with pytest.raises(AquinError, match="no light"):
        spectra.light("moonshine")
    with pytest.raises(AquinError, match="1000K to 25000K"):
        spectra.light("99999K")


def published(ending: str) -> tuple[np.ndarray, np.ndarray]:
    """(24, 3) XYZ of the 24-patch chart as its maker published them, and the white, from the tables of
    colour-science.
    """
    tables = next(
        t
        for n in dir(colour)
        if n.startswith("CCS_COLOUR")
        for t in [getattr(colour, n)]
        if hasattr(t, "items")
    )
    found = next(v for k, v in tables.items() if k.endswith(ending))
    return np.stack([colour.xyY_to_XYZ(xyy) for xyy in found.data.values()]), np.asarray(found.illuminant)


def test_chart_under_d50_has_its_published_colours() -> None:
    """The maker's values of 2005 (D50), another batch and instrument than the ISO 17321-1 spectra: the mean stays
    near 1.
    """
    xyz, _ = published("2005")
    ours = spectra.xyz_of(spectra.chart_reflectances(), spectra.light("D50"))
    apart = delta_e00(lab_of_xyz(ours, white_of(D50)), lab_of_xyz(xyz, white_of(D50)))
    assert apart.mean() < 1.6
    assert apart.max() < 4.5


def test_chart_under_d65_has_its_published_colours_adapted() -> None:
    """The same values brought to D65 with CAT16: adaptation is no relighting, so a little more is left."""
    xyz, white = published("2005")
    d65 = (0.31272, 0.32903)
    wanted = xyz @ adaptation((float(white[0]), float(white[1])), d65).T
    ours = spectra.xyz_of(spectra.chart_reflectances(), spectra.light("D65"))
    apart = delta_e00(lab_of_xyz(ours, white_of(d65)), lab_of_xyz(wanted, white_of(d65)))
    assert apart.mean() < 2.0
    assert apart[18:].max() < 2.0


def test_spectra_become_xyz_as_in_the_reference_library() -> None:
    """colour-science's own summation (ASTM E308 at 5 nm), for the chart under three lights."""
    shape = colour.SpectralShape(380, 780, 5)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
    for name in ("D65", "FL4", "LED-B3"):
        power = colour.SDS_ILLUMINANTS[name].copy().align(shape)
        for row in (0, 13, 21):
            patch = colour.SpectralDistribution(spectra.chart_reflectances()[row], shape)
            reference = colour.sd_to_XYZ(patch, observer, power, method="Integration") / 100
            ours = spectra.xyz_of(spectra.chart_reflectances()[row], spectra.light(name))
            assert ours == pytest.approx(reference, abs=1e-6)


def oetf(linear: np.ndarray) -> np.ndarray:
    """ITU-R BT.709-6, item 1.2."""
    x = np.asarray(linear)
    return np.where(x < 0.018, 4.5 * x, 1.099 * np.maximum(x, 1e-9) ** 0.45 - 0.099)


def test_wedge_steps_are_even_in_the_bt709_signal_and_cross() -> None:
    steps = targets.wedge_steps()
    assert (len(steps), steps[0], steps[-1]) == (11, pytest.approx(0.03), pytest.approx(0.90))
    assert np.diff(oetf(steps)) == pytest.approx(np.full(10, np.diff(oetf(steps)).mean()), abs=1e-9)
    wedge = targets.crossed_wedge()
    rows = [[r for r, _ in itertools.groupby(wedge.labels[y]) if r < 11] for y in (30, 90)]
    assert rows == [list(range(11)), list(range(10, -1, -1))]


def cb_cr(linear: np.ndarray) -> np.ndarray:
    signal = oetf(linear)
    luma = signal @ [0.2126, 0.7152, 0.0722]
    return np.stack([(signal[..., 2] - luma) / 1.8556, (signal[..., 0] - luma) / 1.5748], -1)


def test_video_chart_lies_on_the_hue_angles_of_bt709() -> None:
    """Its primaries and secondaries under D65 against the angles of the BT.709 ones in the Cb/Cr plane."""
    chart = targets.video_chart()
    seen = spectra.xyz_of(chart.reflectances[:6], spectra.light("D65")) @ XYZ_TO_709.T
    pure = np.array([targets._FULL[name] for name in targets.VIDEO_PRIMARIES], float)
    for ours, wanted in zip(cb_cr(np.maximum(seen, 0)), cb_cr(pure), strict=True):
        turn = np.degrees(np.arctan2(ours[1], ours[0]) - np.arctan2(wanted[1], wanted[0]))
        assert abs((turn + 180) % 360 - 180) < 2.5
        assert np.hypot(*ours) > 0.08


def test_a_wanted_colour_is_met_by_real_reflectances() -> None:
    for wanted in ((0.48, 0.04, 0.028), (0.045, 0.135, 0.095), (0.78, 0.78, 0.75)):
        made = like(*wanted)
        assert made.min() >= 0
        assert made.max() < 1
        got = spectra.xyz_of(made, spectra.light("D65")) @ XYZ_TO_709.T
        assert got == pytest.approx(wanted, abs=0.03)


def test_skin_is_that_of_measured_people() -> None:
    """The chart's dark and light skin patches (ISO 17321-1) are matched by pigments within their usual range, and
    haemoglobin shows: the reflectance dips at 540 and 576 nm between crests at 560 and 500 nm (Prahl 1998).
    """
    grid = [
        (m, b)
        for m in (0.01, 0.02, 0.04, 0.07, 0.11, 0.16, 0.22, 0.3, 0.38)
        for b in (0.01, 0.02, 0.03, 0.045)
    ]
    many = np.stack([skin(m, b) for m, b in grid])
    for row, darker in ((0, 0.1), (1, 0.0)):
        patch = spectra.chart_reflectances()[row]
        inner = (spectra.NM >= 430) & (spectra.NM <= 690)
        left = np.sqrt(((many - patch)[:, inner] ** 2).mean(1))
        assert left.min() < 0.07
        assert grid[int(left.argmin())][0] >= darker
    pale = skin(*SKINS["pale"])
    at = dict(zip(spectra.NM.tolist(), pale, strict=True))
    assert at[540] < at[560] > at[575]
    assert at[500] > at[540]
    levels = [spectra.xyz_of(skin(*pigment), spectra.light("D65"))[1] for pigment in SKINS.values()]
    assert levels == sorted(levels, reverse=True)
    assert levels[0] > 4 * levels[-1]


@pytest.mark.parametrize("name", SKINS)
def test_skin_lies_near_the_skin_line(name: str) -> None:
    """Common practice, no published source: skin of any darkness lies near 123 degrees of the vectorscope."""
    linear = spectra.xyz_of(skin(*SKINS[name]), spectra.light("D65")) @ XYZ_TO_709.T
    cb, cr = cb_cr(linear)
    assert np.degrees(np.arctan2(cr, cb)) == pytest.approx(123, abs=12)


def test_every_material_is_a_reflectance() -> None:
    assert len(library()) > 90
    for material in library().values():
        for one in (material.first, material.second):
            assert one.shape == (81,)
            assert one.min() >= 0
            assert one.max() <= 1
