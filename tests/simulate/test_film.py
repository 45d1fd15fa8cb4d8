"""Files of the simulation, read back by frames/: what was rendered, within the format's quantisation."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate.film import planes_of, write_movie, write_still


def lines(random: np.random.Generator, count: int = 3) -> list[np.ndarray]:
    """Frames whose rows are each of one colour, so that chroma filters change nothing across."""
    return [np.repeat(random.random((36, 1, 3)), 64, axis=1).astype(np.float32) for _ in range(count)]


@pytest.mark.parametrize("range_", ["legal", "full"])
@pytest.mark.parametrize("pixels", ["yuv444p10le", "yuv422p10le"])
def test_a_lossless_movie_is_what_was_rendered(
    pixels: str, range_: str, tmp_path: Path, random: np.random.Generator
) -> None:
    """Half a code of luma and half a code of chroma through the largest weight of BT.709 (1.8556)."""
    frames = lines(random)
    write_movie(tmp_path / "a.mkv", frames, "01:00:00:00", "X001", pixels=pixels, range=range_)
    source = open_source(tmp_path / "a.mkv")
    assert source.metadata["reel_name"] == "X001"
    assert (source.start, source.count, source.rate) == ("01:00:00:00", 3, 24)
    assert source.signal.range == range_
    span = {"legal": (876, 896), "full": (1023, 1023)}[range_]
    for number in (2, 0):
        apart = np.abs(source.read(number).rgb - frames[number]).max()
        assert apart < 0.5 / span[0] + 0.5 * 1.8556 / span[1] + 1e-6


@pytest.mark.parametrize("codec", ["libx264", "libx265"])
def test_a_compressed_movie_is_near_and_keeps_its_flags(codec: str, tmp_path: Path) -> None:
    y, x = np.mgrid[:144, :256]
    picture = np.stack([0.2 + x / 600, 0.3 + y / 500, 0.5 + 0 * x], -1).astype(np.float32)
    write_movie(
        tmp_path / "a.mov",
        [picture] * 4,
        "10:20:30:05",
        "B02",
        codec,
        "yuv420p10le",
        range="full",
        tags={"comment": "Egret Log"},
    )
    source = open_source(tmp_path / "a.mov")
    assert (source.start, source.signal.range, source.signal.bits) == ("10:20:30:05", "full", 10)
    assert source.metadata["reel_name"] == "B02"
    assert source.metadata["comment"] == "Egret Log"
    assert np.abs(source.read(2).rgb - picture).mean() < 2 / 1023


def test_a_wrong_flag_a_missing_timecode_and_another_rate_can_be_written(
    tmp_path: Path, random: np.random.Generator
) -> None:
    frames = lines(random)
    write_movie(
        tmp_path / "a.mkv", frames, None, "X", pixels="yuv444p10le", said_range="full", rate=Fraction(25)
    )
    source = open_source(tmp_path / "a.mkv")
    assert (source.start, source.rate, source.signal.range) == (None, 25, "full")
    right = open_source(tmp_path / "a.mkv", range="legal")
    assert np.abs(right.read(0).rgb - frames[0]).max() < 0.0025
    assert np.abs(source.read(0).rgb - frames[0]).max() > 0.03


@pytest.mark.parametrize(
    ("name", "depth", "step"),
    [("a.exr", "half", 2**-11), ("a.dpx", "uint10", 0.515 / 1023), ("a.tif", "uint16", 0.5 / 65535)],
)
def test_stills_are_what_was_rendered(
    name: str, depth: str, step: float, tmp_path: Path, random: np.random.Generator
) -> None:
    """Half floats have 11 significant bits (IEEE 754-2008); integer files round to the next code (the reader
    of .dpx spreads 10 bits over 16, which costs up to 0.015 of a code)."""
    picture = random.random((32, 48, 3)).astype(np.float32)
    write_still(tmp_path / name, picture, "09:08:07:06", "A03", depth)
    source = open_source(tmp_path / name)
    assert np.abs(source.read(0).rgb - picture).max() <= step * 1.001
    if name != "a.tif":
        assert (source.start, source.rate) == ("09:08:07:06", 24)


def test_codes_are_those_of_bt709() -> None:
    """ITU-R BT.709-6 item 3.4: black 64, white 940, red's Cr 960 (10 bit), luma by the weights."""
    picture = np.zeros((2, 8, 3), np.float32)
    picture[:, 2:4] = 1
    picture[:, 4:6] = (1, 0, 0)
    y, cb, cr = planes_of(picture, "yuv444p10le")
    assert y[0, [0, 2, 4]].tolist() == [64, 940, round(64 + 876 * 0.2126)]
    assert cr[0, 4] == 960
    assert cb[0, 2] == 512
    y, cb, cr = planes_of(picture, "yuv420p10le", range="full")
    assert (cb.shape, y[0, 2]) == ((1, 4), 1023)


def test_a_folder_that_is_not_there_is_named(tmp_path: Path) -> None:
    with pytest.raises(AquinError, match="can't be written"):
        write_movie(tmp_path / "no" / "a.mkv", [np.zeros((8, 8, 3), np.float32)], None, "X")
    with pytest.raises(AquinError, match="can't be written"):
        write_still(tmp_path / "no" / "a.exr", np.zeros((8, 8, 3), np.float32), None, "X")
