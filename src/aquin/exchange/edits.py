"""Edits in: CMX 3600 lists (.edl), OpenTimelineIO (.otio) and xmeml (.xml).

OpenTimelineIO's objects must not be made beside other threads (decision 011), so `read_edit` works in a process of
its own.
"""

from fractions import Fraction
from pathlib import Path
from typing import Any

from aquin.errors import AquinError
from aquin.frames.timecode import timecode_of
from aquin.production.conform import Cut, CutList

SUFFIXES = {".edl": "cmx_3600", ".otio": "otio_json", ".xml": "fcp_xml"}
MAX_BYTES = 50_000_000
MOST_FRAMES = 10**8
"""Frames that a piece, or its place in a recording, may have: eleven days at 100 a second."""
_RATES = [Fraction(n) for n in (24, 25, 30, 48, 50, 60)] + [
    Fraction(n * 1000, 1001) for n in (24, 30, 48, 60)
]


def read_edit(path: Path, rate: Fraction = Fraction(24)) -> CutList:
    """The pieces of the picture track, in cut order. `rate` is for a list that does not say its own. Raises
    AquinError.
    """
    from aquin.workers import each

    check_edit(path)
    for _, result in each(_read, [(path, rate)], 1):
        if isinstance(result, AquinError):
            raise result
        assert isinstance(result, CutList)
        return result
    raise AssertionError("a worker gives one result for one item")


def check_edit(path: Path) -> None:
    """Refuse what is no edit, too large, or XML with entities. Raises AquinError."""
    if path.suffix.lower() not in SUFFIXES:
        raise AquinError("this is no edit that Aquin reads", path, f"Use one of {' '.join(SUFFIXES)}")
    try:
        size = path.stat().st_size
    except OSError as error:
        raise AquinError(f"the edit can't be read ({error.strerror})", path, "Check the name") from error
    if not size or size > MAX_BYTES:
        raise AquinError(
            "the edit is empty" if not size else "the edit is too large", path, "Export it again"
        )
    if path.suffix.lower() == ".xml":
        from xml.etree.ElementTree import ParseError

        import defusedxml
        from defusedxml.ElementTree import parse

        try:
            parse(path)
        except (defusedxml.DefusedXmlException, ParseError, ValueError, LookupError, OSError) as error:
            raise AquinError(
                f"the edit is refused ({type(error).__name__}: entities, or damaged XML)",
                path,
                "Export it again",
            ) from error


def _read(job: tuple[Path, Fraction]) -> CutList:
    """In a worker."""
    import opentimelineio as otio

    path, rate = job
    options: dict[str, Any] = {"rate": float(rate)} if path.suffix.lower() == ".edl" else {}
    if path.suffix.lower() == ".edl":
        options["ignore_timecode_mismatch"] = True
    try:
        read = otio.adapters.read_from_file(str(path), SUFFIXES[path.suffix.lower()], **options)
    except Exception as error:  # adapters raise whatever comes to hand for bad input
        words = " ".join(str(error).split())[:160]
        raise AquinError(
            f"the edit can't be read ({words or type(error).__name__})", path, "Export it again"
        ) from error
    try:
        line = _timeline(read)
        tracks = [t for t in line.video_tracks() if any(True for _ in t.find_clips())] if line else []
        made = _cut_list(path, line, tracks, rate) if tracks else None
    except AquinError:
        raise
    except Exception as error:  # rates that are no numbers, clips in themselves, tags of any kind
        words = " ".join(str(error).split())[:160]
        raise AquinError(
            f"the edit can't be followed ({words or type(error).__name__})", path, "Export it again"
        ) from error
    if made is None:
        raise AquinError("there is no picture track in the edit", path, "Export the picture track")
    return made


def _timeline(read: Any) -> Any:
    """The first timeline in what an adapter gives."""
    import opentimelineio as otio

    if isinstance(read, otio.schema.Timeline):
        return read
    children = read if isinstance(read, otio.schema.SerializableCollection) else []
    return next((t for child in children if (t := _timeline(child)) is not None), None)


