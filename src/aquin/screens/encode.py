"""A web encode on the way: really encoded as H.264 in 8 bit 4:2:0 at a stated rate, and read back (PyAV)."""

from __future__ import annotations

import io
from collections import deque
from fractions import Fraction

import numpy as np

from aquin.arrays import Float32, Floats
from aquin.errors import AquinError

FULL = 1920 * 1080
FRAMES, RATE = 8, 24
"""How many frames are encoded, the same picture in each: the last one is read back."""


def web(signal: Floats, rate: float) -> Float32:
    """(h, w, 3) signal, 0 to 1, after an encode at `rate` Mbit/s for 1920 x 1080 (smaller pictures get their share).
    Raises AquinError where the machine can't encode.
    """
    import av

    h, w = (n - n % 2 for n in signal.shape[:2])
    codes = np.clip(np.asarray(signal[:h, :w], np.float32) * 255 + 0.5, 0, 255).astype(np.uint8)
    held = io.BytesIO()
    try:
        with av.open(held, "w", format="mp4") as container:
            stream = container.add_stream("libx264", rate=RATE)
            stream.width, stream.height, stream.pix_fmt = w, h, "yuv420p"
            stream.bit_rate = max(int(1e6 * rate * w * h / FULL), 20_000)
            stream.time_base = Fraction(1, RATE)
            context = stream.codec_context
            context.color_primaries = context.color_trc = context.colorspace = 1
            context.color_range = 1
            stream.options = {"preset": "fast"}
            picture = av.VideoFrame.from_ndarray(codes, format="rgb24").reformat(
                format="yuv420p", dst_colorspace="ITU709", dst_color_range="MPEG"
            )
            for k in range(FRAMES):
                picture.pts, picture.time_base = k, Fraction(1, RATE)
                container.mux(stream.encode(picture))
            container.mux(stream.encode(None))
        held.seek(0)
        with av.open(held) as container:
            last = deque(container.decode(video=0), maxlen=1)
    except (OSError, ValueError, av.FFmpegError) as error:
        raise AquinError(
            f"the web encode failed ({' '.join(str(error).split())[:120]})", None, "Leave out the web screen"
        ) from error
    if not last:
        raise AquinError("the web encode gave no picture", None, "Leave out the web screen")
    back = last[0].reformat(format="rgb24", src_colorspace="ITU709", src_color_range="MPEG").to_ndarray()
    out = np.array(signal, np.float32)
    out[:h, :w] = back.astype(np.float32) / 255
    return out
