"""Conforming an edit: each of its pieces to the shot that it was cut from, by reel and timecode, else by clip name."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

import numpy as np

from aquin.errors import AquinError
from aquin.frames.timecode import frames_of
from aquin.production.records import Edit, Event, Shot

if TYPE_CHECKING:
    from aquin.production.store import Production


@dataclass(frozen=True)
class Cut:
    """One piece of an edit as its file gives it: timecodes with the out excluded; empty words where the file is
    silent.
    """

    reel: str
    clip: str
    """As the file writes it."""
    source_in: str
    source_out: str
    """Exclusive."""
    record_in: str
    frames: int
    media: str = ""
    """The path of the media, as the file writes it."""
    speed: float = 1.0
    """Times the media's own speed; negative: backwards; 0: a still."""

    def own_frames(self, rate: Fraction, own: Fraction) -> int:
        """How many frames of media at `own` frames a second a piece of an edit at `rate` shows."""
        return max(round(self.frames * abs(self.speed) * own / rate), 1)


@dataclass(frozen=True)
class CutList:
    """An edit as read. `rate` is frames a second of its timecodes."""

    name: str
    source: str
    rate: Fraction
    """Frames a second of its timecodes."""
    cuts: tuple[Cut, ...]


@dataclass(frozen=True)
class Conformed:
    """The edit as it is kept, and which of its pieces fit no shot."""

    edit: Edit
    events: tuple[Event, ...]

    @property
    def unmatched(self) -> tuple[Event, ...]:
        return tuple(e for e in self.events if not e.shot_id)


def conformed(production: Production, cut_list: CutList) -> Conformed:
    """An edit with its pieces matched to shots; nothing is kept."""
    shelf = Shelf(production.all(Shot))
    last = max((e.position for e in production.all(Edit)), default=-1)
    edit = Edit(cut_list.name, cut_list.source, str(cut_list.rate), last + 1)
    events = tuple(
        _event(edit, k, cut, _match(cut, shelf, cut_list.rate)) for k, cut in enumerate(cut_list.cuts)
    )
    return Conformed(edit, events)


def conform(production: Production, cut_list: CutList, why: str = "") -> Conformed:
    """Keep an edit with its pieces matched to shots, as one step; an edit of the same name is replaced."""
    made = conformed(production, cut_list)
    old = [e for e in production.all(Edit) if e.name == made.edit.name]
    production.change(f"edit {made.edit.name}", made.edit, *made.events, drop=old, why=why)
    return made


Match = tuple[Shot, int] | str
"""A shot with the frame number at which the piece begins, or why there is none."""


def _event(edit: Edit, position: int, cut: Cut, match: Match) -> Event:
    found, why = ((match[0].id, match[1]), "") if not isinstance(match, str) else (("", 0), match)
    rate = Fraction(edit.rate)
    own = cut.own_frames(rate, match[0].fps or rate) if not isinstance(match, str) else 0
    return Event(
        edit.id,
        position,
        cut.reel,
        cut.clip,
        cut.source_in,
        cut.source_out,
        cut.record_in,
        cut.frames,
        *found,
        why,
        own,
        cut.speed,
    )


Known = dict[str, tuple[int | None, int]]
"""By a shot's rate as it is written: a piece's beginning and length in frames of it."""


@dataclass(frozen=True)
class Held:
    """A reel's shots of one rate: their first frames' timecodes in frames (-1: none), and their lengths; (n,)."""

    shots: list[Shot]
    begins: np.ndarray
    frames: np.ndarray


