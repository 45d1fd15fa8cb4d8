"""Regions: parts of the picture with a trim of their own, against geometry, the ASC CDL of OpenColorIO, and
colour-science.
"""

import json
import warnings
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from aquin.colour import acescct
from aquin.colour.baked import BakedView
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.colour.primaries import AP1_LUMA, AP1_TO_XYZ
from aquin.colour.region import WHOLE, Ellipse, Key, Region
from aquin.desk.kit.preview import show
from aquin.exchange import grade_file

EVERYWHERE = Ellipse(0.5, 0.5, 4.0, 4.0, 0.0, 0.0)


def patch(*linear: float, size: tuple[int, int] = (8, 12)) -> np.ndarray:
    return np.broadcast_to(np.array(linear, np.float64), (*size, 3)).copy()


@pytest.mark.parametrize("turn", [0.0, 30.0, 90.0, -47.0])
def test_an_ellipse_covers_what_geometry_says(turn: float) -> None:
    """Area pi a b (elementary geometry); its half covered share lies in the middle of a linear-in-radius
    smooth step.
    """
    made = Ellipse(0.5, 0.5, 0.20, 0.10, turn, 0.0)
    mask = made.mask(400, 640)
    assert mask.sum() / 640**2 == pytest.approx(np.pi * 0.2 * 0.1, rel=0.01)
    y, x = np.nonzero(mask > 0.5)
    spread = np.cov(np.stack([x, y]))  # of an ellipse: a quarter of the squared half axes
    assert np.sqrt(4 * np.linalg.eigvalsh(spread)[::-1]) / 640 == pytest.approx([0.2, 0.1], rel=0.02)
    values, vectors = np.linalg.eigh(spread)
    wide = vectors[:, values.argmax()]
    assert abs(np.cos(np.radians(turn)) * wide[0] + np.sin(np.radians(turn)) * wide[1]) > 0.999


def test_a_feather_fades_inwards_and_is_smooth() -> None:
    mask = Ellipse(0.5, 0.5, 0.4, 0.4, 0.0, 0.5).mask(200, 200)
    row = mask[100, 100:]
    assert row[0] == 1 and row[38] == 1 and row[-1] == 0
    assert row[60] == pytest.approx(0.5, abs=0.03)  # half way through the feather
    assert (np.diff(row) <= 1e-6).all() and np.abs(np.diff(row)).max() < 0.05


@settings(max_examples=25, deadline=None)
@given(
    x=st.floats(0.1, 0.9),
    y=st.floats(0.1, 0.9),
    wide=st.floats(0.05, 0.5),
    high=st.floats(0.05, 0.5),
    turn=st.floats(-180, 180),
)
def test_a_window_of_the_picture_sees_the_same_ellipse(
    x: float, y: float, wide: float, high: float, turn: float
) -> None:
    made = Ellipse(x, y, wide, high, turn, 0.4)
    whole = made.mask(120, 200)
    part = made.mask(60, 80, (0.25, 0.25, 0.65, 0.75))
    assert part == pytest.approx(whole[30:90, 50:130], abs=1e-4)
    small = made.mask(60, 100)  # the same at half the size
    assert np.abs(small - whole.reshape(60, 2, 100, 2).mean(axis=(1, 3))).max() < 0.06


def test_exposure_is_a_gain_in_scene_linear_and_fades_evenly_in_stops() -> None:
    light = patch(0.2, 0.15, 0.1)
    log = acescct.encode(light)
    full = Region("lift", EVERYWHERE, stops=1.5).apply(log)
    assert acescct.decode(full) == pytest.approx(light * 2**1.5, rel=1e-9)
    soft = Region("lift", Ellipse(0.5, 0.5, 0.4, 0.4, 0.0, 0.8), stops=1.0)
    picture = acescct.encode(patch(0.2, 0.15, 0.1, size=(60, 60)))
    stops = np.log2(acescct.decode(soft.apply(picture))[..., 0] / 0.2)
    assert stops == pytest.approx(soft.mask(picture), abs=1e-5)


@pytest.mark.parametrize("mired", [-40.0, 25.0])
def test_warmth_moves_a_neutral_by_as_many_mired(mired: float) -> None:
    """Correlated colour temperature by colour-science (Ohno 2014)."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour
    out = acescct.decode(
        Region("warm", EVERYWHERE, mired=mired).apply(acescct.encode(patch(0.18, 0.18, 0.18)))
    )
    kelvin = []
    for rgb in (np.full(3, 0.18), out[0, 0]):
        xyz = AP1_TO_XYZ @ rgb
        uv = colour.xy_to_UCS_uv(xyz[:2] / xyz.sum())
        kelvin.append(float(colour.temperature.uv_to_CCT_Ohno2013(uv)[0]))
    assert 1e6 / kelvin[1] - 1e6 / kelvin[0] == pytest.approx(mired, abs=0.5)
    assert out[0, 0] @ AP1_LUMA == pytest.approx(0.18, rel=1e-6)  # no brighter for it


def test_saturation_is_that_of_the_asc_cdl() -> None:
    """OpenColorIO's CDLTransform without clamping (ASC CDL v1.2)."""
    random = np.random.default_rng(5)
    log = random.uniform(0.2, 0.7, (6, 7, 3)).astype(np.float32)
    cdl = ocio.CDLTransform()
    cdl.setSat(0.6)
    cdl.setStyle(ocio.CDL_NO_CLAMP)
    cpu = ocio.Config.CreateRaw().getProcessor(cdl).getDefaultCPUProcessor()
    wanted = log.copy()
    cpu.applyRGB(wanted)
    assert Region("dull", EVERYWHERE, saturation=0.6).apply(log) == pytest.approx(wanted, abs=2e-6)


