"""An edit written back with markers: OpenTimelineIO (.otio) with markers on its clips, CMX 3600 (.edl) with locators
and comments.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.files import write_text
from aquin.frames.timecode import frames_of

if TYPE_CHECKING:
    from aquin.colour.cdl import Cdl
    from aquin.production.records import Event

SUFFIXES = {".otio": "otio_json", ".edl": "cmx_3600"}
COLOURS = {"jump": "RED", "meant so": "GREEN", "note": "CYAN"}
"""OpenTimelineIO's names of marker colours."""


@dataclass(frozen=True)
class Mark:
    """What is said at the beginning of a piece. `kind`: one of `COLOURS`."""

    kind: str
    words: str


@dataclass(frozen=True)
class MarkedPiece:
    """A piece of an edit, its media (path, timecode of the first frame, rate, frames), its marks, and the CDL of its
    shot, which goes where the formats keep one.
    """

    event: Event
    path: str
    start: str
    rate: str
    frames: int
    marks: tuple[Mark, ...] = ()
    cdl: Cdl | None = None


def write_marked(
    path: Path, name: str, rate: Fraction, pieces: Sequence[MarkedPiece], force: bool = False
) -> None:
    """Write an edit in the format of the name's ending. Raises AquinError."""
    from aquin.workers import each

    if path.suffix.lower() not in SUFFIXES:
        raise AquinError("this ending names no edit", path, f"Use one of {' '.join(SUFFIXES)}")
    job = (SUFFIXES[path.suffix.lower()], name, rate, tuple(pieces))
    for _, result in each(_written, [job], 1):
        if isinstance(result, AquinError):
            raise result
        write_text(path, result, force)


def _written(job: tuple[str, str, Fraction, tuple[MarkedPiece, ...]]) -> str:
    """In a worker: OpenTimelineIO's objects must not be made beside other threads (decision 011)."""
    import opentimelineio as otio

    adapter, name, rate, pieces = job
    begin = _number(pieces[0].event.record_in, rate) if pieces else 0
    line = otio.schema.Timeline(name, global_start_time=otio.opentime.RationalTime(begin, float(rate)))
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    line.tracks.append(track)
    at = begin
    for piece in pieces:
        record = _number(piece.event.record_in, rate)
        if record > at:
            gap = otio.opentime.RationalTime(record - at, float(rate))
            track.append(otio.schema.Gap(duration=gap))
            at = record
        track.append(_clip(piece, rate, adapter))
        at += piece.event.frames
    options: dict[str, Any] = {"rate": float(rate)} if adapter == "cmx_3600" else {}
    try:
        return str(otio.adapters.write_to_string(line, adapter, **options))
    except Exception as error:  # adapters raise whatever comes to hand
        words = " ".join(str(error).split())[:160]
        raise AquinError(f"the edit can't be written ({words})", None, "Write it as .otio") from error


def _number(timecode: str, rate: Fraction) -> int:
    try:
        return frames_of(timecode, rate) if timecode else 0
    except AquinError:
        return 0


def _cdl(cdl: Cdl, adapter: str) -> dict[str, Any]:
    """As the adapters keep one; a list's numbers are written out, since its readers know no exponents."""

    def number(value: float) -> Any:
        return f"{value:.6f}" if adapter == "cmx_3600" else float(value)

    sop = {k: [number(v) for v in getattr(cdl, k)] for k in ("slope", "offset", "power")}
    return {"asc_sop": sop, "asc_sat": number(cdl.saturation)}


def _clip(piece: MarkedPiece, rate: Fraction, adapter: str) -> Any:
    import opentimelineio as otio

    event = piece.event
    own = Fraction(piece.rate) if piece.rate else rate
    first = otio.opentime.RationalTime(_number(event.source_in, own), float(own))
    length = otio.opentime.RationalTime(event.frames, float(rate)).rescaled_to(float(own))
    media: Any = otio.schema.MissingReference()
    if piece.path:
        whole = otio.opentime.TimeRange(
            otio.opentime.RationalTime(_number(piece.start, own), float(own)),
            otio.opentime.RationalTime(piece.frames, float(own)),
        )
        media = otio.schema.ExternalReference(piece.path, available_range=whole)
    clip = otio.schema.Clip(event.clip, media, otio.opentime.TimeRange(first, length))
    clip.metadata["cmx_3600"] = {
        "reel": event.reel,
        "comments": [f"{m.kind.upper()} {m.words}" for m in piece.marks],
    }
    if piece.cdl is not None:
        clip.metadata["cdl"] = _cdl(piece.cdl, adapter)
    if event.speed == 0:
        clip.effects.append(otio.schema.FreezeFrame())
    elif event.speed != 1:
        clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=event.speed))
    for mark in piece.marks:
        spot = otio.opentime.TimeRange(first, otio.opentime.RationalTime(1, float(own)))
        words = mark.words if adapter == "cmx_3600" else mark.kind
        clip.markers.append(
            otio.schema.Marker(words, spot, COLOURS[mark.kind], {"aquin": {"said": mark.words}})
        )
    return clip
