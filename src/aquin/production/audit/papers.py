"""Rules on what files and papers say: readable, whole, one rate and size, timecode, names, charts filmed."""

from collections import defaultdict
from collections.abc import Iterator, Mapping
from contextlib import suppress
from fractions import Fraction
from itertools import pairwise

from aquin.errors import AquinError
from aquin.frames.timecode import frames_of
from aquin.production.audit.case import Case, most
from aquin.production.audit.finding import Finding, Fix
from aquin.production.records import Camera, Setup, Shot
from aquin.production.setups import day_of, seconds_of


def unreadable(case: Case) -> Iterator[Finding]:
    for shot in case.shots:
        if shot.trouble:
            yield Finding(
                "unreadable",
                "error",
                1.0,
                f"It can't be read: {shot.trouble}",
                (shot.id,),
                evidence=(("file", shot.path), ("size", f"{shot.bytes / 1e6:.1f} MB")),
                advice="Copy it again from its card; the log then reads it by itself.",
            )


def cut_short(case: Case) -> Iterator[Finding]:
    """Files that end before their container or the camera report says, or whose frames can't be decoded."""
    usual = most(s.rate for s in case.shots)
    for shot in case.shots:
        if shot.trouble:
            continue
        bad = list(case.measured.get(shot.id, {}).get("trouble", ()))
        claimed = _claimed(shot, usual)
        short = [
            (who, n) for who, n in claimed[:1] if n > shot.frames + 1
        ]  # the header knows better than the report
        if not bad and not short:
            continue
        evidence = [("frames in the file", f"{shot.frames}")]
        evidence += [(f"frames by the {who}", f"{n}") for who, n in claimed]
        evidence += [("decoding", words) for words in bad[:3]]
        sure = 0.98 if bad or any(who == "file's header" for who, _ in short) else 0.8
        yield Finding(
            "cut short",
            "error",
            sure,
            "The file ends early or is damaged",
            (shot.id,),
            evidence=tuple(evidence),
            advice="Copy it again from its card and compare the sizes.",
        )


def _claimed(shot: Shot, usual: str) -> list[tuple[str, int]]:
    """How many frames the file's header and the camera report claim."""
    out = []
    rate = Fraction(usual or shot.rate or "24")
    said = shot.metadata.get("claimed frames")
    if said and said.isdigit():
        out.append(("file's header", int(said)))
    begin, end = shot.metadata.get("reported start"), shot.metadata.get("reported end")
    if begin and end:
        with suppress(AquinError):
            out.append(("camera report", frames_of(end, rate) - frames_of(begin, rate)))
    return out


def rates(case: Case) -> Iterator[Finding]:
    """A frame rate unlike the production's."""
    usual = most(s.rate for s in case.shots if s.kind == "shot")
    for shot in case.shots:
        if shot.rate and usual and Fraction(shot.rate) != Fraction(usual):
            yield Finding(
                "frame rate",
                "error",
                0.97,
                f"It runs at {_fps(shot.rate)} frames a second, the production at {_fps(usual)}",
                (shot.id,),
                evidence=(("frame rate", _fps(shot.rate)), ("others", _fps(usual))),
                advice="Decide how it is conformed, frame by frame (then it runs slower or faster) or by speed.",
            )


def sizes(case: Case) -> Iterator[Finding]:
    """A picture size unlike the camera's others."""
    by_camera: dict[str, list[Shot]] = defaultdict(list)
    for shot in case.shots:
        if shot.width and shot.camera_id:
            by_camera[shot.camera_id].append(shot)
    for shots in by_camera.values():
        usual = most(f"{s.width} x {s.height}" for s in shots)
        for shot in shots:
            if (own := f"{shot.width} x {shot.height}") != usual:
                yield Finding(
                    "size",
                    "warning",
                    0.9,
                    f"It is {own}, the camera's others are {usual}",
                    (shot.id,),
                    evidence=(("size", own), ("others", usual)),
                    advice="Check whether the camera was set to another format.",
                )


def timecodes(case: Case) -> Iterator[Finding]:
    """Recordings without timecode, and those of one camera and day that overlap."""
    lanes: dict[tuple[str, str], list[tuple[float, float, Shot]]] = defaultdict(list)
    for shot in case.shots:
        if shot.trouble:
            continue
        if not shot.start and shot.frames > 1:
            said = shot.metadata.get("reported start", "")
            yield Finding(
                "no timecode",
                "warning",
                1.0,
                "It carries no timecode",
                (shot.id,),
                evidence=(("timecode in the file", "none"), ("camera report", said or "silent")),
                advice="Conforming it needs its name"
                + (
                    f"; the report's {said} is used meanwhile." if said else " or a start typed into the log."
                ),
                fix=Fix(f"take {said} from the report", (("shot", shot.id, {"start": said}),))
                if said
                else None,
            )
        times = seconds_of(shot)
        if times is not None and shot.camera_id and shot.frames > 1:
            lanes[shot.camera_id, day_of(shot)].append((*times, shot))
    for lane in lanes.values():
        lane.sort(key=lambda t: (t[0], t[2].path))
        for (_, end, one), (begin, _, other) in pairwise(lane):
            rate = float(one.fps or 24)
            if end - begin > 1.5 / rate and one.content != other.content:
                yield Finding(
                    "overlap",
                    "error",
                    0.9,
                    f"Two recordings of one camera overlap by {end - begin:.1f} s",
                    (one.id, other.id),
                    evidence=(
                        (one.path, f"{one.start}, {one.frames} frames"),
                        (other.path, f"{other.start}, {other.frames} frames"),
                    ),
                    advice="One has another camera's or another day's timecode: check the camera of both.",
                )


