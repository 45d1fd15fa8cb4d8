"""The ledger's axes as facts of light, and the scopes against the standards."""

import colour
import cv2
import numpy as np
import pytest

from aquin.charts.layout import Layout
from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance, Grade
from aquin.colour.primaries import AP1_TO_XYZ, XYZ_TO_AP1
from aquin.measure.ledger import AXES, Evidence, axes, difference_of, measure, values
from aquin.measure.scopes import SKIN_ANGLE, chroma, chroma_density, histogram, scopes_of, waveform


def pairs(chart: Layout, shot: np.ndarray) -> Evidence:
    return Evidence(chart.ap1, shot, chart.neutral)


def test_equal_charts_hang_at_zero(chart24: Layout) -> None:
    rows = measure(pairs(chart24, chart24.ap1), Grade())
    assert [row.axis.name for row in rows] == [
        "exposure",
        "contrast",
        "warmth",
        "tint",
        "shadow warmth",
        "shadow tint",
        "saturation",
        "colour",
    ]
    assert all(abs(row.difference) < 1e-9 and row.within for row in rows)


@pytest.mark.parametrize("stops", [-2.0, -0.3, 1.0])
def test_exposure_is_in_stops_and_touches_no_other_tone_axis(stops: float, chart24: Layout) -> None:
    rows = {r.axis.name: r for r in measure(pairs(chart24, chart24.ap1 * 2**stops), Grade())}
    assert rows["exposure"].difference == pytest.approx(stops)
    for axis in ("contrast", "warmth", "tint", "saturation"):
        assert rows[axis].difference == pytest.approx(0, abs=1e-9)


def test_contrast_is_the_slope_of_log_luminance(chart24: Layout) -> None:
    shot = 0.18 * (chart24.ap1 / 0.18) ** 1.2
    neutral = Evidence(chart24.ap1[18:], shot[18:], chart24.neutral[18:])
    assert values(neutral)["contrast"][1] == pytest.approx(1.2, abs=1e-3)


def test_warmth_and_tint_are_what_a_balance_moves(chart24: Layout) -> None:
    grade = Grade(Balance.from_shift(0.0, 15, 0.004))
    rows = {r.axis.name: r for r in measure(pairs(chart24, np.asarray(grade.linear(chart24.ap1))), Grade())}
    # the patches are themselves not quite neutral, hence the allowance
    assert rows["warmth"].difference == pytest.approx(15, abs=0.6)
    assert rows["tint"].difference == pytest.approx(4, abs=0.4)
    assert rows["warmth"].axis.unit == "mired"


def test_daylight_against_tungsten_in_mired(chart24: Layout) -> None:
    """CIE 15: D65 is 153.8 mired, illuminant A 350.2: nearly 200 mired apart. The ledger counts them on the grade's own
    scale, about the ACES white, which over so far is 0.7 % shorter: within a quarter of the tolerance.
    """
    colours = []
    for xy in ((0.44758, 0.40745), (0.31272, 0.32903)):
        white = colour.xy_to_XYZ(xy)
        colours.append(np.linspace(0.1, 0.9, 6)[:, None] * (XYZ_TO_AP1 @ white))
    found = values(Evidence(colours[1], colours[0], np.ones(6, bool)))["warmth"]
    assert found[1] - found[0] == pytest.approx(350.2 - 153.8, abs=5.5 / 4)


def test_saturation_is_measured_at_equal_exposure_and_white(chart24: Layout) -> None:
    duller = np.asarray(Grade(Balance.from_shift(-1.0, 20, 0.0)).linear(chart24.ap1))
    assert values(pairs(chart24, duller))["saturation"][1] == pytest.approx(1.0, abs=0.05)
    half = np.asarray(Grade(trim=Cdl(saturation=0.8)).linear(chart24.ap1))
    assert values(pairs(chart24, half))["saturation"][1] < 0.9


def test_colour_is_the_mean_of_the_reference_librarys_differences(chart24: Layout) -> None:
    shot = chart24.ap1 * [1.1, 1.0, 0.9]
    white = AP1_TO_XYZ @ np.ones(3)
    labs = [colour.XYZ_to_Lab(c @ AP1_TO_XYZ.T, white[:2] / white.sum()) for c in (chart24.ap1, shot)]
    theirs = colour.delta_E(*labs, method="CIE 2000")
    assert difference_of(pairs(chart24, shot)) == pytest.approx(theirs, abs=5e-3)
    assert values(pairs(chart24, shot))["colour"][1] == pytest.approx(theirs.mean(), abs=2e-3)