def test_a_key_holds_its_hue_and_level_and_leaves_the_rest() -> None:
    red, green, grey = patch(0.5, 0.1, 0.1), patch(0.1, 0.5, 0.1), patch(0.2, 0.2, 0.2)
    picture = acescct.encode(np.concatenate([red, green, grey], axis=1))
    made = Region("reds", key=Key(0.0, 25.0, 0.02), stops=-1.0)
    mask = made.mask(picture)
    assert (mask[:, :12] > 0.99).all() and (mask[:, 12:] < 1e-6).all()
    out = made.apply(picture)
    assert out[:, 12:] == pytest.approx(picture[:, 12:])
    assert acescct.decode(out)[0, 0, 0] == pytest.approx(0.25, rel=1e-3)
    dark = Key(0.0, 180.0, 0.0, -8.0, -1.0, 0.1).mask(acescct.encode(patch(0.18, 0.18, 0.18)))
    low = Key(0.0, 180.0, 0.0, -8.0, -1.0, 0.1).mask(acescct.encode(patch(0.04, 0.04, 0.04)))
    assert (dark < 1e-6).all() and (low > 0.99).all()
    other = Region("not the reds", key=made.key, stops=-1.0, outside=True)
    assert other.mask(picture) == pytest.approx(1 - mask)
    both = Region("both", Ellipse(0.0, 0.5, 0.1, 0.1, 0.0, 0.0), made.key, stops=-1.0)
    assert 0 < both.mask(picture).sum() < mask.sum()


def test_a_grade_keeps_its_regions_and_says_what_no_file_can_hold(tmp_path: Path) -> None:
    regions = (
        Region("face", Ellipse(0.4, 0.3, 0.1, 0.14), stops=0.3, mired=-5.0),
        Region("wall", None, Key(210.0), saturation=0.8),
        Region("idle", Ellipse()),
    )
    grade = Grade(softness=0.4, regions=regions)
    assert Grade.of(json.loads(json.dumps(grade.values()))) == grade
    assert grade.by_place and not Grade(regions=regions[2:]).by_place
    half = grade.at_strength(0.5)
    assert half.regions[0].stops == pytest.approx(0.15) and half.regions[1].saturation == pytest.approx(0.9)
    assert "face" in grade.beyond_lut and "wall" in grade.beyond_lut and "idle" not in grade.beyond_lut
    for name in ("a.cdl", "a.clf", "a.cube"):
        grade_file.write(tmp_path / name, grade, "a", size=33)
        text = (tmp_path / name).read_text()
        assert "Not in this file" in text and "face (ellipse)" in text and "wall (key)" in text, name
    light = patch(0.2, 0.2, 0.2, size=(40, 60))
    seen = acescct.decode(grade.picture(light))
    assert seen[0, 0] == pytest.approx(light[0, 0], rel=1e-6) and seen[12, 24, 1] > 0.23


@pytest.mark.parametrize(
    "values",
    [
        {"name": "x", "stops": 0, "mired": 0, "saturation": 1},
        {"name": "x", "stops": 9, "mired": 0, "saturation": 1, "ellipse": {}},
        {"name": "x", "stops": 0, "mired": float("nan"), "saturation": 1, "key": {}},
        {"name": "x", "stops": 0, "mired": 0, "saturation": 1, "ellipse": {"wide": 0}},
        {"name": "x", "stops": 0, "mired": 0, "saturation": 1, "ellipse": {"feather": 2}},
        {"name": "x", "stops": 0, "mired": 0, "saturation": 1, "key": {"low": 3, "high": 1}},
        {"name": "x", "stops": 0, "mired": 0, "saturation": 1, "key": {"run": "rm"}},
    ],
)
def test_spoilt_regions_are_refused(values: dict[str, object]) -> None:
    with pytest.raises((ValueError, TypeError)):
        Region.of(values)
    with pytest.raises((ValueError, TypeError, KeyError)):
        Grade.of(Grade().values() | {"regions": [values]})


def test_the_preview_in_two_halves_shows_the_same_regions(builtin: ColourConfig) -> None:
    baked = BakedView.bake(builtin.view(*builtin.default_view()), 33)
    light = np.random.default_rng(1).random((91, 161, 3)).astype(np.float32)
    regions = (
        Region("a", Ellipse(0.4, 0.3, 0.2, 0.1, 30.0, 0.4), stops=1.0, mired=20.0),
        Region("k", None, Key(), saturation=0.5),
    )
    for grade in (Grade(regions=regions), Grade(regions=regions, softness=1.2)):
        for window in (WHOLE, (0.2, 0.1, 0.7, 0.6)):
            pixels = show(light, grade, baked, 1.0, window).pixels[..., 2::-1].astype(float)
            exact = baked.process(np.asarray(grade.picture(light, 1.0, window), np.float32))
            assert np.abs(pixels - np.clip(exact, 0, 1) * 255).max() <= 0.51
