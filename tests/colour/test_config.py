"""The chain on OpenColorIO's configuration."""

from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import PyOpenColorIO as ocio
import pytest

from aquin.colour import acescct
from aquin.colour import config as module
from aquin.colour import config_files as files
from aquin.colour.baked import BakedView, baked_view
from aquin.colour.config import ColourConfig
from aquin.colour.encoding import CameraEncoding, LogCurve
from aquin.errors import AquinError
from aquin.remembered import Remembered

D65 = (0.3127, 0.3290)
CURVE = LogCurve(a=0.24, b=7.0, c=0.08, d=0.37, break_linear=0.008)


def camera(name: str = "Petrel Log", curve: LogCurve | None = CURVE) -> CameraEncoding:
    return CameraEncoding(name, (0.72, 0.29), (0.18, 0.86), (0.12, -0.02), D65, curve)


def test_newest_builtin_studio_configuration_is_the_default(builtin: ColourConfig) -> None:
    names = [entry[0] for entry in ocio.BuiltinConfigRegistry().getBuiltinConfigs()]
    assert builtin.label == [n for n in names if n.startswith("studio")][-1]
    assert len(builtin.encodings()) > 40
    assert "Raw" not in {e.name for e in builtin.encodings()}


def test_every_encoding_comes_back(builtin: ColourConfig, random: np.random.Generator) -> None:
    linear = random.uniform(0.02, 0.8, (64, 3)).astype(np.float32)
    scenes = [e for e in builtin.encodings() if e.kind in ("log", "scene-linear") and "ADX" not in e.name]
    for entry in scenes:
        back = builtin.to_linear(entry.name)(builtin.from_linear(entry.name)(linear))
        assert np.abs(back - linear).max() < 2e-4, entry.name


def test_bt1886_is_a_power_of_2_4(builtin: ColourConfig) -> None:
    """ITU-R BT.1886 annex 1 with a black of 0: L = V ^ 2.4."""
    display = next(d for d, _ in builtin.displays() if "1886" in d)
    grey = np.repeat(np.array([[0.01], [0.18], [0.5], [1.0]], np.float32), 3, axis=1)
    signal = builtin.view(display, "Un-tone-mapped")(grey)
    assert np.abs(signal - grey ** (1 / 2.4)).max() < 1e-4


def test_default_view_is_bt1886_and_an_unknown_one_is_named(builtin: ColourConfig) -> None:
    assert "1886" in builtin.default_view()[0]
    with pytest.raises(AquinError, match="no view 'Nothing'"):
        builtin.view(builtin.default_view()[0], "Nothing")


def test_unknown_encoding_names_near_ones(builtin: ColourConfig) -> None:
    with pytest.raises(AquinError, match="ACEScct"):
        builtin.resolve("ACEScc-t")
    assert builtin.resolve("scene_linear") == "ACEScg"


def test_camera_encoding_is_the_same_in_opencolorio_and_numpy(builtin: ColourConfig) -> None:
    made = builtin.with_encodings(camera())
    signal = np.linspace(0.02, 0.98, 200, dtype=np.float32)
    rgb = np.repeat(signal[:, None], 3, axis=1)
    neutral = made.to_linear("Petrel Log")(rgb)
    assert np.abs(neutral / CURVE.decode(signal.astype(np.float64))[:, None] - 1).max() < 2e-4
    assert np.abs(made.from_linear("Petrel Log")(neutral) - rgb).max() < 2e-5
    assert made.encodings()[0].name == "Petrel Log"
    assert "Petrel Log" not in {e.name for e in builtin.encodings()}


def test_camera_curve_is_smooth_at_its_break() -> None:
    x = np.array([CURVE.break_linear - 1e-7, CURVE.break_linear + 1e-7])
    y = CURVE.encode(x)
    assert (y[1] - y[0]) / 2e-7 == pytest.approx(CURVE.toe[0], rel=1e-3)
    level = np.linspace(-0.02, 8, 500)
    assert np.allclose(CURVE.decode(CURVE.encode(level)), level, atol=1e-9)


def test_written_configuration_reads_back(builtin: ColourConfig, tmp_path: Path) -> None:
    (tmp_path / "config.ocio").write_text(builtin.with_encodings(camera()).text())
    again = ColourConfig.find(None, tmp_path / "media.exr")
    assert again.path == tmp_path / "config.ocio"
    rgb = np.array([[0.4, 0.5, 0.3]], np.float32)
    expected = builtin.with_encodings(camera()).to_linear("Petrel Log")(rgb)
    assert np.allclose(again.to_linear("Petrel Log")(rgb), expected, rtol=1e-4)


