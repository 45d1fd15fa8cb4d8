"""Curves from exposure series: drawn at random, and every log curve that the configuration knows."""

import numpy as np
import pytest

from aquin.charts.curve import Curve, recover
from aquin.charts.families import GREY_U, Observations
from aquin.charts.layout import Layout
from aquin.charts.profile import Profile, Step, compare, nearest, profile
from aquin.colour.config import ColourConfig
from aquin.colour.encoding import LogCurve, MeasuredEncoding
from aquin.colour.primaries import AP0_TO_AP1
from aquin.colour.white import STOPS_A_MIRED
from aquin.errors import AquinError
from series import TURN, Encode, drawn, filmed, neutral_series, reading

BAR = 0.03
"""Stops, over the unclipped range (the bar for the core)."""


@pytest.fixture(scope="module")
def config() -> ColourConfig:
    return ColourConfig.load()


def log_curves() -> list[str]:
    """Log encodings of the built-in configuration by number; film densities (with cross-talk between channels) are no
    camera curves.
    """
    found = [e for e in ColourConfig.load().encodings() if e.kind == "log" and not e.name.startswith("ADX")]
    return [e.name for e in found]


def off(curve: Curve, encode: Encode) -> tuple[float, float]:
    """Largest error in stops where the curve is supported, one common exposure taken out, and that range in stops."""
    u = np.linspace(max(curve.low, GREY_U - 6), min(curve.high, GREY_U + 6), 240)
    error = np.log2(np.maximum(curve.decode(encode(np.exp2(u))), 1e-9)) - u
    sure = np.interp(u, curve.u, curve.doubt) < BAR
    return float(np.abs(error - np.median(error[sure]))[sure].max()), float(np.ptp(u[sure]))


@pytest.mark.parametrize("number", range(len(log_curves())))
def test_each_log_curve_of_the_configuration_is_recovered(
    number: int, config: ColourConfig, chart24: Layout
) -> None:
    back = config.from_linear(log_curves()[number])

    def encode(x: np.ndarray) -> np.ndarray:
        flat = np.repeat(np.asarray(x, np.float32).reshape(-1, 1), 3, axis=1)
        return back(flat)[:, 1].reshape(np.shape(x)).astype(float)

    seen, true = neutral_series(encode, chart24, np.random.default_rng(number))
    curve = recover(seen)
    error, reach = off(curve, encode)
    assert error < BAR
    assert reach > 10
    assert np.abs(curve.stops - true).max() < 0.05


def test_curves_drawn_at_random_are_recovered(chart24: Layout) -> None:
    """Twelve series, none chosen. A gamma's exponent and errors of the chart's light can't be told apart entirely,
    so that one in six may be up to half beyond the bar.
    """
    errors, reaches = [], []
    for seed in range(12):
        kind, encode, stops = drawn(seed)
        seen, _ = neutral_series(encode, chart24, np.random.default_rng(seed), stops, uneven=0.01)
        curve = recover(seen)
        error, reach = off(curve, encode)
        errors.append(error)
        reaches.append(reach)
        if kind == "log":
            assert curve.family == "log"
    assert np.mean(np.array(errors) < BAR) >= 10 / 12
    assert max(errors) < 1.5 * BAR
    assert np.median(errors) < 0.5 * BAR
    assert min(reaches) > 6


def wandering(count: int, seed: int, mired: float = 14.0) -> np.ndarray:
    """(frames, 3) stops of a white that a camera chooses anew for each exposure."""
    warm = np.random.default_rng(900 + seed).normal(0, mired * STOPS_A_MIRED, count)
    return np.stack([warm / 2, np.zeros(count), -warm / 2], axis=1)


@pytest.mark.parametrize("seed", range(6))
def test_a_camera_that_chooses_its_white_by_itself_is_measured_all_the_same(
    seed: int, chart24: Layout
) -> None:
    _, encode, stops = drawn(seed)
    turned = wandering(len(stops), seed)
    seen, _ = neutral_series(encode, chart24, np.random.default_rng(seed), stops, 0.003, 1 / 3, 0.01, turned)
    curve = recover(seen)
    assert curve.turns
    assert off(curve, encode)[0] < 1.5 * BAR
    held = seen.use.any(axis=(1, 2))  # a frame that is clipped throughout says nothing
    found = (curve.turned[:, 0] - curve.turned[:, 2])[held]
    true = (turned[:, 0] - turned[:, 2])[held]
    assert np.abs(found - found.mean() - (true - true.mean())).max() < 3 * STOPS_A_MIRED


