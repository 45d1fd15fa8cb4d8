"""Reading patches: levels, spread, clipping, uneven light; and the layout's published colours."""

from dataclasses import replace
from pathlib import Path

import colour
import numpy as np
import pytest

from aquin.charts.layout import Layout, layout
from aquin.charts.read import read_chart, robust_mean
from aquin.colour.config import ColourConfig
from aquin.colour.primaries import ACES_WHITE
from aquin.errors import AquinError
from aquin.measure.clip import Clip
from aquin.measure.clipping import clip_levels
from photographs import RED_TO_709, Case, compose


def plain(signal: np.ndarray) -> np.ndarray:
    return np.asarray(signal, np.float32)


def test_reference_is_the_iso_17321_1_chart_under_the_aces_white(chart24: Layout) -> None:
    """ISO 17321-1 reflectances in colour-science under CIE D60 (CIE 15:2018), adapted with CAT16."""
    sets = (getattr(colour, name) for name in dir(colour) if name.startswith("SDS_"))
    spectra = next(s["ISO 17321-1"] for s in sets if "ISO 17321-1" in s)
    d60 = colour.SDS_ILLUMINANTS["D60"]
    white = colour.sd_to_XYZ(d60) / colour.sd_to_XYZ(d60)[1]
    adapt = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        white, colour.xy_to_XYZ(ACES_WHITE), transform="CAT16"
    )
    for patch, spectrum in zip(chart24.patches, spectra.values(), strict=True):
        xyz = colour.sd_to_XYZ(spectrum, illuminant=d60) / 100
        assert np.abs(adapt @ xyz - patch.xyz).max() < 6e-4, patch.name


def test_neutral_patches_have_their_printed_densities(chart24: Layout) -> None:
    """The grey row is named by optical density: 0.05, 0.23, 0.44, 0.70, 1.05, 1.5 (ISO 17321-1): Y = 10 ^ -D."""
    found = -np.log10(chart24.xyz[chart24.neutral, 1])
    assert np.abs(found - [0.05, 0.23, 0.44, 0.70, 1.05, 1.5]).max() < 0.05


def test_layout_is_six_by_four_and_a_wrong_file_is_named(chart24: Layout, tmp_path: Path) -> None:
    assert (chart24.rows, chart24.columns, len(chart24.patches)) == (4, 6, 24)
    assert chart24.cells().min() > 0
    assert chart24.cells().max() < 1
    with pytest.raises(AquinError, match="24-patch"):
        layout("nothing")
    (tmp_path / "bad.json").write_text('{"name": "x", "rows": 2}')
    with pytest.raises(AquinError, match=r"bad\.json"):
        layout(str(tmp_path / "bad.json"))


def test_a_chart_in_a_photograph_reads_as_it_was_drawn(chart24: Layout) -> None:
    """In scene-linear and even light every patch comes back within 2 % or 0.002."""
    case = Case("coffee", 0.4, 10, (0.2, 0.1), encoding="linear", noise=0.002)
    frame, _ = compose(case, chart24)
    reading = read_chart(frame, plain, chart24)
    assert reading is not None
    d65 = np.array([0.9505, 1.0, 1.089]) / (chart24.xyz[18] / chart24.xyz[18, 1])
    drawn = np.maximum((chart24.xyz * d65) @ RED_TO_709.T, 0.003)
    ratio = reading.linear / drawn
    assert np.median(np.abs(ratio / np.median(ratio) - 1)) < 0.03
    assert reading.usable.sum() >= 22


def drawn(colours: np.ndarray) -> np.ndarray:
    """(480, 720, 3) an even chart of (24, 3) colours, patches at 0.86 of their pitch; its corners are CORNERS."""
    frame = np.full((480, 720, 3), 0.035)
    for k, (r, c) in enumerate(np.ndindex(4, 6)):
        frame[r * 120 : r * 120 + 103, c * 120 : c * 120 + 103] = colours[k]
    return frame


CORNERS = np.array([[0, 0], [703, 0], [703, 463], [0, 463.0]])


def test_uneven_light_is_measured_and_compensated(chart24: Layout) -> None:
    """A light that falls off by 0.6 stop across the chart and 0.3 stop down it."""
    v, u = np.mgrid[0:480, 0:720] / np.array([480, 720])[:, None, None]
    frame = drawn(chart24.ap1) * np.exp2(-0.6 * (u - 0.5) - 0.3 * (v - 0.5))[..., None]
    reading = read_chart(frame.astype(np.float32), plain, chart24, CORNERS)
    assert reading is not None
    assert reading.compensated
    assert reading.light_uneven == pytest.approx(0.9, abs=0.06)
    assert "uneven" in reading.warnings[0]
    assert np.abs(np.log2(reading.linear / np.maximum(chart24.ap1, 1e-4))).max() < 0.05


