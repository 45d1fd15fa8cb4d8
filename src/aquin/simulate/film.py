"""Filming: a scene, a light and a camera give frames; frames become files."""

from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import OpenImageIO as oiio

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.frames.ycbcr import WEIGHTS
from aquin.simulate import spectra
from aquin.simulate.cameras import Camera, Setting, expose, raw_response
from aquin.simulate.scene import Deck, reflectances

RATE = Fraction(24)


def film(
    deck: Deck, camera: Camera, light: str, setting: Setting, random: np.random.Generator | None
) -> Float32:
    """(h, w, 3) float32 linear RGB of the camera's own encoding; without `random` there is no noise."""
    table = raw_response(camera, reflectances(), spectra.light(light)).astype(np.float32)
    return expose(camera, deck.draw().colours(table), setting, random)


def write_exr(path: Path, linear: Float32, timecode: str, reel: str) -> None:
    """A half-float OpenEXR still with timecode, rate and reel name in its header."""
    spec = oiio.ImageSpec(linear.shape[1], linear.shape[0], 3, oiio.HALF)
    spec.attribute("smpte:TimeCode", oiio.TypeTimeCode, [_bcd(timecode), 0])
    spec.attribute("FramesPerSecond", oiio.TypeRational, [RATE.numerator, RATE.denominator])
    spec.attribute("reelName", reel)
    spec.attribute("compression", "zip")
    out = oiio.ImageOutput.create(str(path))
    if (
        out is None
        or not out.open(str(path), spec)
        or not out.write_image(np.ascontiguousarray(linear))
        or not out.close()
    ):
        raise AquinError(
            f"the picture can't be written ({oiio.geterror()})", path, "Check the folder and its free space"
        )


def write_movie(
    path: Path,
    frames: Iterable[Float32],
    timecode: str,
    reel: str,
    codec: str = "ffv1",
    pixels: str = "yuv422p10le",
    matrix: str = "bt709",
    progress: Callable[[int], None] | None = None,
) -> None:
    """A 10-bit legal-range movie from RGB signals (0 to 1), through the YCbCr `matrix`, flagged as what it is."""
    quiet = (
        {"x265-params": "log-level=none:crf=8", "preset": "fast"}
        if codec == "libx265"
        else {"level": "3", "g": "1"}
    )
    try:
        with av.open(str(path), "w") as container:
            stream = None
            for number, rgb in enumerate(frames):
                if stream is None:
                    stream = container.add_stream(codec, rate=RATE, options=quiet)
                    stream.height, stream.width = rgb.shape[:2]
                    stream.pix_fmt = pixels
                    stream.codec_context.color_range = 1
                    stream.codec_context.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}[matrix]
                    stream.codec_context.framerate = RATE
                    container.metadata["timecode"] = timecode
                    container.metadata["reel_name"] = reel
                picture = _picture(rgb, pixels, matrix)
                picture.pts = number
                picture.time_base = 1 / RATE
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


def _picture(rgb: Float32, pixels: str, matrix: str) -> "av.VideoFrame":
    kr, kb = WEIGHTS[matrix]
    luma = rgb @ np.array([kr, 1 - kr - kb, kb], np.float32)
    planes = [64 + 876 * luma]
    for channel, weight in ((2, kb), (0, kr)):
        chroma = (rgb[..., channel] - luma) / np.float32(2 * (1 - weight))
        if "422" in pixels or "420" in pixels:  # co-sited left: 1 2 1 filter
            edge = np.pad(chroma, ((0, 0), (1, 1)), mode="edge")
            chroma = (edge[:, :-2] + 2 * edge[:, 1:-1] + edge[:, 2:])[:, ::2] / 4
        if "420" in pixels:
            chroma = (chroma[::2] + chroma[1::2]) / 2
        planes.append(512 + 896 * chroma)
    frame = av.VideoFrame(rgb.shape[1], rgb.shape[0], pixels)
    for plane, values in zip(frame.planes, planes, strict=True):
        codes = np.zeros((plane.height, plane.line_size // 2), np.uint16)
        codes[:, : plane.width] = np.clip(np.round(values), 4, 1019)
        plane.update(codes)
    return frame


def _bcd(timecode: str) -> int:
    word = 0
    for part in timecode.replace(";", ":").split(":"):
        word = (word << 8) | (int(part) // 10 << 4) | int(part) % 10
    return word
