"""Where a movie's chroma samples lie (ITU-T H.264 annex E and H.265 annex E, `chroma_sample_loc_type`), as its own
headers say it: the library that decodes does not hand it on, but its header tracer writes it down.
"""

import re
from pathlib import Path
from typing import Any

import av
import av.logging

Site = tuple[float, float]
"""In a block of 2 x 2 luma samples, from the first one: across and down, in luma samples."""

LEFT: Site = (0.0, 0.5)
"""Co-sited left, between lines: MPEG-2, and H.264 and HEVC where nothing is said."""
CENTRE: Site = (0.5, 0.5)
"""In the middle: JPEG (JFIF) and MPEG-1."""

TYPES: tuple[Site, ...] = (LEFT, CENTRE, (0.0, 0.0), (0.5, 0.0), (0.0, 1.0), (0.5, 1.0))
"""By `chroma_sample_loc_type`: left, centre, top left, top, bottom left, bottom."""
NAMES = ("left", "centre", "top left", "top", "bottom left", "bottom")

_TRACED = ("h264", "hevc")
_CENTRED = ("mjpeg", "mpeg1video")
_SAID = re.compile(r"chroma_sample_loc_type_top_field\s+[01]+\s*=\s*(\d+)")


def site_of(stream: Any, path: Path, across: int, down: int) -> Site:
    """Of a video stream whose chroma is subsampled by `across` and `down`; only a half size both ways can lie in many
    places. Reads headers only.
    """
    codec = stream.codec_context.name
    if (across, down) == (1, 1):
        return LEFT
    if codec in _CENTRED:
        return CENTRE if (across, down) == (2, 2) else (0.5 if across == 2 else 0.0, 0.5)
    if codec not in _TRACED or (across, down) != (2, 2):
        return LEFT
    try:
        lines = _headers(path)
    except (av.FFmpegError, OSError, ValueError):
        return LEFT
    found = next((int(m[1]) for line in lines if (m := _SAID.search(line))), 0)
    return TYPES[found] if found < len(TYPES) else LEFT


def name_of(site: Site) -> str:
    """In words."""
    return NAMES[TYPES.index(site)] if site in TYPES else "in the middle"


def _headers(path: Path) -> list[str]:
    """What the tracer writes of a stream's headers: those beside it, or of its first packet."""
    level = av.logging.get_level()
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        av.logging.set_level(av.logging.INFO)
        try:
            with av.logging.Capture(local=True) as said:
                tracer = av.bitstream.BitStreamFilterContext("trace_headers", stream)
                if not any("chroma_loc" in words for _, _, words in said):
                    packet = next(container.demux(stream), None)
                    if packet is not None:
                        tracer.filter(packet)
        finally:
            av.logging.set_level(level)
    return [words for _, _, words in said]
