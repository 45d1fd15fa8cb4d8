"""Where a movie's chroma samples lie (ITU-T H.264 annex E and H.265 annex E, `chroma_sample_loc_type`), as its own
headers say it. The library that decodes does not hand it on, but it can write a place into headers: that which changes
nothing is the one that they have.

What the library logs is not listened to: a thread of a decoder that waits to tell its words to Python, while Python
waits for that decoder to end, waits forever.
"""

from pathlib import Path
from typing import Any

import av

LOCAL = {"protocol_whitelist": "file"}
"""FFmpeg opens files, nothing on a network."""

Site = tuple[float, float]
"""In a block of 2 x 2 luma samples, from the first one: across and down, in luma samples."""

LEFT: Site = (0.0, 0.5)
"""Co-sited left, between lines: MPEG-2, and H.264 and HEVC where nothing is said."""
CENTRE: Site = (0.5, 0.5)
"""In the middle: JPEG (JFIF) and MPEG-1."""

TYPES: tuple[Site, ...] = (LEFT, CENTRE, (0.0, 0.0), (0.5, 0.0), (0.0, 1.0), (0.5, 1.0))
"""By `chroma_sample_loc_type`: left, centre, top left, top, bottom left, bottom."""
NAMES = ("left", "centre", "top left", "top", "bottom left", "bottom")

_SAID_IN = {"h264": "7-8", "hevc": "32-34"}
"""The codecs that say it, and which of their units are headers of the stream."""
_CENTRED = ("mjpeg", "mpeg1video")
_KNOWN: dict[bytes, tuple[int | None]] = {}
"""By headers, which all takes of a camera share."""
MOST_KNOWN = 256


def site_of(stream: Any, path: Path, across: int, down: int) -> Site:
    """Of a video stream whose chroma is subsampled by `across` and `down`; only a half size both ways can lie in many
    places. Reads headers only.
    """
    codec = stream.codec_context.name
    if (across, down) == (1, 1):
        return LEFT
    if codec in _CENTRED:
        return CENTRE if (across, down) == (2, 2) else (0.5 if across == 2 else 0.0, 0.5)
    if codec not in _SAID_IN or (across, down) != (2, 2):
        return LEFT
    try:
        found = _said(path, codec)
    except (av.FFmpegError, OSError, ValueError):
        return LEFT
    return LEFT if found is None else TYPES[found]


def name_of(site: Site) -> str:
    """In words."""
    return NAMES[TYPES.index(site)] if site in TYPES else "in the middle"


def _said(path: Path, codec: str) -> int | None:
    """The place that the headers of a stream's first packet name, by its number; None where they name none."""
    # headers beside the stream come into its first packet, and the picture goes out of it
    plain = f"{codec}_mp4toannexb,filter_units=pass_types={_SAID_IN[codec]},{codec}_metadata"
    with av.open(str(path), options=LOCAL) as container:
        stream = container.streams.video[0]
        packet = next(container.demux(stream), None)
        if packet is None or not packet.size:
            return None
        first = bytes(packet)

        def written(filters: str) -> bytes:
            again = av.Packet(first)
            again.is_keyframe = packet.is_keyframe
            made = av.bitstream.BitStreamFilterContext(filters, stream).filter(again)
            return b"".join(bytes(p) for p in made)

        headers = written(plain)
        if (known := _KNOWN.get(headers)) is not None:
            return known[0]
        places = range(len(TYPES))
        found = next((k for k in places if written(f"{plain}=chroma_sample_loc_type={k}") == headers), None)
        if len(_KNOWN) >= MOST_KNOWN:
            _KNOWN.clear()
        _KNOWN[headers] = (found,)
        return found