def test_its_colours_are_measured_under_each_frame_s_own_white(chart24: Layout) -> None:
    _, encode, stops = drawn(0)
    made = profile(filmed(chart24, encode, stops, turned=wandering(len(stops), 0)))
    held = profile(filmed(chart24, encode, stops))
    assert np.abs(made.matrix - TURN).max() < np.abs(held.matrix - TURN).max() + 0.01
    assert made.delta_e00_mean < held.delta_e00_mean + 0.1
    assert any("chose its white by itself" in w for w in made.warnings)
    assert not any("chose its white by itself" in w for w in held.warnings)


@pytest.mark.parametrize("seed", range(6))
def test_a_white_that_holds_is_not_taken_for_one_that_is_chosen(seed: int, chart24: Layout) -> None:
    _, encode, stops = drawn(seed)
    seen, _ = neutral_series(encode, chart24, np.random.default_rng(seed), stops)
    assert not recover(seen).turns


def test_marked_apertures_are_refined(chart24: Layout) -> None:
    _, encode, stops = drawn(0)
    seen, true = neutral_series(encode, chart24, np.random.default_rng(4), stops)
    curve = recover(seen)
    assert np.abs(seen.stops - true).max() > 0.2
    assert np.abs(curve.stops - true).max() < 0.03


def test_a_table_goes_on_evenly_beyond_its_data(chart24: Layout) -> None:
    _, encode, stops = drawn(2)
    curve = recover(neutral_series(encode, chart24, np.random.default_rng(1), stops)[0])
    signal = np.linspace(-0.1, 1.1, 400)
    assert (np.diff(curve.decode(signal)) >= 0).all()
    inside = np.linspace(curve.y[0], curve.y[-1], 50)
    assert np.allclose(curve.encode(curve.decode(inside)), inside, atol=1e-6)


def test_too_little_data_is_refused(chart24: Layout) -> None:
    _, encode, _ = drawn(0)
    seen, _ = neutral_series(encode, chart24, np.random.default_rng(1), range(2))
    with pytest.raises(AquinError, match="too short"):
        recover(seen)
    seen, _ = neutral_series(encode, chart24, np.random.default_rng(1))
    nothing = Observations(seen.signal, seen.sigma, np.zeros_like(seen.use), seen.reflectance, seen.stops)
    with pytest.raises(AquinError, match="clear of clipping"):
        recover(nothing)


# the whole profile: curve, matrix, comparison, export


@pytest.fixture(scope="module")
def made(chart24: Layout) -> Profile:
    return profile(filmed(chart24, drawn(0)[1]))


def test_the_matrix_is_found_with_neutrals_kept_neutral(made: Profile) -> None:
    assert np.allclose(made.matrix.sum(axis=1), 1, atol=1e-9)
    assert np.allclose(made.matrix, TURN, atol=0.02)
    assert made.delta_e00_mean < 0.3


def test_a_profile_becomes_an_encoding_that_undoes_the_camera(
    made: Profile, chart24: Layout, config: ColourConfig
) -> None:
    encode = drawn(0)[1]
    encoding = made.encoding("Test camera")
    assert isinstance(encoding, MeasuredEncoding)
    known = config.with_encodings(encoding)
    signal = encode(chart24.ap1 @ np.linalg.inv(TURN).T).astype(np.float32)
    assert np.allclose(known.to_linear("Test camera")(signal), chart24.ap1, rtol=0.03, atol=1e-3)
    assert np.allclose(known.from_linear("Test camera")(chart24.ap1.astype(np.float32)), signal, atol=5e-3)
    assert np.allclose(np.array(encoding.matrix), np.linalg.inv(AP0_TO_AP1) @ made.matrix)
    with pytest.raises(AquinError, match="name"):
        made.encoding("bad, name")


