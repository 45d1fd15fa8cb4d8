"""Stills and sequences: formats at their own depth, numbering, and files that are not what they should be."""

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.frames.model import MAX_SIDE, check_size
from aquin.simulate.demo import SEED, session_takes
from aquin.simulate.planning import plan


def put(path: Path, rgb: np.ndarray, kind: object, **attributes: object) -> Path:
    spec = oiio.ImageSpec(rgb.shape[1], rgb.shape[0], rgb.shape[2], kind)
    for name, value in attributes.items():
        spec.attribute(name.replace("__", ":"), value)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec)
    assert out.write_image(np.ascontiguousarray(rgb, np.float32))
    out.close()
    return path


@pytest.mark.parametrize(
    ("name", "kind", "levels", "bits"),
    [
        ("a.exr", oiio.FLOAT, 2**24, 32),
        ("a.exr", oiio.HALF, 2048, 16),
        ("a.tif", oiio.UINT16, 65535, 16),
        ("a.png", oiio.UINT16, 65535, 16),
        ("a.png", oiio.UINT8, 255, 8),
        ("a.dpx", oiio.UINT16, 1023, 10),
    ],
)
def test_each_format_keeps_its_depth(name: str, kind: object, levels: int, bits: int, tmp_path: Path) -> None:
    ramp = np.tile(np.linspace(0, 1, 1024, dtype=np.float32)[None, :, None], (3, 1, 3))
    attributes = {"oiio__BitsPerSample": 10} if name == "a.dpx" else {}
    source = open_source(put(tmp_path / name, ramp, kind, **attributes))
    assert source.signal.bits == bits
    assert np.abs(source.read(source.first).rgb - ramp).max() <= 0.5 / levels + 1e-7


def test_exr_keeps_what_lies_outside_zero_to_one(tmp_path: Path) -> None:
    rgb = np.array([[[-0.5, 0.0, 16.0]]], np.float32)
    source = open_source(put(tmp_path / "a.exr", rgb, oiio.FLOAT))
    assert (source.read(0).rgb == rgb).all()
    assert source.signal.floating


def test_legal_range_can_be_set_on_a_still(tmp_path: Path) -> None:
    codes = np.array([[[64, 502, 940]]], np.float32) / 1023
    path = put(tmp_path / "a.dpx", codes, oiio.UINT16, oiio__BitsPerSample=10)
    legal = open_source(path, range="legal")
    assert legal.read(0).rgb[0, 0] == pytest.approx([0, 0.5, 1], abs=1e-3)
    assert (legal.signal.range, legal.signal.range_from) == ("legal", "user")
    with pytest.raises(AquinError, match="matrix"):
        open_source(path, matrix="bt709")


def test_a_sequence_is_found_from_any_member_or_a_pattern(tmp_path: Path) -> None:
    for number in (9, 10, 12):
        put(tmp_path / f"shot.{number:04d}.exr", np.full((2, 2, 3), number / 16, np.float32), oiio.HALF)
    put(tmp_path / "shot.12.exr", np.zeros((2, 2, 3), np.float32), oiio.HALF)
    for name in ("shot.0010.exr", "shot.####.exr", "shot.%04d.exr"):
        source = open_source(tmp_path / name)
        assert (source.kind, source.first, source.last) == ("sequence", 9, 12)
        assert source.read(12).rgb[0, 0, 0] == pytest.approx(12 / 16)
        with pytest.raises(AquinError, match="frame 11"):
            source.read(11)
    assert open_source(tmp_path / "shot.0010.exr", alone=True).count == 1
    with pytest.raises(AquinError, match="pattern"):
        open_source(tmp_path / "other.####.exr")


def test_timecode_and_rate_come_from_the_header(hero_file: Path) -> None:
    source = open_source(hero_file)
    still = session_takes(plan(SEED))[0]
    assert (source.rate, source.start) == (24, still.timecode)
    assert source.read(0).timecode == still.timecode
    assert source.metadata["reelName"] == "A01"