@pytest.mark.parametrize("saturation", [0.7, 1.3])
def test_a_camera_s_own_colours_are_not_taken_for_uneven_light(saturation: float, chart24: Layout) -> None:
    """Colours further from or nearer to grey by any 3x3 change the patches' luminance, but not the light on the
    chart.
    """
    mix = saturation * np.eye(3) + (1 - saturation) / 3
    reading = read_chart(drawn(chart24.ap1 @ mix.T).astype(np.float32), plain, chart24, CORNERS)
    assert reading is not None
    assert reading.light_uneven < 0.02
    assert not reading.compensated


def test_clipped_patches_are_found_and_left_out(chart24: Layout) -> None:
    frame = np.full((480, 720, 3), 0.03)
    for k, (r, c) in enumerate(np.ndindex(4, 6)):
        frame[r * 120 : r * 120 + 103, c * 120 : c * 120 + 103] = chart24.ap1[k] * 1.6
    frame = np.minimum(frame, 0.9).astype(np.float32)
    _, ceiling = clip_levels(frame)
    assert np.allclose(ceiling, 0.9, atol=0.002)
    reading = read_chart(frame, plain, chart24, np.array([[0, 0], [703, 0], [703, 463], [0, 463.0]]))
    assert reading is not None
    clipped = (chart24.ap1 * 1.6 >= 0.9).any(axis=1)
    assert (reading.usable == ~clipped).all()
    assert any("clipped" in w for w in reading.warnings)


def test_robust_mean_ignores_dust_and_keeps_the_mean(random: np.random.Generator) -> None:
    pixels = random.normal(0.4, 0.01, (3, 400, 3))
    pixels[:, :12] = 5.0
    assert robust_mean(pixels) == pytest.approx(0.4, abs=2e-3)


def test_noise_is_given_in_10_bit_codes(chart24: Layout, random: np.random.Generator) -> None:
    frame = np.full((480, 720, 3), 0.5) + random.normal(0, 3 / 1023, (480, 720, 3))
    reading = read_chart(
        frame.astype(np.float32), plain, chart24, np.array([[0, 0], [703, 0], [703, 463], [0, 463.0]])
    )
    assert reading is not None
    assert reading.noise == pytest.approx(3.0, rel=0.2)
    assert any("do not look like the chart" in w for w in reading.warnings)


@pytest.mark.parametrize(
    "corners",
    [
        [[0, 0], [100, 100], [100, 0], [0, 100]],
        [[0, 0], [1, 0], [1, 1], [0, 1]],
        [[5000, 5000], [6000, 5000], [6000, 6000], [5000, 6000]],
        [[0, 0], [float("nan"), 0], [100, 100], [0, 100]],
    ],
)
def test_impossible_corners_are_refused(corners: list, chart24: Layout) -> None:
    with pytest.raises(AquinError, match="corners"):
        read_chart(np.zeros((200, 300, 3), np.float32), plain, chart24, np.array(corners, float))


def test_demo_readings_agree_with_the_truth(
    hero_file: Path, shot_file: Path, truth: dict, chart24: Layout
) -> None:
    config = ColourConfig.find(None, hero_file)
    for path, encoding, key in (
        (hero_file, "Linear Heron", "hero_corners"),
        (shot_file, "Skua Log", "shot_corners"),
    ):
        clip = Clip.open(path, encoding, config)
        frame, _ = clip.read()
        reading = read_chart(frame.rgb, clip.to_linear, chart24)
        assert reading is not None
        assert np.abs(reading.corners - truth[key]).max() < 1.5
        assert reading.usable.all()


def test_a_channel_next_to_nothing_leaves_its_patch_out(chart24: Layout) -> None:
    """What a display's curve crushed can't be told from anything darker; the other patches stay."""
    frame, _ = compose(Case("coffee", 0.4, encoding="linear", noise=0.002), chart24)
    reading = read_chart(frame, plain, chart24)
    assert reading is not None and reading.usable[6]
    signal = reading.signal.copy()
    signal[6, 2] = 0.004
    low = replace(reading, signal=signal)
    assert not low.usable[6]
    assert (low.usable == (reading.usable & (np.arange(24) != 6))).all()
