"""Raw stills: DNG files of our own, developed to scene-linear and compared with what was put into them."""

from pathlib import Path

import numpy as np
import pytest

from aquin.charts.layout import Layout
from aquin.colour.primaries import ACES_WHITE, AP0_TO_XYZ, xyz_of
from aquin.colour.white import mired_duv
from aquin.errors import AquinError
from aquin.frames import Decode, open_source
from aquin.frames.raw import facts_of
from aquin.simulate.dng import write_dng
from rawfile import HIGH, LEVEL, MATRIX, WIDE, neutral_at, put


def patches(rgb: np.ndarray, layout: Layout) -> np.ndarray:
    """(patches, 3) XYZ at the patches' middles."""
    h, w = rgb.shape[:2]
    x, y = (layout.cells() * [w, h]).astype(int).T
    return np.asarray(rgb[y, x] @ AP0_TO_XYZ.T)


@pytest.fixture
def still(tmp_path: Path, chart24: Layout) -> Path:
    return put(tmp_path / "still.dng", chart24)


@pytest.mark.parametrize("half", [False, True])
def test_a_raw_still_comes_out_as_the_scene_linear_that_was_put_in(
    half: bool, still: Path, chart24: Layout
) -> None:
    """The DNG specification's own road: black, white level, as-shot neutral, colour matrix, adaptation to the ACES
    white (CAT16).
    """
    source = open_source(still, decode=Decode(half=half))
    frame = source.read(0)
    assert (
        frame.rgb.shape
        == (source.height, source.width, 3)
        == ((HIGH, WIDE, 3) if not half else (HIGH // 2, WIDE // 2, 3))
    )
    assert frame.signal.floating
    scale = LEVEL * neutral_at(4200)[1]  # 1.0 is where the sensor's green saturates
    assert np.allclose(patches(frame.rgb, chart24) / scale, chart24.xyz, rtol=0.02, atol=2e-3)


def test_the_white_that_was_set_is_read_from_the_file(still: Path) -> None:
    about = facts_of(still)
    assert about.as_shot is not None
    assert 1e6 / about.as_shot[0] == pytest.approx(4200, abs=5)
    assert about.as_shot[1] == pytest.approx(0, abs=1e-4)
    assert open_source(still).metadata["as shot"].startswith("4200 K")


def test_one_stop_of_exposure_doubles_the_light(still: Path) -> None:
    one, two = (open_source(still, decode=Decode(exposure=e)).read(0).rgb for e in (0.0, 1.0))
    assert np.allclose(two, 2 * one, rtol=1e-5, atol=1e-7)


def test_kelvin_moves_a_neutral_by_the_mired_between(still: Path, chart24: Layout) -> None:
    """Developed for 5600 K, a picture taken under 4200 K comes out warmer by nearly the mired between the two (CIE
    15:2018).
    """
    same, other = (open_source(still, decode=Decode(kelvin=k)).read(0).rgb for k in (4200.0, 5600.0))
    grey = 20
    first, second = (mired_duv(patches(r, chart24)[grey]) for r in (same, other))
    assert second[0] - first[0] == pytest.approx(1e6 / 4200 - 1e6 / 5600, rel=0.2)
    green = open_source(still, decode=Decode(kelvin=4200.0, tint=5.0)).read(0).rgb
    assert (
        mired_duv(patches(green, chart24)[grey])[1] < first[1] - 0.003
    )  # light taken for greener comes out less green


def test_highlights_are_kept_clipped_or_faded(tmp_path: Path, chart24: Layout) -> None:
    """White that saturates the green channel only: kept it turns magenta, clipped and faded it is neutral."""
    path = put(tmp_path / "bright.dng", chart24, 4200.0, 1.45)
    spread = {}
    for highlights in ("keep", "clip", "blend"):
        white = patches(open_source(path, decode=Decode(highlights=highlights)).read(0).rgb, chart24)[18]
        spread[highlights] = abs(mired_duv(white)[1] - mired_duv(xyz_of(ACES_WHITE))[1])
    assert spread["keep"] > 0.004
    assert spread["clip"] < 0.35 * spread["keep"]
    assert spread["blend"] < 0.35 * spread["keep"]


def test_numbered_raw_stills_are_a_sequence(tmp_path: Path, chart24: Layout) -> None:
    for n in (101, 102, 104):
        put(tmp_path / f"take.{n:04d}.dng", chart24)
    source = open_source(tmp_path / "take.0101.dng")
    assert (source.first, source.last, source.kind) == (101, 104, "sequence")
    assert source.read(102).number == 102
    with pytest.raises(AquinError, match="103 is missing"):
        source.read(103)


@pytest.mark.parametrize(
    "settings",
    [
        {"kelvin": 1000},
        {"kelvin": float("nan")},
        {"exposure": 99},
        {"highlights": "sparkle"},
        {"tint": 500},
        {"colour": 1},
    ],
)
def test_impossible_settings_are_refused(settings: dict) -> None:
    with pytest.raises(ValueError, match=r"white|exposure|highlights|unknown"):
        Decode.of(settings)


def test_settings_survive_writing() -> None:
    decode = Decode(0.7, 5200.0, -3.0, "clip", True)
    assert Decode.of(decode.values()) == decode


@pytest.mark.parametrize("what", ["truncated", "foreign", "tags only", "noise"])
def test_what_is_no_raw_file_is_refused_by_name(what: str, still: Path, tmp_path: Path) -> None:
    good = still.read_bytes()
    path = tmp_path / "bad.dng"
    path.write_bytes(
        {
            "truncated": good[: len(good) // 2],
            "foreign": b"this is no picture" * 100,
            "tags only": good[:300],
            "noise": np.random.default_rng(1).bytes(5000),
        }[what]
    )
    with pytest.raises(AquinError, match=r"bad\.dng|raw|tags|read") as caught:
        open_source(path).read(0)
    assert "bad.dng" in caught.value.line()


def test_odd_sizes_make_no_mosaic(tmp_path: Path) -> None:
    with pytest.raises(ValueError, match="even"):
        write_dng(tmp_path / "odd.dng", np.zeros((3, 4, 3)), MATRIX, np.ones(3))
