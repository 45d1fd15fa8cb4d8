"""The simulated cameras against physics."""

from dataclasses import dataclass, replace

import colour
import numpy as np
import pytest

from aquin.simulate import spectra
from aquin.simulate.cameras import (
    CAMERAS,
    EGRET,
    HERON,
    PETREL,
    ROLES,
    SKUA,
    BakedCurve,
    Setting,
    development,
    raw_response,
)
from aquin.simulate.sensor import Exposure, Grain, encode, expose, pattern_of, signal

STILL = replace(HERON, softness=0.0, fixed_pattern=0.0)


def undone(camera, linear: np.ndarray, setting: Setting) -> np.ndarray:
    """Linear RGB back to sensor levels."""
    return linear @ np.linalg.inv(development(camera, setting)).T


@dataclass(frozen=True)
class Observer:
    """A camera that sees as the CIE 1931 observer does."""

    @property
    def sensitivities(self) -> np.ndarray:
        return spectra.observer()


@pytest.mark.parametrize("light", ["D50", "D65", "A", "FL4", "LED-B3"])
def test_a_camera_with_the_colour_matching_functions_sees_xyz(light: str) -> None:
    """CIE 15:2018: XYZ by summation, here through colour-science, against sensor levels."""
    shape = colour.SpectralShape(380, 780, 5)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
    power = colour.SDS_ILLUMINANTS[light].copy().align(shape)
    levels = raw_response(Observer(), spectra.chart_reflectances(), spectra.light(light))  # type: ignore[arg-type]
    for patch, level in zip(spectra.chart_reflectances(), levels, strict=True):
        sd = colour.SpectralDistribution(patch, shape)
        assert level == pytest.approx(
            colour.sd_to_XYZ(sd, observer, power, method="Integration") / 100, abs=1e-6
        )


@pytest.mark.parametrize("stops", [-3.0, -1.0, 0.5, 2.0])
def test_an_exposure_step_is_its_factor_before_clipping(stops: float, random: np.random.Generator) -> None:
    raw = random.uniform(0.01, 0.5, (12, 12, 3)).astype(np.float32)
    one = expose(STILL, raw, Setting(), None)
    assert np.allclose(expose(STILL, raw, Setting(stops=stops), None), 2**stops * one, rtol=1e-5)


def test_shot_noise_grows_with_the_square_root_of_the_signal() -> None:
    """ISO 15739: photon noise is Poisson, so its sigma is the square root of the electrons."""
    camera = replace(STILL, read_noise=0.0)
    spread = []
    for level in (0.02, 0.08, 0.32):
        flat = np.full((200, 200, 3), level, np.float32)
        spread.append(undone(camera, expose(camera, flat, Setting(), Grain(3, 200, 200)), Setting()).std())
    assert spread[1] / spread[0] == pytest.approx(2, rel=0.03)
    assert spread[2] / spread[1] == pytest.approx(2, rel=0.03)
    assert spread[0] == pytest.approx(np.sqrt(0.02 * 0.18 / camera.electrons_at_grey), rel=0.03)


def test_read_noise_is_what_is_left_in_the_dark_and_a_stop_of_index_costs_half_the_light() -> None:
    dark = np.zeros((200, 200, 3), np.float32)
    noise = undone(STILL, expose(STILL, dark, Setting(), Grain(4, 200, 200)), Setting()).std()
    assert noise == pytest.approx(STILL.read_noise * 0.18 / STILL.electrons_at_grey, rel=0.03)
    bright = np.full((200, 200, 3), 0.3, np.float32)
    slow, fast = (
        expose(replace(STILL, read_noise=0.0), bright, Setting(exposure_index=index), Grain(5, 200, 200)).std(
            axis=(0, 1)
        )[1]
        for index in (800, 1600)
    )
    assert fast / slow == pytest.approx(np.sqrt(2), rel=0.03)


def test_noise_is_new_in_each_frame_and_the_same_again_from_its_seed() -> None:
    a, b = Grain(6, 90, 160), Grain(6, 90, 160)
    first, second = a.next().copy(), a.next().copy()
    assert np.array_equal(first, b.next())
    assert abs(np.corrcoef(first.ravel(), second.ravel())[0, 1]) < 0.02
    assert first.std() == pytest.approx(1, abs=0.02)


def test_the_fixed_pattern_stays_and_shows_far_under() -> None:
    pattern = pattern_of(SKUA, 90, 160)
    assert np.array_equal(pattern, pattern_of(SKUA, 90, 160))
    camera = replace(SKUA, softness=0.0)
    flat = np.full((90, 160, 3), 0.18, np.float32)

    def share(stops: float) -> float:
        """How much of a mean over 40 frames is pattern: its spread over the level."""
        grain = Grain(7, 90, 160)
        mean = np.mean(
            [undone(camera, expose(camera, flat, Setting(stops=stops), grain), Setting()) for _ in range(40)],
            0,
        )
        return float(mean.std() / mean.mean())

    assert share(-5) > 8 * share(0)


