"""Files that are not as usual: odd rates and times, tags that are not decoded, parts, windows, alpha, turned ones."""

import struct
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import OpenImageIO as oiio
import pytest
from opentimelineio import opentime

from aquin.colour.config import ColourConfig
from aquin.frames import open_source
from aquin.frames.model import TRANSFER
from aquin.frames.timecode import frames_of, timecode_of, usual_rate
from aquin.measure.clip import Clip


def movie(
    path: Path,
    values: list[int],
    times: list[int] | None = None,
    rate: Fraction | int = 25,
    codec: str = "ffv1",
    form: str = "yuv444p",
    size: tuple[int, int] = (96, 64),
    timecode: str = "",
    **tags: int,
) -> Path:
    """One even grey a frame; `times` in milliseconds."""
    options = {"qp": "0"} if codec == "libx264" else {}
    with av.open(str(path), "w") as file:
        stream = file.add_stream(codec, rate=rate, options=options)
        stream.width, stream.height, stream.pix_fmt = *size, form
        if times is not None:
            stream.codec_context.time_base = Fraction(1, 1000)
        for name, value in tags.items():
            setattr(stream.codec_context, name, value)
        if timecode:
            file.metadata["timecode"] = timecode
        for k, value in enumerate(values):
            grey = np.full((size[1], size[0], 3), value, np.uint8)
            frame = av.VideoFrame.from_ndarray(grey, format="rgb24").reformat(format=form)
            frame.pts = k if times is None else times[k]
            if times is not None:
                frame.time_base = Fraction(1, 1000)
            for packet in stream.encode(frame):
                file.mux(packet)
        for packet in stream.encode():
            file.mux(packet)
    return path


@pytest.mark.parametrize(
    ("rate", "drop"),
    [
        (Fraction(30000, 1001), True),
        (Fraction(60000, 1001), True),
        (Fraction(30000, 1001), False),
        (Fraction(24000, 1001), False),
        (Fraction(25), False),
        (Fraction(50), False),
        (Fraction(60), False),
    ],
)
def test_timecode_is_that_of_opentimelineio(rate: Fraction, drop: bool) -> None:
    """OpenTimelineIO knows the rates of SMPTE ST 12-1."""
    random = np.random.default_rng(3)
    for count in random.integers(0, 23 * 3600 * round(rate), 500):
        time = opentime.RationalTime(int(count), float(rate))
        code = str(opentime.to_timecode(time, float(rate), drop))
        assert timecode_of(int(count), rate, drop) == code
        assert frames_of(code, rate) == count


@pytest.mark.parametrize(
    "rate", [12, 15, 20, 96, 100, 120, Fraction(120000, 1001), Fraction(60000, 1001), Fraction(48000, 1001)]
)
def test_no_rate_refuses_the_picture(rate: Fraction | int, tmp_path: Path) -> None:
    source = open_source(movie(tmp_path / "a.mkv", [40, 80, 120], rate=rate, timecode="01:00:00:00"))
    assert source.rate == rate
    codes = [source.read(n).timecode for n in range(3)]
    assert codes == ["01:00:00:00", "01:00:00:01", "01:00:00:02"]
    assert source.number_at("01:00:00:02") == 2


def test_a_rate_that_a_file_states_as_its_average_is_the_usual_one() -> None:
    for stated, usual in (
        (Fraction(19001, 317), Fraction(60000, 1001)),
        (Fraction(29011, 242), Fraction(120000, 1001)),
        (Fraction(2500001, 100000), Fraction(25)),
        (Fraction(160000, 7461), Fraction(160000, 7461)),
    ):
        assert usual_rate(stated) == usual


@pytest.mark.parametrize("code", ["99:99:99:99", "01:00:00:77", "reel two", "01:00"])
def test_an_impossible_timecode_is_told_and_the_picture_is_read(code: str, tmp_path: Path) -> None:
    source = open_source(movie(tmp_path / "a.mkv", [40, 80], timecode=code))
    assert source.start is None
    assert source.read(1).timecode is None
    assert any("timecode" in note and code in note for note in source.notes)