def test_what_was_written_here_is_what_reading_it_gives(builtin: ColourConfig, tmp_path: Path) -> None:
    odd = replace(CURVE, a=CURVE.a + 1e-17 / 3, d=1 / 3, b=CURVE.b * (1 + 1e-15))
    made = builtin.with_encodings(camera(curve=odd), camera("Linear Petrel", None))
    path, text = tmp_path / "config.ocio", made.text()
    path.write_text(text)
    files._TEXTS.clear()
    read = ColourConfig.load(path)
    files._TEXTS.clear()
    made.is_written(path, text)
    with mock.patch.object(files.ocio.Config, "CreateFromFile", side_effect=AssertionError):
        known = ColourConfig.load(path)
    assert known.text() == read.text() == text
    assert known._config.getWorkingDir() == read._config.getWorkingDir()
    for name in (e.name for e in read.encodings()):
        assert known.fingerprint(name) == read.fingerprint(name) == made.fingerprint(name)
    for display, views in read.displays():
        for view in views:
            assert known.view(display, view).identity == read.view(display, view).identity
    path.write_text(text.replace("Linear Petrel", "Linear Tern"))
    assert "Linear Tern" in {e.name for e in ColourConfig.load(path).encodings()}


def test_a_view_is_made_ready_once_for_all_configurations_that_have_it(
    builtin: ColourConfig, random: np.random.Generator
) -> None:
    base, other = ColourConfig(builtin._config, "base"), builtin.with_encodings(camera())
    signals = random.uniform(0, 2, (50, 3)).astype(np.float32)
    for display, views in builtin.displays():
        for view in views:
            shared = base.view(display, view)
            assert other.view(display, view) is shared
            with mock.patch.object(module, "_VIEWS", Remembered(4)):
                alone = ColourConfig(builtin._config, "").view(display, view)
            assert alone is not shared and np.array_equal(alone(signals), shared(signals))
    back = base.unview(*base.default_view())
    assert back is not base.view(*base.default_view()) and other.unview(*base.default_view()) is back


def test_camera_encoding_survives_its_file(tmp_path: Path) -> None:
    for made in (camera(), camera("Linear Petrel", None)):
        path = tmp_path / "camera.json"
        made.write(path)
        assert CameraEncoding.read(path) == made


@pytest.mark.parametrize(
    "text",
    [
        "",
        "[]",
        '{"name": "x"}',
        '{"name": "a:b", "red": [0.7,0.3], "green": [0.2,0.8], "blue": [0.1,0.1], "white": [0.31,0.33]}',
        '{"name": "a", "red": [0.7,0.3], "green": [0.7,0.3], "blue": [0.7,0.3], "white": [0.31,0.33]}',
        (
            '{"name": "a", "red": [0.7,0.3], "green": [0.2,0.8], "blue": [0.1,0.1], "white": [0.31,0.33], '
            '"curve": {"a": -1, "b": 1, "c": 1, "d": 0, "break_linear": 0}}'
        ),
    ],
)
def test_wrong_camera_files_are_refused_by_name(text: str, tmp_path: Path) -> None:
    path = tmp_path / "wrong.json"
    path.write_text(text)
    with pytest.raises(AquinError, match=r"wrong\.json"):
        CameraEncoding.read(path)


def test_a_name_of_the_configuration_can_not_be_taken(builtin: ColourConfig) -> None:
    with pytest.raises(AquinError, match="taken"):
        builtin.with_encodings(camera("ACEScct"))


@pytest.mark.parametrize("text", ["", "not a config", "ocio_profile_version: 2\nroles: {}\n"])
def test_wrong_configurations_are_refused_by_name(text: str, tmp_path: Path) -> None:
    path = tmp_path / "config.ocio"
    path.write_text(text)
    with pytest.raises(AquinError, match=r"config\.ocio"):
        ColourConfig.load(path)


def test_baked_preview_error_is_known(builtin: ColourConfig, random: np.random.Generator) -> None:
    view = builtin.view(*builtin.default_view())
    baked = BakedView.bake(view, 33)
    linear = (
        0.18 * 2 ** (random.uniform(-9, 5, (5000, 1)) + random.normal(0, 0.7, (5000, 3)).clip(-2, 2))
    ).astype(np.float32)
    gap = np.abs(baked.process(acescct.encode(linear)) - view(linear)).max(axis=1) * 1023
    assert np.percentile(gap, 99.9) < 1.5 * baked.error_code10[0] + 1
    finer = BakedView.bake(view, 65)
    assert finer.error_code10[0] < baked.error_code10[0]


def test_a_view_is_baked_once_for_all_and_views_that_differ_are_never_taken_for_one_another(
    builtin: ColourConfig,
) -> None:
    view = builtin.view(*builtin.default_view())
    again = builtin.view(*builtin.default_view())
    assert baked_view(view, 17).process is baked_view(again, 17).process
    assert baked_view(view, 17).process is not baked_view(view, 9).process
    colours = (0.18 * 2 ** np.random.default_rng(2).uniform(-6, 6, (300, 3))).astype(np.float32)
    seen: dict[str, np.ndarray] = {}
    for display, names in builtin.displays():
        for name in names:
            one = builtin.view(display, name)
            assert np.array_equal(seen.setdefault(one.identity, one(colours)), one(colours)), (display, name)
    assert len(seen) > 10