def test_turned_photographs_stand_upright(tmp_path: Path) -> None:
    """EXIF orientation 6: the stored picture's left edge is the top."""
    rgb = np.zeros((2, 3, 3), np.float32)
    rgb[0, 0] = 1
    source = open_source(put(tmp_path / "a.tif", rgb, oiio.UINT16, Orientation=6))
    assert (source.width, source.height) == (2, 3)
    assert source.read(0).rgb[0, 1].tolist() == [1, 1, 1]


def test_grey_and_odd_channels(tmp_path: Path) -> None:
    one = open_source(put(tmp_path / "a.png", np.full((2, 2, 1), 0.5, np.float32), oiio.UINT16)).read(0)
    assert one.rgb.shape == (2, 2, 3)
    assert "one channel" in one.warnings[0]
    four = open_source(put(tmp_path / "b.png", np.full((2, 2, 4), 1.0, np.float32), oiio.UINT16)).read(0)
    assert four.rgb.shape == (2, 2, 3)


def test_pixels_that_are_not_numbers_are_counted(tmp_path: Path) -> None:
    rgb = np.ones((4, 4, 3), np.float32)
    rgb[0, 0, 1], rgb[2, 2, 0] = np.nan, np.inf
    frame = open_source(put(tmp_path / "a.exr", rgb, oiio.FLOAT)).read(0)
    assert np.isfinite(frame.rgb).all()
    assert [w.split(" are ")[0] for w in frame.warnings] == ["1 pixels", "1 pixels"]
    with pytest.raises(AquinError, match="more than half"):
        open_source(put(tmp_path / "b.exr", np.full((4, 4, 3), np.nan, np.float32), oiio.FLOAT)).read(0)


def test_files_that_are_wrong_are_refused_by_name(tmp_path: Path) -> None:
    good = put(tmp_path / "good.exr", np.random.default_rng(1).random((64, 64, 3)), oiio.FLOAT)
    (tmp_path / "empty.exr").write_bytes(b"")
    (tmp_path / "short.exr").write_bytes(good.read_bytes()[:3000])
    (tmp_path / "text.dpx").write_text("not a picture")
    (tmp_path / "notes.txt").write_text("hello")
    (tmp_path / "folder.exr").mkdir()
    for name, word in (
        ("empty.exr", "empty"),
        ("short.exr", ""),
        ("text.dpx", ""),
        ("notes.txt", "not supported"),
        ("folder.exr", "folder"),
        ("missing.exr", "does not exist"),
    ):
        with pytest.raises(AquinError, match=name) as caught:
            open_source(tmp_path / name).read(0)
        assert word in str(caught.value)
        assert caught.value.remedy


def test_huge_dimensions_are_refused_before_memory_is_asked_for(tmp_path: Path) -> None:
    good = put(tmp_path / "a.dpx", np.zeros((4, 4, 3), np.float32), oiio.UINT16)
    data = bytearray(good.read_bytes())
    # SMPTE ST 268: pixels per line and lines at offset 772 and 776
    order = "big" if data[:4] == b"SDPX" else "little"
    data[772:776] = (MAX_SIDE * 3).to_bytes(4, order)
    data[776:780] = (MAX_SIDE * 3).to_bytes(4, order)
    good.write_bytes(bytes(data))
    with pytest.raises(AquinError, match=r"a\.dpx"):
        open_source(good).read(0)


def test_names_with_odd_characters(tmp_path: Path) -> None:
    path = put(tmp_path / "été ‹x› %s #1 b.png", np.full((2, 2, 3), 0.25, np.float32), oiio.UINT16)
    assert open_source(path).read(0).rgb[0, 0, 0] == pytest.approx(0.25, abs=1e-5)


@pytest.mark.parametrize(
    ("size", "limit"),
    [((325_489, 1), "a side of more than 32768 pixels"), ((20_000, 20_000), "more than 160 million pixels")],
)
def test_the_limit_that_was_met_is_named(size: tuple[int, int], limit: str) -> None:
    with pytest.raises(AquinError, match=limit):
        check_size(*size, Path("huge.png"))
    check_size(32_768, 4_000, Path("panorama.png"))