@pytest.mark.parametrize("name", CAMERAS)
def test_neutral_is_neutral_at_the_cameras_own_white(name: str) -> None:
    camera = CAMERAS[name]
    for light in ("D55", "A", "FL4", "4100K"):
        raw = raw_response(camera, 0.18 * np.ones(81), spectra.light(light))
        assert development(camera, Setting(light)) @ raw == pytest.approx([0.18] * 3, rel=1e-3)


@pytest.mark.parametrize("name", CAMERAS)
def test_cameras_clip_where_they_say(name: str) -> None:
    camera = CAMERAS[name]
    out = undone(camera, expose(camera, np.full((4, 4, 3), 1000.0), Setting(), None), Setting())
    assert out.max() == pytest.approx(0.18 * 2**camera.full_well_stops, rel=1e-4)
    assert signal(camera, expose(camera, np.full((4, 4, 3), 1000.0), Setting(), None)).max() <= 1.0


def test_the_phone_clips_two_and_a_half_stops_over_grey() -> None:
    """Common practice, no published source: a baked-in curve clips at about +2.5 stops."""
    assert PETREL.baked is not None
    grey, below, at = (float(PETREL.baked.encode(np.array(0.18 * 2**s))) for s in (0.0, 2.3, 2.5))
    assert grey == pytest.approx(0.44, abs=0.02)
    assert below < 0.999 <= at


def test_a_baked_curve_comes_back() -> None:
    curve = BakedCurve()
    x = np.linspace(0.001, 1.0, 200)
    assert curve.decode(curve.encode(x)) == pytest.approx(x, abs=1e-4)
    assert (np.diff(curve.encode(x)) > 0).all()


@pytest.mark.parametrize("name", CAMERAS)
def test_the_fast_curve_is_the_exact_curve(name: str) -> None:
    camera = CAMERAS[name]
    x = np.concatenate([np.linspace(-0.02, 0.05, 300), np.geomspace(0.05, 12, 300)]).astype(np.float32)
    linear = np.repeat(x.reshape(20, 30, 1), 3, 2)
    exact = (
        camera.baked.encode(np.maximum(linear, 0)) if camera.baked else camera.encoding.curve.encode(linear)
    )
    assert np.abs(encode(camera, linear) - exact).max() < 3e-5


def test_grey_of_the_log_cameras_sits_near_41_per_cent() -> None:
    """Common practice, no published source: 18 % grey of widely used log curves lies at about 41 % of signal."""
    for camera in (HERON, EGRET, SKUA):
        assert 0.36 < float(camera.encoding.curve.encode(np.array([0.18]))[0]) < 0.46


def test_the_small_camera_is_nearer_to_the_main_one_than_the_others_are() -> None:
    def seen(camera) -> np.ndarray:
        raw = raw_response(camera, spectra.chart_reflectances(), spectra.light("D55"))
        to_ap0 = (camera.encoding if not camera.baked else camera.linear_encoding).to_ap0
        return raw @ development(camera, Setting()).T @ to_ap0.T

    hero = seen(HERON)
    apart = {c.name: np.abs(seen(c) - hero).mean() for c in (EGRET, SKUA, PETREL)}
    assert min(apart, key=apart.get) == "Egret"
    assert apart["Egret"] > 0.001


def test_the_flying_camera_is_too_sharp_and_its_colours_shift_with_exposure() -> None:
    step = np.full((60, 60, 3), 0.1, np.float32)
    step[:, 30:] = 0.4
    flat, over = (signal(c, expose(c, step, Setting(), None))[30, :, 1] for c in (HERON, SKUA))
    assert flat.max() - flat[-1] < 1e-5
    assert over.max() - over[-1] > 0.003
    grey = np.full((8, 8, 3), 0.18, np.float32)
    for camera, shifts in ((HERON, False), (SKUA, True)):
        nominal, wrong = (
            expose(camera, grey, Setting(stops=s, error_stops=s), None).mean((0, 1)) for s in (0.0, 2.0)
        )
        ratio = (wrong / nominal)[[0, 2]] / (wrong / nominal)[1]
        assert (np.abs(ratio - 1).max() > 0.02) == shifts


def test_a_green_tint_setting_is_greener() -> None:
    raw = raw_response(SKUA, np.ones(81), spectra.light("D55"))
    plain, green = (development(SKUA, Setting("D55", tint=t)) @ raw for t in (0.0, 5.0))
    assert green[1] / green[0] > plain[1] / plain[0]


def test_each_role_has_its_own_body_curve_and_primaries() -> None:
    assert [c.letter for c in ROLES.values()] == list("ABCD")
    assert len({c.encoding.curve for c in ROLES.values()}) == 4
    assert len({c.encoding.red for c in ROLES.values()}) == 4
    assert [c.name for c in ROLES.values() if c.baked] == ["Petrel"]


def test_reading_out_again_gives_other_noise_on_the_same_light() -> None:
    once = Exposure(HERON, np.full((54, 96, 3), 0.2, np.float32), Setting())
    grain = Grain(8, 54, 96)
    a, b = once.linear(grain), once.linear(grain)
    assert not np.array_equal(a, b)
    assert a.mean() == pytest.approx(b.mean(), rel=0.01)
    assert once.linear(None) == pytest.approx(
        expose(HERON, np.full((54, 96, 3), 0.2), Setting(), None), rel=1e-6
    )
