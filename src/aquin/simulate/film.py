"""Frames become files: movies in open codecs at 10 bit, stills and sequences."""

from collections.abc import Callable, Iterable, Mapping
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import OpenImageIO as oiio

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.frames.ycbcr import WEIGHTS

RATE = Fraction(24)


def write_still(
    path: Path,
    pixels: np.ndarray,
    timecode: str | None,
    reel: str,
    depth: str = "half",
    tags: Mapping[str, str] | None = None,
    compression: str = "zip",
) -> None:
    """A picture with timecode, rate and reel name in its header where the format has them: .exr, .dpx or .tif.

    `depth`: half, uint10 or uint16. Raises AquinError when it can't be written.
    """
    kind = {"half": oiio.HALF, "uint10": oiio.UINT16, "uint16": oiio.UINT16}[depth]
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, kind)
    if timecode is not None:
        spec.attribute("smpte:TimeCode", oiio.TypeTimeCode, [_bcd(timecode), 0])
    spec.attribute("FramesPerSecond", oiio.TypeRational, [RATE.numerator, RATE.denominator])
    spec.attribute("reelName", reel)
    for key, value in (tags or {}).items():
        spec.attribute(key, value)
    if path.suffix == ".exr":
        spec.attribute("compression", compression)
    if path.suffix == ".dpx":
        spec.attribute("oiio:BitsPerSample", 10)
        spec.attribute("dpx:Packing", "Filled, method A")
        spec.attribute("dpx:FrameRate", float(RATE))
        spec.attribute("dpx:InputDevice", reel)
        spec.attribute("oiio:ColorSpace", "linear")  # says only that the writer must not convert
    if path.suffix == ".tif":
        spec.attribute("compression", "zip")
    if depth == "uint10":  # rounded here: the writer would cut the lowest bits off
        codes = np.clip(np.rint(pixels * 1023), 0, 1023).astype(np.uint16)
        pixels = (codes << 6) | (codes >> 4)
    out = oiio.ImageOutput.create(str(path))
    if (
        out is None
        or not out.open(str(path), spec)
        or not out.write_image(np.ascontiguousarray(pixels))
        or not out.close()
    ):
        raise AquinError(
            f"the picture can't be written ({oiio.geterror()})", path, "Check the folder and its free space"
        )


Planes = list[np.ndarray]
"""Y, Cb and Cr codes (uint16), chroma at the size that the pixel format wants."""


QUALITY: dict[str, dict[str, str]] = {
    "ffv1": {"level": "3", "g": "1", "context": "0"},
    "libx264": {"preset": "ultrafast", "crf": "15", "g": "12", "threads": "1", "sc_threshold": "0"},
    "libx265": {
        "preset": "ultrafast",
        "x265-params": "log-level=none:crf=15:keyint=12:pools=none:frame-threads=1:scenecut=0",
    },
}
"""FFV1 keeps every code; the others keep noise rather than save space."""


def write_movie(
    path: Path,
    frames: Iterable[Any],
    timecode: str | None,
    reel: str,
    codec: str = "ffv1",
    pixels: str = "yuv422p10le",
    matrix: str = "bt709",
    range: str = "legal",
    said_range: str | None = None,
    rate: Fraction = RATE,
    tags: Mapping[str, str] | None = None,
    progress: Callable[[int], None] | None = None,
) -> None:
    """A 10-bit movie from RGB signals (0 to 1), through the YCbCr `matrix`, or from their planes; flagged as what it
    is.

    `said_range` flags another range than the codes have. Raises AquinError when it can't be written.
    """
    try:
        with av.open(str(path), "w", format=_CONTAINERS[path.suffix]) as container:
            stream = None
            for number, one in enumerate(frames):
                planes = one if isinstance(one, list) else planes_of(one, pixels, matrix, range)
                if stream is None:
                    stream = container.add_stream(codec, rate=rate, options=QUALITY[codec])
                    stream.height, stream.width = planes[0].shape
                    stream.pix_fmt = pixels
                    stream.codec_context.color_range = 2 if (said_range or range) == "full" else 1
                    stream.codec_context.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}[matrix]
                    stream.codec_context.framerate = rate
                    if timecode is not None:
                        container.metadata["timecode"] = timecode
                    stream.metadata["reel_name"] = reel
                    for key, value in ({"reel_name": reel} | dict(tags or {})).items():
                        container.metadata[key] = value
                picture = _picture(planes, pixels)
                picture.pts = number
                picture.time_base = 1 / rate
                for packet in stream.encode(picture):
                    container.mux(packet)
                if progress:
                    progress(number + 1)
            if stream is not None:
                for packet in stream.encode():
                    container.mux(packet)
    except (av.FFmpegError, OSError) as error:
        raise AquinError(
            f"the movie can't be written ({error})", path, "Check the folder and its free space"
        ) from error


_CONTAINERS = {".mkv": "matroska", ".mov": "mov", ".mp4": "mp4", ".part": "matroska"}


def planes_of(rgb: Float32, pixels: str, matrix: str = "bt709", range: str = "legal") -> Planes:
    """(h, w, 3) signals (0 to 1) as 10-bit codes of a YCbCr pixel format; h must be even for 4:2:0."""
    kr, kb = WEIGHTS[matrix]
    low, luma, span = (64.0, 876.0, 896.0) if range == "legal" else (0.0, 1023.0, 1023.0)
    weights = np.array([kr, 1 - kr - kb, kb])
    codes = np.stack(
        [
            np.append(weights * luma, low),
            np.append((np.array([0, 0, 1.0]) - weights) * span / (2 * (1 - kb)), 512.0),
            np.append((np.array([1.0, 0, 0]) - weights) * span / (2 * (1 - kr)), 512.0),
        ]
    )
    planes = list(cv2.split(cv2.transform(np.ascontiguousarray(rgb, np.float32), codes)))
    if "444" not in pixels:  # co-sited left: 1 2 1 filter; 4:2:0 halfway between two lines
        across = np.array([0.25, 0.5, 0.25])
        down = np.array([0.5, 0.5]) if "420" in pixels else np.array([1.0])
        step = 2 if "420" in pixels else 1
        for k in (1, 2):
            planes[k] = cv2.sepFilter2D(
                planes[k], -1, across, down, anchor=(1, 0), borderType=cv2.BORDER_REPLICATE
            )[::step, ::2]
    bottom, top = (4, 1019) if range == "legal" else (0, 1023)
    # the sum of a plane and 0 times itself: OpenCV's way to round and to change the type in one pass
    return [np.clip(cv2.addWeighted(p, 1, p, 0, 0, dtype=cv2.CV_16U), bottom, top) for p in planes]


def _picture(planes: Planes, pixels: str) -> "av.VideoFrame":
    frame = av.VideoFrame(planes[0].shape[1], planes[0].shape[0], pixels)
    for plane, codes in zip(frame.planes, planes, strict=True):
        if plane.line_size != 2 * plane.width:
            codes = cv2.copyMakeBorder(
                codes, 0, 0, 0, plane.line_size // 2 - plane.width, cv2.BORDER_CONSTANT
            )
        plane.update(np.ascontiguousarray(codes))
    return frame


def _bcd(timecode: str) -> int:
    word = 0
    for part in timecode.replace(";", ":").split(":"):
        word = (word << 8) | (int(part) // 10 << 4) | int(part) % 10
    return word
