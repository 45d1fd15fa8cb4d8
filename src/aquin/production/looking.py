"""Look at one file for the log: what it is, what it says about itself, and a small picture of it. For workers."""

import base64
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.frames.model import PICTURES
from aquin.production.media import content_of

LARGE = 40_000_000
"""Pixels from which a picture is thinned before it is made small."""

THUMB = 192
"""Width of the small picture in pixels. It keeps the file's own signal, so that any encoding can be shown from it."""


@dataclass(frozen=True)
class Looked:
    """Fields of a shot as the file gives them, and its small picture as JPEG in base64 (empty where none can be
    read).
    """

    path: Path
    fields: dict[str, Any]
    thumb: str = ""


def look_at(path: Path) -> Looked:
    """Everything a file says. One that can't be opened is logged with its trouble instead of an error."""
    movie_like = {"name": _clip_name(path), "reel": ""}
    try:
        size, modified, content = content_of(path)
    except OSError as error:
        return Looked(path, movie_like | {"trouble": f"the file can't be read ({error.strerror})"})
    fields: dict[str, Any] = movie_like | {"bytes": size, "modified": modified, "content": content}
    try:
        source = open_source(path)
    except AquinError as error:
        return Looked(path, fields | {"trouble": error.what})
    tags = {k.lower(): v for k, v in source.metadata.items()}
    signal = source.signal
    fields |= {
        "start": source.start or "",
        "rate": str(source.rate) if source.rate else "",
        "first": source.first,
        "frames": source.count,
        "width": source.width,
        "height": source.height,
        "bits": signal.bits,
        "floating": signal.floating,
        "codec": tags.get("codec", ""),
        "file_matrix": signal.matrix,
        "file_range": signal.range,
        "matrix_from": signal.matrix_from,
        "range_from": signal.range_from,
        "reel": _first(tags, "reel_name", "reelname", "reel", "dpx:inputdevice"),
        "said_encoding": _first(tags, "comment", "imagedescription"),
        "exposure_index": _first(tags, "isospeed", "exif:photographicsensitivity"),
        "shutter": _time(_first(tags, "expt", "exif:exposuretime", "exposuretime")),
        "t_stop": _plain(_first(tags, "aperture", "exif:fnumber", "fnumber")),
        "lens": _plain(_first(tags, "focal", "exif:focallength", "focallength")),
        "metadata": {k: v[:200] for k, v in source.metadata.items() if k != "codec"}
        | ({PICTURES: "\n".join(source.pictures)} if source.pictures else {}),
    }
    thumb = ""
    try:
        large = source.width * source.height > LARGE
        first = source.read_thinned(source.first, 4) if large else source.read(source.first)
        thumb = thumbnail(first.rgb)
    except AquinError as error:
        fields["trouble"] = error.what
    source.close()
    return Looked(path, fields, thumb)


def thumbnail(rgb: Float32) -> str:
    """(h, w, 3) signal as a small JPEG in base64."""
    height = min(max(round(THUMB * rgb.shape[0] / rgb.shape[1]), 1), THUMB * 4)
    small = cv2.resize(rgb, (THUMB, height), interpolation=cv2.INTER_AREA)
    codes = np.clip(small[..., ::-1] * 255 + 0.5, 0, 255).astype(np.uint8)
    return base64.b64encode(cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 88])[1].tobytes()).decode()


def picture_of(thumb: str) -> Float32:
    """A small picture as (h, w, 3) signal again."""
    codes: Any = cv2.imdecode(np.frombuffer(base64.b64decode(thumb), np.uint8), cv2.IMREAD_COLOR)
    return np.asarray(codes[..., ::-1].astype(np.float32) / 255, np.float32)


def _first(tags: dict[str, str], *names: str) -> str:
    return next((tags[n].strip()[:100] for n in names if tags.get(n, "").strip()), "")


def _plain(text: str) -> str:
    """A number without needless digits; other words as they are."""
    try:
        return f"{float(text):.4g}" if text else ""
    except ValueError:
        return text


def _time(text: str) -> str:
    """An exposure time as people write it: 1/48 for 0.0208 seconds."""
    try:
        seconds = float(text) if text else 0.0
    except ValueError:
        return text
    return f"1/{round(1 / seconds)}" if 0 < seconds < 0.4 else _plain(text)


def _clip_name(path: Path) -> str:
    """The clip's name without a sequence's number."""
    stem, _, number = path.stem.rpartition(".")
    return stem if stem and number.isdigit() else path.stem
