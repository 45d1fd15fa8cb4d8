"""The simulated shoot against physics and CIE values."""

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate import spectra
from aquin.simulate.cameras import CAMERAS, HERON, SKUA, Setting, development, expose, raw_response, signal
from aquin.simulate.demo import MARK, build_demo, heron_deck, skua_deck
from aquin.simulate.film import film, write_movie
from aquin.simulate.scene import FIRST_PATCH, reflectances


@pytest.mark.parametrize(
    ("name", "x", "y"),
    [("A", 0.44758, 0.40745), ("D50", 0.34567, 0.35850), ("D65", 0.31272, 0.32903), ("FL4", 0.4402, 0.4031)],
)
def test_lights_have_their_cie_chromaticity(name: str, x: float, y: float) -> None:
    """CIE 15:2018 tables of illuminants."""
    xyz = spectra.xyz_of(np.ones(len(spectra.NM)), spectra.light(name))
    assert xyz[1] == pytest.approx(1.0)
    assert (xyz[:2] / xyz.sum()).tolist() == pytest.approx([x, y], abs=4e-4)


def test_lights_by_colour_temperature_and_unknown_ones() -> None:
    warm = spectra.xyz_of(np.ones(81), spectra.light("2856K"))
    assert (warm[:2] / warm.sum()).tolist() == pytest.approx([0.44758, 0.40745], abs=5e-4)
    with pytest.raises(AquinError, match="no light"):
        spectra.light("moonshine")
    with pytest.raises(AquinError, match="1000K to 25000K"):
        spectra.light("99999K")


def test_white_patch_under_d50_has_its_published_lightness() -> None:
    """ISO 17321-1 white patch: L* about 96.5 under D50 (the usual published value, from memory)."""
    y = spectra.xyz_of(spectra.chart_reflectances()[18], spectra.light("D50"))[1]
    assert 116 * np.cbrt(y) - 16 == pytest.approx(96.0, abs=1.0)


def test_an_exposure_step_is_its_factor_before_clipping(random: np.random.Generator) -> None:
    raw = random.uniform(0.01, 0.5, (12, 12, 3)).astype(np.float32)
    still = replace(HERON, softness=0.0)
    one = expose(still, raw, Setting(), None)
    assert np.allclose(expose(still, raw, Setting(stops=2.0), None), 4 * one, rtol=1e-5)


def test_shot_noise_grows_with_the_square_root_of_the_signal() -> None:
    """ISO 15739: photon noise is Poisson, so its sigma is the square root of the electrons."""
    camera = replace(HERON, softness=0.0, read_noise=0.0)
    inverse = np.linalg.inv(development(camera, Setting())).T
    spread = []
    for level in (0.02, 0.08, 0.32):
        out = (
            expose(camera, np.full((200, 200, 3), level, np.float32), Setting(), np.random.default_rng(3))
            @ inverse
        )
        spread.append(out.std())
    assert spread[1] / spread[0] == pytest.approx(2, rel=0.03)
    assert spread[2] / spread[1] == pytest.approx(2, rel=0.03)
    assert spread[0] == pytest.approx(np.sqrt(0.02 * 0.18 / camera.electrons_at_grey), rel=0.03)


@pytest.mark.parametrize("name", CAMERAS)
def test_neutral_is_neutral_at_the_cameras_own_white(name: str) -> None:
    camera = CAMERAS[name]
    for light in ("D55", "A"):
        raw = raw_response(camera, 0.18 * np.ones(81), spectra.light(light))
        rgb = development(camera, Setting(light)) @ raw
        assert rgb == pytest.approx([0.18] * 3, rel=1e-3)


def test_cameras_clip_where_they_say() -> None:
    bright = np.full((4, 4, 3), 1000.0, np.float32)
    for camera in CAMERAS.values():
        out = expose(camera, bright, Setting(), None) @ np.linalg.inv(development(camera, Setting())).T
        assert out.max() == pytest.approx(0.18 * 2**camera.full_well_stops, rel=1e-4)
        assert signal(camera, expose(camera, bright, Setting(), None)).max() <= 1.0


def test_a_green_tint_setting_is_greener() -> None:
    raw = raw_response(SKUA, np.ones(81), spectra.light("D55"))
    plain, green = (development(SKUA, Setting("D55", tint=t)) @ raw for t in (0.0, 5.0))
    assert green[1] / green[0] > plain[1] / plain[0]


def test_two_cameras_see_the_same_things_from_two_places() -> None:
    assert len(reflectances()) == FIRST_PATCH + 24
    a, b = heron_deck().chart_corners(), skua_deck(0).chart_corners()
    assert 10 < np.abs(a - b).max() < 150
    picture = film(heron_deck(), HERON, "D55", Setting(), None)
    assert picture.shape == (540, 960, 3)
    assert 0.05 < np.median(picture) < 0.5


def test_what_is_written_is_what_is_read(tmp_path: Path, random: np.random.Generator) -> None:
    frames = [np.repeat(random.random((36, 1, 3)), 64, axis=1).astype(np.float32) for _ in range(3)]
    write_movie(tmp_path / "a.mkv", frames, "01:00:00:00", "X001", pixels="yuv444p10le")
    source = open_source(tmp_path / "a.mkv")
    assert source.metadata["reel_name"] == "X001"
    assert (source.start, source.count) == ("01:00:00:00", 3)
    for number in (2, 0):
        # half a code of luma and half a code of chroma, through the largest weight of BT.709 (1.8556)
        assert (
            np.abs(source.read(number).rgb - frames[number]).max()
            < (0.5 + 0.5 * 1.8556 * 876 / 896) / 876 + 1e-6
        )


def test_demo_is_reused_and_never_touches_another_folder(demo: Path, tmp_path: Path) -> None:
    files = {p: p.stat().st_mtime_ns for p in demo.rglob("*") if p.is_file()}
    build_demo(demo)
    assert files == {p: p.stat().st_mtime_ns for p in demo.rglob("*") if p.is_file()}
    (tmp_path / "letter.txt").write_text("mine")
    with pytest.raises(AquinError, match="other things"):
        build_demo(tmp_path)
    assert [p.name for p in tmp_path.iterdir()] == ["letter.txt"]


def test_an_interrupted_demo_is_built_again(tmp_path: Path) -> None:
    folder = tmp_path / "ferry"

    class Stop(Exception):
        pass

    def stop(share: float, text: str) -> None:
        raise Stop

    with pytest.raises(Stop):
        build_demo(folder, stop)
    assert json.loads((folder / MARK).read_text())["version"] == 0


def test_the_truth_stays_outside_the_production(demo: Path) -> None:
    assert not list(demo.rglob("*.npz"))
    assert (demo.parent / "ferry-truth" / "aftdeck.npz").is_file()
    session = json.loads((demo / "ferry.json").read_text())
    assert "truth" not in json.dumps(session)