@pytest.mark.parametrize("ending", [".mp4", ".mkv", ".mov"])
def test_every_frame_of_a_movie_with_uneven_times_is_read(ending: str, tmp_path: Path) -> None:
    """Telephones space frames as the light allows."""
    times = [0, 33, 66, 100, 150, 233, 266, 299, 400, 433]
    values = [20 + 15 * k for k in range(10)]
    path = movie(tmp_path / f"a{ending}", values, times, codec="libx264", form="yuv420p", rate=30)
    source = open_source(path)
    assert source.count == 10
    for number in (*range(10), 3, 9, 0, 7):
        assert source.read(number).rgb.mean() * 255 == pytest.approx(values[number], abs=1.5)
    assert any("variable frame rate" in note and "to 101 ms" in note for note in source.notes)
    assert source.metadata["about the file"]


def test_times_that_shake_a_little_are_no_variable_rate(tmp_path: Path) -> None:
    random = np.random.default_rng(0)
    times = [round(33.37 * k + random.uniform(-9, 9) + 20) for k in range(60)]
    source = open_source(
        movie(
            tmp_path / "a.mp4",
            [20 + 3 * k for k in range(60)],
            times,
            codec="libx264",
            form="yuv420p",
            rate=30,
        )
    )
    assert not source.notes
    assert [round(source.read(n).rgb.mean() * 255) for n in (0, 17, 59)] == [20, 71, 197]


@pytest.mark.parametrize(
    ("colorspace", "primaries", "matrix", "word"),
    [
        (14, 2, "bt601", "ICtCp"),
        (8, 2, "bt601", "YCgCo"),
        (7, 2, "bt601", "240M"),
        (10, 9, "bt2020", "constant luminance"),
        (2, 9, "bt2020", ""),
        (2, 1, "bt709", ""),
    ],
)
def test_matrices_that_are_not_decoded_are_named_and_primaries_speak(
    colorspace: int, primaries: int, matrix: str, word: str, tmp_path: Path
) -> None:
    """Numbers of ITU-T H.273, tables 2 and 4."""
    path = movie(
        tmp_path / "a.mkv", [100, 100], colorspace=colorspace, color_primaries=primaries, color_range=1
    )
    source = open_source(path)
    assert (source.signal.matrix, source.signal.matrix_from) == (matrix, "assumed")
    assert any(word in note for note in source.notes) if word else not source.notes
    chosen = open_source(path, matrix="bt709")
    assert (chosen.signal.matrix, chosen.notes) == ("bt709", ())


@pytest.mark.parametrize(
    ("form", "size"), [("yuv410p", (96, 64)), ("yuv411p", (99, 64)), ("yuv411p", (33, 16))]
)
def test_sparse_chroma_is_read(form: str, size: tuple[int, int], tmp_path: Path) -> None:
    red = np.zeros((size[1], size[0], 3), np.uint8)
    red[..., 0], red[..., 2] = 180, 60
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = *size, form
        for k in range(2):
            frame = av.VideoFrame.from_ndarray(red, format="rgb24").reformat(
                format=form, dst_colorspace="itu601"
            )
            frame.pts = k
            file.mux(stream.encode(frame))
        file.mux(stream.encode())
    rgb = open_source(path, matrix="bt601").read(1).rgb
    assert rgb.shape == (size[1], size[0], 3)
    assert np.abs(rgb * 255 - [180, 0, 60]).max() < 3


@pytest.mark.parametrize(("degrees", "corner"), [(90, (0, -1)), (180, (-1, -1)), (270, (-1, 0))])
def test_a_picture_that_asks_to_be_turned_is(degrees: int, corner: tuple[int, int], tmp_path: Path) -> None:
    """The matrix of a QuickTime track header (ISO/IEC 14496-12, 8.3.2), turning clockwise: what lay above left goes
    right above, right below, left below.
    """
    picture = np.full((64, 96, 3), 60, np.uint8)
    picture[:16, :16] = 220
    path = tmp_path / "a.mp4"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("libx264", rate=25, options={"qp": "0"})
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv444p"
        frame = av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(format="yuv444p")
        frame.pts = 0
        file.mux(stream.encode(frame))
        file.mux(stream.encode())
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") + 4 + 4 + 20 + 8 + 8
    cosine, sine = {90: (0, 1), 180: (-1, 0), 270: (0, -1)}[degrees]
    matrix = (cosine, sine, 0, -sine, cosine, 0, 0, 0)
    data[at : at + 36] = struct.pack(">8i", *(v * 65536 for v in matrix)) + struct.pack(">i", 1 << 30)
    path.write_bytes(data)
    source = open_source(path)
    assert (source.width, source.height) == ((96, 64) if degrees == 180 else (64, 96))
    rgb = source.read(0).rgb
    assert rgb.shape[:2] == (source.height, source.width)
    assert rgb[corner].mean() > 0.8 and rgb.mean() < 0.4
    assert source.read_thinned(0, 2).rgb[corner].mean() > 0.8
    assert any("turned" in note for note in source.notes)


