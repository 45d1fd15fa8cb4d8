"""Looks against OpenColorIO: files of each kind at each strength, and what the parts promise."""

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage import data

from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.colour.hue_warp import hue_of, planes
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.errors import AquinError
from aquin.exchange import clf, cube
from aquin.exchange.grade_file import scene_like
from aquin.look.look import SKIN_HUE, Look
from aquin.look.lut import open_lut
from aquin.look.price import banding_of, price_of

SRGB = "sRGB Encoded Rec.709 (sRGB)"


@lru_cache(maxsize=1)
def builtin() -> tuple[ColourConfig, tuple[str, str]]:
    config = ColourConfig.load()
    return config, config.default_view()


@lru_cache(maxsize=2)
def photograph() -> np.ndarray:
    """scikit-image's `astronaut` (NASA, public domain) as (h, w, 3) ACEScct."""
    linear = builtin()[0].to_linear(SRGB)(data.astronaut()[::4, ::4].astype(np.float32) / 255)
    return np.asarray(acescct.encode(linear), np.float32)


def view(log: Any) -> Any:
    config, screen = builtin()
    return config.view(*screen)(acescct.decode(np.asarray(log, np.float32)))


def through_file(path: Path, rgb: np.ndarray) -> np.ndarray:
    """What OpenColorIO alone makes of colours."""
    ocio.ClearAllCaches()
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_BEST)
    cpu = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    out = np.array(rgb, np.float32).reshape(-1, 3).copy()
    cpu.applyRGB(out)
    return out.reshape(rgb.shape)


def file_of(kind: str, folder: Path) -> Path:
    """A look file as other programs write it: a CDL, a CLF, a cube, and one with a shaper before the cube."""
    path = folder / f"look.{'cube' if kind == 'shaper' else kind}"
    grade = Grade(
        trim=Cdl((1.1, 1.0, 0.95), (-0.02, 0.0, 0.01), (1.05, 1.0, 0.95), 0.9),
        curve=None if kind == "cdl" else ToneCurve((-0.3, -0.2, 0.0, 0.2, -0.1)),
    )
    if kind == "cdl":
        from aquin.exchange import grade_file

        grade_file.write(path, grade, "look")
    elif kind == "clf":
        clf.write(path, grade, "look")
    else:
        shaper = (
            cube.Shaper(-0.1, 1.2, np.repeat(np.linspace(0, 1, 1025)[:, None], 3, 1))
            if kind == "shaper"
            else None
        )
        low, span = (-0.1, 1.3) if shaper is not None else (0.0, 1.0)
        cube.write(
            path, lambda x: grade.apply_linear(acescct.decode(x * span + low)), 33, "look", "", False, shaper
        )
    return path


@pytest.mark.parametrize("kind", ["cdl", "clf", "cube", "shaper"])
@pytest.mark.parametrize("strength", [1.0, 0.5, 0.0])
def test_a_file_through_aquin_is_the_chain_made_by_hand(tmp_path: Path, kind: str, strength: float) -> None:
    """1e-5 where the format holds floats; within a 10-bit code for cubes (the issue's bars)."""
    config, screen = builtin()
    path, log = file_of(kind, tmp_path), scene_like(6000)
    look = Look("file", open_lut(path, "working", "working", config, screen), strength=strength)
    by_hand = log + np.float32(strength) * (through_file(path, log) - log)
    assert np.abs(look.apply(log) - by_hand).max() < (1 / 1023 if kind in ("cube", "shaper") else 1e-5)
    if strength == 0.0:
        assert look.apply(log) is log


@pytest.mark.parametrize("space", ["linear", "display", SRGB])
def test_a_file_of_another_space_is_met_in_its_own(tmp_path: Path, space: str) -> None:
    """A look that expects and gives scene-linear, the screen's signal, or an encoding's."""
    config, screen = builtin()
    path, log = file_of("clf", tmp_path), photograph().reshape(-1, 3)[::7]
    look = Look("file", open_lut(path, space, space, config, screen), strength=1.0)
    linear = np.asarray(acescct.decode(log), np.float32)
    if space == "linear":
        expected = through_file(path, linear)
    elif space == "display":
        expected = config.unview(*screen)(through_file(path, config.view(*screen)(linear)))
    else:
        expected = config.to_linear(space)(through_file(path, config.from_linear(space)(linear)))
    assert np.abs(look.apply(log) - acescct.encode(expected)).max() < 1e-5


def test_what_lies_outside_of_a_cube_is_told(tmp_path: Path) -> None:
    config, screen = builtin()
    lut = open_lut(file_of("cube", tmp_path), "linear", "linear", config, screen)
    log = acescct.encode(np.array([[[0.5] * 3, [0.2] * 3, [1.5, 0.2, 0.2], [-0.01] * 3]], np.float32))
    assert lut.outside(log) == pytest.approx(0.5)
    assert open_lut(file_of("clf", tmp_path), "linear", "linear", config, screen).outside(log) == 0