def _cut_list(path: Path, line: Any, tracks: list[Any], rate: Fraction) -> CutList:
    """All clips of the picture tracks by where they stand in the cut; a track higher up comes after at the same
    place.
    """
    import opentimelineio as otio

    clips = [(clip, track) for track in tracks for clip in track.find_clips()]
    first = clips[0][0].trimmed_range().start_time.rate
    own = _exact(first) if path.suffix.lower() != ".edl" else rate
    zero = line.global_start_time or otio.opentime.RationalTime(0, float(own))
    cuts = []
    for clip, track in clips:
        piece = clip.trimmed_range()
        at = clip.transformed_time_range(
            otio.opentime.TimeRange(piece.start_time, piece.duration), track
        ).start_time
        speed = _exact(piece.start_time.rate)
        media = clip.media_reference
        url = getattr(media, "target_url", "") or ""
        begin, pace = _begin(clip, piece, float(speed)), _speed(clip)
        length = round(piece.duration.rescaled_to(float(own)).value)
        drop = _drops(clip)
        if not 0 <= length <= MOST_FRAMES or not abs(begin) <= MOST_FRAMES:
            raise ValueError(f"a piece of {length} frames from frame {begin}")
        cuts.append(
            (
                at.to_seconds(),
                Cut(
                    _reel(clip),
                    str(
                        clip.metadata.get("cmx_3600", {}).get("clip_name", "") or clip.name or Path(url).stem
                    ),
                    timecode_of(begin, speed, drop),
                    timecode_of(
                        begin + _shown(piece.duration.rescaled_to(float(speed)).value, pace), speed, drop
                    ),
                    timecode_of(round((zero + at).rescaled_to(float(own)).value), own),
                    length,
                    url.removeprefix("file://localhost").removeprefix("file://"),
                    pace,
                ),
            )
        )
    cuts.sort(key=lambda c: c[0])
    return CutList(line.name or path.stem, path.name, own, tuple(c for _, c in cuts))


def _begin(clip: Any, piece: Any, rate: float) -> int:
    """The first of the media's frames that a piece shows.

    An xmeml piece with a speed of its own counts frames as it plays them, from its media's end where it runs backwards
    (from memory); all else counts the media's own.
    """
    start, pace = float(piece.start_time.rescaled_to(rate).value), _xmeml_speed(clip)
    there = clip.media_reference.available_range if pace != 1 else None
    if there is None:
        return round(start)
    zero, length = (float(t.rescaled_to(rate).value) for t in (there.start_time, there.duration))
    into, shown = (start - zero) * abs(pace), float(piece.duration.rescaled_to(rate).value) * abs(pace)
    return round(zero + into if pace >= 0 else zero + length - into - shown)


def _xmeml_speed(clip: Any) -> float:
    """What the constant time remap of an xmeml clip says, which its adapter leaves as it was; a speed that varies is no
    one number, and is taken as 1.
    """
    held = (clip.metadata or {}).get("fcp_xml", {})
    filters = held.get("filter", []) if hasattr(held, "get") else []
    for one in filters if not hasattr(filters, "get") else [filters]:
        effect = one.get("effect", {}) if hasattr(one, "get") else {}
        if not hasattr(effect, "get") or str(effect.get("effectid", "")).lower() != "timeremap":
            continue
        given = effect.get("parameter", [])
        said = {
            str(p.get("parameterid", "")): str(p.get("value", ""))
            for p in (given if not hasattr(given, "get") else [given])
            if hasattr(p, "get")
        }
        if said.get("variablespeed", "0") not in ("0", "", "FALSE"):
            return 1.0
        try:
            speed = abs(float(said.get("speed", "100"))) / 100
        except ValueError:
            return 1.0
        if not speed <= 100:
            return 1.0
        return -speed if said.get("reverse", "FALSE").upper() == "TRUE" else speed
    return 1.0


def _speed(clip: Any) -> float:
    """Of all its linear time warps; a freeze frame is 0."""
    import opentimelineio as otio

    speed = _xmeml_speed(clip)
    for effect in clip.effects:
        if isinstance(effect, otio.schema.FreezeFrame):
            return 0.0
        if isinstance(effect, otio.schema.LinearTimeWarp):
            speed *= float(effect.time_scalar)
    return speed if -100 <= speed <= 100 else 1.0


def _shown(frames: float, pace: float) -> int:
    """Frames of the media that a piece of `frames` shows."""
    return max(round(frames * abs(pace)), 1) if pace != 1 else round(frames)


def _exact(rate: float) -> Fraction:
    """29.97 as 30000/1001."""
    return min(_RATES, key=lambda r: abs(float(r) - rate)) if rate else Fraction(24)


def _reel(clip: Any) -> str:
    """The reel, from wherever an adapter leaves it."""
    for holder in (clip, clip.media_reference):
        tags = getattr(holder, "metadata", {}) or {}
        for key in ("cmx_3600", "fcp_xml"):
            part = tags.get(key, {})
            for name in ("reel", "reelname"):
                if isinstance(part.get(name), str) and part[name]:
                    return str(part[name])
            code = part.get("timecode", {})
            reel = code.get("reel", {}) if hasattr(code, "get") else {}
            if hasattr(reel, "get") and reel.get("name"):
                return str(reel["name"])
        if isinstance(tags.get("reel"), str):
            return str(tags["reel"])
    return ""


def _drops(clip: Any) -> bool:
    for holder in (clip, clip.media_reference):
        code = (getattr(holder, "metadata", {}) or {}).get("fcp_xml", {}).get("timecode", {})
        if hasattr(code, "get") and code.get("displayformat") == "DF":
            return True
    return False