def still(
    path: Path,
    pixels: np.ndarray,
    kind: object = oiio.HALF,
    names: tuple[str, ...] = (),
    at: tuple[int, int] = (0, 0),
    whole: tuple[int, int, int, int] | None = None,
    **more: object,
) -> Path:
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], kind)
    if names:
        spec.channelnames = names
    spec.x, spec.y = at
    if whole is not None:
        spec.full_x, spec.full_y, spec.full_width, spec.full_height = whole
    for name, value in more.items():
        spec.attribute(name.replace("__", ":"), value)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec), out.geterror()
    assert out.write_image(np.ascontiguousarray(pixels, np.float32))
    out.close()
    return path


def even(*colour: float) -> np.ndarray:
    return np.tile(np.array(colour, np.float32), (20, 30, 1))


@pytest.mark.parametrize("ending", [".png", ".tif"])
def test_colours_are_not_multiplied_by_an_alpha_that_stands_apart(ending: str, tmp_path: Path) -> None:
    path = still(
        tmp_path / f"a{ending}",
        even(0.6, 0.4, 0.2, 0.5),
        oiio.UINT16,
        ("R", "G", "B", "A"),
        oiio__UnassociatedAlpha=1,
    )
    assert open_source(path).read(0).rgb[5, 5] == pytest.approx([0.6, 0.4, 0.2], abs=1e-4)


def test_the_display_window_is_the_picture(tmp_path: Path) -> None:
    """OpenEXR's data window may be smaller or larger than what is meant to be seen."""
    inside = open_source(still(tmp_path / "a.exr", even(0.1, 0.2, 0.3), at=(10, 5), whole=(0, 0, 64, 48)))
    rgb = inside.read(0).rgb
    assert (inside.width, inside.height) == (64, 48)
    assert rgb[5, 10] == pytest.approx([0.1, 0.2, 0.3], abs=1e-3) and rgb[4, 10].max() == 0
    assert any("64 x 48" in note for note in inside.notes)
    over = open_source(still(tmp_path / "b.exr", even(0.1, 0.2, 0.3), at=(-4, -4), whole=(0, 0, 22, 12)))
    assert over.read(0).rgb.shape == (12, 22, 3)


def test_sequences_whose_data_windows_move_are_read(tmp_path: Path) -> None:
    for k, wide in ((1, 30), (2, 28)):
        still(tmp_path / f"s.{k:04d}.exr", even(0.1, 0.2, 0.3)[:, :wide], at=(k, 0), whole=(0, 0, 64, 48))
    source = open_source(tmp_path / "s.0001.exr")
    assert [source.read(n).rgb.shape for n in (1, 2)] == [(48, 64, 3)] * 2


def test_the_beauty_comes_before_depth_and_other_passes_and_is_told(tmp_path: Path) -> None:
    layered = np.concatenate([even(0.9, 0.9, 0.9), even(0.1, 0.2, 0.3)], axis=2)
    names = ("spec.R", "spec.G", "spec.B", "beauty.R", "beauty.G", "beauty.B")
    source = open_source(still(tmp_path / "a.exr", layered, names=names))
    assert source.read(0).rgb[0, 0] == pytest.approx([0.1, 0.2, 0.3], abs=1e-3)
    assert any("beauty is used" in note and "spec" in note for note in source.notes)
    parts = [oiio.ImageSpec(30, 20, n, oiio.HALF) for n in (1, 3)]
    parts[0].channelnames = ("Z",)
    for spec, name in zip(parts, ("depth", "beauty"), strict=True):
        spec.attribute("oiio:subimagename", name)
    path = str(tmp_path / "b.exr")
    out = oiio.ImageOutput.create(path)
    assert out.open(path, parts)
    out.write_image(np.full((20, 30, 1), 5, np.float32))
    assert out.open(path, parts[1], "AppendSubimage")
    out.write_image(even(0.1, 0.2, 0.3))
    out.close()
    deep = open_source(path)
    assert deep.read(0).rgb[0, 0] == pytest.approx([0.1, 0.2, 0.3], abs=1e-3)
    assert any("depth" in note for note in deep.notes)


