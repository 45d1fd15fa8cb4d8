"""Colour tags of movies: the code points of ITU-T H.273, what a file carries, and what a deliverable should carry."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.errors import AquinError
from aquin.frames.chroma_site import LOCAL
from aquin.frames.movies import check_movie
from aquin.screens.light import GAMUTS, Light, hlg, pq, srgb

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

PRIMARIES: Mapping[int, str] = {
    1: "BT.709",
    2: "not said",
    4: "BT.470 System M",
    5: "BT.470 System B, G (625 lines)",
    6: "SMPTE 170M (525 lines)",
    7: "SMPTE 240M",
    8: "generic film",
    9: "BT.2020",
    10: "CIE XYZ (ST 428-1)",
    11: "P3, DCI white (RP 431-2)",
    12: "P3, D65 white (EG 432-1)",
    22: "EBU Tech 3213",
}
"""ITU-T H.273, table 2."""
TRANSFERS: Mapping[int, str] = {
    1: "BT.709",
    2: "not said",
    4: "gamma 2.2",
    5: "gamma 2.8",
    6: "SMPTE 170M",
    7: "SMPTE 240M",
    8: "linear",
    9: "logarithmic, 100 : 1",
    10: "logarithmic, 316 : 1",
    11: "xvYCC",
    12: "BT.1361",
    13: "sRGB",
    14: "BT.2020, 10 bit",
    15: "BT.2020, 12 bit",
    16: "PQ (ST 2084)",
    17: "ST 428-1",
    18: "HLG (ARIB STD-B67)",
}
"""ITU-T H.273, table 3."""
MATRICES: Mapping[int, str] = {
    0: "RGB",
    1: "BT.709",
    2: "not said",
    4: "FCC",
    5: "BT.470 System B, G (BT.601)",
    6: "SMPTE 170M (BT.601)",
    7: "SMPTE 240M",
    8: "YCgCo",
    9: "BT.2020, non-constant luminance",
    10: "BT.2020, constant luminance",
    11: "ST 2085",
    14: "ICtCp",
}
"""ITU-T H.273, table 4."""
RANGES: Mapping[int, str] = {0: "not said", 1: "legal", 2: "full"}
"""FFmpeg's numbers of AVColorRange; H.273 has a flag: 0 legal, 1 full."""
UNSAID = 2


@dataclass(frozen=True)
class Tags:
    """Code points of H.273, and the range in words (`legal`, `full` or `not said`)."""

    primaries: int = UNSAID
    transfer: int = UNSAID
    matrix: int = UNSAID
    range: str = "not said"

    def data(self) -> dict[str, Any]:
        """For JSON: each code point with its words."""
        return {
            "primaries": {"code": self.primaries, "words": PRIMARIES.get(self.primaries, "unknown")},
            "transfer": {"code": self.transfer, "words": TRANSFERS.get(self.transfer, "unknown")},
            "matrix": {"code": self.matrix, "words": MATRICES.get(self.matrix, "unknown")},
            "range": self.range,
        }

    @property
    def short(self) -> str:
        """As people write them: primaries-transfer-matrix, and the range."""
        return f"{self.primaries}-{self.transfer}-{self.matrix} {self.range}"


@dataclass(frozen=True)
class FileTags:
    """What a movie says about its colour: its `container` (with what the stream's header gives), and the `picture` as
    it is decoded.
    """

    container: Tags
    picture: Tags
    codec: str
    width: int
    height: int
    bits: int

    @property
    def differs(self) -> bool:
        """Whether both say something, and not the same."""
        pairs = [
            (getattr(self.container, n), getattr(self.picture, n))
            for n in ("primaries", "transfer", "matrix", "range")
        ]
        return any(a != b and UNSAID not in (a, b) and "not said" not in (a, b) for a, b in pairs)


def read_tags(path: Path) -> FileTags:
    """The tags of a movie's first picture stream. Raises AquinError."""
    import av

    try:
        check_movie(path)
        with av.open(str(path), options=LOCAL) as container:
            if not container.streams.video:
                raise AquinError("there is no picture in the file", path, "Choose a movie")
            stream = container.streams.video[0]
            context = stream.codec_context
            outer = _tags(context.color_primaries, context.color_trc, context.colorspace, context.color_range)
            frame = next(container.decode(stream), None)
            if frame is None:
                raise AquinError("no picture can be decoded", path, "Export it again")
            inner = _tags(frame.color_primaries, frame.color_trc, frame.colorspace, frame.color_range)
            bits = frame.format.components[0].bits
            return FileTags(outer, inner, context.name, frame.width, frame.height, bits)
    except (OSError, ValueError, av.FFmpegError) as error:
        words = " ".join(str(error).split())[:120]
        raise AquinError(f"the movie can't be read ({words})", path, "Check the file") from error


def _tags(primaries: Any, transfer: Any, matrix: Any, range: Any) -> Tags:
    return Tags(_code(primaries), _code(transfer), _code(matrix), RANGES.get(_code(range, 0), "not said"))


def _code(value: Any, unsaid: int = UNSAID) -> int:
    return unsaid if value is None else int(value)


CANDIDATES: Mapping[int, Callable[[Any], Any]] = {
    1: lambda x: x**2.4,
    4: lambda x: x**2.2,
    13: srgb,
    16: lambda x: pq(x) / 10000.0,
    17: lambda x: x**2.6,
    18: lambda x: hlg(x) ** 1.2,
}
"""What the light of a display is compared with, by transfer code point. A display for 1, as for 6, 14 and 15, is
BT.1886.
"""


def wanted_tags(light: Light) -> Tags:
    """The tags that fit a deliverable, found by the light that its display makes of a signal: primaries nearest, and
    the curve.
    """
    corners = np.asarray(light(np.eye(3, dtype=np.float32)), np.float64)
    chroma = corners[:, :2] / np.maximum(corners.sum(axis=1, keepdims=True), 1e-9)
    gaps = {name: float(np.abs(chroma - xy).max()) for name, xy in GAMUTS.items()}
    gamut = min(gaps, key=lambda n: gaps[n])
    ramp = np.linspace(0.1, 1.0, 19)
    y = np.asarray(light(np.repeat(ramp[:, None], 3, axis=1).astype(np.float32)), np.float64)[:, 1]
    share = y / max(float(y[-1]), 1e-9)
    off = {}
    for code, curve in CANDIDATES.items():
        values = np.asarray(curve(ramp), np.float64)
        off[code] = float(
            np.abs(np.log(np.maximum(share, 1e-6) / np.maximum(values / values[-1], 1e-6))).mean()
        )
    transfer = min(off, key=lambda c: off[c])
    primaries = {"bt709": 1, "p3": 12, "bt2020": 9}[gamut]
    matrix = 9 if gamut == "bt2020" else 1
    return Tags(primaries, transfer, matrix, "legal")