def test_what_is_no_look_file_is_refused(tmp_path: Path) -> None:
    config, screen = builtin()
    (tmp_path / "a.txt").write_text("x")
    (tmp_path / "b.cube").write_text("LUT_3D_SIZE 2\n0 0 nonsense\n")
    for name in ("a.txt", "b.cube", "missing.cube"):
        with pytest.raises(AquinError) as said:
            open_lut(tmp_path / name, "working", "working", config, screen)
        assert name in said.value.line()
    good = file_of("cube", tmp_path)
    with pytest.raises(AquinError, match="another one"):
        open_lut(good, "working", "working", config, screen, "0" * 64)


parts = st.builds(
    Look,
    curve=st.builds(ToneCurve, st.tuples(*[st.floats(-0.5, 0.5)] * 5)),
    zones=st.builds(ZoneGains, *[st.tuples(*[st.floats(-0.3, 0.3)] * 3)] * 3),
    colour=st.floats(0, 2),
    clean=st.tuples(st.floats(0, 1), st.floats(0, 1)),
)


@settings(max_examples=8)
@given(parts)
def test_strength_goes_evenly_from_nothing_to_all(look: Look) -> None:
    log = scene_like(300).astype(np.float64)
    whole = replace(look, strength=1.0).colours(log) - log
    for strength in (0.0, 0.1, 0.25, 0.5, 0.9, 1.0):
        part = replace(look, strength=strength).colours(log) - log
        assert np.allclose(part, strength * whole, atol=1e-12)
    again = Look.of(look.values())
    assert np.allclose(again.colours(log), look.colours(log), atol=1e-15)


def test_saturation_spares_skin_and_what_is_saturated() -> None:
    def coloured(hue: float, size: float) -> np.ndarray:
        from aquin.colour.hue_warp import AXES

        angle = np.radians(hue)
        return (acescct.GREY + size * (np.cos(angle) * AXES[0] + np.sin(angle) * AXES[1]))[None]

    look = Look(colour=1.5, strength=1.0)

    def gain(log: np.ndarray) -> float:
        return float(np.hypot(*planes(look.colours(log)))[0] / np.hypot(*planes(log))[0])

    pale, skin, strong = gain(coloured(200, 0.02)), gain(coloured(SKIN_HUE, 0.02)), gain(coloured(200, 0.25))
    assert pale > 1.4
    assert skin < 1.2
    assert strong < 1.1
    assert hue_of(look.colours(coloured(200, 0.02)))[0] == pytest.approx(200, abs=1e-6)


def test_cleaning_takes_colour_out_of_black_and_white_only() -> None:
    look = Look(clean=(1.0, 1.0), strength=1.0)
    tinted = acescct.encode(0.18 * np.exp2(np.array([-10.0, 0.0, 5.5]))[:, None] * np.array([1.1, 1.0, 0.85]))
    left = np.hypot(*planes(look.colours(tinted))) / np.hypot(*planes(tinted))
    assert left == pytest.approx([0, 1, 0], abs=1e-6)


def test_only_the_vignette_is_beyond_a_lut() -> None:
    whole = Look(skin=0.3, vignette=0.5, strength=0.75)
    assert "vignette" in whole.beyond_lut
    assert "skin" not in whole.beyond_lut
    assert Look(cdl=Cdl((1.1, 1, 1)), strength=1.0).beyond_cdl == ""
    assert "strength" in Look(cdl=Cdl((1.1, 1, 1)), strength=0.5).beyond_cdl
    picture = photograph()
    shown = whole.picture(picture)
    h, w = picture.shape[:2]
    ratio = acescct.decode(shown) / np.maximum(acescct.decode(picture), 1e-5)
    corner, middle = ratio[2, 2], ratio[h // 2, w // 2]
    assert np.log2(corner).mean() == pytest.approx(-0.75 * 0.5, abs=0.1)
    assert np.log2(middle).max() < 0.3


def test_numbers_that_are_none_are_refused() -> None:
    for wrong in ({"strength": 1.5}, {"colour": -1.0}, {"clean": (0.0, 2.0)}, {"vignette": float("nan")}):
        with pytest.raises(ValueError):
            Look(**wrong)  # type: ignore[arg-type]


def test_a_look_that_does_nothing_costs_nothing() -> None:
    price = price_of(photograph(), Look(strength=1.0), view)
    assert (price.clipped, price.crushed, price.pushed) == (0, 0, 0)
    assert price.banding == pytest.approx(1.0)
    assert price.skin is not None
    assert price.skin[1] == 0


def test_what_a_look_costs_is_told() -> None:
    """Two stops up clip, steep tones band and crush, doubled chroma leaves the display: each reads as what it is."""
    bright = Look(cdl=Cdl((1.0,) * 3, (2 / 17.52,) * 3), strength=1.0)
    steep = Look(cdl=Cdl((2.2,) * 3, (-0.5,) * 3), strength=1.0)
    assert price_of(photograph(), bright, view).skin[1] > 10  # type: ignore[index]
    assert banding_of(steep, view) > 1.8
    assert price_of(photograph(), steep, view).crushed > 5
    assert price_of(photograph(), Look(cdl=Cdl(saturation=3.0), strength=1.0), view).words != "nothing"