def test_an_infinite_highlight_is_the_brightest_value_and_told(tmp_path: Path) -> None:
    pixels = even(0.1, 0.2, 0.3)
    pixels[3, 4] = 7.0
    pixels[0, 0] = np.inf
    frame = open_source(still(tmp_path / "a.exr", pixels, oiio.FLOAT)).read(0)
    assert frame.rgb[0, 0] == pytest.approx([7, 7, 7])
    assert any("1 pixels are infinitely bright" in w for w in frame.warnings)


def test_a_still_that_is_named_is_that_still(tmp_path: Path) -> None:
    """Two photographs whose names end in numbers are not one and the same picture."""
    a = still(tmp_path / "a0.png", even(0.2, 0.2, 0.2), oiio.UINT16)
    b = still(tmp_path / "a1.png", even(0.7, 0.7, 0.7), oiio.UINT16)
    config = ColourConfig.load()
    levels = [Clip.open(p, "ACEScct", config).read()[0].rgb.mean() for p in (a, b)]
    assert levels == pytest.approx([0.2, 0.7], abs=1e-3)
    assert Clip.open(b, "ACEScct", config).read(0)[0].rgb.mean() == pytest.approx(0.2, abs=1e-3)


@pytest.mark.parametrize("order", [">", "<"])
def test_12_bit_dpx_is_exact(order: str, tmp_path: Path) -> None:
    """The file's own codes (SMPTE ST 268), written by hand: packed to the left in 16-bit words."""
    codes = np.random.default_rng(0).integers(0, 4096, (20, 30, 3))
    head = bytearray(2048)
    for at, kind, value in (
        (0, "I", 0x53445058),
        (4, "I", 2048),
        (16, "I", 2048 + codes.size * 2),
        (20, "I", 1),
        (24, "I", 1664),
        (28, "I", 384),
        (660, "I", 0xFFFFFFFF),
    ):
        struct.pack_into(order + kind, head, at, value)
    head[8:12] = b"V1.0"
    struct.pack_into(order + "HHII", head, 768, 0, 1, 30, 20)
    struct.pack_into(
        order + "IIfIfBBBBHHIII", head, 780, 0, 0, 0.0, 4095, 1.0, 50, 1, 1, 12, 1, 0, 2048, 0, 0
    )
    path = tmp_path / "a.dpx"
    path.write_bytes(bytes(head) + (codes << 4).astype(order + "u2").tobytes())
    assert np.abs(open_source(path).read(0).rgb * 4095 - codes).max() < 0.5


@pytest.mark.parametrize("interlaced", [True, False])
def test_an_interlaced_movie_is_read_and_told(interlaced: bool, tmp_path: Path) -> None:
    """Coded field by field (ITU-T H.264, 7.4.3: field_pic_flag and mb_adaptive_frame_field_flag)."""
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as file:
        options = {"qp": "0"} | ({"x264-params": "interlaced=1:tff=1"} if interlaced else {})
        stream = file.add_stream("libx264", rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
        for k in range(3):
            picture = np.full((64, 96, 3), 60 + 40 * k, np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(format="yuv420p")
            frame.pts = k
            file.mux(stream.encode(frame))
        file.mux(stream.encode())
    source = open_source(path)
    told = [note for note in source.notes if "interlaced" in note]
    assert bool(told) is interlaced
    assert [round(source.read(k).rgb.mean() * 255) for k in range(3)] == pytest.approx([60, 100, 140], abs=2)


@pytest.mark.parametrize("code", [1, 2, 16, 18])
def test_the_transfer_tag_of_a_movie_is_read(code: int, tmp_path: Path) -> None:
    """Codes of ITU-T H.273, table 3; 2 says nothing."""
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("libx264", rate=25, options={"qp": "0"})
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
        stream.codec_context.color_trc = code
        frame = av.VideoFrame.from_ndarray(np.full((64, 96, 3), 90, np.uint8), format="rgb24")
        frame = frame.reformat(format="yuv420p")
        frame.color_trc, frame.pts = code, 0
        file.mux(stream.encode(frame))
        file.mux(stream.encode())
    assert open_source(path).metadata.get(TRANSFER) == (None if code == 2 else str(code))
