"""Latitude: changes of known size per stop are measured, limits decide, and the advice follows."""

import numpy as np
import pytest

from aquin.charts.latitude import (
    Exposed,
    Limits,
    advice,
    exposed,
    judged_anew,
    latitude,
    lifted,
    ranked,
    refined_stops,
)
from aquin.charts.layout import Layout
from aquin.charts.read import read_chart
from aquin.colour.grade import Balance
from aquin.colour.primaries import ACES_WHITE, AP1_TO_XYZ, XYZ_TO_AP1, xyz_of
from aquin.colour.white import ACES_DUV, ACES_MIRED, mired_duv, xy_at
from series import reading


def camera(
    chart: Layout,
    mired_per_stop: float = 0.0,
    noise_at: float = 1.0,
    ceiling: float = 60.0,
    stops: range = range(-6, 7),
) -> list[Exposed]:
    """A series with a colour that drifts per stop, noise that doubles per stop under, and a sensor that clips."""
    out = []
    for s in stops:
        white = XYZ_TO_AP1 @ xyz_of(xy_at(ACES_MIRED + mired_per_stop * s, ACES_DUV))
        linear = np.minimum(chart.ap1 * 2.0**s * white / white[1], ceiling)
        noise = np.full(24, noise_at * 2.0 ** max(-s, 0) * 0.6)
        out.append(
            Exposed(
                float(s), reading(chart, linear, np.clip(linear / 80, 0, 0.99)), noise, 0.5, 2.0, f"{s:+d}"
            )
        )
    return out


def test_a_drift_of_known_mired_per_stop_is_measured(chart24: Layout) -> None:
    """CIE 15:2018 mired by way of a Planckian shift; the chart's printed greys are a little off neutral, the same in
    each frame.
    """
    found = latitude("A", camera(chart24, mired_per_stop=2.0), range(-6, 7))
    for row in found.rows:
        if row.clipped == 0:
            assert row.mired == pytest.approx(2.0 * row.stops, abs=0.4)
            assert abs(row.duv) < 0.3
    assert found.over == 2  # 3 stops are 6 mired, the limit is 5.5
    assert found.under == -2  # noise is 4 times at -2, and over the limit beyond


def test_noise_ends_the_range_where_it_passes_its_limit(chart24: Layout) -> None:
    found = latitude("A", camera(chart24, noise_at=2.0), range(-6, 7), Limits(noise=5.0))
    assert found.under == -2  # 1.2, 2.4, 4.8 codes; 9.6 is 8 times the normal 1.2
    row = next(r for r in found.rows if r.stops == -3)
    assert any("noise" in f for f in row.faults)
    looser = judged_anew(found, Limits(noise=10.0))
    assert looser.under == -3
    assert looser.rows[0].grey_noise == found.rows[0].grey_noise


def test_a_sensor_that_clips_below_the_file_is_seen_and_gives_the_headroom(chart24: Layout) -> None:
    found = latitude("A", camera(chart24, ceiling=0.18 * 2**4), range(-6, 7))
    assert found.headroom == pytest.approx(4, abs=0.8)
    assert found.over < 3
    assert "patches clip" in " ".join(next(r for r in found.rows if r.stops == 4).faults)


def test_marked_stops_are_refined_from_the_chart(chart24: Layout) -> None:
    series = camera(chart24)
    moved = [(one.stops + 0.3 * (one.stops == -2), one.reading) for one in series]
    assert refined_stops(moved) == pytest.approx([one.stops for one in series], abs=1e-6)


def test_cameras_are_ranked_by_their_range(chart24: Layout) -> None:
    narrow = latitude("narrow", camera(chart24, mired_per_stop=4.0), range(-6, 7))
    wide = latitude("wide", camera(chart24), range(-6, 7))
    assert [x.camera for x in ranked([narrow, wide])] == ["wide", "narrow"]


