"""Movies: exact codes, matrices, ranges, seeking and timecode."""

import tracemalloc
from fractions import Fraction
from pathlib import Path

import colour
import numpy as np
import pytest

from aquin.errors import AquinError
from aquin.frames import open_source, ycbcr
from aquin.frames.chroma_site import LEFT
from aquin.frames.timecode import frames_of, timecode_of
from aquin.frames.ycbcr import Planes, to_rgb
from films import movie

RAMP = np.tile(np.arange(0, 1024, dtype=np.uint16), (16, 1))


def grey(codes: np.ndarray, middle: int, wide: int = 2, tall: int = 1) -> list[np.ndarray]:
    chroma = np.full((codes.shape[0] // tall, codes.shape[1] // wide), middle, codes.dtype)
    return [codes, chroma, chroma]


@pytest.mark.parametrize(
    ("codec", "pixels", "name", "wide", "tall"),
    [
        ("ffv1", "yuv422p10le", "a.mkv", 2, 1),
        ("ffv1", "yuv444p10le", "a.mkv", 1, 1),
        ("libx265", "yuv420p10le", "a.mov", 2, 2),
        ("libx264", "yuv422p10le", "a.mp4", 2, 1),
    ],
)
def test_a_10_bit_ramp_comes_back_within_half_a_code(
    codec: str, pixels: str, name: str, wide: int, tall: int, tmp_path: Path
) -> None:
    """BT.2100-2 table 9: legal 10-bit black is 64 and white 940."""
    ramp = RAMP.clip(4, 1019)
    source = open_source(movie(tmp_path / name, lambda n: grey(ramp, 512, wide, tall), 3, codec, pixels))
    frame = source.read(1)
    assert source.signal.bits == 10
    assert np.abs(frame.rgb * 876 + 64 - ramp[..., None]).max() < 0.5
    assert len(np.unique(frame.rgb[8, :, 1])) == 1016


def test_12_bit_rgb_comes_back_within_half_a_code(tmp_path: Path) -> None:
    ramp = np.tile(np.arange(0, 4096, 4, dtype=np.uint16), (8, 1))
    source = open_source(
        movie(tmp_path / "a.mkv", lambda n: [ramp, ramp, ramp], 2, "ffv1", "gbrp12le", 2, None)
    )
    assert (source.signal.matrix, source.signal.range, source.signal.bits) == ("rgb", "full", 12)
    assert np.abs(source.read(0).rgb * 4095 - ramp[..., None]).max() < 0.5


def test_8_bit_h264_is_read_as_legal(tmp_path: Path) -> None:
    ramp = np.tile(np.arange(16, 236, dtype=np.uint8), (16, 1))
    source = open_source(movie(tmp_path / "a.mp4", lambda n: grey(ramp, 128, 2, 2), 3, "libx264", "yuv420p"))
    assert source.signal.bits == 8
    assert np.abs(source.read(2).rgb * 219 + 16 - ramp[..., None]).max() < 0.5


@pytest.mark.parametrize(
    ("number", "name", "standard"),
    [(1, "bt709", "ITU-R BT.709"), (6, "bt601", "ITU-R BT.601"), (9, "bt2020", "ITU-R BT.2020")],
)
def test_matrices_agree_with_the_reference_library(
    number: int, name: str, standard: str, tmp_path: Path
) -> None:
    """ITU-R BT.601-7, BT.709-6, BT.2020-2 through colour-science."""
    random = np.random.default_rng(3)
    rows = [random.integers(200, 800, (16, 1)).repeat(32, 1).astype(np.uint16) for _ in range(3)]
    source = open_source(movie(tmp_path / "a.mkv", lambda n: rows, 1, "ffv1", "yuv444p10le", 1, number))
    assert source.signal.matrix == name
    assert source.signal.matrix_from == "file"
    codes = np.stack([r[:, 0] for r in rows], axis=1)
    theirs = colour.YCbCr_to_RGB(
        codes,
        K=colour.WEIGHTS_YCBCR[standard],
        in_bits=10,
        in_legal=True,
        in_int=True,
        out_legal=False,
        clamp_int=False,
    )
    assert np.abs(source.read(0).rgb[:, 5] - theirs).max() < 2e-5


def test_range_and_matrix_can_be_overridden_and_say_so(tmp_path: Path) -> None:
    path = movie(tmp_path / "a.mkv", lambda n: grey(RAMP.clip(4, 1019), 512), 1, range=None, matrix=None)
    told = open_source(path)
    assert (told.signal.range, told.signal.range_from, told.signal.matrix_from) == (
        "legal",
        "assumed",
        "assumed",
    )
    full = open_source(path, matrix="bt2020", range="full")
    assert (full.signal.range_from, full.signal.matrix_from, full.signal.matrix) == ("user", "user", "bt2020")
    assert full.read(0).rgb[0, 512, 0] == pytest.approx(512 / 1023, abs=1e-6)
    with pytest.raises(AquinError, match="matrix"):
        open_source(path, matrix="rgb")


def test_half_width_chroma_is_interpolated_from_its_left_sites(tmp_path: Path) -> None:
    luma = np.full((4, 8), 500, np.uint16)
    cr = np.tile(np.array([400, 500, 600, 700], np.uint16), (4, 1))
    source = open_source(movie(tmp_path / "a.mkv", lambda n: [luma, np.full((4, 4), 512, np.uint16), cr], 1))
    red = source.read(0).rgb[1, :, 0] - source.read(0).rgb[1, :, 0].min()
    assert np.allclose(np.diff(red)[:6], np.diff(red)[0], rtol=1e-4)


@pytest.mark.parametrize(
    ("codec", "name", "pixels"),
    [("ffv1", "a.mkv", "yuv422p10le"), ("libx265", "a.mov", "yuv420p10le"), ("libx264", "a.mp4", "yuv420p")],
)
def test_seeking_is_exact_in_any_order(codec: str, name: str, pixels: str, tmp_path: Path) -> None:
    eight = pixels == "yuv420p"
    tall = 1 if "422" in pixels else 2
    kind, low, middle = (np.uint8, 16, 128) if eight else (np.uint16, 64, 512)

    def planes(n: int) -> list[np.ndarray]:
        return grey(np.full((32, 64), low + 3 * n, kind), middle, 2, tall)

    source = open_source(movie(tmp_path / name, planes, 70, codec, pixels, timecode="10:04:11:02"))
    assert (source.first, source.last, source.rate) == (0, 69, 24)
    scale = 219 if eight else 876
    for number in (0, 69, 30, 31, 29, 5, 47, 46, 11, 12, 13):
        frame = source.read(number)
        assert frame.number == number
        assert round(float(frame.rgb[4, 4, 1]) * scale / 3) == number
    assert source.number_at("10:04:12:02") == 24
    assert source.read(24).timecode == "10:04:12:02"
    with pytest.raises(AquinError, match="0 to 69"):
        source.read(70)
    with pytest.raises(AquinError, match="no frame"):
        source.number_at("10:05:00:00")
    source.close()
    assert source.read(3).number == 3


@pytest.mark.parametrize("site", [LEFT, (0.5, 0.5), (0.0, 0.0)])
@pytest.mark.parametrize(("wide", "tall"), [(1, 1), (2, 1), (2, 2), (4, 1), (4, 4)])
def test_colours_are_the_same_worked_on_in_bands(
    wide: int, tall: int, site: tuple[float, float], monkeypatch: pytest.MonkeyPatch
) -> None:
    h, w = 613, 70
    random = np.random.default_rng(3)
    sizes = ((h, w), (-(-h // tall), -(-w // wide)), (-(-h // tall), -(-w // wide)))
    planes = Planes(*(random.integers(0, 1024, s).astype("<u2") for s in sizes), 10, False)
    banded = to_rgb(planes, "bt709", "legal", site)
    monkeypatch.setattr(ycbcr, "BAND", 1024)
    assert np.array_equal(to_rgb(planes, "bt709", "legal", site), banded)


def test_a_large_picture_needs_little_more_memory_than_itself() -> None:
    sizes = ((2160, 3840), (1080, 1920), (1080, 1920))
    planes = Planes(*(np.full(s, 500, "<u2") for s in sizes), 10, False)
    tracemalloc.start()
    size = to_rgb(planes, "bt709", "legal").nbytes
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 1.3 * size


def test_timecode_counts_by_smpte_st_12() -> None:
    """SMPTE ST 12-1: drop frame leaves out two numbers each minute but every tenth."""
    ntsc = Fraction(30000, 1001)
    assert frames_of("01:00:00;00", ntsc) == 107892
    assert timecode_of(107892, ntsc, True) == "01:00:00;00"
    assert timecode_of(1800, ntsc, True) == "00:01:00;02"
    assert frames_of("10:00:00:00", Fraction(25)) == 900000
    assert timecode_of(24 * 3600 * 24, Fraction(24)) == "00:00:00:00"
    with pytest.raises(AquinError, match="timecode"):
        frames_of("yesterday", Fraction(24))


def test_a_file_without_timecode_says_so(tmp_path: Path) -> None:
    source = open_source(movie(tmp_path / "a.mkv", lambda n: grey(RAMP.clip(4, 1019), 512), 2))
    assert source.read(0).timecode is None
    with pytest.raises(AquinError, match="no timecode"):
        source.number_at("00:00:00:01")


def test_damaged_movies_fail_with_one_clear_line(tmp_path: Path) -> None:
    good = movie(
        tmp_path / "good.mkv",
        lambda n: grey(np.random.default_rng(n).integers(64, 940, (64, 64)).astype(np.uint16), 512),
        30,
    )
    data = good.read_bytes()
    short = tmp_path / "short.mkv"
    short.write_bytes(data[: len(data) // 2])
    source = open_source(short)
    with pytest.raises(AquinError, match=r"short\.mkv"):
        for number in range(source.first, 30):
            source.read(number)
    for name, content in (("noise.mov", bytes(range(256)) * 40), ("text.mp4", b"this is no movie")):
        (tmp_path / name).write_bytes(content)
        with pytest.raises(AquinError, match=name):
            open_source(tmp_path / name)
