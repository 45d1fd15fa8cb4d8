"""Proposing setups (one place with one light) from time, folder and what the pictures look like. The person
confirms.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from aquin.arrays import Float64
from aquin.errors import AquinError
from aquin.frames.timecode import frames_of
from aquin.production.looking import picture_of
from aquin.production.records import Setup, Shot

SURE_GAP = 45 * 60.0
"""Seconds without a recording from which another setup is certain."""

GAP = 12 * 60.0
"""Seconds from which it is another setup unless the pictures are alike."""

ALIKE = 0.16
"""Distance of two pictures' signatures below which they are alike."""


@dataclass(frozen=True)
class _Timed:
    index: int
    day: str
    begin: float
    end: float
    camera: str


def propose_setups(
    known: Sequence[Setup], logged: Sequence[Shot], added: Sequence[Shot], thumbs: Mapping[str, str]
) -> tuple[list[Setup], list[Shot]]:
    """New setups, and the added shots put into setups; shots without a time follow their neighbours in the folder."""
    out = list(added)
    timed = sorted(
        (t for k, s in enumerate(added) if s.kind != "reference" and (t := _time(k, s)) is not None),
        key=lambda t: (t.day, t.begin),
    )
    groups: list[list[_Timed]] = []
    for shot in timed:
        group = groups[-1] if groups else None
        if group is None or group[-1].day != shot.day or _apart(group, shot, added, thumbs):
            groups.append([shot])
        else:
            group.append(shot)
    setups: list[Setup] = []
    filmed = [
        (day_of(s), times, s.setup_id) for s in logged if s.setup_id and (times := seconds_of(s)) is not None
    ]
    for group in groups:
        id = _there(group, filmed)
        if id is None:
            seconds = round(group[0].begin)
            name = f"{len(known) + len(setups) + 1} ({seconds // 3600:02d}:{seconds // 60 % 60:02d})"
            setup = Setup(f"setup {name}", len(known) + len(setups))
            setups.append(setup)
            id = setup.id
        for one in group:
            out[one.index] = replace(out[one.index], setup_id=id)
    return setups, _with_neighbours(out)


def seconds_of(shot: Shot) -> tuple[float, float] | None:
    """Begin and end of a shot as time of day in seconds, where it carries a timecode."""
    rate = shot.fps
    if not shot.start or rate is None:
        return None
    try:
        begin = frames_of(shot.start, rate) / nominal(rate)
    except AquinError:  # what a file or another program wrote there is no timecode at its rate
        return None
    return begin, begin + shot.frames / float(rate)


def at_once(one: Shot, other: Shot) -> bool:
    """Whether two recordings overlap in time by what their timecodes say."""
    times = seconds_of(one), seconds_of(other)
    if times[0] is None or times[1] is None:
        return False
    return min(times[0][1], times[1][1]) > max(times[0][0], times[1][0])


def nominal(rate: Fraction) -> int:
    """Timecode counts whole frames: 30 for 30000/1001."""
    return round(float(rate))


def day_of(shot: Shot) -> str:
    """The day of a shot as far as it can be told: the file's date, else the number on its card."""
    for key in ("creation_time", "DateTimeOriginal", "Exif:DateTimeOriginal"):
        if value := shot.metadata.get(key):
            return value[:10].replace(":", "-")
    for part in (shot.reel, *shot.path.split("/")[:-1]):
        if match := re.match(r"^[A-Z]_?(\d{2,4})$", part):
            return match[1]
    return ""


def _time(index: int, shot: Shot) -> _Timed | None:
    """By timecode, else by the time at which a still says it was taken."""
    found = seconds_of(shot)
    taken = shot.metadata.get("Exif:DateTimeOriginal") or shot.metadata.get("DateTimeOriginal") or ""
    if found is None and (clock := re.search(r"[ T](\d\d):(\d\d):(\d\d)", taken)):
        begin = 3600.0 * int(clock[1]) + 60 * int(clock[2]) + int(clock[3])
        found = begin, begin
    return None if found is None else _Timed(index, day_of(shot), *found, shot.camera_id)


def _apart(group: list[_Timed], shot: _Timed, added: Sequence[Shot], thumbs: Mapping[str, str]) -> bool:
    """Whether a shot begins another setup: by the time since the last one, and between the two limits by its
    picture.
    """
    gap = shot.begin - max(t.end for t in group)
    if gap < GAP or gap >= SURE_GAP:
        return gap >= GAP
    own = thumbs.get(added[shot.index].content)
    for other in reversed(group):
        theirs = thumbs.get(added[other.index].content)
        if other.camera == shot.camera and own and theirs:
            return float(np.abs(signature(own) - signature(theirs)).mean()) > ALIKE
    return True


def signature(thumb: str) -> Float64:
    """(48,) coarse colours of a small picture: means of a 4 x 4 grid."""
    picture = picture_of(thumb)
    rows = [np.array_split(r, 4, axis=1) for r in np.array_split(picture, 4, axis=0)]
    return np.array([cell.reshape(-1, 3).mean(0) for r in rows for cell in r], np.float64).ravel()


def _there(group: list[_Timed], filmed: Sequence[tuple[str, tuple[float, float], str]]) -> str | None:
    """A setup that was already filmed at that time: day, seconds and setup of what is logged."""
    first = group[0]
    for day, (begin, end), setup in filmed:
        if day == first.day and begin - GAP < first.begin < end + GAP:
            return setup
    return None


def _with_neighbours(shots: list[Shot]) -> list[Shot]:
    """Shots without a setup join the nearest one of their camera in the order of names."""
    out = list(shots)
    orders: dict[str, list[int]] = {}
    for k in sorted(range(len(out)), key=lambda k: out[k].path):
        orders.setdefault(out[k].camera_id, []).append(k)
    for order in orders.values():
        if not any(out[k].setup_id for k in order):
            continue
        place = {k: at for at, k in enumerate(order)}
        for k in sorted(order):
            if not out[k].setup_id and out[k].kind != "reference":
                out[k] = replace(out[k], setup_id=_neighbour(place[k], order, out))
    return out


def _neighbour(at: int, order: Sequence[int], shots: Sequence[Shot]) -> str:
    for step in range(1, len(order)):
        for other in (at - step, at + step):
            if 0 <= other < len(order) and shots[order[other]].setup_id:
                return shots[order[other]].setup_id
    return ""


def kelvin(white: str) -> str:
    """A white setting as a plain number of kelvin, `auto`, or empty."""
    if match := re.search(r"(\d{4,5})", white):
        return match[1]
    return "auto" if "auto" in white.lower() else ""