def test_tolerances_are_those_of_the_plan_and_can_be_changed() -> None:
    """Defaults are common practice, but for warmth: one step of Judd's just noticeable difference, 5.5 mired (from
    memory).
    """
    assert {a.name: a.tolerance for a in AXES} == {
        "exposure": 0.10,
        "contrast": 0.05,
        "black floor": 1.0,
        "white ceiling": 2.0,
        "warmth": 5.5,
        "tint": 2.0,
        "shadow warmth": 8.0,
        "shadow tint": 3.0,
        "saturation": 0.05,
        "skin hue": 2.0,
        "skin level": 3.0,
        "sharpness": 0.15,
        "noise": 1.0,
        "clipping": 0.1,
        "colour": 2.0,
    }
    changed = {a.name: a.tolerance for a in axes({"warmth": 9.0})}
    assert changed["warmth"] == 9.0 and changed["tint"] == 2.0


def test_waveform_bands_are_percentiles(random: np.random.Generator) -> None:
    signal = random.beta(2, 3, (200, 240, 3)).astype(np.float32)
    bands = waveform(signal, 24).bands
    for column in (0, 11, 23):
        part = signal[:, column * 10 : column * 10 + 10].reshape(-1, 3)
        for k, share in enumerate((5, 50, 95)):
            assert bands[column, k, :3] == pytest.approx(np.percentile(part, share, axis=0), abs=0.006)


def test_chroma_follows_bt_709(random: np.random.Generator) -> None:
    """ITU-R BT.709-6 through the reference library: Cb and Cr of non-linear R'G'B'."""
    rgb = random.uniform(0, 1, (50, 3))
    theirs = colour.RGB_to_YCbCr(rgb, K=colour.WEIGHTS_YCBCR["ITU-R BT.709"], out_legal=False, out_int=False)
    assert np.abs(chroma(rgb.astype(np.float32)) - theirs[:, 1:]).max() < 1e-4


def test_skin_lies_near_its_line(chart24: Layout) -> None:
    """Common practice: skin of any darkness lies close to one line of the vectorscope, near 123 degrees."""
    for patch in (0, 1):
        display = np.clip(
            colour.XYZ_to_RGB(chart24.xyz[patch], "ITU-R BT.709", apply_cctf_encoding=False), 0, 1
        ) ** (1 / 2.4)
        cb, cr = chroma(display.astype(np.float32))
        assert np.degrees(np.arctan2(cr, cb)) == pytest.approx(SKIN_ANGLE, abs=8)


def test_neutrals_lie_in_the_middle_of_the_plane() -> None:
    density = chroma_density(np.full((20, 20, 3), 0.4, np.float32), 64)
    assert density[31:33, 31:33].sum() == pytest.approx(1.0)
    red = chroma_density(np.tile(np.array([0.8, 0.1, 0.1], np.float32), (4, 4, 1)), 64)
    row, column = np.argwhere(red > 0)[0]
    assert row < 32
    assert column < 32


def test_scopes_of_the_screens_bytes_are_those_of_the_signal() -> None:
    random = np.random.default_rng(6)
    codes = np.repeat(np.repeat(random.integers(0, 256, (9, 16, 3)), 20, axis=0), 20, axis=1).astype(np.uint8)
    codes[:40, :60] = 0
    codes[-40:, :60] = 255
    signal = codes.astype(np.float32) / 255
    ours, floats = scopes_of(codes, 300), scopes_of(signal, 300)
    assert np.abs(ours.waveform.bands - waveform(signal, 300).bands).max() < 1.1 / 232
    assert floats.waveform.bands == pytest.approx(waveform(signal, 300).bands)
    assert ours.histogram.share.sum(axis=1) == pytest.approx(np.ones(4), abs=1e-5)
    near = np.cumsum(ours.histogram.share, axis=1) - np.cumsum(histogram(signal).share, axis=1)
    assert np.abs(near[:3]).max() < 1e-5  # the very same levels; luma is rounded to a code
    assert ours.histogram.under == pytest.approx((codes == 0).mean(axis=(0, 1)))
    assert ours.histogram.over == pytest.approx((codes == 255).mean(axis=(0, 1)))
    plane = chroma_density(signal)
    assert ours.density.sum() == pytest.approx(1.0, abs=1e-5)
    spread = np.ones((3, 3))  # a cell aside at most, where a code is rounded
    assert (cv2.filter2D(plane, -1, spread)[ours.density > 0] > 0).all()