@pytest.mark.parametrize("policy", ["bright", "protect"])
def test_advice_names_the_price_of_each_policy(policy: str, chart24: Layout) -> None:
    found = latitude("Heron", camera(chart24), range(-6, 7))
    words = " ".join(advice(found, policy))
    assert f"usable from {found.under:+.1f} to {found.over:+.1f}" in words
    assert ("Expose bright" if policy == "bright" else "Protect the highlights") in words
    assert "shadow noise" in words
    assert "before clipping" in words
    assert "Under it ends at" in words


def test_limits_must_be_above_nothing() -> None:
    with pytest.raises(ValueError, match="above 0"):
        Limits(mired=0)


def picture(chart: Layout, stops: float, seed: int = 1) -> np.ndarray:
    """The chart at an exposure as a 10-bit log signal with noise."""
    labels = chart.labels(600, 400)
    light = np.concatenate([chart.ap1, np.full((1, 3), 0.03)])[labels] * 2.0**stops
    random = np.random.default_rng(seed)
    signal = 0.41 + np.log2(np.maximum(light / 0.18, 1e-4)) / 16 + random.normal(0, 0.004, light.shape)
    return np.asarray(np.round(np.clip(signal, 0, 1) * 1023) / 1023, np.float32)


def to_linear(signal: np.ndarray) -> np.ndarray:
    return np.asarray(0.18 * np.exp2((np.asarray(signal, np.float32) - 0.41) * 16), np.float32)


FIELD = np.array([[0, 0], [600, 0], [600, 400], [0, 400.0]])


def test_pixels_give_noise_and_code_steps_in_acescct_codes(chart24: Layout) -> None:
    """Noise of 0.004 of signal is 4.1 codes; a stop is 1/16 of it and 1/17.52 of ACEScct (Academy S-2016-001)."""
    rgb = picture(chart24, 0)
    found = read_chart(rgb, to_linear, chart24, FIELD, 1.0)
    assert found is not None
    one = exposed(rgb, found, to_linear, 0.0)
    per_channel = 0.004 * 1023 * 16 / 17.52
    luma = per_channel * np.sqrt(0.2126**2 + 0.7152**2 + 0.0722**2)
    assert one.noise[20] == pytest.approx(luma, rel=0.12)
    assert one.step == pytest.approx(16 / 17.52, rel=0.02)
    assert exposed(rgb, found, to_linear, 0.0, bits=8).step == pytest.approx(4.01 * 16 / 17.52, rel=0.02)


def test_correcting_before_the_curve_beats_lifting_after_it(chart24: Layout) -> None:
    """Common practice: lifting blacks after the curve only fogs them."""
    normal, under = (picture(chart24, s) for s in (0, -3))
    first = read_chart(normal, to_linear, chart24, FIELD, 1.0)
    second = read_chart(under, to_linear, chart24, FIELD, 1.0)
    assert first is not None
    assert second is not None

    def to_display(linear: np.ndarray) -> np.ndarray:
        return np.asarray(np.clip(np.maximum(linear, 0), 0, 1) ** (1 / 2.4), np.float32)

    made = lifted(under, second, first, to_linear, to_display, -3.0)
    assert made.delta_e00[0] < 1.5
    assert made.delta_e00[1] > 4 * made.delta_e00[0]
    assert made.black[1] > made.black[0] + 5  # fogged
    assert made.contrast[0] == pytest.approx(1, abs=0.03)
    assert made.contrast[1] < 0.7
    assert made.before_curve.shape == under.shape


def test_mired_of_the_white_is_a_shift_of_balance() -> None:
    """The same arithmetic as the balance: a positive mired shift is warmer."""
    warm = Balance.from_shift(0.0, 20.0, 0.0)
    found = mired_duv(AP1_TO_XYZ @ np.array(warm.gains)) - mired_duv(xyz_of(ACES_WHITE))
    assert found[0] == pytest.approx(20, abs=0.1)