class Shelf:
    """Shots by the words that a piece may name them with."""

    def __init__(self, shots: Sequence[Shot]) -> None:
        self._begins: dict[str, int | None] = {}
        self._order = {s.id: k for k, s in enumerate(shots)}
        self._reels: dict[str, list[Shot]] = {}
        self._names: dict[str, list[Shot]] = {}
        self._files: dict[str, list[Shot]] = {}
        self._held: dict[str, list[Held]] = {}
        for shot in shots:
            *folders, file = shot.path.lower().split("/")
            name = shot.name.lower()
            for word in {shot.reel.lower(), name, *folders} - {""}:
                self._reels.setdefault(word, []).append(shot)
            for word in {name, file, file.rpartition(".")[0] or file}:
                self._names.setdefault(word, []).append(shot)
            self._files.setdefault(file, []).append(shot)

    def begin(self, shot: Shot, own: Fraction) -> int | None:
        """The timecode of a shot's first frame, in its frames; None where it has none."""
        if shot.id not in self._begins:
            self._begins[shot.id] = _frames(shot.start, own) if shot.start else None
        return self._begins[shot.id]

    def of_reel(self, cut: Cut) -> list[Shot]:
        return self._reels.get(cut.reel.lower(), []) if cut.reel else []

    def holding(self, cut: Cut, rate: Fraction, known: Known) -> list[tuple[Shot, int]]:
        """The reel's shots that hold a piece, with the frame at which it begins."""
        word = cut.reel.lower()
        if word not in self._held:
            groups: dict[str, list[Shot]] = {}
            for shot in self.of_reel(cut):
                groups.setdefault(shot.rate, []).append(shot)
            self._held[word] = [self._hold(group, rate) for group in groups.values()]
        found = []
        for held in self._held[word]:
            there, length = _asked(cut, held.shots[0], rate, known)
            if there is not None:
                fits = (
                    (held.begins >= 0)
                    & (held.begins <= there)
                    & (there - held.begins + length <= held.frames)
                )
                found += [
                    (held.shots[k], held.shots[k].first + there - int(held.begins[k]))
                    for k in fits.nonzero()[0]
                ]
        return sorted(found, key=lambda f: self._order[f[0].id])

    def _hold(self, shots: list[Shot], rate: Fraction) -> Held:
        begins = [self.begin(s, s.fps or rate) for s in shots]
        return Held(
            shots, np.array([-1 if b is None else b for b in begins]), np.array([s.frames for s in shots])
        )

    def named(self, cut: Cut) -> list[Shot]:
        """By clip or file name, in the order in which they were logged."""
        found = {s.id: s for s in self._names.get(cut.clip.lower(), ())} if cut.clip else {}
        media = cut.media.replace("\\", "/").lower()
        for shot in self._files.get(media.rpartition("/")[2], ()):
            if media.endswith(shot.path.lower()):
                found[shot.id] = shot
        return sorted(found.values(), key=lambda s: self._order[s.id])


def _match(cut: Cut, shelf: Shelf, rate: Fraction) -> Match:
    """By reel and timecode; then by clip or file name, with timecode where the shot has one."""
    reel = shelf.of_reel(cut)
    known: Known = {}
    held = shelf.holding(cut, rate, known) if reel else []
    called = shelf.named(cut)
    if len(held) > 1:
        names = {s.id for s in called}
        held = [(s, at) for s, at in held if s.id in names] or held
    if len(held) == 1:
        return held[0]
    if len(held) > 1:
        return f"{len(held)} shots of reel {cut.reel} hold this timecode: {', '.join(s.path for s, _ in held[:3])}"
    reels = {s.id for s in reel} if called else set()
    named = [s for s in called if not reel or s.id in reels]
    placed = [(s, at) for s in named if (at := _position(cut, s, rate, shelf, known)) is not None]
    if len(placed) == 1:
        return placed[0]
    if named and all(s.trouble for s in named):
        return f"{named[0].path} can't be read"
    blank = [s for s in named if not s.start]
    if len(blank) == 1:
        return _without_timecode(cut, blank[0], rate)
    if named:
        return f"{named[0].path} has the name but not the timecode {cut.source_in} to {cut.source_out}"
    if reel:
        return f"no shot of reel {cut.reel} holds {cut.source_in} to {cut.source_out}"
    return f"no shot is called {cut.clip or '(no name)'}" + (f" and no reel {cut.reel}" if cut.reel else "")


def _asked(cut: Cut, shot: Shot, rate: Fraction, known: Known) -> tuple[int | None, int]:
    """A piece's beginning and length in frames of a shot's rate."""
    held = known.get(shot.rate)
    if held is None:
        own = shot.fps or rate
        there = _frames(cut.source_in, own) if cut.source_in else None
        held = known[shot.rate] = there, cut.own_frames(rate, own)
    return held


def _position(cut: Cut, shot: Shot, rate: Fraction, shelf: Shelf, known: Known) -> int | None:
    """The shot's frame number at the piece's beginning; None when the shot does not hold all of it.

    Timecode is compared at the shot's own rate, as it was recorded.
    """
    there, length = _asked(cut, shot, rate, known)
    first = shelf.begin(shot, shot.fps or rate)
    if first is None or there is None or there < first or there - first + length > shot.frames:
        return None
    return shot.first + there - first


def _frames(timecode: str, rate: Fraction) -> int | None:
    try:
        return frames_of(timecode, rate)
    except AquinError:
        return None


def _without_timecode(cut: Cut, shot: Shot, rate: Fraction) -> Match:
    """A shot without timecode fits by the one that the camera report gives it, else from its beginning."""
    start = shot.metadata.get("reported start", "")
    own = shot.fps or rate
    try:
        begin = frames_of(cut.source_in, own) - frames_of(start or "00:00:00:00", own)
    except AquinError:
        begin = -1
    if begin >= 0 and begin + cut.own_frames(rate, own) <= shot.frames:
        return shot, shot.first + begin
    if start:
        return f"{shot.path} carries no timecode, and from its reported start {start} it does not hold {cut.source_in}"
    return f"{shot.path} has the name but carries no timecode"