def names(case: Case) -> Iterator[Finding]:
    """One name for two recordings, and one recording logged twice."""
    by_name: dict[str, list[Shot]] = defaultdict(list)
    by_content: dict[str, list[Shot]] = defaultdict(list)
    for shot in case.shots:
        by_name[shot.name.lower()].append(shot)
        if shot.content:
            by_content[shot.content].append(shot)
    for shots in by_name.values():
        if len(shots) > 1 and len({s.content for s in shots}) > 1:
            yield Finding(
                "duplicate name",
                "warning",
                1.0,
                f"{len(shots)} recordings are called {shots[0].name}",
                tuple(s.id for s in shots),
                evidence=tuple((s.path, s.start or "no timecode") for s in shots),
                advice="An edit list can't tell them apart by name: give one another name in the log.",
                fix=Fix(
                    "put the card's name before each",
                    tuple(("shot", s.id, {"name": f"{s.path.split('/')[0]}_{s.name}"}) for s in shots),
                ),
            )
    for shots in by_content.values():
        if len(shots) > 1:
            yield Finding(
                "same file twice",
                "warning",
                0.95,
                f"{len(shots)} files hold the same",
                tuple(s.id for s in shots),
                evidence=tuple((s.path, f"{s.bytes} bytes") for s in shots),
                advice="Take one of them out of the log.",
            )


def charts_filmed(case: Case) -> Iterator[Finding]:
    """Each camera needs a chart or a card in each setup; a setup's own routine is asked for piece by piece."""
    for (camera_id, setup_id), shots in case.together.items():
        if not any(s.kind == "shot" for s in shots):
            continue
        camera, setup = case.production.get(Camera, camera_id), case.production.get(Setup, setup_id)
        there = {s.target for s in shots if s.kind in ("chart", "grey card")}
        missing = [t for t in setup.routine if t not in there]
        if (there and not missing) or any(s.id in case.glimpsed and case.glimpsed[s.id].there for s in shots):
            continue
        what = " and ".join(missing) if there else "chart or card"
        yield Finding(
            "chart missing",
            "warning" if not there else "note",
            0.95,
            f"{camera.name} filmed no {what} in {setup.name}",
            camera=camera_id,
            setup=setup_id,
            evidence=(
                ("shots there", str(sum(s.kind == "shot" for s in shots))),
                ("charts and cards there", ", ".join(sorted(there)) or "none"),
            ),
            advice=(
                "Balance it by another camera's chart and the same points, and film one if the light is still "
                "there."
            ),
        )


def undecided(case: Case) -> Iterator[Finding]:
    """Cameras whose encoding nobody has said; what files name can be taken where the configuration has it."""
    for camera in case.production.all(Camera):
        shots = [s for s in case.shots if s.camera_id == camera.id]
        open_ = [s for s in shots if not case.encoding(s)]
        if not open_:
            continue
        said = most(s.said_encoding for s in open_)
        known = {s.id: name for s in open_ if (name := case.config.name_of(s.said_encoding))}
        yield Finding(
            "encoding unknown",
            "warning",
            1.0,
            f"{camera.name}: the encoding of {len(open_)} recordings is not decided",
            camera=camera.id,
            evidence=(
                ("the files say", said or "nothing"),
                ("in the configuration", f"of {len(known)} of them" if known else "no"),
            ),
            advice="Choose one in Plan; for a camera that is not listed, take the nearest and note why.",
            fix=_as_said(camera, open_, known),
        )


def _as_said(camera: Camera, shots: list[Shot], known: Mapping[str, str]) -> Fix | None:
    """Most files' word for the camera, and that of floating-point and other files for these."""
    if not known:
        return None
    usual = camera.encoding or most(known[s.id] for s in shots if s.id in known and not s.floating)
    changes: list[tuple[str, str, dict[str, str]]] = []
    if usual and not camera.encoding:
        changes.append(("camera", camera.id, {"encoding": usual}))
    changes += [
        ("shot", s.id, {"encoding": known[s.id]})
        for s in shots
        if s.id in known and (s.floating or known[s.id] != usual)
    ]
    names = dict.fromkeys(v["encoding"] for _, _, v in changes)
    return Fix(f"read as the files say: {', '.join(names)}", tuple(changes))


def unusable(case: Case) -> Iterator[Finding]:
    """Encodings that the configuration has not, or whose file is not there: of a copied production, say."""
    config = case.config
    for camera in case.production.all(Camera):
        shots = [s for s in case.shots if s.camera_id == camera.id]
        for name in sorted({e for s in shots if (e := case.encoding(s)) and not config.name_of(e)}):
            held = tuple(s.id for s in shots if case.encoding(s) == name)
            file = config.missing_file(name)
            why = f"{file} is missing" if file else "the configuration has it not"
            beside = "the colour configuration" if config.path is None else config.path.name
            yield Finding(
                "encoding missing",
                "error",
                1.0,
                f"{camera.name}: {name} can't be used, {why}",
                held if any(case.production.get(Shot, id).encoding for id in held) else (),
                camera=camera.id,
                evidence=(("recordings read by it", str(len(held))), ("named in", beside)),
                advice=(
                    f"Copy {file} from where the production was to beside {beside}, or choose another encoding in Plan."
                    if file
                    else "Choose another encoding, or the configuration that has it, in Plan."
                ),
            )


def _fps(rate: str) -> str:
    return f"{float(Fraction(rate)):.5g}"


def about(case: Case) -> Iterator[Finding]:
    """What a file says of itself that one should know: how its frames are spaced, what of it is not read."""
    for shot in case.shots:
        said = str(shot.metadata.get("about the file", ""))
        if said:
            what = said[0].upper() + said[1:]
            yield Finding("about the file", "note", 1.0, what, (shot.id,))


RULES = (about, unreadable, cut_short, rates, sizes, timecodes, names, charts_filmed, undecided, unusable)
