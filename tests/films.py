"""Small movies made for tests, plane by plane, so that every code in them is known."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

LOSSLESS = {
    "libx265": {"x265-params": "lossless=1:log-level=none"},
    "libx264": {"qp": "0"},
    "ffv1": {"level": "3"},
}


def movie(
    path: Path,
    planes: Callable[[int], Sequence[np.ndarray]],
    frames: int,
    codec: str = "ffv1",
    pixels: str = "yuv422p10le",
    range: int | None = 1,
    matrix: int | None = 1,
    rate: Fraction = Fraction(24),
    timecode: str | None = None,
    gop: int = 12,
) -> Path:
    """Write `planes(n)` for each frame. `range` 1 is legal, 2 full; `matrix` after ITU-T H.273; None leaves
    them out.
    """
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, options=LOSSLESS[codec])
        first = planes(0)
        stream.height, stream.width = first[0].shape
        stream.pix_fmt = pixels
        stream.codec_context.gop_size = gop
        if range is not None:
            stream.codec_context.color_range = range
        if matrix is not None:
            stream.codec_context.colorspace = matrix
        if timecode:
            container.metadata["timecode"] = timecode
        for number in np.arange(frames):
            picture = av.VideoFrame(stream.width, stream.height, pixels)
            for plane, codes in zip(picture.planes, planes(int(number)), strict=True):
                kind = np.uint8 if plane.line_size < 2 * plane.width else np.uint16
                padded = np.zeros((plane.height, plane.line_size // np.dtype(kind).itemsize), kind)
                padded[:, : plane.width] = codes
                plane.update(padded)
            picture.pts = int(number)
            picture.time_base = 1 / rate
            for packet in stream.encode(picture):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    return path