def test_a_baked_camera_becomes_a_table_in_the_configuration(chart24: Layout, config: ColourConfig) -> None:
    _, encode, stops = drawn(2)
    baked = profile(filmed(chart24, encode, stops))
    assert baked.curve.log is None
    known = config.with_encodings(baked.encoding("Baked camera"))
    grey = np.full((1, 3), float(encode(np.array([0.18]))[0]), np.float32)
    assert np.log2(known.to_linear("Baked camera")(grey)[0, 1] / 0.18) == pytest.approx(0, abs=0.05)
    assert any("no simple family" in w for w in baked.warnings)


def test_a_profile_names_the_encoding_it_is(config: ColourConfig, chart24: Layout) -> None:
    name = log_curves()[2]
    back = config.from_linear(name)

    def encode(x: np.ndarray) -> np.ndarray:
        return back(np.asarray(x, np.float32)).astype(float)

    steps = filmed(chart24, encode)
    found = profile(steps)
    assert compare(found, config, name).rms < 0.03
    first = nearest(found, config)[0]
    assert first.rms <= compare(found, config, name).rms + 1e-9
    assert "differs from" in first.line()


def test_a_gap_and_a_wrong_mark_are_warned_of(chart24: Layout) -> None:
    steps = [s for s in filmed(chart24, drawn(0)[1]) if s.stops not in (2.0, 3.0)]
    wrong = [Step(s.stops + (0.6 if s.stops == -3 else 0), s.reading, s.name) for s in steps]
    warnings = " ".join(profile(wrong).warnings)
    assert "gap of 3.0 stops" in warnings
    assert "check its marking" in warnings


def test_a_sensor_that_clips_below_the_files_ceiling_is_left_out(chart24: Layout) -> None:
    curve = LogCurve(0.25, 5.5, 0.05, 0.386, 0.01)
    clear = profile(filmed(chart24, curve.encode, range(-6, 7)))
    clipped = profile(filmed(chart24, lambda x: curve.encode(np.minimum(x, 8.0)), range(-6, 7)))
    assert clear.over > clipped.over + 1
    at = np.linspace(-5, 4, 40)
    assert np.abs(np.log2(clipped.curve.decode(curve.encode(0.18 * 2.0**at)) / 0.18) - at).max() < 0.05


def test_a_series_read_with_two_charts_is_refused(chart24: Layout) -> None:
    from aquin.charts.layout import layout

    steps = filmed(chart24, drawn(0)[1])
    card = layout("video-chart")
    steps.append(Step(7.0, reading(card, card.ap1)))
    with pytest.raises(AquinError, match="different chart layouts"):
        profile(steps)


def crushed(foot: float, head: float) -> Curve:
    """A display's curve as a table (IEC 61966-2-1 between its ends), that begins and ends flat: blacks are crushed and
    whites pressed together, `foot` and `head` stops wide.
    """
    u = np.linspace(-8.0, 1.0, 1440)
    light = np.exp2(u)
    signal = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    low, high = np.interp(u[0] + foot, u, signal), np.interp(u[-1] - head, u, signal)
    y = np.maximum.accumulate(np.clip(signal, low, high) + 1e-9 * np.arange(len(u)))
    none = np.zeros(0)
    return Curve("spline", None, u, y, -8.0, 1.0, none, np.zeros(3), 0.0, np.zeros((0, 4)), np.zeros(len(u)))


@pytest.mark.parametrize("foot", [0.0, 1.5, 3.0])
def test_below_its_data_a_crushed_curve_goes_to_black_and_not_far_below(foot: float) -> None:
    """Of a saturated colour a display-referred camera records one channel next to nothing: that is hardly any light,
    not a stop or more of negative light (it had been -0.8).
    """
    curve = crushed(foot, 0.0)
    signal = np.linspace(0, 0.2, 400)
    light = curve.decode(signal)
    assert (np.diff(light) >= 0).all()
    assert light.min() > -0.08 and abs(float(curve.decode(np.array([0.004]))[0])) < 0.06
    inside = np.array([0.3, 0.6])
    assert curve.encode(curve.decode(inside)) == pytest.approx(inside, abs=1e-3)


@pytest.mark.parametrize("head", [0.0, 0.2])
def test_above_its_data_a_curve_goes_on_without_a_jump(head: float) -> None:
    curve = crushed(0.0, head)
    signal = np.linspace(curve.y[-1] - 0.01, curve.y[-1] + 0.01, 200)
    stops = np.log2(curve.decode(signal))
    assert (np.diff(stops) >= 0).all() and np.diff(stops).max() < 0.05 + head
