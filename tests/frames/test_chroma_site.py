"""Where chroma lies: ITU-T H.264 and H.265, annex E, table of `chroma_sample_loc_type`; JFIF 1.02 for JPEG."""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import av
import av.logging
import numpy as np
import pytest

import aquin
from aquin.frames import open_source
from aquin.frames.chroma_site import CENTRE, LEFT, NAMES, TYPES

W, H = 96, 64
SLOPE_X, SLOPE_Y = 1.7, 0.6
"""Codes of Cr by which a steep ramp rises from one luma sample to the next, across and down."""


def ramp(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Cr code at luma positions."""
    return 30 + SLOPE_X * x[None, :] + SLOPE_Y * y[:, None]


def write(path: Path, codec: str, options: dict[str, str], site: tuple[float, float], pixels: str) -> None:
    """A grey picture whose Cr rises, its samples taken where the file says that they lie."""
    across = np.arange(W // 2) * 2 + site[0]
    down = np.arange(H // 2) * 2 + site[1] if "420" in pixels else np.arange(H)
    planes = [np.full((H, W), 120), np.full((len(down), W // 2), 128), np.rint(ramp(across, down))]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=24, options=options)
        stream.width, stream.height, stream.pix_fmt = W, H, pixels
        stream.codec_context.color_range = 1
        stream.codec_context.colorspace = 1
        for k in range(3):
            frame = av.VideoFrame(W, H, pixels)
            frame.pts = k
            for plane, codes in zip(frame.planes, planes, strict=True):
                wide = np.zeros((codes.shape[0], plane.line_size), np.uint8)
                wide[:, : codes.shape[1]] = codes
                plane.update(wide)
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)


def off(path: Path) -> float:
    """Codes by which the middle of the decoded picture's Cr is from the ramp, at most."""
    source = open_source(path)
    rgb = source.read(1).rgb.astype(np.float64)
    source.close()
    luma = rgb @ np.array([0.2126, 0.7152, 0.0722])  # ITU-R BT.709
    cr = 128 + 224 * (rgb[..., 0] - luma) / 1.5748
    gap = np.abs(cr - ramp(np.arange(W), np.arange(H)))
    return float(gap[4:-4, 4:-4].max())


@pytest.mark.parametrize("kind", range(6))
def test_chroma_is_read_where_an_h264_file_says_that_it_lies(tmp_path: Path, kind: int) -> None:
    path = tmp_path / "a.mp4"
    write(
        path,
        "libx264",
        {"qp": "0", "x264-params": f"chromaloc={kind}:log-level=none"},
        TYPES[kind],
        "yuv420p",
    )
    source = open_source(path)
    said = source.metadata.get("chroma location", "left")
    source.close()
    assert said == NAMES[kind]
    assert off(path) < 1.2  # codes are whole numbers


def test_read_at_the_usual_place_a_centred_file_is_codes_off(tmp_path: Path) -> None:
    """The known change reads as that change: half a sample of the ramp."""
    path = tmp_path / "a.mp4"
    write(path, "libx264", {"qp": "0", "x264-params": "chromaloc=0:log-level=none"}, CENTRE, "yuv420p")
    assert off(path) == pytest.approx(0.5 * SLOPE_X, abs=0.8)


def test_hevc_files_and_files_without_a_word(tmp_path: Path) -> None:
    lossless = "lossless=1:log-level=none:pools=none:frame-threads=1"
    for name, more, site in (("said", ":chromaloc=2", TYPES[2]), ("plain", "", LEFT)):
        path = tmp_path / f"{name}.mp4"
        write(path, "libx265", {"x265-params": lossless + more}, site, "yuv420p")
        assert off(path) < 1.2, name
    path = tmp_path / "plain.mkv"
    write(path, "ffv1", {}, LEFT, "yuv420p")
    assert off(path) < 1.2


def test_motion_jpeg_is_centred(tmp_path: Path) -> None:
    path = tmp_path / "a.mov"
    write(path, "mjpeg", {"qmin": "1", "qmax": "1"}, CENTRE, "yuvj420p")
    source = open_source(path)
    assert source.metadata["chroma location"] == "centre"
    source.close()


def test_a_stream_without_headers_beside_it(tmp_path: Path) -> None:
    """In a transport stream the headers travel with the pictures."""
    path = tmp_path / "a.ts"
    write(path, "libx264", {"qp": "0", "x264-params": "chromaloc=3:log-level=none"}, TYPES[3], "yuv420p")
    try:
        source = open_source(path)
    except Exception as error:  # not a kind that Aquin opens
        pytest.skip(str(error))
    assert source.metadata["chroma location"] == "top"
    source.close()


def test_what_the_library_logs_is_not_listened_to(tmp_path: Path) -> None:
    """A decoder's thread that waits to tell Python its words, while Python waits for that decoder to end, hangs both:
    no code of ours listens, and opening from many threads leaves it so.
    """
    root = Path(aquin.__file__).parent
    assert not [p.name for p in root.rglob("*.py") if "av.logging" in p.read_text(encoding="utf-8")]
    path = tmp_path / "a.mp4"
    write(path, "libx264", {"qp": "0", "x264-params": "chromaloc=2:log-level=none"}, TYPES[2], "yuv420p")

    def opened(_: int) -> str:
        source = open_source(path)
        source.read(1)
        source.close()
        return source.metadata["chroma location"]

    with ThreadPoolExecutor(8) as pool:
        assert set(pool.map(opened, range(200))) == {"top left"}
    assert av.logging.get_level() is None
